"""Turns, moves and planes: small 4x4 matrices, always applied as ``matrix @ point``."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.geometry.arrays import corners
from bastion_core.geometry.mesh import Floats

if TYPE_CHECKING:
    from bastion_core.geometry.solid import Solid


def scaling(x: float, y: float, z: float) -> Floats:
    """4x4 matrix that stretches along the axes."""
    return np.diag([x, y, z, 1.0])


def shifting(offset: Floats) -> Floats:
    """4x4 matrix that moves by ``offset`` (3,)."""
    matrix = np.eye(4)
    matrix[:3, 3] = offset
    return matrix


def turn_to_down(direction: Floats) -> Floats:
    """4x4 rotation that takes the unit vector ``direction`` (3,) to -z."""
    return turn_to_up(-np.asarray(direction, dtype=np.float64))


def turn_to_up(direction: Floats) -> Floats:
    """4x4 rotation that takes the unit vector ``direction`` (3,) to +z by the shortest way."""
    matrix = np.eye(4)
    matrix[:3, :3] = plane_frame(direction).T
    return matrix


def laid(points: Floats, up: Floats) -> Floats:
    """4x4 that lays points (n, 3) down with the direction ``up`` (3,) to +z, the lowest of them at z = 0."""
    turn = turn_to_up(up)
    return shifting(np.array([0.0, 0.0, -float((points @ turn[2, :3]).min())])) @ turn


def plane_frame(normal: Floats) -> Floats:
    """(3, 3): columns u, v, n of a right-handed frame whose third axis is ``normal``."""
    n = np.asarray(normal, dtype=np.float64)
    length = float(np.linalg.norm(n))
    if not np.isfinite(length) or length < 1e-9:
        raise RecipeProblem("A direction of length zero was given. Give it at least one component other than 0.")
    n = n / length
    # Axis-aligned normals must give axis-aligned frames, so that sizes stay readable.
    helper = np.array([1.0, 0.0, 0.0]) if abs(n[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
    v = np.cross(n, helper)
    v /= np.linalg.norm(v)
    return np.column_stack([np.cross(v, n), v, n])


def quarter_turns(x: int, y: int, z: int) -> Floats:
    """4x4 rotation by whole quarter turns about x, then y, then z."""
    matrix = np.eye(4)
    for axis, turns in enumerate((x, y, z)):
        angle_cos, angle_sin = [(1, 0), (0, 1), (-1, 0), (0, -1)][turns % 4]
        i, j = [(1, 2), (2, 0), (0, 1)][axis]
        step = np.eye(4)
        step[i, i] = step[j, j] = angle_cos
        step[j, i], step[i, j] = angle_sin, -angle_sin
        matrix = step @ matrix
    return matrix


@dataclass(frozen=True)
class Plane:
    """Points p with normal . p == offset; ``normal`` has unit length, ``offset_mm`` in millimetres."""

    normal: tuple[float, float, float]
    offset_mm: float

    @classmethod
    def through(cls, point: Floats, normal: Floats) -> "Plane":
        """The plane through ``point`` (3,) square to ``normal`` (3,)."""
        n = plane_frame(normal)[:, 2]
        return cls((float(n[0]), float(n[1]), float(n[2])), float(n @ np.asarray(point, dtype=np.float64)))

    def to_flat(self) -> Floats:
        """4x4 matrix into the plane's own frame: the plane becomes z = 0, its normal +z."""
        matrix = np.eye(4)
        matrix[:3, :3] = plane_frame(np.array(self.normal)).T
        matrix[2, 3] = -self.offset_mm
        return matrix

    def heights(self, points: Floats) -> Floats:
        """(n,): how far each of ``points`` (n, 3) lies above the plane."""
        return np.asarray(points @ np.array(self.normal) - self.offset_mm)

    def to_space(self, points: Floats) -> Floats:
        """(n, 3): places of the plane's own frame (n, 2) or (n, 3) back in space."""
        back = np.linalg.inv(self.to_flat())
        return np.asarray(points @ back[:3, : points.shape[1]].T + back[:3, 3])

    def flatten(self, solid: "Solid") -> "Solid":
        """A solid in the plane's own frame."""
        return solid.transformed(self.to_flat())

    def unflatten(self, solid: "Solid") -> "Solid":
        """A solid of the plane's own frame, back in space."""
        return solid.transformed(np.asarray(np.linalg.inv(self.to_flat())))

    def meets(self, bounds: Floats, within_mm: float) -> bool:
        """Whether a box (2, 3) comes so near."""
        heights = self.heights(corners(*bounds))
        return bool(heights.min() <= within_mm and heights.max() >= -within_mm)

    def split(self, solid: "Solid") -> tuple["Solid", "Solid"]:
        """The part of a solid above and the part below."""
        return solid.split(self)
