"""Settings of the site. Everything it keeps lies in one folder: BASTION_DATA, by default ./data."""

import os
from contextlib import suppress
from pathlib import Path
from zoneinfo import ZoneInfo

from django.core.management.utils import get_random_secret_key

from bastion_core import __version__

ROOT = Path(__file__).resolve().parent.parent
DATA = Path(os.environ.get("BASTION_DATA", ROOT / "data")).resolve()
MEDIA_ROOT = DATA / "media"
WEB_DIST = ROOT / "web" / "dist"


def _secret_key() -> str:
    """Made once per data folder and kept there, readable by its owner only."""
    path = DATA / "secret-key"
    if not path.exists():
        DATA.mkdir(parents=True, exist_ok=True)
        path.touch(mode=0o600)
        path.write_text(get_random_secret_key())
    return path.read_text()


def machines_zone() -> str:
    """The machine's time zone, by which beds are changed and days are due; UTC where it tells none that is known here."""
    told = [os.environ.get("TZ", "").removeprefix(":")]
    with suppress(OSError):
        told.append(Path("/etc/timezone").read_text("utf-8").strip())
    with suppress(OSError):
        told.append(os.readlink("/etc/localtime"))
    for name in told:
        # A name that is none is a ValueError, one that is not known a KeyError, a folder of zones an OSError.
        with suppress(ValueError, KeyError, OSError):
            return ZoneInfo(name.partition("zoneinfo/")[2] or name).key
    return "UTC"


SECRET_KEY = _secret_key()
DEBUG = False
# Local first: the site answers on this machine only. Other names are refused, which also stops name rebinding.
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"]

INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "rest_framework",
    "drf_spectacular",
    "django_tasks",
    "django_tasks_db",
    "bastion_site.shop",
    "bastion_site.wearers",
    "bastion_site.builds",
    "bastion_site.jobs",
    "bastion_site.prints",
    "bastion_site.engine",
]
MIDDLEWARE = [
    "bastion_site.middleware.Headers",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.middleware.common.CommonMiddleware",
    "bastion_site.middleware.SameOriginOnly",
    "bastion_site.middleware.OnePage",
]
ROOT_URLCONF = "bastion_site.urls"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]
WSGI_APPLICATION = "bastion_site.wsgi.application"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "bastion.sqlite3",
        # IMMEDIATE takes the write lock at every atomic(): no geometry and no file work inside one.
        "OPTIONS": {
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = machines_zone()

TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": ["pieces", "plan"]}}
# Each job in a process that can be ended; tests carry them out where they stand.
JOBS_APART = True

# Uploads go to disk piece by piece, never whole into memory.
FILE_UPLOAD_HANDLERS = ["bastion_site.builds.files.LimitedUpload"]
MOST_UPLOAD_BYTES = 300 * 1024 * 1024
DATA_UPLOAD_MAX_MEMORY_SIZE = 5 * 1024 * 1024

STATIC_URL = "/static/"
WHITENOISE_ROOT = WEB_DIST
WHITENOISE_INDEX_FILE = True
WHITENOISE_MIMETYPES = {".glb": "model/gltf-binary"}


def WHITENOISE_IMMUTABLE_FILE_TEST(path: str, url: str) -> bool:
    """Files under /assets/ carry their hash in their name."""
    return url.startswith("/assets/")


REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.AllowAny"],
    "DEFAULT_PARSER_CLASSES": [
        "bastion_site.parsers.PlainJSON",
        "rest_framework.parsers.FormParser",
        "rest_framework.parsers.MultiPartParser",
    ],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "bastion_site.errors.for_the_maker",
    "UNAUTHENTICATED_USER": None,
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Odd Bastion",
    "VERSION": __version__,
    "COMPONENT_SPLIT_REQUEST": True,
    "SERVE_INCLUDE_SCHEMA": False,
    "POSTPROCESSING_HOOKS": ["drf_spectacular.hooks.postprocess_schema_enums", "bastion_site.schema.all_of_an_answer"],
    "ENUM_NAME_OVERRIDES": {
        "AimEnum": "bastion_site.schema.AIM_CHOICES",
        "JoinKindEnum": "bastion_site.schema.JOIN_KINDS",
        "MoveKindEnum": "bastion_site.schema.MOVE_KINDS",
        "JobStateEnum": "bastion_site.jobs.models.Job.State",
        "ScanKindEnum": "bastion_site.wearers.models.SCAN_KINDS",
        "RegionKindEnum": "bastion_site.schema.REGION_KINDS",
        "HandKindEnum": "bastion_site.schema.HAND_KINDS",
        "QuantityUnitEnum": "bastion_site.schema.QUANTITY_UNITS",
        "VerdictEnum": "bastion_site.schema.VERDICTS",
        "FileUnitEnum": "bastion_site.schema.FILE_UNITS",
        "LengthUnitsEnum": "bastion_site.schema.LENGTH_UNITS",
    },
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
