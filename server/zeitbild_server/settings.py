"""Settings. Everything that differs between places comes from the environment; the defaults run on one machine."""

from __future__ import annotations

import contextlib
import os
import secrets
import sys
from datetime import timedelta
from pathlib import Path

from zeitbild.paths import data_folder

SERVER = Path(__file__).resolve().parent.parent
ROOT = SERVER.parent
DATA = data_folder()
# Whatever is written from here on is for this user alone; what older versions wrote is made so.
os.umask(0o077)
DATA.mkdir(parents=True, exist_ok=True, mode=0o700)
with contextlib.suppress(OSError):
    for _own in (DATA, *DATA.glob("zeitbild.sqlite3*")):
        _own.chmod(_own.stat().st_mode & 0o700)
TESTING = "test" in sys.argv[:2]


def _secret_key() -> str:
    """A key of this installation, made at the first start and kept readable by its owner only."""
    if given := os.environ.get("ZEITBILD_SECRET_KEY"):
        return given
    path = DATA / "secret_key"
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return path.read_text(encoding="ascii")
    key = secrets.token_urlsafe(50)
    with os.fdopen(handle, "w", encoding="ascii") as file:
        file.write(key)
    return key


SECRET_KEY = _secret_key()
DEBUG = False
#: The launcher asks by the number, whatever others call this machine.
ALLOWED_HOSTS = [*os.environ.get("ZEITBILD_HOSTS", "localhost,[::1]").split(","), "127.0.0.1"]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "ninja",
    "axes",
    "accounts",
    "projects",
    "journal",
    "shots",
    "assets",
    "workers",
    "runs",
    "handoffs",
    "disk",
    "operation",
]
MIDDLEWARE = [
    # Every middleware that is not async costs two changes of thread for each picture while somebody drags, so the
    # headers of several stock ones are set by one of our own.
    "zeitbild_server.policy.SafeHeaders",
    "zeitbild_server.static.HashedFiles",
    "zeitbild_server.inline.Sessions",
    "zeitbild_server.inline.Forgery",
    "zeitbild_server.inline.Asking",
]
ROOT_URLCONF = "zeitbild_server.urls"
TEMPLATES = [
    {"BACKEND": "django.template.backends.django.DjangoTemplates", "DIRS": [SERVER / "zeitbild_server"], "OPTIONS": {}}
]
ASGI_APPLICATION = "zeitbild_server.asgi.application"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": os.environ.get("ZEITBILD_DATABASE") or DATA / "zeitbild.sqlite3",
        # Kept with the thread that made it (threads.py): making one takes longer than a short request.
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "timeout": 20,
            # Web server and worker both write: taking the write lock at once avoids upgrades that fail as 'locked'.
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA busy_timeout=20000;",
        },
        # A file, since tests reach the database from several threads and processes.
        "TEST": {"NAME": DATA / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
_VALIDATION = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{_VALIDATION}.UserAttributeSimilarityValidator"},
    {"NAME": f"{_VALIDATION}.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": f"{_VALIDATION}.CommonPasswordValidator"},
    {"NAME": f"{_VALIDATION}.NumericPasswordValidator"},
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
# After so many wrong passwords for one name from one address the door stays shut for a while.
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_CLIENT_IP_CALLABLE = "journal.writing.address_of"
AXES_DISABLE_ACCESS_LOG = True
AXES_VERBOSE = False
# The middleware would turn a lock into an answer; accounts/actions/sign_in.py does.
# ... and policy.py sets the headers that two stock middlewares would; the one against forgery is in inline.py.
SILENCED_SYSTEM_CHECKS = ["axes.W002", "security.W001", "security.W002", "security.W003"]
if TESTING:
    PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]

STATIC_URL = "/static/"
STATIC_ROOT = DATA / "static"
WEB_DIST = ROOT / "web" / "dist"
STATICFILES_DIRS = [("web", WEB_DIST)] if WEB_DIST.exists() else []
SERVESTATIC_USE_FINDERS = True
SERVESTATIC_AUTOREFRESH = False

#: Said to be reached by HTTPS only, through a proxy that is trusted (docs/operation.md).
HTTPS = os.environ.get("ZEITBILD_HTTPS", "") not in ("", "0")
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if HTTPS else 0
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if HTTPS else None
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS] if HTTPS else []
#: Who may ask for figures from another machine.
METRICS_TOKEN = os.environ.get("ZEITBILD_METRICS_TOKEN", "")
#: Bytes of the disk that are never filled on purpose.
DISK_RESERVE = int(float(os.environ.get("ZEITBILD_RESERVE_MB", "500")) * 1e6)
#: Bytes that a project may take, 0 for as much as there is.
PROJECT_QUOTA = int(float(os.environ.get("ZEITBILD_PROJECT_GB", "0")) * 1e9)

TIME_ZONE = "UTC"
USE_TZ = True
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
# Bodies that are not files: documents go to 4 MB.
DATA_UPLOAD_MAX_MEMORY_SIZE = 5 * 1024 * 1024
# Files lie on the disk as they come, however small: a sequence is hundreds of them.
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]
#: Files that may come at once; each is open until it was taken in.
DATA_UPLOAD_MAX_NUMBER_FILES = 5000

#: Address of a cluster's scheduler (docs/operation.md), or nothing: then frames are computed by processes of the worker.
CLUSTER = os.environ.get("ZEITBILD_CLUSTER", "")
#: Seconds that a request waits for a job before it says where to look for it. Tests, which may be slow, get the answer itself.
JOB_PATIENCE = 240.0 if TESTING else 2.0
#: Where the worker lets frames be computed.
WORKER_PROCESSES = int(os.environ.get("ZEITBILD_WORKERS", str(os.cpu_count() or 2)))

# Refused requests and failed frames are what many tests are about: there they are no news.
(DATA / "logs").mkdir(exist_ok=True)
_LEVELS = {"zeitbild": "CRITICAL" if TESTING else "INFO", "django.request": "ERROR" if TESTING else "WARNING"}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "{asctime} {name} {levelname} {message}", "style": "{"}},
    "handlers": {
        "console": {"class": "logging.StreamHandler", "formatter": "line"},
        "access": {
            "class": "logging.handlers.RotatingFileHandler",
            "filename": DATA / "logs" / "access.jsonl",
            "maxBytes": 20_000_000,
            "backupCount": 5,
            "delay": True,
            "encoding": "utf-8",
        },
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        **{name: {"level": level} for name, level in _LEVELS.items()},
        "zeitbild.access": {"level": "INFO", "handlers": ["access"], "propagate": False},
        "axes": {"level": "ERROR"},
        "django.security": {"level": "CRITICAL" if TESTING else "WARNING"},
    },
}
TEST_RUNNER = "zeitbild_server.runner.CountingRunner"
