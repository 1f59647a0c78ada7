"""Settings. Everything that differs between machines comes from the environment."""

import os
import secrets
from datetime import timedelta
from pathlib import Path

import environ

from quilt_site import engines

BASE_DIR = Path(__file__).resolve().parent.parent
env = environ.Env()

DATA_DIR = Path(env.str("QUILT_DATA_DIR", str(BASE_DIR / "var")))
DATA_DIR.mkdir(parents=True, exist_ok=True)

DEBUG = env.bool("QUILT_DEBUG", False)
ALLOWED_HOSTS = env.list("QUILT_ALLOWED_HOSTS", default=["127.0.0.1", "localhost"])


def _own_secret(name: str) -> str:
    """A secret of this installation's own, made at first start and readable by its owner alone."""
    path = DATA_DIR / name
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return path.read_text()
    made = secrets.token_urlsafe(40)
    with os.fdopen(handle, "w") as file:
        file.write(made)
    return made


SECRET_KEY = env.str("QUILT_SECRET_KEY", "") or _own_secret("secret_key")
# What scripts name that change something, and everybody where others can reach the server.
TOKEN = env.str("QUILT_TOKEN", "") or _own_secret("token")
DEMAND_TOKEN = env.bool("QUILT_DEMAND_TOKEN", False)

# Accounts and roles. Without them whoever reaches the installation may do everything: on this machine alone, or by its token.
ACCOUNTS = env.bool("QUILT_ACCOUNTS", False)
# Whether the server stands behind TLS: cookies go nowhere else then.
HTTPS = env.bool("QUILT_HTTPS", False)
# So many servers stand in front, one behind the other: what they say of who asks, and whether by TLS, is believed.
PROXIES = env.int("QUILT_PROXIES", 1 if HTTPS else 0)

INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.auth",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.admin",
    "axes",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "huey.contrib.djhuey",
    "studio",
    "demo",
]
MIDDLEWARE = [
    "studio.watching.Watched",
    "studio.middleware.AtOnce",
    "django.middleware.security.SecurityMiddleware",
    "studio.middleware.ContentPolicy",
    "studio.middleware.TokenGate",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.middleware.common.CommonMiddleware",
    "studio.middleware.SameOrigin",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "studio.gate.People",
    "studio.middleware.UploadLimit",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "quilt_site.urls"
WSGI_APPLICATION = "quilt_site.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [BASE_DIR / "web" / "dist"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ]
        },
    }
]

DATABASES = {"default": env.db("DATABASE_URL", default=f"sqlite:///{DATA_DIR / 'studio.sqlite3'}")}
if DATABASES["default"]["ENGINE"].endswith("sqlite3"):
    DATABASES["default"] |= {"ENGINE": "quilt_site.fair_sqlite", "TEST": {"NAME": ":memory:"}}
    DATABASES["default"]["OPTIONS"] = {
        "transaction_mode": "IMMEDIATE",
        "timeout": 20,
        "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;",
    }
elif DATABASES["default"]["ENGINE"].endswith("postgresql"):
    if env.bool("QUILT_POOL", False):
        # Processes that answer share a few connections between their threads. While the database is away they do not
        # wait ever longer before they try again, as the pool would: whoever asks next tries.
        waits = {"timeout": 3, "reconnect_timeout": 2}
        DATABASES["default"] |= {
            "OPTIONS": {"pool": {"min_size": 1, "max_size": 8, **waits}},
            "CONN_HEALTH_CHECKS": True,
        }
    else:
        # Each thread keeps a connection, and looks whether it still stands.
        DATABASES["default"] |= {"CONN_MAX_AGE": 60, "CONN_HEALTH_CHECKS": True}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

