"""Other directions than the piece's upright axes in which planes may be worth while: its own axes, and tilted ones."""

import numpy as np
from scipy.spatial.transform import Rotation
from shapely import MultiPoint

from bastion_core.geometry.mesh import Floats, Mesh

_OFF_DEG = 8.0
"""Axes that lie no further off the upright ones are the same."""
_LONGER = 1.15
"""An axis counts as the piece's own where it is so much longer along it than across."""
_TILTS_DEG = (-20.0, 20.0)


def frames(mesh: Mesh, symmetric: bool, tilted: bool) -> list[Floats]:
    """(3, 3) each, from the piece into a frame of other axes; none that is nearly the piece's upright one. ``tilted``: a symmetric piece also forward
    and back, which is worth while for a single plane: several in a tilted frame never won on helms and shells."""
    areas = np.linalg.norm(mesh.area_vectors, axis=1)
    middles = mesh.triangles.mean(axis=1)
    off = middles - areas @ middles / areas.sum()
    spread = (off * areas[:, None]).T @ off / areas.sum()
    if symmetric:
        # Whatever is tried keeps left and right alike.
        own = [_lengthwise(spread, (1, 2)), *(Rotation.from_euler("x", t, degrees=True).as_matrix() for t in _TILTS_DEG if tilted)]
    else:
        along = _lengthwise(spread, (0, 1, 2))
        own = [along if along is None else _squared(mesh.vertices, along), _squared(mesh.vertices, np.eye(3))]
    found: list[Floats] = []
    for turn in own:
        if turn is not None and all(_apart_deg(turn, other) > _OFF_DEG for other in (np.eye(3), *found)):
            found.append(turn)
    return found


def _lengthwise(spread: Floats, axes: tuple[int, ...]) -> Floats | None:
    """The least turn that brings the longest axis among some of the upright ones onto the upright one it is nearest to; None where none is longer."""
    size, along = np.linalg.eigh(spread[np.ix_(axes, axes)])
    if np.sqrt(size[-1] / max(size[-2], 1e-12)) < _LONGER:
        return None
    longest, upright = np.zeros(3), np.zeros(3)
    longest[list(axes)] = along[:, -1]
    nearest = int(np.abs(longest).argmax())
    upright[nearest] = np.sign(longest[nearest])
    return np.asarray(Rotation.align_vectors(upright[None], longest[None])[0].as_matrix())


def _squared(points: Floats, turn: Floats) -> Floats:
    """A frame turned further about its own longest axis (about z for the upright one), so that the piece lies square in it."""
    turned = points @ turn.T
    about = 2 if np.array_equal(turn, np.eye(3)) else int(np.ptp(turned, axis=0).argmax())
    a, b = ((about + k) % 3 for k in (1, 2))
    corners = np.array(MultiPoint(turned[:, [a, b]]).minimum_rotated_rectangle.exterior.coords)
    edge = corners[1] - corners[0]
    angle = float(np.arctan2(edge[1], edge[0]))
    # The nearest of the four sides.
    angle -= np.round(angle / (np.pi / 2)) * np.pi / 2
    back = np.zeros(3)
    back[about] = -angle
    return np.asarray(Rotation.from_rotvec(back).as_matrix() @ turn)


def _apart_deg(a: Floats, b: Floats) -> float:
    """By how much one frame is turned against another, whichever way round their axes are named: the most any of its axes is off all of theirs."""
    return float(np.degrees(np.arccos(np.clip(np.abs(a @ b.T).max(axis=1), 0.0, 1.0))).max())
