"""3MF through lib3mf, with the zip looked at before it is unpacked."""

import ctypes
import zipfile
import zlib
from collections.abc import Iterable
from pathlib import Path, PurePosixPath
from typing import Any

import lib3mf
import numpy as np

from bastion_core.errors import FileProblem
from bastion_core.formats.limits import MOST_TRIANGLES
from bastion_core.geometry.mesh import Mesh

_UNITS = {"MicroMeter": 0.001, "MilliMeter": 1.0, "CentiMeter": 10.0, "Inch": 25.4, "Foot": 304.8, "Meter": 1000.0}
_MOST_UNPACKED_BYTES = 3 * 1024**3
_MOST_MODEL_BYTES = 800 * 1024**2
"""About 6 million triangles as 3MF writes them."""
_MOST_COPIES, _DEEPEST = 20_000, 16
_TOO_MANY = (
    f"The 3MF places more than {_MOST_COPIES:,} bodies, or {MOST_TRIANGLES:,} triangles with all their copies. Export one piece at a time."
)
_ITEM = b"<item "
_MOST_SQUEEZE = 200
"""Packed XML of meshes shrinks 5 to 30 times; zip bombs are beyond a thousand."""


def check_package(path: Path) -> None:
    """FileProblem when the 3MF's zip is damaged, reaches outside itself, or unpacks to far more than it should."""
    try:
        with zipfile.ZipFile(path) as package:
            _check_entries(package.infolist())
            models = [e for e in package.infolist() if e.filename.lower().endswith(".model")]
            if any(_items_named(package, e) > _MOST_COPIES for e in models):
                raise FileProblem(_TOO_MANY)
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError, RuntimeError, zlib.error) as error:
        raise FileProblem("The 3MF is not a whole zip package. It was cut short or damaged: download or export it again.") from error


def _check_entries(entries: list[zipfile.ZipInfo]) -> None:
    """FileProblem where a package's list of contents alone says that it is no model."""
    for entry in entries:
        name = PurePosixPath(entry.filename.replace("\\", "/"))
        if name.is_absolute() or ".." in name.parts or ":" in entry.filename:
            raise FileProblem(
                f"The 3MF holds a file that points outside the package (“{entry.filename[:80]}”). It was not opened. Export it again from its source."
            )
    unpacked = sum(e.file_size for e in entries)
    packed = max(1, sum(e.compress_size for e in entries))
    # Each for itself: beside much padding a bomb looks like an ordinary package.
    bomb = any(e.file_size > 20_000_000 and e.file_size > _MOST_SQUEEZE * max(1, e.compress_size) for e in entries)
    models = [e.file_size for e in entries if e.filename.lower().endswith(".model")]
    if unpacked > _MOST_UNPACKED_BYTES or sum(models) > _MOST_MODEL_BYTES or bomb:
        raise FileProblem(
            f"The 3MF would unpack from {packed / 1e6:.1f} MB to {unpacked / 1e6:,.0f} MB. That is no model; it was not opened."
        )
    if not models:
        raise FileProblem("The 3MF holds no model. Export it again with the body selected.")


def _items_named(package: zipfile.ZipFile, entry: zipfile.ZipInfo) -> int:
    """How many bodies a model places on the plate, counted in its text: reading hundreds of thousands takes minutes."""
    count, end = 0, b""
    with package.open(entry) as text:
        while block := text.read(1 << 20):
            block = end + block
            count += block.count(_ITEM)
            end = block[-len(_ITEM) + 1 :]
    return count


def read_3mf(path: Path) -> tuple[Mesh, float]:
    """All build items of a 3MF as one mesh, and the millimetres per unit it declares."""
    check_package(path)
    model = lib3mf.get_wrapper().CreateModel()
    try:
        model.QueryReader("3mf").ReadFromFile(str(path))
        return _collect(model), _UNITS[model.GetUnit().name]
    except lib3mf.ELib3MFException as error:
        raise FileProblem("The 3MF could not be read: its model part is damaged. Export it again.") from error


def _collect(model: Any) -> Mesh:
    vertices, faces, offset = [], [], 0
    _check_copies(model)
    items = model.GetBuildItems()
    while items.MoveNext():
        item = items.GetCurrent()
        for mesh in _meshes(item.GetObjectResource(), _matrix(item.GetObjectTransform()) if item.HasObjectTransform() else np.eye(4)):
            vertices.append(mesh.vertices)
            faces.append(mesh.faces + offset)
            offset += len(mesh.vertices)
    if not faces or not sum(len(f) for f in faces):
        raise FileProblem("The 3MF holds no mesh to build. Export it again with the body selected.")
    return Mesh(np.concatenate(vertices), np.concatenate(faces))


