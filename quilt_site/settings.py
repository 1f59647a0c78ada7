"""Settings. Everything that differs between machines comes from the environment."""

import os
import secrets
from pathlib import Path

import environ

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

INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "huey.contrib.djhuey",
    "studio",
    "demo",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "studio.middleware.ContentPolicy",
    "studio.middleware.TokenGate",
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
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [BASE_DIR / "web" / "dist"],
    }
]

DATABASES = {"default": env.db("DATABASE_URL", default=f"sqlite:///{DATA_DIR / 'studio.sqlite3'}")}
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
INLINE_GATHER_BYTES = 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FILES = 500

# Work that says nothing for so long stands still: its process is ended, and it is tried once more.
# A worker
# of this machine that is gone is noticed at once.
STALE_SECONDS = env.float("QUILT_STALE_SECONDS", 120.0)

# Folders within which newer files may be watched for; none are any folder, as long as nobody else reaches the server.
WATCH_ROOTS = env.list("QUILT_WATCH_ROOTS", default=[])

# After a pack a second job asks what sets its density, with quick packs.
EXPLAIN_PACKS = env.bool("QUILT_EXPLAIN_PACKS", True)

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
