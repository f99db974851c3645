"""Settings. What differs from room to room comes from the environment:

GALENA_DATA       folder of all that is kept (default: the user's data folder of this system)
GALENA_HOSTS      further names under which the server is reached, separated by spaces
GALENA_DEMO       "1" offers the one-click sign-in of the demo world
GALENA_STAND_INS  addresses of stand-in instruments, separated by spaces
GALENA_RIGS       rigs that are plugged in from the start, for example "tide_tank cocoa"
"""

import os
import secrets
from pathlib import Path
from zoneinfo import available_timezones

from galena.config import shipped
from galena.config.data_folder import data_folder

DATA_DIR = data_folder()


def _secret_key() -> str:
    """Read the key that signs the sessions; made once, readable by its owner only."""
    file = DATA_DIR / "secret_key"
    if not file.exists():
        file.touch(mode=0o600)
        file.write_text(secrets.token_urlsafe(50))
    return file.read_text()


def _time_zone() -> str:
    """Tell the zone that this computer's clock is set to."""
    name = os.environ.get("TZ") or str(Path("/etc/localtime").resolve()).partition("zoneinfo/")[2]
    return name if name in available_timezones() else "UTC"


SECRET_KEY = _secret_key()
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *os.environ.get("GALENA_HOSTS", "").split()]
GALENA_DEMO = os.environ.get("GALENA_DEMO") == "1"
GALENA_STAND_INS = os.environ.get("GALENA_STAND_INS", "").split()
GALENA_RIGS = os.environ.get("GALENA_RIGS", "").split()

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django_htmx",
    "galena.shell",
    "galena.classroom",
    "galena.experiments",
    "galena.exchange",
    "galena.bench",
    "galena.recording",
    "galena.desk",
    "galena.quantities",
    "galena.straighten",
    "galena.clips",
    "galena.reports",
    "galena.lessons",
    "galena.keeping",
    "galena.demo",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "galena.shell.middleware.ShippedFiles",
    "galena.shell.middleware.content_security_policy",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "galena.shell.decimal_sign.decimal_sign",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "galena.shell.middleware.window",
    "galena.lessons.presence.presence",
    "galena.shell.middleware.Readable",
]
ROOT_URLCONF = "galena.config.urls"
ASGI_APPLICATION = "galena.config.asgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ],
            "builtins": [
                "galena.shell.templatetags.science",
                "galena.shell.templatetags.addresses",
                "django.templatetags.static",
            ],
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_DIR / "galena.sqlite3",
        "CONN_MAX_AGE": None,  # as long as the thread of a page is kept
        "OPTIONS": {
            # Readings survive a power cut once committed; writers queue instead of failing.
            "transaction_mode": "IMMEDIATE",
            "timeout": 10,
            # Each thread has a connection with pages of its own in memory, in kB.
            "init_command": (
                "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA cache_size=-1000;"
            ),
        },
        # A file: in memory, a writer beside a reader gives "table is locked".
        "TEST": {"NAME": DATA_DIR / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_USER_MODEL = "classroom.Person"
AUTHENTICATION_BACKENDS = [
    "galena.classroom.backend.PersonBackend",
    "django.contrib.auth.backends.ModelBackend",  # of sessions that were begun before 0.3
]
SESSION_ENGINE = "galena.shell.sessions"
AUTH_PASSWORD_VALIDATORS = [
    {
        "NAME": "django.contrib.auth.password_validation.MinimumLengthValidator",
        "OPTIONS": {"min_length": 12},
    },
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "experiments"
LOGOUT_REDIRECT_URL = "sign-in"
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_HTTPONLY = True  # scripts take the token from the page
CSRF_FAILURE_VIEW = "galena.shell.views.csrf_failure"
DATA_UPLOAD_MAX_MEMORY_SIZE = 2_000_000

LANGUAGE_CODE = "en-gb"
TIME_ZONE = _time_zone()
USE_TZ = True
USE_I18N = False

STATIC_URL = shipped.address()
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False
WHITENOISE_IMMUTABLE_FILE_TEST = shipped.is_kept
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "plain": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"},
        "utc": {"()": "galena.shell.security_log.InUtc", "format": "%(asctime)s %(message)s"},
    },
    "handlers": {
        "console": {"class": "logging.StreamHandler", "formatter": "plain"},
        "security": {
            "class": "logging.handlers.RotatingFileHandler",
            "formatter": "utc",
            "delay": True,
            "filename": DATA_DIR / "security.log",
            "maxBytes": 1_000_000,
            "backupCount": 4,
        },
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    # A refused plan or a page that is not there is told to the person, not to the console.
    "loggers": {
        "django.request": {"level": "ERROR"},
        "galena.security": {"level": "INFO", "handlers": ["security"], "propagate": False},
    },
}
