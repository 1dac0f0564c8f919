"""A piece as it stands: upright, mirrored, at its scale; alive for whoever asks next."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bastion_core.engine.station import Place
from bastion_core.engine.store import Ref
from bastion_core.errors import FileProblem
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import quarter_turns, scaling
from bastion_core.geometry.solid import Solid

SOLID = "solid.npz"
PART = "part{}.npz"
"""A file of a set in its place."""
Turns = tuple[int, int, int]


@dataclass(frozen=True)
class Standing:
    """How a piece stands: its mended solid, whole quarter turns about x, y and z, mirrored left to right or not."""

    piece: Ref
    turns: Turns = (0, 0, 0)
    mirrored: bool = False
    files: int = 0
    """How many files make it a set; 0 where it is one file as it came."""

    @property
    def matrix(self) -> Floats:
        """4x4 from the file or set to the piece as it stands."""
        turned = quarter_turns(*self.turns)
        return scaling(-1, 1, 1) @ turned if self.mirrored else turned

    def solid(self, place: Place) -> Solid:
        """At scale 1."""
        return place.live(self, lambda: self._made(place))

    def _made(self, place: Place) -> Solid:
        return self.stood(load_solid(place.file(self.piece, SOLID)))

    def parts(self, place: Place) -> tuple[Solid, ...]:
        """The files of a set at scale 1, each for itself; the one solid where it is no set."""
        if not self.files:
            return (self.solid(place),)
        return place.live((self, "parts"), lambda: self._parts(place))

    def _parts(self, place: Place) -> tuple[Solid, ...]:
        return tuple(self.stood(load_solid(place.file(self.piece, PART.format(k)))) for k in range(self.files))

    def stood(self, solid: Solid) -> Solid:
        """A solid as it lay in its file, stood so."""
        solid = upright(solid, self.turns)
        return solid.transformed(scaling(-1, 1, 1)) if self.mirrored else solid


def upright(solid: Solid, turns: Turns) -> Solid:
    """The solid stood up by whole quarter turns about x, y and z."""
    return solid.transformed(quarter_turns(*turns)) if any(t % 4 for t in turns) else solid


def save_mesh(mesh: Mesh, path: Path) -> None:
    """Arrays of a mesh, quick to load again."""
    np.savez(path, vertices=mesh.vertices.astype(np.float32), faces=mesh.faces.astype(np.uint32))


def load_mesh(path: Path) -> Mesh:
    """A mesh saved by ``save_mesh``; FileProblem when it is gone."""
    try:
        with np.load(path) as arrays:
            return Mesh(arrays["vertices"].astype(np.float64), arrays["faces"].astype(np.int64))
    except FileNotFoundError as error:
        raise FileProblem("A computed file is gone from the data folder. Compute the piece again.") from error


def load_solid(path: Path) -> Solid:
    """A solid saved by ``save_mesh``; FileProblem when it is gone."""
    return Solid.from_mesh(load_mesh(path))
