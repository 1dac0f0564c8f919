"""3MF through lib3mf, with the zip looked at before it is unpacked."""

import ctypes
import zipfile
from pathlib import Path, PurePosixPath
from typing import Any

import lib3mf
import numpy as np

from bastion_core.errors import FileProblem
from bastion_core.geometry.mesh import Mesh

_UNITS = {"MicroMeter": 0.001, "MilliMeter": 1.0, "CentiMeter": 10.0, "Inch": 25.4, "Foot": 304.8, "Meter": 1000.0}
_MOST_UNPACKED_BYTES = 3 * 1024**3
_MOST_SQUEEZE = 200
"""Packed XML of meshes shrinks 5 to 30 times; zip bombs are beyond a thousand."""


def check_package(path: Path) -> None:
    """FileProblem when the 3MF's zip is damaged, reaches outside itself, or unpacks to far more than it should."""
    try:
        with zipfile.ZipFile(path) as package:
            entries = package.infolist()
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise FileProblem("The 3MF is not a whole zip package. It was cut short or damaged: download or export it again.") from error
    for entry in entries:
        name = PurePosixPath(entry.filename.replace("\\", "/"))
        if name.is_absolute() or ".." in name.parts or ":" in entry.filename:
            raise FileProblem(
                f"The 3MF holds a file that points outside the package (“{entry.filename[:80]}”). It was not opened. Export it again from its source."
            )
    unpacked = sum(e.file_size for e in entries)
    packed = max(1, sum(e.compress_size for e in entries))
    if unpacked > _MOST_UNPACKED_BYTES or (unpacked > 50_000_000 and unpacked / packed > _MOST_SQUEEZE):
        raise FileProblem(
            f"The 3MF would unpack from {packed / 1e6:.1f} MB to {unpacked / 1e6:,.0f} MB. That is no model; it was not opened."
        )
    if not any(e.filename.lower().endswith(".model") for e in entries):
        raise FileProblem("The 3MF holds no model. Export it again with the body selected.")


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
    items = model.GetBuildItems()
    while items.MoveNext():
        item = items.GetCurrent()
        for mesh in _meshes(item.GetObjectResource(), _matrix(item.GetObjectTransform()) if item.HasObjectTransform() else np.eye(4), 0):
            vertices.append(mesh.vertices)
            faces.append(mesh.faces + offset)
            offset += len(mesh.vertices)
    if not faces or not sum(len(f) for f in faces):
        raise FileProblem("The 3MF holds no mesh to build. Export it again with the body selected.")
    return Mesh(np.concatenate(vertices), np.concatenate(faces))


def _meshes(thing: Any, matrix: np.ndarray, depth: int) -> list[Mesh]:
    """The meshes below an object, each moved to its place."""
    if depth > 16:
        raise FileProblem("The 3MF nests its components more than 16 deep. Export it again as plain bodies.")
    if thing.IsMeshObject():
        points = _doubles(thing.GetVertices(), ctypes.c_float)
        corners = _doubles(thing.GetTriangleIndices(), ctypes.c_uint32)
        return [Mesh(points.astype(np.float64), corners.astype(np.int64)).transformed(matrix)]
    found: list[Mesh] = []
    for index in range(thing.GetComponentCount() if thing.IsComponentsObject() else 0):
        part = thing.GetComponent(index)
        found += _meshes(part.GetObjectResource(), matrix @ _matrix(part.GetTransform()), depth + 1)
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
    model = lib3mf.get_wrapper().CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
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
    model.GetMetaDataGroup().AddMetaData("", "Title", title or name, "xs:string", True)
    model.AddBuildItem(thing, lib3mf.get_wrapper().GetIdentityTransform())
    model.QueryWriter("3mf").WriteToFile(str(path))
