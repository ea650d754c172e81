"""Django's settings. Everything the house writes lies under ``var/`` (or ``NEEDLEPOINT_VAR``)."""

import os
from pathlib import Path

from csp.constants import NONE, SELF
from django.core.exceptions import ImproperlyConfigured

ROOT = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("NEEDLEPOINT_VAR", ROOT / "var"))
WEB = ROOT / "web" / "dist"


def _secret() -> str:
    """The signing key: as given, or made once and kept in ``var/secret``. Machines that work together share one."""
    if given := os.environ.get("NEEDLEPOINT_SECRET"):
        return given
    path = VAR / "secret"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.touch(mode=0o600)
        path.write_text(os.urandom(32).hex())
    return path.read_text()


SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("NEEDLEPOINT_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
CSRF_TRUSTED_ORIGINS = [o for o in os.environ.get("NEEDLEPOINT_ORIGINS", "").split(",") if o]
SECURE = os.environ.get("NEEDLEPOINT_HTTPS") == "1"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "procrastinate.contrib.django",
    "axes",
    "django_otp",
    "django_otp.plugins.otp_totp",
    "django_otp.plugins.otp_static",
    "studio.apps.Studio",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "studio.caching.NoStore",
    "studio.caching.PagesAtOnce",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    # It looks at the host of every request.
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "studio.visits.Visits",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]
APPEND_SLASH = False
ROOT_URLCONF = "studio.urls"
ASGI_APPLICATION = "studio.asgi.application"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("NEEDLEPOINT_DB_NAME", "needlepoint"),
        "USER": os.environ.get("NEEDLEPOINT_DB_USER", "needlepoint"),
        "PASSWORD": os.environ.get("NEEDLEPOINT_DB_PASSWORD", ""),
        "HOST": os.environ.get("NEEDLEPOINT_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("NEEDLEPOINT_DB_PORT", "5432"),
        # A pooled connection to a database that is down would otherwise hang for half a minute.
        "OPTIONS": {"pool": {"min_size": 1, "max_size": 12, "timeout": 5}, "connect_timeout": 5},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "studio.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
PASSWORD_HASHERS = ["studio.hashing.Argon2"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True

OTP_TOTP_ISSUER = "Needlepoint"
IDLE_SECONDS = int(os.environ.get("NEEDLEPOINT_IDLE_HOURS", "168")) * 3600
"""After so long without a request one signs in again."""
SESSION_COOKIE_AGE = 30 * 24 * 3600
"""After so long one signs in again whatever one did."""
PASSWORD_RESET_TIMEOUT = 3600

# Links for a new password go by mail; without a mail server they are files that whoever runs the house hands on.
EMAIL_HOST = os.environ.get("NEEDLEPOINT_MAIL_HOST", "")
EMAIL_BACKEND = f"django.core.mail.backends.{'smtp' if EMAIL_HOST else 'filebased'}.EmailBackend"
EMAIL_FILE_PATH = VAR / "mail"
EMAIL_PORT = int(os.environ.get("NEEDLEPOINT_MAIL_PORT", "587"))
EMAIL_HOST_USER = os.environ.get("NEEDLEPOINT_MAIL_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("NEEDLEPOINT_MAIL_PASSWORD", "")
EMAIL_USE_TLS = EMAIL_PORT == 587
EMAIL_TIMEOUT = 10
DEFAULT_FROM_EMAIL = os.environ.get("NEEDLEPOINT_MAIL_FROM", "needlepoint@localhost")

SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE
if SECURE:
    # Behind HTTPS alone: cookies that no other host can set, and browsers that never come without it.
    SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = "__Host-sessionid", "__Host-csrftoken"
    SECURE_HSTS_SECONDS, SECURE_HSTS_INCLUDE_SUBDOMAINS, SECURE_HSTS_PRELOAD = 365 * 24 * 3600, True, True
    SECURE_SSL_REDIRECT = True
    if os.environ.get("NEEDLEPOINT_PROXY"):
        SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        # Vue writes positions and colours as style attributes through the DOM, which needs no allowance.
        "img-src": [SELF, "blob:", "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

STATIC_URL = "/static/"
STATIC_ROOT = WEB
WHITENOISE_ROOT = WEB
WHITENOISE_INDEX_FILE = False


def _immutable(path: str, url: str) -> bool:
    """Vite puts a hash of the content into every name under assets/."""
    return url.startswith(("/assets/", "/static/assets/"))


WHITENOISE_IMMUTABLE_FILE_TEST = _immutable

WARM_MARK = VAR / "run" / "warm"
"""There once the server has its kernels: compiling them takes a minute on a new machine."""
MEDIA_ROOT = VAR / "media"
LEVELS_ROOT = VAR / "levels"


# Originals and results lie in folders of this machine, or in a bucket that several machines share.
def storages() -> dict[str, dict[str, object]]:
    """Django's storages, as the environment says."""
    files: dict[str, object] = {"BACKEND": "django.core.files.storage.FileSystemStorage"}
    if bucket := os.environ.get("NEEDLEPOINT_BUCKET"):
        try:
            from botocore.config import Config
        except ImportError as error:
            raise ImproperlyConfigured("A bucket needs more: uv sync --frozen --extra bucket.") from error
        options = {
            "bucket_name": bucket,
            "endpoint_url": os.environ.get("NEEDLEPOINT_BUCKET_URL") or None,
            "region_name": os.environ.get("NEEDLEPOINT_BUCKET_REGION") or None,
            "access_key": os.environ.get("NEEDLEPOINT_BUCKET_KEY") or None,
            "secret_key": os.environ.get("NEEDLEPOINT_BUCKET_SECRET") or None,
            # What every store that speaks S3 understands.
            "client_config": Config(
                s3={"addressing_style": "path"}, signature_version="s3v4",
                request_checksum_calculation="when_required", response_checksum_validation="when_required",
            ),
            # Every file has a name of its own; nobody reads the bucket but the studio.
            "file_overwrite": True, "default_acl": None, "querystring_auth": True,
        }  # fmt: skip
        files = {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": options}
    return {"default": files, "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"}}


STORAGES = storages()
FILE_UPLOAD_TEMP_DIR = VAR / "tmp"
DECODE_APART = os.environ.get("NEEDLEPOINT_APART", "1") == "1"
DECODE_BYTES, DECODE_SECONDS = 3 * 2**30, 600
FILE_UPLOAD_TEMP_DIR.mkdir(parents=True, exist_ok=True)
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]
FILE_UPLOAD_PERMISSIONS = 0o600
DATA_UPLOAD_MAX_MEMORY_SIZE = 24 * 2**20
MOST_UPLOAD_BYTES = 400 * 2**20
QUOTA_BYTES = int(float(os.environ.get("NEEDLEPOINT_QUOTA_GB", "200")) * 1e9)
"""What one person's originals, levels and files may take; 0: as much as there is."""
MOST_IN_HAND = 10_000
"""Preparations, portraits that are carried over to, and files of one person that may wait."""
VIEW_CACHE_BYTES = 48 * 2**20
GROWING_STROKES = 4
STAGE_CACHE_BYTES = int(os.environ.get("NEEDLEPOINT_CACHE_MB", "600")) * 2**20

PROCRASTINATE_AUTODISCOVER_MODULE_NAME = "jobs"
PROCRASTINATE_IMPORT_PATHS = ["studio.carrying"]

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "{asctime} {levelname} {name}: {message} {about}", "style": "{"}},
    "filters": {"about": {"()": "studio.logs.About"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line", "filters": ["about"]}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"studio.doors": {"level": "INFO"}},
}
