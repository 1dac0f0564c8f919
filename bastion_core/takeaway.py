"""What the maker takes away: one 3MF and STL a part, and plan.json. Shared by the command line and the website."""

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from bastion_core.errors import MeshProblem
from bastion_core.formats.stl import write_binary_stl
from bastion_core.formats.threemf import write_3mf
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.join.pins import Hardware

SCHEMA = 1


def write_part(solid: Solid, folder: Path, name: str) -> dict[str, Any]:
    """Write ``folder``/parts/``name``.3mf and .stl and return the file part of its record.

    Checked once more before it leaves: what goes out is closed.
    """
    mesh = solid.mesh()
    refuse_open(mesh, name)
    parts = folder / "parts"
    parts.mkdir(parents=True, exist_ok=True)
    write_3mf(mesh, parts / f"{name}.3mf", name)
    write_binary_stl(mesh, parts / f"{name}.stl")
    return {
        "name": name,
        "file_3mf": f"parts/{name}.3mf",
        "file_stl": f"parts/{name}.stl",
        "size_mm": [round(float(v), 3) for v in mesh.size],
        "volume_mm3": round(mesh.volume, 3),
        "triangles": mesh.triangle_count,
    }


def refuse_open(mesh: Mesh, name: str) -> None:
    """MeshProblem when an edge has not exactly one face on either side."""
    half = np.concatenate([mesh.faces[:, [0, 1]], mesh.faces[:, [1, 2]], mesh.faces[:, [2, 0]]])
    count = len(mesh.vertices)
    forward = np.sort(half[:, 0] * count + half[:, 1])
    backward = np.sort(half[:, 1] * count + half[:, 0])
    if not np.array_equal(forward, backward):
        raise MeshProblem(f"{name} did not come out closed and was not written. Move the nearest cut by a millimetre and try again.")


def plan_record(
    model: Mapping[str, Any],
    scale: Sequence[float],
    fit: Mapping[str, Any] | None,
    parts: Sequence[Mapping[str, Any]],
    seams: Sequence[Mapping[str, Any]],
    pins: Sequence[Hardware],
    warnings: Sequence[str],
) -> dict[str, Any]:
    """plan.json's content, totals added up."""
    return {
        "schema": SCHEMA,
        "model": dict(model),
        "scale": [round(float(s), 6) for s in scale],
        "fit": dict(fit) if fit else None,
        "parts": [dict(p) for p in parts],
        "seams": [dict(s) for s in seams],
        "hardware": [{"kind": h.kind, "diameter_mm": h.diameter_mm, "length_mm": h.length_mm, "count": h.count} for h in pins],
        "totals": {
            "parts": len(parts),
            "filament_g": round(sum(p["filament_g"] or 0 for p in parts), 2),
            "filament_m": round(sum(p["filament_m"] or 0 for p in parts), 3),
            "hours": round(sum(p["hours"] or 0 for p in parts), 3),
        },
        "warnings": list(warnings),
    }


def rows_of(matrix: Floats) -> list[list[float]]:
    """A 4x4 matrix as rows for JSON."""
    return [[round(float(v), 6) for v in row] for row in matrix]


def write_json(data: Any, path: Path) -> None:
    """Readable JSON."""
    path.write_text(json.dumps(data, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
