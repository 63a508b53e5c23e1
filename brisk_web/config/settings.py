"""Django settings, one module; everything that differs between houses comes from ``environment``."""

from datetime import timedelta

from csp.constants import NONE, SELF

from brisk_web.config.environment import REPOSITORY, read_environment

_env = read_environment()

BASE_DIR = REPOSITORY
DATA_FOLDER = _env.data
PLACES = _env.places
SHARED = _env.shared
LARGEST_UPLOAD = _env.largest_upload
LARGEST_FRAME_CACHE = _env.largest_frame_cache
COPIES_KEPT_DAYS = _env.copies_kept_days

SECRET_KEY = _env.secret_key
DEBUG = _env.debug
ALLOWED_HOSTS = list(_env.hosts)

INSTALLED_APPS = [
    "django.contrib.admin",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.humanize",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.postgres",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "django_otp",
    "django_otp.plugins.otp_static",
    "django_otp.plugins.otp_totp",
    "procrastinate.contrib.django",
    "brisk_web.ui",
    "brisk_web.accounts",
    # From the ground up: what is told upwards is heard in this order.
    "brisk_web.house",
    "brisk_web.work",
    "brisk_web.storage",
    "brisk_web.inspections",
    "brisk_web.shelf",
    "brisk_web.edits",
    "brisk_web.captions",
    "brisk_web.masters",
    "brisk_web.stems",
    "brisk_web.checks",
    "brisk_web.jobs",
    "brisk_web.watching",
    "brisk_web.decisions",
    "brisk_web.handoff",
    "brisk_web.telling",
    "brisk_web.planner",
    "brisk_web.pages",
    "brisk_web.api",
    "brisk_web.backups",
    "brisk_web.demo",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "brisk_web.config.compression.TextCompression",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "brisk_web.config.logs.Requests",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "brisk_web.accounts.signing_in.IdleSession",
    "brisk_web.accounts.zones.PersonTimeZone",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = "brisk_web.config.urls"
WSGI_APPLICATION = "brisk_web.config.wsgi.application"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "brisk_web.ui.context.shell",
                "brisk_web.accounts.zones.in_pages",
                "brisk_web.telling.context.unread",
            ],
            "builtins": ["brisk_web.ui.templatetags.brisk", "brisk_web.ui.templatetags.plan_drawings"],
        },
    },
]

DATABASES = {"default": _env.database}
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in ("UserAttributeSimilarityValidator", "MinimumLengthValidator", "CommonPasswordValidator")
]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "desk"
LOGOUT_REDIRECT_URL = "sign-in"
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = timedelta(minutes=10)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_LOCKOUT_TEMPLATE = "accounts/locked_out.html"
AXES_VERBOSE = False

LANGUAGE_CODE = "en-gb"
USE_I18N = False
TIME_ZONE = "UTC"  # of what is kept; people see HOUSE_TIME_ZONE or their own
HOUSE_TIME_ZONE = _env.time_zone
USE_TZ = True

STATIC_URL = "/static/"
STATIC_ROOT = _env.data / "static"
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "brisk_web.ui.storage.ModuleStorage"},
}
MEDIA_ROOT = _env.data / "media"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
DATA_UPLOAD_MAX_MEMORY_SIZE = 32 << 20  # a chunk of an upload is 8 MiB

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "img-src": [SELF, "data:"],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
SESSION_COOKIE_AGE = 7 * 86_400
IDLE_S = _env.idle_s
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = _env.secure
SECURE_REDIRECT_EXEMPT = [r"^healthz$", r"^readyz$"]  # asked within the house, before TLS
SECURE_HSTS_SECONDS = 31_536_000 if _env.secure else 0
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if _env.secure else None
SILENCED_SYSTEM_CHECKS = [] if _env.secure else ["security.W004", "security.W008", "security.W012", "security.W016"]

TEST_RUNNER = "brisk_web.config.test_runner.CountingRunner"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"of_request": {"()": "brisk_web.config.logs.OfRequest"}},
    "formatters": {
        "lines": {"format": "%(levelname)s %(name)s: %(message)s%(in_request)s"},
        "json": {"()": "brisk_web.config.logs.AsJson"},
    },
    "handlers": {
        "console": {"class": "logging.StreamHandler", "formatter": _env.logs, "filters": ["of_request"]},
    },
    "root": {"handlers": ["console"], "level": "INFO"},
    "loggers": {
        **{name: {"level": "WARNING"} for name in ("procrastinate", "axes", "weasyprint", "fontTools", "fido2")},
        # Every request is a line only where a program reads them.
        "brisk_web.requests": {"level": "INFO" if _env.logs == "json" else "WARNING"},
    },
}

SIGN_IN_PROVIDER = _env.provider
SECOND_STEP_OF = _env.second_step_of

# Mail lies in a folder until a house names a server for it.
EMAIL_BACKEND = f"django.core.mail.backends.{'smtp' if _env.mail else 'filebased'}.EmailBackend"
EMAIL_FILE_PATH = str(_env.data / "outbox")
DEFAULT_FROM_EMAIL = _env.mail.sender if _env.mail else "brisk-sentry@localhost"
if _env.mail:
    EMAIL_HOST, EMAIL_PORT = _env.mail.host, _env.mail.port
    EMAIL_HOST_USER, EMAIL_HOST_PASSWORD = _env.mail.user, _env.mail.password
    EMAIL_USE_TLS = _env.mail.tls
EMAIL_TIMEOUT = 10
