"""What a seam offers to what is to hold it, and what that has to mind."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from bastion_core.cut.parting import Seam
from bastion_core.geometry.mesh import Mesh
from bastion_core.join.edges import Rims, rims_of
from bastion_core.join.places import Carved, SeamRoom


@dataclass(frozen=True, eq=False)
class Ask:
    """A seam with its room, the piece before any cut, clearance per side and the wall that has to stay (mm), and what was made elsewhere."""

    room: SeamRoom
    whole: Mesh
    gap_mm: float
    wall_mm: float
    others: Sequence[Carved] = ()
    turned: bool = False
    """The part above gets what the one below would get."""

    @property
    def seam(self) -> Seam:
        return self.room.seam

    @property
    def side(self) -> int:
        """The part that gets a key: -1 below, 1 above."""
        return 1 if self.turned else -1

    @cached_property
    def rims(self) -> Rims | None:
        """The rims of its face; None for one without area."""
        return rims_of(self.seam.face, 0.0, self.seam.surface, self.whole)

    @property
    def inside_mm(self) -> float:
        """Of its rims, what lies on the inside of a shell."""
        return 0.0 if self.rims is None else float(self.rims.lines(inside=True).length)
