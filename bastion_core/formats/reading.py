"""Whatever the file is called, find out what it is, and read it as one mesh in the file's own units."""

import mmap
import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import trimesh

from bastion_core.errors import FileProblem
from bastion_core.formats.limits import MOST_TRIANGLES
from bastion_core.formats.stl import is_binary_stl, read_ascii_stl, read_binary_stl
from bastion_core.formats.threemf import read_3mf
from bastion_core.geometry.mesh import Mesh

MOST_BYTES = 300 * 1024 * 1024
_PLY_HEAD_BYTES, _LEAST_FACE_BYTES = 64_000, 4
_ZERO_CORNER = re.compile(rb"(?m)^[ \t]*f[ \t][^\n]*?(?<=[ \t])0+(?=[/\s]|\Z)")
_COARSEST_SHARE = 1e-4
"""Steps between neighbouring places in a file of single precision that are larger than this share of the model lose its detail."""


@dataclass(frozen=True)
class FileMesh:
    """A mesh as it stood in the file; ``mm_per_unit`` only where the format declares it."""

    mesh: Mesh
    format: str
    mm_per_unit: float | None


def sniff(path: Path) -> str:
    """One of stl, stl_ascii, obj, ply, 3mf, from the content alone; FileProblem when it is none."""
    with path.open("rb") as file:
        head = file.read(4096)
    if head[:4] == b"PK\x03\x04":
        return "3mf"
    if re.match(rb"ply\r?\n", head):
        return "ply"
    if is_binary_stl(path):
        return "stl"
    if re.match(rb"\s*solid\b", head) and b"\0" not in head and (b"facet" in head or b"endsolid" in head):
        return "stl_ascii"
    if b"\0" not in head and re.search(rb"(?m)^\s*v\s+[-+\d.]", head):
        return "obj"
    if b"\0" in head:
        return "stl"  # nothing else here is binary; the reader says what is wrong with it
    raise FileProblem("This is no mesh: the text in it is not STL, OBJ, PLY or 3MF, whatever the name says. Choose the model's own file.")


def read_mesh(path: Path, most_bytes: int = MOST_BYTES) -> FileMesh:
    """The mesh in ``path``, checked for being a mesh at all; FileProblem with a sentence for the maker otherwise."""
    size = path.stat().st_size
    if size == 0:
        raise FileProblem("The file is empty (0 bytes). Download or export it again.")
    if size > most_bytes:
        raise FileProblem(
            f"The file has {size / 1e6:,.0f} MB; the limit is {most_bytes / 1e6:,.0f} MB. Reduce its triangles, or split it, before bringing it in."
        )
    kind = sniff(path)
    unit = None
    if kind == "stl":
        mesh = read_binary_stl(path)
    elif kind == "stl_ascii":
        mesh = read_ascii_stl(path)
    elif kind == "3mf":
        mesh, unit = read_3mf(path)
    else:
        mesh = _read_by_library(path, kind)
    _refuse_unusable(mesh)
    return FileMesh(mesh, kind.removesuffix("_ascii"), unit)


def _promised_faces(path: Path) -> int:
    """How many faces a PLY's header promises; FileProblem where the file cannot hold them."""
    with path.open("rb") as file:
        head = file.read(_PLY_HEAD_BYTES)
    found = re.search(rb"(?m)^element\s+face\s+(\d{1,20})\s*$", head)
    promised = int(found[1]) if found else 0
    if promised * _LEAST_FACE_BYTES > path.stat().st_size:
        raise FileProblem(
            f"The PLY is cut short or damaged: its header promises {promised:,} faces, which do not fit into the file. Export it again."
        )
    return promised


def _refuse_zeros(path: Path) -> None:
    """OBJ counts its corners from 1: what names a corner 0 was written wrongly, and nobody knows which corner it means."""
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as text:
        if _ZERO_CORNER.search(text):
            raise FileProblem("The OBJ is damaged: a face names corner 0, and corners are counted from 1. Export it again.")


def _read_by_library(path: Path, kind: str) -> Mesh:
    if kind == "obj":
        _refuse_zeros(path)
    promised = _promised_faces(path) if kind == "ply" else 0
    try:
        with path.open("rb") as file:
            loaded = trimesh.load(file, file_type=kind, process=False, maintain_order=True, skip_materials=True)
        parts = list(loaded.geometry.values()) if isinstance(loaded, trimesh.Scene) else [loaded]
        parts = [p for p in parts if isinstance(p, trimesh.Trimesh)]
        joined = trimesh.util.concatenate(parts) if len(parts) > 1 else parts[0]
        mesh = Mesh(np.asarray(joined.vertices, dtype=np.float64), np.asarray(joined.faces, dtype=np.int64))
    except Exception as error:  # the library raises IndexError, ValueError, KeyError and others alike
        raise FileProblem(
            f"The {kind.upper()} is damaged: a face names a vertex that is not there, or a line cannot be read. Export it again."
        ) from error
    if len(mesh.faces) and (mesh.faces.min() < 0 or mesh.faces.max() >= len(mesh.vertices)):
        raise FileProblem(f"The {kind.upper()} is damaged: a face names a vertex that is not there. Export it again.")
    if len(mesh.faces) < promised:
        raise FileProblem(
            f"The PLY is cut short or damaged: its header promises {promised:,} faces, {len(mesh.faces):,} could be read. Export it again."
        )
    return mesh


def _refuse_unusable(mesh: Mesh) -> None:
    count = mesh.triangle_count
    if count < 4:
        raise FileProblem(f"The file holds {count} triangles; the smallest body has 4. Export it again with the whole body selected.")
    if count > MOST_TRIANGLES:
        raise FileProblem(
            f"The file holds {count:,} triangles; the limit is {MOST_TRIANGLES:,}. Reduce them before bringing it in: a printer shows no more."
        )
    bad = int((~np.isfinite(mesh.vertices)).any(axis=1).sum())
    if bad:
        raise FileProblem(f"{bad:,} corners of the mesh have no place (NaN or infinite). Export it again; this cannot be mended.")
    far = float(np.abs(mesh.vertices).max())
    step = float(np.spacing(np.float32(far)))
    if step > _COARSEST_SHARE * float(mesh.size.max()):
        raise FileProblem(
            f"The model lies {far:,.0f} units off its file's origin, where places are no finer than {step:.2g}: its detail is lost. "
            "Move it to the origin in its source and export it again."
        )
    if float(mesh.size.max()) <= 0 or np.sort(mesh.size)[1] <= 0:
        raise FileProblem("The mesh has no extent: all its corners lie on one line or point. Export it again.")
