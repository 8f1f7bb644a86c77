"""Settings. Everything that differs between machines comes from the environment; var/ holds what is made at run time."""

import os
import secrets
from datetime import timedelta
from pathlib import Path
from typing import Any

from csp.constants import NONE, SELF

BASE = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("CLINAMEN_VAR", BASE / "var"))
VAR.mkdir(parents=True, exist_ok=True)


def _secret() -> str:
    """The signing key, made once and kept out of the repository."""
    path = VAR / "secret"
    if not path.exists():
        path.write_text(secrets.token_urlsafe(50))
        path.chmod(0o600)
    return path.read_text()


def _database_address() -> dict[str, str]:
    """Host and port as bin/database wrote them, unless the environment says otherwise."""
    found = {}
    settings = VAR / "postgres.env"
    if settings.exists():
        found = dict(line.split("=", 1) for line in settings.read_text().split())
    return {key: os.environ.get(f"CLINAMEN_DB_{key}", found.get(f"CLINAMEN_DB_{key}", "")) for key in ("HOST", "PORT")}


# Seconds within which the database must answer, 0: without end. The web server sets it, so that nobody waits for an answer
# that does not come; jobs and commands may take their time.
PATIENCE = float(os.environ.get("CLINAMEN_PATIENCE", "0"))


def _limits() -> dict[str, str]:
    """The server's own limits: a little less than the patience, so that it is the server that says what took long."""
    if not PATIENCE:
        return {}
    share = int(900 * PATIENCE)
    return {"options": f"-c statement_timeout={share} -c lock_timeout={int(0.8 * share)}"}


# How many processes of this machine work out proofs, beside the web server; 0: it does so itself.
PROVERS = int(os.environ.get("CLINAMEN_PROVERS", "0"))

# Whether other processes, here or on other machines, answer the same pages: what was worked out once is then shared.
SHARES = os.environ.get("CLINAMEN_SHARES") == "1"

# Whether pages hear of what others do, and how many such lines a web process holds: each keeps a thread of it.
LIVE = os.environ.get("CLINAMEN_LIVE") == "1"
LINES = int(os.environ.get("CLINAMEN_LINES", "80"))
AT_ONCE = int(os.environ.get("CLINAMEN_AT_ONCE", "4"))  # long requests that a web process works on at a time

SECRET_KEY = os.environ.get("CLINAMEN_SECRET") or _secret()
DEBUG = os.environ.get("CLINAMEN_DEBUG") == "1"
DEMO = os.environ.get("CLINAMEN_DEMO") == "1"  # one click signs a visitor on loopback in as the demo user
ALLOWED_HOSTS = os.environ.get("CLINAMEN_HOSTS", "127.0.0.1 localhost [::1] testserver").split()

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "django_htmx",
    "procrastinate.contrib.django",
    "axes",
    "clinamen.site",
    "clinamen.shared",
    "clinamen.accounts",
    "clinamen.art",
    "clinamen.scenes",
    "clinamen.exports",
]
MIDDLEWARE = [
    "clinamen.site.behind.Behind",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "clinamen.site.bodies.Bodies",
    "django.middleware.http.ConditionalGetMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "clinamen.scenes.said.SaidFaults",
    "axes.middleware.AxesMiddleware",
    "clinamen.accounts.asking.Asking",
    "clinamen.shared.turns.Turns",  # the last: a request has been read when its turn begins
]
ROOT_URLCONF = "clinamen.site.urls"
WSGI_APPLICATION = "clinamen.site.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "clinamen.site.context.frame",
            ],
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "clinamen.site.patient",
        "NAME": os.environ.get("CLINAMEN_DB_NAME", "clinamen"),
        "USER": os.environ.get("CLINAMEN_DB_USER", "clinamen"),
        "PASSWORD": os.environ.get("CLINAMEN_DB_PASSWORD", ""),
        **_database_address(),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            "connect_timeout": 2 if PATIENCE else 10,
            "sslmode": os.environ.get("CLINAMEN_DB_SSLMODE", "prefer"),
            # the server plans a question once for each connection and not each time, which takes longer than to answer it
            "server_side_binding": True,
            "prepare_threshold": 3,
            **_limits(),
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.NumericPasswordValidator"},
]
PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.Argon2PasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",  # of accounts made before; made anew when they sign in
]
# Signing in: who guesses is kept waiting, by name and address together, and by address alone.
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"], "ip_address"]
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = timedelta(minutes=10)
AXES_RESET_ON_SUCCESS = True
AXES_LOCKOUT_TEMPLATE = "accounts/locked.html"
AXES_HTTP_RESPONSE_CODE = 429
AXES_DISABLE_ACCESS_LOG = True
AXES_VERBOSE = False
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "scenes"
LOGOUT_REDIRECT_URL = "sign-in"

