"""Settings: everything that differs between machines comes from the environment."""

import os
from datetime import timedelta
from pathlib import Path

from csp.constants import NONCE, NONE, SELF, WASM_UNSAFE_EVAL

ROOT = Path(__file__).resolve().parents[2]
DATA = Path(os.environ.get("FAIRTEXEL_DATA", ROOT / "var"))
WEB_DIST = Path(os.environ.get("FAIRTEXEL_WEB_DIST", ROOT / "web" / "dist"))

SECRET_KEY = os.environ.get("FAIRTEXEL_SECRET_KEY", "")
if not SECRET_KEY:
    raise RuntimeError("FAIRTEXEL_SECRET_KEY is not set; ./start and ./check set it.")
# What the key was before: sessions and kept secrets of its time can still be read.
SECRET_KEY_FALLBACKS = [key for key in os.environ.get("FAIRTEXEL_OLD_SECRET_KEYS", "").split(",") if key]
DEBUG = False
ALLOWED_HOSTS = os.environ.get("FAIRTEXEL_HOSTS", "127.0.0.1,localhost").split(",")

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.postgres",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "ninja",
    "procrastinate.contrib.django",
    "texelweb.accounts",
    "texelweb.projects",
    "texelweb.record",
    "texelweb.storage",
    "texelweb.jobs",
    "texelweb.library",
    "texelweb.studio",
    "texelweb.sets",
    "texelweb.builds",
    "texelweb.masters",
    "texelweb.deliveries",
    "texelweb.bulk",
    "texelweb.exchange",
    "texelweb.depot",
    "texelweb.upkeep",
    "texelweb.demo",
]
MIDDLEWARE = [
    "texelweb.api.parsing.PlainAddress",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "texelweb.compression.CompressText",
    "csp.middleware.CSPMiddleware",
    "texelweb.accounts.sessions.OwnSession",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "texelweb.accounts.sessions.IdleLimit",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "texelweb.urls"
WSGI_APPLICATION = "texelweb.wsgi.application"
TEMPLATES: list[dict[str, object]] = []
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("FAIRTEXEL_DB_NAME", "fairtexel"),
        "USER": os.environ.get("FAIRTEXEL_DB_USER", "fairtexel"),
        "PASSWORD": os.environ.get("FAIRTEXEL_DB_PASSWORD", ""),
        "HOST": os.environ.get("FAIRTEXEL_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("FAIRTEXEL_DB_PORT", "5432"),
        "CONN_MAX_AGE": 60,
    }
}
# How long a request waits for rows that another is changing, at most.
LOCK_SECONDS = 30

# Bytes go through Django's storage API: local disk here, an S3-compatible store by environment.
if os.environ.get("FAIRTEXEL_S3_BUCKET"):
    _STORE: dict[str, object] = {
        "BACKEND": "storages.backends.s3.S3Storage",
        "OPTIONS": {
            "bucket_name": os.environ["FAIRTEXEL_S3_BUCKET"],
            "endpoint_url": os.environ.get("FAIRTEXEL_S3_ENDPOINT") or None,
            "file_overwrite": False,
        },
    }
else:
    _STORE = {"BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": str(DATA / "storage")}}
STORAGES = {
    "default": _STORE,
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
# A running job whose worker was not heard of for so many seconds is taken up by another worker.
JOB_STALLED_SECONDS = float(os.environ.get("FAIRTEXEL_JOB_STALLED_SECONDS", "20"))
# Deliveries lie in storage as zips, and in a folder as well where one is set: engines and people find them there. With storage
# elsewhere there is usually none.
_FOLDER = os.environ.get("FAIRTEXEL_DELIVERIES", "" if os.environ.get("FAIRTEXEL_S3_BUCKET") else str(DATA / "deliveries"))
DELIVERIES = Path(_FOLDER) if _FOLDER else None
# The material library that pages may search and fetch from.
DEPOT_URL = os.environ.get("FAIRTEXEL_DEPOT_URL", "http://127.0.0.1:8401").rstrip("/")
STATIC_URL = "/static/"
STATIC_ROOT = WEB_DIST
# The front end's build puts a content hash into every asset's name.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^.+[.-][0-9A-Za-z_-]{8,12}\.\w+$"

AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "texelweb.accounts.passwords.DifferentCharacters"},
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
]
AXES_FAILURE_LIMIT = 6
AXES_COOLOFF_TIME = timedelta(minutes=10)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_CLIENT_IP_CALLABLE = "texelweb.accounts.addresses.client_address"
# Over all names: whoever guesses one password for many names is stopped too.
MOST_FAILURES_OF_AN_ADDRESS = 30
# Where it is set, the first account is only made by whoever knows it: ./start prints it as part of the address.
SETUP_CODE = os.environ.get("FAIRTEXEL_SETUP_CODE", "")
# How many proxies of ours stand in front of the server.
PROXIES = int(os.environ.get("FAIRTEXEL_PROXIES", "0"))
AXES_VERBOSE = False

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_ENGINE = "texelweb.accounts.sessions"
# A session ends when nobody used it for so long, and at its latest age however much it was used.
SESSION_IDLE_SECONDS = 3600 * float(os.environ.get("FAIRTEXEL_IDLE_HOURS", "12"))
SESSION_MOST_SECONDS = 14 * 24 * 3600
SESSION_COOKIE_AGE = SESSION_MOST_SECONDS
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_FAILURE_VIEW = "texelweb.api.errors.csrf_failure"
X_FRAME_OPTIONS = "DENY"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
if os.environ.get("FAIRTEXEL_HTTPS") == "1":
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_HSTS_SECONDS = 365 * 24 * 3600
    SECURE_SSL_REDIRECT = True
    # Asked from inside, where nobody speaks HTTPS.
    SECURE_REDIRECT_EXEMPT = [r"^healthz$", r"^readyz$"]
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        # Tangents are made by WebAssembly.
        "script-src": [SELF, WASM_UNSAFE_EVAL],
        "style-src": [SELF, NONCE],
        "img-src": [SELF, "blob:", "data:"],
        "font-src": [SELF],
        # A model's own textures lie inside of it.
        "connect-src": [SELF, "blob:"],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

# One uploaded file: an 8192² float picture with alpha is 1 GiB.
LARGEST_UPLOAD = 2 * 1024**3
DATA_UPLOAD_MAX_MEMORY_SIZE = 4 * 1024**2
FILE_UPLOAD_MAX_MEMORY_SIZE = 1024**2
FILE_UPLOAD_TEMP_DIR = os.environ.get("FAIRTEXEL_UPLOAD_TMP") or None
DATA_UPLOAD_MAX_NUMBER_FILES = 100

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "%(asctime)s %(levelname)s %(name)s %(message)s"}, "bare": {"format": "%(message)s"}},
    "handlers": {
        "stderr": {"class": "logging.StreamHandler", "formatter": "plain"},
        "security": {
            "class": "logging.handlers.WatchedFileHandler",
            "filename": os.environ.get("FAIRTEXEL_SECURITY_LOG", str(DATA / "security.log")),
            "formatter": "bare",
            "delay": True,
        },
    },
    "loggers": {"texelweb.security": {"handlers": ["security"], "level": "INFO", "propagate": False}},
    "root": {"handlers": ["stderr"], "level": os.environ.get("FAIRTEXEL_LOG", "WARNING")},
}