# Passwords: as NIST SP 800-63B and OWASP ASVS 2.1 have them: long, none of the common ones, no rules of composition.
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}", "OPTIONS": options}
    for name, options in (
        ("MinimumLengthValidator", {"min_length": 12}),
        ("CommonPasswordValidator", {}),
        ("UserAttributeSimilarityValidator", {}),
    )
] + [{"NAME": "studio.passwords.RepeatedValidator"}]
PASSWORD_HASHERS = [
    "studio.passwords.Argon2",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",
]
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "django.contrib.auth.backends.ModelBackend",
]
# Five wrong passwords for a name from an address, and that pair has to wait.
AXES_FAILURE_LIMIT = 5
AXES_COOLOFF_TIME = timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False
AXES_LOCKOUT_CALLABLE = "studio.api.people_views.locked_out"

SESSION_COOKIE_NAME = "quilt_session"
SESSION_COOKIE_AGE = 12 * 3600
SESSION_COOKIE_HTTPONLY = CSRF_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
if HTTPS:
    SECURE_HSTS_SECONDS = 31_536_000
CSRF_TRUSTED_ORIGINS = env.list("QUILT_ORIGINS", default=[])

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"

STATIC_URL = "/static/"
STATIC_ROOT = BASE_DIR / "web" / "dist"
STATICFILES_DIRS: list[Path] = []
WHITENOISE_ROOT = BASE_DIR / "web" / "dist"
WHITENOISE_USE_FINDERS = ACCOUNTS  # the admin brings its own styles
MEDIA_ROOT = DATA_DIR / "files"
STORAGES = {
    "default": engines.storage(env.str("STORAGE_URL", "")),
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}

MAX_UPLOAD_BYTES = env.int("QUILT_MAX_UPLOAD_BYTES", 512 * 1024 * 1024)
MAX_UNPACKED_BYTES = 4 * MAX_UPLOAD_BYTES
INLINE_GATHER_BYTES = 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FILES = 500

# So many requests are answered by one web process at once; more of them would only wait for each other.
AT_ONCE = env.int("QUILT_AT_ONCE", 3)

# So many windows are told as it happens what is new, by one web process; each holds a thread. Others ask once a second.
LIVE_WINDOWS = env.int("QUILT_LIVE_WINDOWS", 40)

# Work that says nothing for so long stands still: its process is ended, and it is tried once more.
# A worker
# of this machine that is gone is noticed at once.
STALE_SECONDS = env.float("QUILT_STALE_SECONDS", 120.0)

# Folders within which newer files may be watched for; none are any folder, as long as nobody else reaches the server.
WATCH_ROOTS = env.list("QUILT_WATCH_ROOTS", default=[])

# A worker process that says nothing for so long is gone, as when its machine is: its job is done by another.
SILENT_SECONDS = env.float("QUILT_SILENT_SECONDS", 20.0)

# After a pack a second job asks what sets its density, with quick packs.
EXPLAIN_PACKS = env.bool("QUILT_EXPLAIN_PACKS", True)

REDIS_URL = env.str("REDIS_URL", "")
HUEY = engines.queue(REDIS_URL, DATA_DIR, env.bool("QUILT_IMMEDIATE_JOBS", False))

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [],
    "DEFAULT_PERMISSION_CLASSES": [],
    "UNAUTHENTICATED_USER": None,
    "DEFAULT_RENDERER_CLASSES": ["studio.api.renderers.FastJson"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "studio.api.errors.handle",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Untold Quilt",
    "VERSION": "0.1.0",
    "SERVE_INCLUDE_SCHEMA": False,
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "studio.api.results.add_results",
    ],
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"away": {"()": "studio.lines.AwayInOneLine"}},
    "formatters": {"lines": {"()": "studio.lines.JsonLines"}},
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "filters": ["away"],
            **({"formatter": "lines"} if env.bool("QUILT_JSON_LOGS", False) else {}),
        }
    },
    # Requests wait for their turn on purpose (AT_ONCE): that is no news.
    "loggers": {"huey": {"level": "WARNING"}, "waitress.queue": {"level": "ERROR"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
