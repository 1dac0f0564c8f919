"""Files on disk: uploads by content hash, solids as arrays, everything under a temporary name first."""

import hashlib
import io
import os
import shutil
import tempfile

from django.conf import settings
from django.core.files.uploadhandler import StopUpload, TemporaryFileUploadHandler
from PIL import Image, ImageOps

from bastion_core.errors import FileProblem
from bastion_core.formats.reading import sniff
from bastion_site.builds.models import MeshFile

_CHUNK = 1024 * 1024
_KEEP_FREE_BYTES = 200 * 1024 * 1024


class LimitedUpload(TemporaryFileUploadHandler):
    """Writes uploads to disk as they come and hangs up when they grow over the limit."""

    def new_file(self, *args, **kwargs):
        super().new_file(*args, **kwargs)
        self.taken = 0

    def receive_data_chunk(self, raw_data, start):
        self.taken += len(raw_data)
        if self.taken > settings.MOST_UPLOAD_BYTES:
            self.request.over_limit = True
            raise StopUpload(connection_reset=False)
        super().receive_data_chunk(raw_data, start)


def keep_source(uploaded) -> MeshFile:
    """Move an uploaded file to its place by content hash; the same content is kept once.

    Raises OSError (no space) with nothing left behind.
    """
    digest = hashlib.sha256()
    folder = settings.MEDIA_ROOT / "sources"
    folder.mkdir(parents=True, exist_ok=True)
    if shutil.disk_usage(folder).free < uploaded.size + _KEEP_FREE_BYTES // 10:
        raise OSError(28, "No space left on device")
    with tempfile.NamedTemporaryFile(dir=folder, prefix=".new-", delete=False) as copy:
        try:
            for chunk in uploaded.chunks(_CHUNK):
                digest.update(chunk)
                copy.write(chunk)
            copy.flush()
            os.fsync(copy.fileno())
        except BaseException:
            os.unlink(copy.name)
            raise
    target = folder / digest.hexdigest()
    os.replace(copy.name, target)
    mesh, _ = MeshFile.objects.get_or_create(sha256=digest.hexdigest(), defaults={"name": uploaded.name[:255], "bytes": uploaded.size})
    return mesh


def keep_model(uploaded) -> MeshFile:
    """A model file or scan among the sources; FileProblem, with nothing left behind, when it is none."""
    if not uploaded.size:
        raise FileProblem("The file is empty (0 bytes). Download or export it again.")
    mesh = keep_source(uploaded)
    try:
        sniff(mesh.path)
    except FileProblem:
        drop_source(mesh)
        raise
    return mesh


_PHOTOS = {"JPEG": "jpg", "PNG": "png", "WEBP": "webp"}
MOST_PHOTO_BYTES, _MOST_PHOTO_PIXELS, _PHOTO_SIDE = 20 * 1024 * 1024, 120_000_000, 3000
_NO_PHOTO = "A photo has to be a JPEG, PNG or WebP file under 20 MB."


def keep_photo(uploaded) -> str:
    """Keep a photo by its content's hash; its file name. FileProblem when it is none.

    It is written anew, upright and without what the camera noted: place and time of a person are nobody's business.
    """
    if uploaded.size > MOST_PHOTO_BYTES:
        raise FileProblem(_NO_PHOTO)
    body, written = uploaded.read(), io.BytesIO()
    try:
        with Image.open(io.BytesIO(body), formats=list(_PHOTOS)) as picture:
            kind = picture.format or ""
            if picture.width * picture.height > _MOST_PHOTO_PIXELS:
                raise FileProblem("This photo has too many pixels. Make it smaller.")
            upright = ImageOps.exif_transpose(picture)
            upright.thumbnail((_PHOTO_SIDE, _PHOTO_SIDE))
            upright.info = {}
            upright.save(written, kind, quality=88)
    except FileProblem:
        raise
    except Exception as problem:  # the library raises whatever a damaged picture makes of it
        raise FileProblem(f"{_NO_PHOTO} This one cannot be read.") from problem
    name = f"{hashlib.sha256(written.getvalue()).hexdigest()[:40]}.{_PHOTOS[kind]}"
    folder = settings.MEDIA_ROOT / "photos"
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=folder, prefix=".new-", delete=False) as copy:
        try:
            copy.write(written.getvalue())
            copy.flush()
        except BaseException:
            os.unlink(copy.name)
            raise
    os.replace(copy.name, folder / name)
    return name


def drop_source(mesh: MeshFile) -> None:
    """Delete a source that no piece uses any more."""
    if not mesh.pieces.exists() and not mesh.sets.exists() and not mesh.scans.exists():
        mesh.path.unlink(missing_ok=True)
        shutil.rmtree(settings.MEDIA_ROOT / "derived" / "preview" / mesh.sha256, ignore_errors=True)
        mesh.delete()
