"""How much room there is inside a worn piece, for what stands into it."""

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np
from scipy.spatial import cKDTree

from bastion_core.geometry.mesh import Floats

_NEAR_MM = 18.0


@dataclass(frozen=True, eq=False)
class InsideRoom:
    """Room left between wearer and shell, at places of the shell's inside in the scaled standing piece. Without any, nothing is known to press."""

    points: Floats
    """(n, 3)."""
    room_mm: Floats
    """(n,): after the layers."""
    kept: tuple[tuple[str, Floats, Floats], ...] = ()
    """What goes inside, with the least and greatest corner (3,) of where it is."""

    @classmethod
    def none(cls) -> "InsideRoom":
        """Of a piece that nobody wears."""
        return cls(np.zeros((0, 3)), np.zeros(0))

    @classmethod
    def read(cls, path: Path, kept: tuple[tuple[str, Floats, Floats], ...] = ()) -> "InsideRoom":
        """As the fit left it."""
        with np.load(path) as found:
            return cls(found["points"], found["room_mm"], kept)

    @cached_property
    def _tree(self) -> cKDTree:
        return cKDTree(self.points)

    def taken_by(self, points: Floats) -> str | None:
        """What goes inside where any of these points (n, 3) lies; None where nothing does."""
        return next((what for what, low, high in self.kept if ((points > low) & (points < high)).all(axis=1).any()), None)

    def at(self, place: Floats) -> float | None:
        """The least room near a place (3,); None where nobody's body is behind it."""
        if not len(self.points):
            return None
        near = self._tree.query_ball_point(place, _NEAR_MM)
        return float(self.room_mm[near].min()) if near else None
