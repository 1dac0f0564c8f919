"""What is asked of a piece on a body."""

from dataclasses import dataclass

from bastion_core.fit.bays import Bay
from bastion_core.fit.layers import Layer
from bastion_core.fit.scale import Scale
from bastion_core.geometry.mesh import Mesh
from bastion_core.measure.wearer import Wearer


@dataclass(frozen=True)
class Question:
    """What is asked. ``piece`` stands upright, front toward -y, in millimetres at scale 1."""

    site: str
    side: str = ""
    wearer: Wearer | None = None
    way_in: str | None = None
    layers: tuple[Layer, ...] = ()
    bays: tuple[Bay, ...] = ()
    scale: Scale = (1.0, 1.0, 1.0)
    shift_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)
    turn_deg: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """How the maker turned it in its seat: degrees about x, y and z."""
    give_mm: float = 0.0
    as_placed: bool = False
    thinnest_wall_mm: float | None = None
    halves: tuple[Mesh, ...] = ()
    """The two halves of a piece that straps hold together, in its own coordinates; empty for anything else."""
