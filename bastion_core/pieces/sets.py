"""Several files as one piece: where each lies beside the others."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial.transform import Rotation

from bastion_core.errors import RecipeProblem
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid, united

MOST_FILES = 24
_SHA256 = re.compile(r"[0-9a-f]{64}")
_MOST_MM = 1e5


@dataclass(frozen=True)
class SetFile:
    """A file of a set, or one body of it, turned about its own origin (degrees about x, then y, then z) and moved (mm at scale 1)."""

    sha256: str
    name: str
    body: int | None = None
    """Number of the body that is meant, the largest first from 0; None for all that is in the file."""
    turn_deg: tuple[float, float, float] = (0.0, 0.0, 0.0)
    move_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def __post_init__(self) -> None:
        if not _SHA256.fullmatch(self.sha256):
            raise RecipeProblem(f"“{self.name}” names no file. Add the file to the piece first.", "files")
        if not all(abs(v) < _MOST_MM for v in (*self.turn_deg, *self.move_mm)):
            raise RecipeProblem(f"“{self.name}” would lie further away than any piece reaches.", "files")

    @property
    def matrix(self) -> Floats:
        """4x4 from the file to the set."""
        matrix = np.eye(4)
        matrix[:3, :3] = Rotation.from_euler("xyz", self.turn_deg, degrees=True).as_matrix()
        matrix[:3, 3] = self.move_mm
        return matrix

    def placed(self, matrix: Floats) -> "SetFile":
        """The same file moved on by a 4x4 matrix."""
        whole = matrix @ self.matrix
        turn = Rotation.from_matrix(whole[:3, :3]).as_euler("xyz", degrees=True)
        return replace(self, turn_deg=_three(turn, 6), move_mm=_three(whole[:3, 3], 5))

    def chosen(self, solid: Solid) -> Solid:
        """What of a mended file is meant; RecipeProblem where it has no such body."""
        if self.body is None:
            return solid
        bodies = solid.bodies()
        if not 0 <= self.body < len(bodies):
            raise RecipeProblem(f"“{self.name}” has {len(bodies)} bodies; number {self.body + 1} is not among them.", "files")
        return bodies[self.body]


def called(file_name: str) -> str:
    """A file's name as a maker would say it."""
    stem = file_name.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    return stem.replace("-", " ").replace("_", " ").strip()[:80] or "Piece"


def whole_of(parts: Sequence[Solid]) -> Solid:
    """All parts of a set as one solid, what overlaps counted once."""
    return parts[0] if len(parts) == 1 else united(parts)


def _three(values: Floats, digits: int) -> tuple[float, float, float]:
    x, y, z = (round(float(v), digits) + 0.0 for v in values)
    return x, y, z
