"""Settings. Everything that differs between machines comes from the environment."""

from pathlib import Path

import environ

BASE_DIR = Path(__file__).resolve().parent.parent
env = environ.Env()

DATA_DIR = Path(env.str("QUILT_DATA_DIR", str(BASE_DIR / "var")))
DATA_DIR.mkdir(parents=True, exist_ok=True)

DEBUG = env.bool("QUILT_DEBUG", False)
ALLOWED_HOSTS = env.list("QUILT_ALLOWED_HOSTS", default=["127.0.0.1", "localhost"])


def _secret_key() -> str:
    """A key of this installation's own, made at first start."""
    from django.core.management.utils import get_random_secret_key

    path = DATA_DIR / "secret_key"
    if not path.exists():
        path.write_text(get_random_secret_key())
        path.chmod(0o600)
    return path.read_text()


SECRET_KEY = env.str("QUILT_SECRET_KEY", "") or _secret_key()

INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "huey.contrib.djhuey",
    "studio",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "studio.middleware.ContentPolicy",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.middleware.common.CommonMiddleware",
    "studio.middleware.SameOrigin",
    "studio.middleware.UploadLimit",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
ROOT_URLCONF = "quilt_site.urls"
WSGI_APPLICATION = "quilt_site.wsgi.application"
TEMPLATES = [
    {"BACKEND": "django.template.backends.django.DjangoTemplates", "DIRS": [BASE_DIR / "web" / "dist"]}
]

DATABASES = {"default": env.db("DATABASE_URL", default=f"sqlite:///{DATA_DIR / 'quilt.sqlite3'}")}
if DATABASES["default"]["ENGINE"].endswith("sqlite3"):
    DATABASES["default"]["OPTIONS"] = {
        "transaction_mode": "IMMEDIATE",
        "timeout": 20,
        "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;",
    }
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"

STATIC_URL = "/static/"
STATIC_ROOT = BASE_DIR / "web" / "dist"
STATICFILES_DIRS: list[Path] = []
WHITENOISE_ROOT = BASE_DIR / "web" / "dist"
MEDIA_ROOT = DATA_DIR / "files"

MAX_UPLOAD_BYTES = env.int("QUILT_MAX_UPLOAD_BYTES", 512 * 1024 * 1024)
MAX_UNPACKED_BYTES = 4 * MAX_UPLOAD_BYTES
INLINE_GATHER_BYTES = 6 * 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FILES = 500

# A job whose worker says nothing for so long is run again.
STALE_SECONDS = env.float("QUILT_STALE_SECONDS", 15.0)

REDIS_URL = env.str("REDIS_URL", "")
HUEY = {
    "name": "quilt",
    "huey_class": "huey.RedisHuey" if REDIS_URL else "huey.SqliteHuey",
    "results": False,
    "immediate": env.bool("QUILT_IMMEDIATE_JOBS", False),
    "connection": {"url": REDIS_URL} if REDIS_URL else {},
    "consumer": {
        "workers": 2,
        "worker_type": "process",
        "initial_delay": 0.05,
        "max_delay": 0.1,
        "backoff": 1.1,
    },
}
if not REDIS_URL:
    HUEY["filename"] = str(DATA_DIR / "queue.sqlite3")

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [],
    "DEFAULT_PERMISSION_CLASSES": [],
    "UNAUTHENTICATED_USER": None,
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "studio.api.errors.handle",
}
SPECTACULAR_SETTINGS = {"TITLE": "Untold Quilt", "VERSION": "0.1.0", "SERVE_INCLUDE_SCHEMA": False}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "loggers": {"huey": {"level": "WARNING"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
