"""What the maker downloads of plates: a 3MF each, with every part named and in its place, and what plan.json tells of them."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from bastion_core.formats.threemf import read_3mf, write_placed_3mf
from bastion_core.geometry.mesh import Floats
from bastion_core.plates.records import Plate, PlatePart
from bastion_core.shop import Printer
from bastion_core.takeaway import part_name, rows_of

Folder = Callable[[PlatePart], Path]
"""Where a part's print files lie."""


def transform_of(part: PlatePart, printer: Printer) -> Floats:
    """4x4 from a part's file to the plate: millimetres from the front left corner of the printer's bed."""
    matrix = part.spot.matrix()
    matrix[:2, 3] += np.array([printer.x_mm, printer.y_mm]) / 2
    return matrix


def file_name(plate: Plate) -> str:
    """Of a plate's 3MF."""
    return f"{part_name(plate.name)}.3mf"


def write_plate(plate: Plate, printer: Printer, folder: Folder, path: Path) -> None:
    """Write a plate as it lies on a printer, out of the parts' own 3MF: an STL's rounding may have laid corners together. FileProblem where one is gone."""
    placed = ((read_3mf(folder(p) / p.file_3mf)[0], f"{p.piece_name}, {p.name}", transform_of(p, printer)) for p in plate.parts)
    write_placed_3mf(placed, path, plate.name)


def plate_record(plate: Plate, printer: Printer, file_3mf: str) -> dict[str, Any]:
    """A plate in plan.json; ``transform`` (4x4 rows) brings a part from its file to the plate."""
    taken = plate.on[printer.name]
    return {
        "name": plate.name,
        "file_3mf": file_3mf,
        "printer": printer.name,
        "parts": [{"name": p.name, "transform": rows_of(transform_of(p, printer))} for p in plate.parts],
        "hours": round(taken.hours, 3),
        "filament_g": round(taken.filament_g, 2),
        "support_g": round(taken.support_g, 2),
        "in_turn": plate.in_turn,
    }
