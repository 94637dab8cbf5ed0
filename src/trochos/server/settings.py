"""Django settings. Everything that differs between machines comes from the environment,
and every default is safe: loopback only, no debug pages, cookies for this site alone."""

from __future__ import annotations

import os
from pathlib import Path

from . import logs, peers, state

ROOT = Path(__file__).resolve().parents[3]
WEB = ROOT / "web" / "dist"

SECRET_KEY = state.django_secret()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("TROCHOS_HOSTS", "127.0.0.1,localhost,[::1]").split(",")
# Behind a proxy that speaks TLS (docs/manual/operating.md). Whoever is not named here is no proxy.
PROXIES = peers.read_networks(os.environ.get("TROCHOS_PROXIES", ""))
OVER_TLS = os.environ.get("TROCHOS_TLS", "").lower() in ("1", "yes", "true")
SECURE_PROXY_SSL_HEADER = (peers.SECURE, "yes")
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = OVER_TLS
SECURE_SSL_REDIRECT = OVER_TLS
SECURE_REDIRECT_EXEMPT = [r"^health$", r"^metrics$"]  # whoever watches asks the server itself
SECURE_HSTS_SECONDS = 31_536_000 if OVER_TLS else 0

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "rest_framework",
    "drf_spectacular",
    "trochos.server.accounts",
    "procrastinate.contrib.django",
    "trochos.server.surveys",
    "trochos.server.gathering",
]
MIDDLEWARE = [
    "trochos.server.peers.RealPeer",
    "trochos.server.logs.RequestLog",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "trochos.server.headers.SecurityHeaders",
    "trochos.server.surveys.written.TellsOfSecrets",
]
ROOT_URLCONF = "trochos.server.urls"
TEMPLATES: list[dict[str, object]] = []
ASGI_APPLICATION = "trochos.server.asgi.application"

# Requests and jobs share a bounded pool: under ASGI each thread would keep a connection of its own.
POOL = {"min_size": 1, "max_size": 12, "timeout": 20}
OPTIONS: dict[str, object] = {"pool": POOL}
if os.environ.get("DATABASE_SSLMODE"):
    OPTIONS["sslmode"] = os.environ["DATABASE_SSLMODE"]
DATABASES = {"default": {**state.database(), "CONN_HEALTH_CHECKS": True, "OPTIONS": OPTIONS}}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_PASSWORD_VALIDATORS = [
    {
        "NAME": "django.contrib.auth.password_validation.MinimumLengthValidator",
        "OPTIONS": {"min_length": 10},
    },
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
]
AUTHENTICATION_BACKENDS = [
    "trochos.server.accounts.backends.Accounts",
    # Sessions of before name this one; without it everybody would be signed out by an upgrade.
    "django.contrib.auth.backends.ModelBackend",
]
SESSION_ENGINE = "trochos.server.accounts.sessions"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_NAME = "trochos_session"
CSRF_COOKIE_NAME = "trochos_csrf"
CSRF_COOKIE_SAMESITE = "Lax"
X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"

# The bounds of an upload; core/readers/archives.py bounds what is inside.
DATA_UPLOAD_MAX_MEMORY_SIZE = 64 << 20
FILE_UPLOAD_MAX_MEMORY_SIZE = 64 << 20
DATA_UPLOAD_MAX_NUMBER_FILES = 20_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 25_000
UPLOAD_MAX_BYTES = 300 << 20

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "rest_framework.authentication.SessionAuthentication",
        "trochos.server.accounts.authentication.Bearer",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["trochos.server.accounts.roles.ByRole"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "trochos.server.errors.as_sentence",
    "NUM_PROXIES": 0,  # peers.RealPeer has looked already
}
CACHES = {
    "default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache"},
    # Documents about stored surveys, which do not change.
    "documents": {
        "BACKEND": "django.core.cache.backends.locmem.LocMemCache",
        "LOCATION": "documents",
        "TIMEOUT": None,
        "OPTIONS": {"MAX_ENTRIES": 400},
    },
}
# Long answers are computed by workers. A worker computes itself, and so does a test's process.
COMPUTE_HERE = os.environ.get("TROCHOS_COMPUTE") == "here"
IS_WORKER = os.environ.get("TROCHOS_COMPUTES") == "1"
SPECTACULAR_SETTINGS = {
    "TITLE": "Trochos",
    "DESCRIPTION": "Where a packet dies, and why: surveys, cases and everything computed of them.",
    "VERSION": "1",
    "COMPONENT_SPLIT_REQUEST": True,
    "SERVE_INCLUDE_SCHEMA": False,
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "trochos.server.described.with_errors",
    ],
    "SERVE_PERMISSIONS": ["trochos.server.accounts.roles.ByRole"],
    "ENUM_NAME_OVERRIDES": {
        "JobStateEnum": ["working", "done"],
        "RoleEnum": ["reader", "engineer", "operator", "administrator"],
        "WorksEnum": ["yes", "no", "partly", "unknown"],
        "ProtocolEnum": ["icmp", "tcp", "udp"],
        "GatheringStateEnum": ["running", "storing", "done", "failed", "cancelled"],
        "StateEnum": "trochos.server.surveys.shapes.CASE_STATES",
    },
}

STATIC_URL = "/static/"
STATIC_ROOT = WEB
WHITENOISE_IMMUTABLE_FILE_TEST = lambda path, url: "/assets/" in url  # noqa: E731
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
LANGUAGE_CODE = "en-gb"
USE_TZ = True
TIME_ZONE = "UTC"

LOGGING = logs.configuration()
