"""What every mode shares."""

import os
from pathlib import Path

from vivid_cairn.log import configure, logging_of

from .clock import time_zone
from .modes import hosts_of, proxies_of

BASE_DIR = Path(__file__).resolve().parents[2]
DEBUG = os.environ.get("CAIRN_DEBUG") == "1"
SECRET_KEY = os.environ.get("CAIRN_SECRET_KEY", "for-loopback-demonstration-only-set-CAIRN_SECRET_KEY-elsewhere")
ALLOWED_HOSTS = hosts_of(os.environ)

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.humanize",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "procrastinate.contrib.django",
    "pgtrigger",
    "pghistory",
    "csp",
    "axes",
    "allauth",
    "allauth.account",
    "allauth.mfa",
    "allauth.usersessions",
    "workbench.accounts",
    "workbench.catalogues",
    "workbench.customers",
    "workbench.jobs",
    "workbench.samples",
    "workbench.trains",
    "workbench.starts",
    "workbench.logs",
    "workbench.supplies",
    "workbench.walls",
    "workbench.years",
    "workbench.issues",
]

MIDDLEWARE = [
    "workbench.middleware.ClientAddress",
    "workbench.middleware.RequestLog",
    "workbench.middleware.OnceMore",
    "workbench.middleware.Doors",
    "django.middleware.security.SecurityMiddleware",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "workbench.readers.Spelling",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "pghistory.middleware.HistoryMiddleware",
    "workbench.accounts.log_in.LogInFirst",
    "django.contrib.messages.middleware.MessageMiddleware",
    "allauth.account.middleware.AccountMiddleware",
    "allauth.usersessions.middleware.UserSessionsMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "axes.middleware.AxesMiddleware",
    "workbench.middleware.PlainText",
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "allauth.account.auth_backends.AuthenticationBackend"]

FORM_RENDERER = "workbench.pages.widgets.Written"
ROOT_URLCONF = "vivid_cairn.urls"
WSGI_APPLICATION = "vivid_cairn.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [BASE_DIR / "workbench" / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ],
            "builtins": ["workbench.templatetags.figures", "workbench.templatetags.forms"],
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("PGDATABASE", "cairn"),
        "USER": os.environ.get("PGUSER", "cairn"),
        "PASSWORD": os.environ.get("PGPASSWORD", ""),
        "HOST": os.environ.get("PGHOST", ""),
        "PORT": os.environ.get("PGPORT", ""),
        "OPTIONS": {"pool": {"min_size": 1, "max_size": 8, "timeout": 8}},
        "CONN_HEALTH_CHECKS": True,
    }
}
CACHES = {"default": {"BACKEND": "django.core.cache.backends.db.DatabaseCache", "LOCATION": "cairn_cache"}}  # all processes count together
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
ATOMIC_REQUESTS = False

AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
PASSWORD_HASHERS = ["workbench.accounts.hasher.Argon2", "django.contrib.auth.hashers.PBKDF2PasswordHasher"]
MODE = os.environ.get("CAIRN_MODE", "")
MAILS = True
EMAIL_BACKEND, EMAIL_FILE_PATH = "django.core.mail.backends.filebased.EmailBackend", BASE_DIR / "var" / "mail"
DEFAULT_FROM_EMAIL = os.environ.get("CAIRN_MAIL_FROM", "vivid-cairn@localhost")
#: how many proxies stand before the application: the address of who asks is read that far from the end of X-Forwarded-For
PROXIES = proxies_of(os.environ)
LOGIN_URL = "login"
LOGIN_REDIRECT_URL = "jobs"
LOGOUT_REDIRECT_URL = "login"

LANGUAGE_CODE = "en"
TIME_ZONE = time_zone()
USE_I18N = False
USE_TZ = True

STATIC_URL = "static/"
STATIC_ROOT = BASE_DIR / "var" / "static"
STATICFILES_DIRS = [BASE_DIR / "static"]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "vivid_cairn.storage.StaticFiles"},
}

FILE_UPLOAD_MAX_MEMORY_SIZE = 2_000_000
DATA_UPLOAD_MAX_MEMORY_SIZE = 5_000_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 2000
CSRF_FAILURE_VIEW = "workbench.error_views.form_too_old"

configure()
LOGGING = logging_of(os.environ.get("CAIRN_MODE", "demo"))
