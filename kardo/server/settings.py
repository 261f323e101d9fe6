"""Settings. Everything that differs between machines comes from the environment or from .local/."""

import json
import os
import secrets
import sys
from pathlib import Path
from typing import Any

from django.core.exceptions import ImproperlyConfigured

ROOT = Path(__file__).resolve().parents[2]
LOCAL = ROOT / ".local"


def _database() -> dict[str, Any]:
    """The project-local cluster, as scripts/cluster.py wrote it down, unless the environment names another."""
    which = os.environ.get("KARDO_CLUSTER", "")
    written = LOCAL / f"database{which and '-' + which}.json"
    found = json.loads(written.read_text()) if written.exists() else {}
    return {
        "ENGINE": "django.contrib.gis.db.backends.postgis",
        "NAME": os.environ.get("KARDO_DB_NAME", "kardo"),
        "USER": os.environ.get("KARDO_DB_USER", found.get("user", "kardo")),
        "PASSWORD": os.environ.get("KARDO_DB_PASSWORD", found.get("password", "")),
        "HOST": os.environ.get("KARDO_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("KARDO_DB_PORT", found.get("port", 5432)),
        "CONN_MAX_AGE": None,  # requests run in a fixed number of threads, and each keeps its connection
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            "options": "" if _unhurried() else "-c statement_timeout=20s -c lock_timeout=10s",
            "connect_timeout": 5,
        },
        "TEST": {"TEMPLATE": os.environ.get("KARDO_TEMPLATE")},
    }


def _unhurried() -> bool:
    """Whether this process may let one statement take its time."""
    return any(word in sys.argv for word in ("migrate", "reset_demo")) or "KARDO_NO_TIMEOUTS" in os.environ


PRODUCTION = os.environ.get("KARDO_PRODUCTION", "") not in ("", "0")
LEAST_SECRET = 50  # letters, as Django's own check asks


def _secret() -> str:
    """A key of this installation, made once and kept beside the data; in production the one that is set alone."""
    if key := os.environ.get("KARDO_SECRET_KEY"):
        if PRODUCTION and (len(key) < LEAST_SECRET or len(set(key)) < 5):
            raise ImproperlyConfigured(f"KARDO_SECRET_KEY is too short or too plain: {LEAST_SECRET} letters by chance.")
        return key
    if PRODUCTION:
        raise ImproperlyConfigured("KARDO_SECRET_KEY is not set: production makes no key of its own.")
    kept = LOCAL / "secret"
    if not kept.exists():
        LOCAL.mkdir(exist_ok=True)
        kept.write_text(secrets.token_urlsafe(50))
        kept.chmod(0o600)
    return kept.read_text()


SECRET_KEY = _secret()
DEBUG = False
_HOSTS = [host.strip() for host in os.environ.get("KARDO_HOSTS", "").split(",") if host.strip()]
if PRODUCTION and (not _HOSTS or "*" in _HOSTS):
    raise ImproperlyConfigured("KARDO_HOSTS has to name the hosts that Kardo is reached under, and not all of them.")
ALLOWED_HOSTS = _HOSTS if PRODUCTION else ["127.0.0.1", "localhost", "testserver", *_HOSTS]
if PRODUCTION:  # behind a proxy that ends TLS and says so
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_SSL_REDIRECT = SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
    SECURE_HSTS_SECONDS, SECURE_HSTS_INCLUDE_SUBDOMAINS, SECURE_HSTS_PRELOAD = 31_536_000, True, True
    CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in _HOSTS]
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.gis",
    "procrastinate.contrib.django",
    "kardo.server.accounts",
    "kardo.server.jobs",
    "kardo.server.plans",
    "kardo.server.predictions",
    "kardo.server.book",
    "kardo.server.closeout",
    "kardo.server.marks",
    "kardo.server.kit",
    "kardo.server.commands",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "kardo.server.headers.Packed",
    "kardo.server.headers.ContentSecurity",
    "kardo.server.headers.DatabaseAway",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
ROOT_URLCONF = "kardo.server.urls"
ASGI_APPLICATION = "kardo.server.asgi.application"
CSRF_FAILURE_VIEW = "kardo.server.problems.forged"
DATABASES = {"default": _database()}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
SILENCED_SYSTEM_CHECKS = ["gis.W001"]  # no spatial reference from a user reaches Django's GDAL
USE_TZ = True
TIME_ZONE = "UTC"
AUTHENTICATION_BACKENDS = ["kardo.server.accounts.backend.WithOrganisation"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
# Casters that may be listened to, as host:port: nobody makes this server talk to another.
CASTERS = tuple(filter(None, os.environ.get("KARDO_CASTERS", "127.0.0.1:2101").split(",")))
# Receivers that may be listened to,
RECEIVERS = tuple(filter(None, os.environ.get("KARDO_RECEIVERS", "127.0.0.1:2103").split(",")))
# reference networks that may be asked for their stations, and
NETWORKS = tuple(filter(None, os.environ.get("KARDO_NETWORKS", "127.0.0.1:2104").split(",")))
# services that post-process a base's log, in the same way.
PROCESSING = tuple(filter(None, os.environ.get("KARDO_PROCESSING", "127.0.0.1:2102").split(",")))
# airspace authorities that may be asked for zones and for leave
AUTHORITIES = tuple(filter(None, os.environ.get("KARDO_AUTHORITIES", "127.0.0.1:2105").split(",")))
WEB_DIST = ROOT / "web" / "dist"
STATIC_URL = "/static/"
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
DATA_UPLOAD_MAX_MEMORY_SIZE = (
    12 * 1024 * 1024
)  # a whole plan with its terrain; files stream to disk and have limits of their own
FILE_UPLOAD_MAX_MEMORY_SIZE = 1024 * 1024
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": os.environ.get("KARDO_LOG", "WARNING")},
}
