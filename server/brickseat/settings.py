"""Django settings. What differs from machine to machine comes from the environment:

BRICKSEAT_DATA    folder of the database, the props' files and the secret key (default: ./data)
BRICKSEAT_DEMO    1: the visitor on a loopback address is signed in as the demo's dresser
BRICKSEAT_CLUSTER address of a Dask cluster that runs trials, like tcp://host:8786 (default: processes of this machine)
BRICKSEAT_HOSTS   comma-separated host names served (default: this machine)
BRICKSEAT_BEHIND_PROXY 1: a proxy stands before this server and speaks HTTPS to the visitors (brickseat serve --behind-proxy)
BRICKSEAT_PROXY   address of that proxy, the only one that is believed (default: this machine)
"""

import contextlib
import os
import secrets
from pathlib import Path

from brickseat_core.formats.writing import lock, place_beside

DATA = Path(os.environ.get("BRICKSEAT_DATA", "data")).absolute()
DATA.mkdir(parents=True, exist_ok=True)
DEMO = os.environ.get("BRICKSEAT_DEMO") == "1"
BEHIND_PROXY = os.environ.get("BRICKSEAT_BEHIND_PROXY") == "1"
CLUSTER = os.environ.get("BRICKSEAT_CLUSTER", "")
WEB = Path(__file__).parent / "web"


def secret_key() -> str:
    """The key of this installation, made once."""
    path = DATA / "secret-key"
    if not path.exists():
        # Beside its place first: of two that begin at once, both take the key that came first.
        beside = place_beside(path)
        handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(handle, "w") as file:
            lock(file)
            file.write(secrets.token_urlsafe(50))
            file.flush()
            with contextlib.suppress(FileExistsError):
                os.link(beside, path)
            beside.unlink()
    return path.read_text()


SECRET_KEY = secret_key()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("BRICKSEAT_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
ROOT_URLCONF = "brickseat.urls"
ASGI_APPLICATION = "brickseat.asgi.application"
USE_TZ = True
TIME_ZONE = "UTC"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "channels",
    "brickseat.accounts",
    "brickseat.store",
    "brickseat.sets",
    "brickseat.jobs",
    "brickseat.live",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "brickseat.static_files.WholeFiles",
    "brickseat.api.errors.OneShape",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "DIRS": [], "APP_DIRS": True}]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "brickseat.sqlite3",
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 10,
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
    }
}

STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB
WHITENOISE_INDEX_FILE = False
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+[-.][A-Za-z0-9_-]{8,}\.\w+$"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
# Whether the visitor speaks HTTPS is stated by the proxy, and believed only of the proxy: see serving.py.
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = BEHIND_PROXY
SECURE_HSTS_SECONDS = 31_536_000 if BEHIND_PROXY else 0
SESSION_COOKIE_AGE = 14 * 24 * 3600
X_FRAME_OPTIONS = "DENY"
# Whether names below this one speak HTTPS, too, is not ours to say.
SILENCED_SYSTEM_CHECKS = ["security.W005", "security.W021"]
CSRF_FAILURE_VIEW = "brickseat.api.errors.csrf_failure"
DATA_UPLOAD_MAX_MEMORY_SIZE = 200 * 1024 * 1024
FILE_UPLOAD_MAX_MEMORY_SIZE = 16 * 1024 * 1024
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    # A refusal is an answer, not something to be looked into.
    "loggers": {"django.request": {"level": "ERROR"}},
}
