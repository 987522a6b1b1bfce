"""Settings. Everything that differs between installations comes from the environment."""

import os
import secrets
import sys
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

BASE_DIR = Path(__file__).resolve().parents[2]
PAGES = BASE_DIR / "server" / "pages"
"""The built front end where the application was installed as a wheel; a checkout has it beside its sources.
"""
INSTALLED = PAGES.is_dir()
OWN_FOLDER = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "trasloco"
DATA_DIR = Path(os.environ.get("TRASLOCO_DATA") or (OWN_FOLDER if INSTALLED else BASE_DIR / "data"))
os.umask(0o077)
"""What is kept is for whoever runs this, from the moment it is made: keys, database, deliveries."""
DATA_DIR.mkdir(parents=True, exist_ok=True)
WEB_DIST = PAGES if INSTALLED else BASE_DIR / "web" / "dist"


def _secret() -> str:
    """A key made once per installation."""
    path = DATA_DIR / "secret"
    if not path.exists():
        path.write_text(secrets.token_hex(32))
    return path.read_text()


SECRET_KEY = os.environ.get("TRASLOCO_SECRET") or _secret()
DEBUG = False
ACCOUNTS = os.environ.get("TRASLOCO_ACCOUNTS") == "1"
"""Whether people sign in. Whoever serves more than this computer has to."""
ALLOWED_HOSTS = os.environ.get("TRASLOCO_HOSTS", "127.0.0.1,localhost,[::1]").split(",")
if not ACCOUNTS and any("*" in host or host.startswith(".") for host in ALLOWED_HOSTS):
    raise ImproperlyConfigured("Any host is allowed, but nobody signs in. Name the hosts, or use accounts.")

INSTALLED_APPS = [
    "django.contrib.admin",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.messages",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "ninja",
    "server.accounts",
    "server.moves",
]
MIDDLEWARE = [
    "server.project.guards.Guards",
    "server.project.keeper.Keeper",
    "django.middleware.security.SecurityMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "server.accounts.access.Access",
]
PERSON_BYTES = int(float(os.environ.get("TRASLOCO_PERSON_GB", "50")) * 2**30)
"""What the deliveries of one person may take where people have accounts; 0 for as much as there is room."""
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in (
        "UserAttributeSimilarityValidator",
        "MinimumLengthValidator",
        "CommonPasswordValidator",
        "NumericPasswordValidator",
    )
]
TLS = os.environ.get("TRASLOCO_TLS") == "1"
"""Whether a proxy in front of this serves it with TLS."""
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = TLS
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Strict"
SESSION_COOKIE_AGE = 14 * 86400
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS] if TLS else []
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if TLS else None
WHITENOISE_USE_FINDERS = True
X_FRAME_OPTIONS = "DENY"
SILENCED_SYSTEM_CHECKS = ["security.W003", "security.W004", "security.W008", "security.W012", "security.W016"]
"""The guards look at where a request comes from; this computer is served without TLS, and where a proxy
serves it to others, redirecting and pinning are the proxy's.
"""
ROOT_URLCONF = "server.project.urls"
WSGI_APPLICATION = "server.project.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
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

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_DIR / "trasloco.sqlite3",
        "OPTIONS": {
            "timeout": 6,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;",
        },
        "TEST": {"NAME": DATA_DIR / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

RESULTS_MEMORY_BYTES = int(os.environ.get("TRASLOCO_RESULTS_MEMORY_MIB", "1024")) * 2**20
RESULTS_DISK_BYTES = int(os.environ.get("TRASLOCO_RESULTS_DISK_MIB", "8192")) * 2**20
"""What computed results may take; what was not used for longest leaves first."""

STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB_DIST if WEB_DIST.is_dir() else None
WHITENOISE_MAX_AGE = 3600
FILE_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024
FILE_UPLOAD_HANDLERS = [
    "django.core.files.uploadhandler.MemoryFileUploadHandler",
    "server.moves.incoming.Incoming",
]
FILE_UPLOAD_TEMP_DIR = DATA_DIR / "incoming"
FILE_UPLOAD_TEMP_DIR.mkdir(exist_ok=True)
DATA_UPLOAD_MAX_NUMBER_FILES = 10_000
DATA_UPLOAD_MAX_MEMORY_SIZE = 16 * 1024 * 1024
SOON = "test" not in sys.argv
"""Whether what a page need not wait for is made by threads; tests make it at once."""
USE_TZ, TIME_ZONE = True, "UTC"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
