"""Settings, all from the environment; `./yardstick` sets it for a server on one machine."""

from __future__ import annotations

import os
from datetime import timedelta
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[2]


def _flag(name: str) -> bool:
    return os.environ.get(name, "") == "1"


SECRET_KEY = os.environ.get("YARDSTICK_SECRET_KEY", "")
DEBUG = False
ALLOWED_HOSTS = os.environ.get("YARDSTICK_HOSTS", "127.0.0.1,localhost").split(",")
WEB_ORIGIN = os.environ.get("YARDSTICK_WEB_ORIGIN", "http://127.0.0.1:8000")
LIVE_URL = os.environ.get("YARDSTICK_LIVE_URL", "http://127.0.0.1:8001")
CSRF_TRUSTED_ORIGINS = [WEB_ORIGIN]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "rest_framework",
    "drf_spectacular",
    "procrastinate.contrib.django",
    "axes",
    "yardstick_server.accounts",
    "yardstick_server.inventory",
    "yardstick_server.studies",
    "yardstick_server.runs",
    "yardstick_server.traces",
    "yardstick_server.films",
    "yardstick_server.analysis",
    "yardstick_server.logs",
    "yardstick_server.footage",
    "yardstick_server.reports",
    "yardstick_server.gates",
    "yardstick_server.races",
    "yardstick_server.bundles",
    "yardstick_server.webhooks",
    "yardstick_server.planning",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "yardstick_server.api.border.WholeAddresses",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "yardstick_server.api.headers.ContentPolicyMiddleware",
    "axes.middleware.AxesMiddleware",
]
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "django.contrib.auth.backends.ModelBackend",
]
ROOT_URLCONF = "yardstick_server.api.urls"
WSGI_APPLICATION = "yardstick_server.wsgi.application"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": os.environ.get("YARDSTICK_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("YARDSTICK_DB_PORT", "5432"),
        "NAME": os.environ.get("YARDSTICK_DB_NAME", "yardstick"),
        "USER": os.environ.get("YARDSTICK_DB_USER", "yardstick"),
        "PASSWORD": os.environ.get("YARDSTICK_DB_PASSWORD", ""),
        # who asks while the database is away is told so within two seconds
        "OPTIONS": {
            "connect_timeout": 2,
            **(
                {"pool": {"min_size": 1, "max_size": 8, "timeout": 1.5}}
                if _flag("YARDSTICK_DB_POOL")
                else {}
            ),
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"

PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
_VALIDATORS = "django.contrib.auth.password_validation."
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{_VALIDATORS}UserAttributeSimilarityValidator"},
    {"NAME": f"{_VALIDATORS}MinimumLengthValidator", "OPTIONS": {"min_length": 12}},
    {"NAME": f"{_VALIDATORS}CommonPasswordValidator"},
    {"NAME": f"{_VALIDATORS}NumericPasswordValidator"},
]
#: Failures of a name from an address are counted for a day; none locks, each delays the next try.
AXES_LOCK_OUT_AT_FAILURE = False
AXES_COOLOFF_TIME = timedelta(days=1)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False
AXES_SENSITIVE_PARAMETERS = ["password"]
#: How many proxies stand before the API; each adds the address it was asked from.
PROXIES = int(os.environ.get("YARDSTICK_PROXIES", "0"))
AXES_CLIENT_IP_CALLABLE = "yardstick_server.api.access.address_of"

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
#: Behind a proxy that speaks TLS: then nothing goes without it.
HTTPS = _flag("YARDSTICK_HTTPS")
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = HTTPS
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if HTTPS else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = HTTPS
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if HTTPS else None

#: The largest body an agent or a browser may send.
MOST_UPLOAD_BYTES = 64 * 1024 * 1024
DATA_UPLOAD_MAX_MEMORY_SIZE = MOST_UPLOAD_BYTES

#: Where the films of runs are kept; API and workers share it, and a backup takes it along.
FILMS = os.environ.get("YARDSTICK_FILMS", str(PROJECT / ".yardstick" / "films"))
#: Where log files that were brought wait until they are kept; API and workers share it.
UPLOADS = os.environ.get("YARDSTICK_UPLOADS", str(PROJECT / ".yardstick" / "uploads"))

REST_FRAMEWORK = {
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["yardstick_server.api.border.CarefulJSONParser"],
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "yardstick_server.api.access.SessionWithChallenge",
        "yardstick_server.api.access.TokenAuthentication",
        "yardstick_server.api.access.GuestAuthentication",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["yardstick_server.api.access.IsMember"],
    "EXCEPTION_HANDLER": "yardstick_server.api.exception_handler.answer",
    "DEFAULT_SCHEMA_CLASS": "yardstick_server.api.description.Described",
    "UNAUTHENTICATED_USER": "django.contrib.auth.models.AnonymousUser",
    "COERCE_DECIMAL_TO_STRING": False,
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Noble Yardstick",
    "VERSION": "1",
    "DESCRIPTION": "Studies, runs, readings and differences of interactive desktop programs.",
    "SERVE_PERMISSIONS": ["yardstick_server.api.access.IsMember"],
    "COMPONENT_SPLIT_REQUEST": False,
    "ENUM_NAME_OVERRIDES": {
        "FindingKindEnum": "yardstick_server.runs.models.FINDING_KINDS",
        "RehearsalKindEnum": ["play", "draft"],
        "ShelfStateEnum": "yardstick_server.shelf.SHELF_STATES",
        "StartStateEnum": "yardstick_server.api.catalog.programs.START_STATES",
        "RehearsalStateEnum": ["waits", "plays", "ended"],
        "ErrandStateEnum": ["waits", "taken", "done", "refused"],
        "ErrandOutcomeEnum": ["done", "refused"],
        "ProgramsFromEnum": ["file", "owner"],
        "RunOutcomeEnum": "yardstick_core.record.OUTCOMES",
        "MemberRoleEnum": ["owner", "tester", "reader"],
    },
}
PROCRASTINATE_WORKER_DEFAULTS = {"update_heartbeat_interval": 1, "stalled_worker_timeout": 5}

STATIC_URL = "/static/"
STATIC_ROOT = PROJECT / "web" / "dist"
WHITENOISE_ROOT = PROJECT / "web" / "dist"
WHITENOISE_INDEX_FILE = False
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.\w+$"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"secrets": {"()": "yardstick_server.api.border.WithoutSecrets"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "filters": ["secrets"]}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
