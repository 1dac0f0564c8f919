"""Whether what comes off stays on: what hangs, on which lever, in which pose, against what pulls it to its face."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.mesh import Floats
from bastion_core.statics.magnets import SLIDES
from bastion_core.statics.poses import ENOUGH, G_M_S2, MOST, Pose


@dataclass(frozen=True)
class Hang:
    """What hangs off a face: its mass, and its balance point in the face's frame (u, v along it, h off it)."""

    mass_g: float
    at_mm: tuple[float, float, float]


@dataclass(frozen=True)
class Stays:
    """How surely it stays: the least safety, in which pose, and how it would go: pulled off, tipped about an edge, or slid."""

    safety: float
    pose: str
    way: str
    """pull, peel or shear."""
    needed_n: float
    """What all of them together have to pull so that it just stays, in that pose."""
    lever_mm: float
    """Of what tips it."""

    @property
    def enough(self) -> bool:
        return self.safety >= ENOUGH


def stays_on(
    hang: Hang, face: BaseGeometry, places: Floats, force_n: Floats, to_frame: Floats, poses: Sequence[Pose], keyed: bool
) -> Stays:
    """The least safety of forces (n,) at places (n, 2) of a face against what hangs from it.

    ``to_frame`` (3, 3) turns directions of the upright piece into the face's frame, whose third axis leads to what hangs. ``keyed`` says that
    pins or a lip keep it from sliding; else only friction does. A part is pulled straight off, tipped about each edge of its face's hull, or
    slid. Plain statics.
    """
    corners = np.array(shapely.convex_hull(face).exterior.coords)[:-1]
    if shapely.LinearRing(corners).is_ccw is False:
        corners = corners[::-1]
    along = np.roll(corners, -1, axis=0) - corners
    length = np.linalg.norm(along, axis=1)
    kept = length > 1e-6
    corners, along = corners[kept], along[kept] / length[kept, None]
    inward = np.column_stack([-along[:, 1], along[:, 0]])
    # How far each magnet and the balance point lie inside each edge.
    arms = np.einsum("ek,enk->en", inward, places[None] - corners[:, None]).clip(min=0.0)
    balance = np.einsum("ek,ek->e", inward, np.array(hang.at_mm[:2]) - corners)
    held = arms @ force_n
    pulled, best = float(force_n.sum()), Stays(MOST, "", "pull", 0.0, 0.0)
    for pose in poses:
        f = to_frame @ pose.felt * hang.mass_g / 1000 * G_M_S2
        off = float(f[2])
        ways = []
        if off > 1e-9:
            ways.append((pulled / off, "pull", 0.0))
        # About an edge: what pulls off at the balance point, and what pushes outward over the edge on its height.
        tips = off * balance - (inward @ f[:2]) * hang.at_mm[2]
        worst = int(np.argmax(np.where(tips > 1e-9, tips / np.maximum(held, 1e-9), -1.0)))
        if tips[worst] > 1e-9:
            size = float(np.linalg.norm(f))
            ways.append((float(held[worst] / tips[worst]), "peel", float(tips[worst]) / size))
        if not keyed:
            across = float(np.linalg.norm(f[:2]))
            if across > 1e-9:
                # Friction lives on what presses the faces together: the pull less what draws it off.
                ways.append((SLIDES * pulled / (across + SLIDES * max(off, 0.0)), "shear", 0.0))
        for safety, way, lever in ways:
            if safety < best.safety:
                best = Stays(safety, pose.key, way, pulled / max(safety, 1e-6), lever)
    return best


def count_for(needed_n: float, one_n: float) -> int:
    """How many pairs of one pull it takes for enough."""
    return max(1, int(np.ceil(ENOUGH * needed_n / max(one_n, 1e-9) - 1e-9)))


@dataclass(frozen=True)
class Closure:
    """Another way to keep a part on: what a unit of it holds pulled off, peeled (per width) and slid, and what to mind."""

    key: str
    name: str
    unit: str
    pull_n: float
    shear_n: float
    least: int
    caution: str = ""


CLOSURES = (
    Closure("hook", "Hook-and-loop", "cm²", 1.5, 8.0, 4),
    Closure("snap", "Sewn or screwed snaps", "", 20.0, 60.0, 2),
    Closure("buckle", "Side-release buckle on webbing, 25 mm", "", 250.0, 250.0, 1, "A strap round the neck needs a buckle that breaks away."),
    Closure("elastic", "Elastic, 25 mm, stretched by half", "", 10.0, 10.0, 2),
    Closure("skin", "Skin adhesive", "cm²", 0.5, 2.0, 4,
            "On whole skin only, tried on a small place a day before; take it off with its own remover. The product's own sheet rules."),
)  # fmt: skip
"""Common practice and makers' sheets as remembered, no source."""


def others_for(stays: Stays) -> tuple[tuple[Closure, int], ...]:
    """How much of each other closure it takes for the same load with the same safety, sitting where the magnets would."""
    return tuple(
        (c, max(c.least, int(np.ceil(ENOUGH * stays.needed_n / (c.shear_n if stays.way == "shear" else c.pull_n))))) for c in CLOSURES
    )
