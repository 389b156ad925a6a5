"""Django settings. What differs between installations comes from `env`; everything else stands here."""

import sys
from pathlib import Path

from adapters.keys.files import KeyFiles
from server.project.env import read_env

ATTIC_ENV = read_env()
TEST_RUNNER = "checks.runner.Runner"
ATTIC_OUTSIDE = "server.project.wiring.Wiring"
ROOT = Path(__file__).resolve().parents[2]
TESTING = "test" in sys.argv
WEB_DIST = ROOT / "web" / "dist"

SECRET_KEY = KeyFiles(ATTIC_ENV.data / "keys").read("django").hex()
ATTIC_METRICS_TOKEN = KeyFiles(ATTIC_ENV.data / "keys").read("metrics").hex()
DEBUG = False
ALLOWED_HOSTS = list(ATTIC_ENV.hosts)
ROOT_URLCONF = "server.project.urls"
ASGI_APPLICATION = "server.project.asgi.application"
AUTH_USER_MODEL = "people.User"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "django.contrib.postgres",
    "procrastinate.contrib.django",
    "rest_framework",
    "drf_spectacular",
    "csp",
    "server.people",
    "server.fleet",
    "server.storage",
    "server.plans",
    "server.runs",
    "server.retention",
    "server.recovery",
    "server.oversight",
    "server.telling",
    "server.project",
    "demo",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "server.api.compressed.CompressedJson",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "server.api.atomic.AllOrNothing",
]
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "DIRS": [WEB_DIST]}]
ENDS_NOTICED = "-c tcp_keepalives_idle=20 -c tcp_keepalives_interval=10 -c tcp_keepalives_count=3 -c tcp_user_timeout=45000"
KEEPALIVES = {"keepalives_idle": 20, "keepalives_interval": 10, "keepalives_count": 3, "tcp_user_timeout": 45_000}
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": ATTIC_ENV.database_name,
        "USER": "postgres",
        "PASSWORD": ATTIC_ENV.database_password,
        "HOST": ATTIC_ENV.database_host,
        "PORT": ATTIC_ENV.database_port,
        # compiling takes a hundred times as long as what these short questions would gain; a host that is cut off holds no lock
        # for longer than a minute at either end
        "OPTIONS": {"options": f"-c jit=off {ENDS_NOTICED}", **KEEPALIVES}
        | ({} if TESTING else {"pool": {"min_size": 1, "max_size": 48, "timeout": 5}}),
    }
}

PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
]
SESSION_COOKIE_AGE = 12 * 3600
SESSION_COOKIE_SAMESITE = "Strict"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = ATTIC_ENV.production
CSRF_COOKIE_SAMESITE = "Strict"
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'none'"],
        "script-src": ["'self'"],
        "style-src": ["'self'"],
        "style-src-attr": ["'unsafe-inline'"],
        "img-src": ["'self'", "data:"],
        "font-src": ["'self'"],
        "connect-src": ["'self'"],
        "base-uri": ["'none'"],
        "form-action": ["'self'"],
        "frame-ancestors": ["'none'"],
    }
}

EMAIL_BACKEND = "django.core.mail.backends.smtp.EmailBackend" if ATTIC_ENV.mail_host else "django.core.mail.backends.console.EmailBackend"
EMAIL_HOST, EMAIL_PORT = ATTIC_ENV.mail_host, ATTIC_ENV.mail_port
EMAIL_HOST_USER, EMAIL_HOST_PASSWORD = ATTIC_ENV.mail_user, ATTIC_ENV.mail_password
EMAIL_USE_TLS, EMAIL_USE_SSL = ATTIC_ENV.mail_tls == "start", ATTIC_ENV.mail_tls == "whole"
EMAIL_TIMEOUT = 10
"""Seconds; a mail server that hangs holds up nothing else."""

STATIC_URL = "/static/"
STATICFILES_DIRS = [WEB_DIST] if WEB_DIST.is_dir() else []
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False
# the name of a built file carries a digest of what is in it: another content has another name
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/assets/.+-[\w-]{8}\.\w+$"

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["rest_framework.authentication.SessionAuthentication"],
    "DEFAULT_PERMISSION_CLASSES": ["server.api.permissions.ByRole"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["server.api.parsing.BoundedJSONParser"],
    "DEFAULT_PAGINATION_CLASS": "server.api.paging.Pages",
    "DEFAULT_SCHEMA_CLASS": "server.api.schema.Schema",
    "EXCEPTION_HANDLER": "server.api.problems.problem_response",
    "UNAUTHENTICATED_USER": "django.contrib.auth.models.AnonymousUser",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Old Attic",
    "DESCRIPTION": "Recurring backups of staff phones and tablets: plans, runs, history, retention, storage, restore.",
    "VERSION": "1",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": True,
    "POSTPROCESSING_HOOKS": ["drf_spectacular.hooks.postprocess_schema_enums", "server.api.schema.say_plainly"],
    "ENUM_NAME_OVERRIDES": {
        "RunStateEnum": "server.runs.models.RunState",
        "RestoreStateEnum": "server.recovery.models.RestoreState",
        "DeviceStateEnum": "server.fleet.models.DeviceState",
        "KindEnum": "core.content.kinds.KIND_CODES",
        "ComingStateEnum": "server.runs.copies.COMING_CODES",
        "MediumEnum": "server.storage.models.MEDIUM_CODES",
        "DriveStateEnum": "server.storage.models.DriveState",
        "DrillStateEnum": "server.recovery.models.DrillState",
        "OwnCloudStateEnum": "server.fleet.api.own_cloud.OWN_STATES",
        "UnitEnum": "server.plans.models.UNITS",
        "MayEnum": "server.api.permissions.MAY_CODES",
    },
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["console"], "level": "ERROR" if TESTING else "WARNING"},
    "loggers": {
        "attic": {"level": "CRITICAL" if TESTING else "INFO"},
        "django": {"level": "CRITICAL" if TESTING else "WARNING"},
        "procrastinate": {"level": "WARNING"},
    },
}
SILENCED_SYSTEM_CHECKS = ["security.W004", "security.W008"] if not ATTIC_ENV.production else []