STATIC_URL = "/static/"
WHITENOISE_USE_FINDERS = True


def _store() -> dict[str, Any]:
    """Where files are kept: a folder of this machine, or a bucket that machines share; the keys to it come from the environment,
    or from wherever boto3 looks for them."""
    bucket = os.environ.get("CLINAMEN_BUCKET")
    if not bucket:
        return {"BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": VAR / "store"}}
    from botocore.config import Config

    patience = Config(connect_timeout=2, read_timeout=20, retries={"max_attempts": 2, "mode": "standard"})
    told = {"bucket_name": bucket, "default_acl": None, "file_overwrite": True, "client_config": patience}
    told |= {"location": "", "region_name": os.environ.get("CLINAMEN_BUCKET_REGION") or None}
    told |= {"endpoint_url": os.environ.get("CLINAMEN_BUCKET_ADDRESS") or None}
    told |= {"access_key": os.environ.get("CLINAMEN_BUCKET_KEY") or None}
    told |= {"secret_key": os.environ.get("CLINAMEN_BUCKET_SECRET") or None}
    return {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": told}


STORAGES = {
    "default": _store(),
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
DATA_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FILES = 250
FILE_UPLOAD_TEMP_DIR = None

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "font-src": [SELF],
        "img-src": [SELF, "data:", "blob:"],
        "media-src": [SELF],
        "connect-src": [SELF],
        "frame-src": [SELF],
        "frame-ancestors": [NONE],
        "form-action": [SELF],
        "base-uri": [NONE],
    }
}
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SESSION_COOKIE_HTTPONLY = True
# PROXY: a reverse proxy stands before and writes X-Forwarded-For and X-Forwarded-Proto itself. TLS: visitors come by https alone.
PROXY = os.environ.get("CLINAMEN_PROXY") == "1"
if PROXY:
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
if os.environ.get("CLINAMEN_TLS") == "1":
    SECURE_SSL_REDIRECT = SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
    SECURE_REDIRECT_EXEMPT = [r"^alive/$", r"^ready/$"]  # asked for on the machine itself
    SECURE_HSTS_SECONDS, SECURE_HSTS_INCLUDE_SUBDOMAINS, SECURE_HSTS_PRELOAD = 31536000, True, True

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "UTC"
USE_I18N = False  # one language; every number formatted asks for it otherwise
USE_TZ = True
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"once": {"()": "clinamen.site.logs.SaidOnce"}, "no trail": {"()": "clinamen.site.logs.NoTrail"}},
    "formatters": {
        "plain": {"format": "%(levelname)s %(name)s: %(message)s"},
        "json": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "fmt": "%(asctime)s %(levelname)s %(name)s %(process)d %(message)s",
        },
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "filters": ["once", "no trail"],
            "formatter": os.environ.get("CLINAMEN_LOG", "plain"),
        }
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"django": {"handlers": [], "level": "WARNING", "propagate": True}},
}

PROCRASTINATE_READONLY_MODELS = False  # an export that is wanted first gets its jobs another priority
# Exports are taken away when they are older than so many days, and the oldest when all together take more room than that.
EXPORTS_DAYS = float(os.environ.get("CLINAMEN_EXPORTS_DAYS", "30"))
EXPORTS_GIGABYTES = float(os.environ.get("CLINAMEN_EXPORTS_GIGABYTES", "20"))

# How much an account may have, and how large a request may be.
QUOTA_GIGABYTES = float(os.environ.get("CLINAMEN_QUOTA_GIGABYTES", "50"))
QUOTA_SCENES = int(os.environ.get("CLINAMEN_QUOTA_SCENES", "2000"))
QUOTA_JOBS = int(os.environ.get("CLINAMEN_QUOTA_JOBS", "24"))
BODY_MEGABYTES = float(os.environ.get("CLINAMEN_BODY_MEGABYTES", "2048"))
