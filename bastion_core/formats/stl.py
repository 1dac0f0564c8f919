"""Binary and ASCII STL: reading with every lie caught, writing binary."""

import re
from pathlib import Path

import numpy as np

from bastion_core.errors import FileProblem
from bastion_core.geometry.mesh import Mesh

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
_HEADER_BYTES = 84
_TEXT_BLOCK_BYTES = 4_000_000
_VERTEX = re.compile(rb"vertex[ \t]+([^\s]+)[ \t]+([^\s]+)[ \t]+([^\s]+)", re.IGNORECASE)
_DAMAGED = "The text STL could not be understood: a vertex line is damaged. Export it again, as binary STL."


def weld_equal(corners: np.ndarray) -> Mesh:
    """Corners (m, 3, 3) float32 as a mesh in which bit-equal corners are one vertex."""
    points = np.ascontiguousarray(corners.reshape(-1, 3), dtype=np.float32) + np.float32(0.0)  # -0.0 becomes 0.0
    bits = points.view(np.uint32).astype(np.uint64)
    key = bits[:, 0] * np.uint64(0x9E3779B97F4A7C15)
    key ^= bits[:, 1] * np.uint64(0xC2B2AE3D27D4EB4F)
    key = (key ^ (key >> np.uint64(29))) * np.uint64(0xBF58476D1CE4E5B9)
    key ^= bits[:, 2] * np.uint64(0x165667B19E3779F9)
    _, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    vertices = points[first]
    faces = inverse.reshape(-1, 3)
    if not np.array_equal(vertices[faces.ravel()], points, equal_nan=True):  # two points met in the hash: take the slow way
        vertices, inverse = np.unique(points, axis=0, return_inverse=True)
        faces = inverse.reshape(-1, 3)
    return Mesh(vertices.astype(np.float64), faces.astype(np.int64))


def is_binary_stl(path: Path) -> bool:
    """Whether the length of the file is exactly what its binary header promises."""
    size = path.stat().st_size
    if size < _HEADER_BYTES:
        return False
    count = int(np.fromfile(path, dtype="<u4", count=1, offset=80)[0])
    return count > 0 and size == _HEADER_BYTES + count * _RECORD.itemsize


def read_binary_stl(path: Path) -> Mesh:
    """Mesh of a binary STL; FileProblem when it is cut short or its count is wrong."""
    size = path.stat().st_size
    if size < _HEADER_BYTES:
        raise FileProblem(f"The STL ends after {size} bytes, inside its header. It was cut short: download or export it again.")
    count = int(np.fromfile(path, dtype="<u4", count=1, offset=80)[0])
    there, rest = divmod(size - _HEADER_BYTES, _RECORD.itemsize)
    if count == 0 and there == 0:
        raise FileProblem("The STL holds no triangles. Export it again with the body selected.")
    if there < count:
        raise FileProblem(
            f"The STL is cut short: its header promises {count:,} triangles, the file holds {there:,}. Download or export it again."
        )
    if there != count or rest:
        raise FileProblem(
            f"The STL's header says {count:,} triangles, but the file is long enough for {there:,}. "
            "One of the two is wrong, so nothing was guessed: export it again."
        )
    return weld_equal(np.fromfile(path, dtype=_RECORD, offset=_HEADER_BYTES)["corners"])


def read_ascii_stl(path: Path) -> Mesh:
    """Mesh of a text STL; FileProblem when it is cut short or garbled."""
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - 400))
        if b"endsolid" not in file.read().lower():
            raise FileProblem("The text STL has no “endsolid” at its end. It was cut short: download or export it again.")
    blocks: list[np.ndarray] = []
    with path.open("rb") as file:
        rest = b""
        while block := file.read(_TEXT_BLOCK_BYTES):
            # A block ends in the middle of a facet: that one goes with the next.
            block = rest + block
            end = block.rfind(b"endfacet")
            end = len(block) if end < 0 else end
            if len(block) - end > _TEXT_BLOCK_BYTES:
                raise FileProblem(_DAMAGED)
            blocks.append(_corners_in(block[:end]))
            rest = block[end:]
        blocks.append(_corners_in(rest))
    corners = np.concatenate(blocks)
    if len(corners) % 3:
        raise FileProblem(_DAMAGED)
    return weld_equal(corners.reshape(-1, 3, 3))


def _corners_in(text: bytes) -> np.ndarray:
    """(k, 3) float32: the corners of the facets in a piece of text."""
    found = _VERTEX.findall(text)
    if len(found) != text.lower().count(b"vertex"):
        raise FileProblem(_DAMAGED)
    try:
        return np.array([number for corner in found for number in corner], dtype=np.float64).astype(np.float32).reshape(-1, 3)
    except (ValueError, OverflowError) as error:
        raise FileProblem(_DAMAGED) from error


def write_binary_stl(mesh: Mesh, path: Path) -> None:
    """Write ``mesh`` as binary STL with face normals."""
    records = np.zeros(mesh.triangle_count, dtype=_RECORD)
    records["corners"] = mesh.triangles
    length = np.linalg.norm(mesh.area_vectors, axis=1, keepdims=True)
    records["normal"] = mesh.area_vectors / np.maximum(length, 1e-30)
    with path.open("wb") as file:
        file.write(b"binary STL, millimetres".ljust(80, b"\0"))
        file.write(np.uint32(mesh.triangle_count).tobytes())
        file.write(records.tobytes())
