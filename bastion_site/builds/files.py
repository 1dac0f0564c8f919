"""Files on disk: uploads by content hash, solids as arrays, everything under a temporary name first."""

import hashlib
import os
import shutil
import tempfile
from pathlib import Path

import numpy as np
from django.conf import settings
from django.core.files.uploadhandler import StopUpload, TemporaryFileUploadHandler

from bastion_core.errors import FileProblem
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid
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


_PHOTOS = {b"\xff\xd8\xff": "jpg", b"\x89PNG": "png", b"RIFF": "webp"}
MOST_PHOTO_BYTES = 20 * 1024 * 1024


def keep_photo(uploaded) -> str:
    """Keep a photo by its content's hash; its file name. FileProblem when it is none."""
    head = uploaded.read(4)
    uploaded.seek(0)
    ending = next((e for magic, e in _PHOTOS.items() if head.startswith(magic)), None)
    if ending is None or uploaded.size > MOST_PHOTO_BYTES:
        raise FileProblem("A photo has to be a JPEG, PNG or WebP file under 20 MB.")
    body = uploaded.read()
    name = f"{hashlib.sha256(body).hexdigest()[:40]}.{ending}"
    folder = settings.MEDIA_ROOT / "photos"
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=folder, prefix=".new-", delete=False) as copy:
        copy.write(body)
    os.replace(copy.name, folder / name)
    return name


def drop_source(mesh: MeshFile) -> None:
    """Delete a source that no piece uses any more."""
    if not mesh.pieces.exists() and not mesh.scans.exists():
        mesh.path.unlink(missing_ok=True)
        mesh.delete()


class Workplace:
    """A folder that is filled under a temporary name and appears whole, or not at all."""

    def __init__(self, target: Path) -> None:
        self.target = target

    def __enter__(self) -> Path:
        self.target.parent.mkdir(parents=True, exist_ok=True)
        self.made = Path(tempfile.mkdtemp(dir=self.target.parent, prefix=".new-"))
        return self.made

    def __exit__(self, kind, *rest) -> None:
        if kind is not None:
            shutil.rmtree(self.made, ignore_errors=True)
            return
        self.made.chmod(0o755)
        if self.target.exists():
            shutil.rmtree(self.target)
        os.replace(self.made, self.target)


def save_mesh(mesh: Mesh, path: Path) -> None:
    """Arrays of a mesh, quick to load again."""
    np.savez(path, vertices=mesh.vertices.astype(np.float32), faces=mesh.faces.astype(np.uint32))


def load_mesh(path: Path) -> Mesh:
    """A mesh saved by ``save_mesh``; FileProblem when it is gone."""
    try:
        with np.load(path) as arrays:
            return Mesh(arrays["vertices"].astype(np.float64), arrays["faces"].astype(np.int64))
    except FileNotFoundError as error:
        raise FileProblem("A computed file is gone from the data folder. Compute the piece again.") from error


def load_solid(path: Path) -> Solid:
    """A solid saved by ``save_mesh``; FileProblem when it is gone."""
    return Solid.from_mesh(load_mesh(path))
