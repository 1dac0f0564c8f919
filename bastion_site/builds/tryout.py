"""Small prints to try a piece by: done in a process apart."""

import tempfile
from pathlib import Path

from bastion_core.ask import write_solid
from bastion_core.fit.gauge import gauge_ring
from bastion_core.fit.seat import seat_turn
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid
from bastion_core.plan import upright
from bastion_core.takeaway import part_name
from bastion_site.builds.files import load_solid


def _standing(source: str, turns, mirrored: bool) -> Solid:
    solid = upright(load_solid(Path(source)), turns)
    return solid.transformed(scaling(-1, 1, 1)) if mirrored else solid


def _written(solid: Solid, name: str) -> dict:
    path = Path(tempfile.mkdtemp(prefix="bastion-")) / f"{name}.stl"
    write_solid(solid.mesh(), path, name)
    return {"path": str(path), "name": path.name}


def cut_gauge_ring(
    source: str, turns, mirrored: bool, scale, turn_deg, at_mm: float, height_mm: float, printer, profile, name: str
) -> dict:
    """The ring's file and what it takes."""
    solid = _standing(source, turns, mirrored)
    solid = solid.transformed(seat_turn(solid.bounds, turn_deg, scale))
    ring = gauge_ring(solid, scale, at_mm, height_mm, printer, profile)
    told = {"at_mm": ring.at_mm, "minutes": ring.minutes, "filament_g": ring.filament_g, "size_mm": ring.size_mm}
    return told | _written(ring.solid, f"{part_name(name)}-gauge-ring")


def write_half_scale(source: str, turns, mirrored: bool, scale, name: str) -> dict:
    """The whole piece at half its size."""
    half = _standing(source, turns, mirrored).transformed(scaling(*(s / 2 for s in scale)))
    return _written(half, f"{part_name(name)}-half")
