"""Settings. Everything that differs between places comes from SYNTONOS_* variables."""

import os
import secrets
from pathlib import Path

REPOSITORY = Path(__file__).resolve().parents[3]
DATA = Path(os.environ.get("SYNTONOS_DATA", REPOSITORY / "var")).resolve()
MEDIA_ROOTS = {
    "media": Path(os.environ.get("SYNTONOS_MEDIA", DATA / "media")).resolve(),
}
WEB = Path(os.environ.get("SYNTONOS_WEB", REPOSITORY / "web" / "dist"))
PORT = os.environ.get("SYNTONOS_PORT", "8000")
QUEUE = os.environ.get("SYNTONOS_QUEUE", "file")  # or "immediate"


def _secret() -> str:
    path = DATA / "secret"
    if not path.exists():
        DATA.mkdir(parents=True, exist_ok=True)
        path.write_text(secrets.token_urlsafe(48))
        path.chmod(0o600)
    return path.read_text()


# Bytes that are left free on the discs of media and data: beyond that nothing large is begun.
SPARE = int(float(os.environ.get("SYNTONOS_SPARE_MIB", "512")) * 2**20)
# Whether a match from charts is compared with the light's scenes without being asked.
COMPARES_UNASKED = os.environ.get("SYNTONOS_COMPARE", "1") == "1"
# Bytes of decoded frames that the render service keeps.
FRAME_MEMORY = int(float(os.environ.get("SYNTONOS_FRAME_MIB", "512")) * 2**20)

SECRET_KEY = os.environ.get("SYNTONOS_SECRET") or _secret()
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"]
# Set by `serve --host`: accounts are asked for beyond this machine, over TLS only.
ACCOUNTS = os.environ.get("SYNTONOS_ACCOUNTS") == "1"
SECURE = ACCOUNTS
ALLOWED_HOSTS += [name for name in os.environ.get("SYNTONOS_NAMES", "").split(",") if name]
SESSION_ENGINE = "django.contrib.sessions.backends.db"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator",
     "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
]  # fmt: skip
INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.auth",
    "django.contrib.sessions",
    "syntonos.server.history",
    "syntonos.server.productions",
    "syntonos.server.jobs",
    "syntonos.server.looks",
    "syntonos.server.footage",
    "syntonos.server.matching",
    "syntonos.server.handover",
]
MIDDLEWARE = [
    "syntonos.server.api.guards.SecurityHeaders",
    "syntonos.server.api.guards.HostAndOriginGuard",
    "syntonos.server.api.guards.JsonOnly",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "syntonos.server.history.context.AuthorMiddleware",
]
ROOT_URLCONF = "syntonos.server.config.urls"
TEMPLATES: list[dict[str, object]] = []
ASGI_APPLICATION = "syntonos.server.config.asgi.application"
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "syntonos.sqlite3",
        "OPTIONS": {
            # One writer at a time from its first statement: no lock is upgraded half-way.
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            # FULL: what a person was told is kept is on the disc when the answer leaves.
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;",
        },
        # A file, as in use: in memory a table that another thread reads is an error at once.
        "TEST": {"NAME": str(DATA / "test.sqlite3")},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
USE_I18N = False
STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB if WEB.is_dir() else None
WHITENOISE_INDEX_FILE = False
WHITENOISE_AUTOREFRESH = False
DATA_UPLOAD_MAX_MEMORY_SIZE = 4 * 2**20
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    # A picture that a newer one replaced is an answer, not an event.
    "loggers": {"django.request": {"level": "ERROR"}},
}