def _check_copies(model: Any) -> None:
    """FileProblem when the package's copies of its objects would come to too many: a few kilobytes can name thousands of millions."""
    known: dict[int, tuple[int, int]] = {}

    def count(thing: Any, depth: int) -> tuple[int, int]:
        """Copies and triangles below an object."""
        if depth > _DEEPEST:
            raise FileProblem(f"The 3MF nests its components more than {_DEEPEST} deep. Export it again as plain bodies.")
        number = thing.GetUniqueResourceID()
        if number not in known:
            if thing.IsMeshObject():
                known[number] = 1, thing.GetTriangleCount()
            else:
                parts = range(thing.GetComponentCount() if thing.IsComponentsObject() else 0)
                below = [count(thing.GetComponent(i).GetObjectResource(), depth + 1) for i in parts]
                known[number] = sum(c for c, _ in below), sum(t for _, t in below)
        return known[number]

    items, copies, triangles = model.GetBuildItems(), 0, 0
    while items.MoveNext():
        c, t = count(items.GetCurrent().GetObjectResource(), 0)
        copies, triangles = copies + c, triangles + t
        if copies > _MOST_COPIES or triangles > MOST_TRIANGLES:
            raise FileProblem(_TOO_MANY)


def _meshes(thing: Any, matrix: np.ndarray) -> list[Mesh]:
    """The meshes below an object, each moved to its place."""
    if thing.IsMeshObject():
        points = _doubles(thing.GetVertices(), ctypes.c_float)
        corners = _doubles(thing.GetTriangleIndices(), ctypes.c_uint32)
        return [Mesh(points.astype(np.float64), corners.astype(np.int64)).transformed(matrix)]
    found: list[Mesh] = []
    for index in range(thing.GetComponentCount() if thing.IsComponentsObject() else 0):
        part = thing.GetComponent(index)
        found += _meshes(part.GetObjectResource(), matrix @ _matrix(part.GetTransform()))
    return found


def _doubles(rows: list[Any], kind: Any) -> np.ndarray:
    """lib3mf hands out lists of ctypes structures of three numbers each; read them without a Python loop."""
    if not rows:
        return np.zeros((0, 3))
    block = (type(rows[0]) * len(rows))(*rows)
    return np.frombuffer(block, dtype=kind).reshape(len(rows), 3)


def _matrix(transform: Any) -> np.ndarray:
    rows = np.array([list(row) for row in transform.Fields], dtype=np.float64)  # 4 rows of 3: the last one moves
    matrix = np.eye(4)
    matrix[:3, :3] = rows[:3].T
    matrix[:3, 3] = rows[3]
    return matrix


def write_3mf(mesh: Mesh, path: Path, name: str, title: str = "") -> None:
    """Write ``mesh`` (millimetres) as a 3MF with one named object, ready to be placed on a bed."""
    write_placed_3mf([(mesh, name, np.eye(4))], path, title or name)


def write_placed_3mf(placed: Iterable[tuple[Mesh, str, np.ndarray]], path: Path, title: str) -> None:
    """Write meshes (millimetres) as a 3MF of named objects, each placed by its 4x4 matrix (a turn and a move)."""
    model = lib3mf.get_wrapper().CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    for mesh, name, matrix in placed:
        thing = _object_of(model, mesh, name)
        transform = lib3mf.get_wrapper().GetIdentityTransform()
        # 4 rows of 3: the columns of the turn, then the move.
        for row in range(4):
            for column in range(3):
                transform.Fields[row][column] = float(matrix[column, row])
        model.AddBuildItem(thing, transform)
    model.GetMetaDataGroup().AddMetaData("", "Title", title, "xs:string", True)
    model.QueryWriter("3mf").WriteToFile(str(path))


def _object_of(model: Any, mesh: Mesh, name: str) -> Any:
    thing = model.AddMeshObject()
    thing.SetName(name)
    points = np.ascontiguousarray(mesh.vertices, dtype=np.float32)
    corners = np.ascontiguousarray(mesh.faces, dtype=np.uint32)
    # Straight through ctypes: as Python lists of structures a million triangles would take minutes.
    thing._wrapper.checkError(
        thing,
        thing._wrapper.lib.lib3mf_meshobject_setgeometry(
            thing._handle,
            ctypes.c_uint64(len(points)),
            points.ctypes.data_as(ctypes.POINTER(lib3mf.Position)),
            ctypes.c_uint64(len(corners)),
            corners.ctypes.data_as(ctypes.POINTER(lib3mf.Triangle)),
        ),
    )
    return thing
