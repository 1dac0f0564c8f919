"""Carrying out the cuts: a solid and a list of planes become named parts and the seams between them."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from string import ascii_uppercase
from typing import Protocol

import numpy as np
import shapely
from shapely import box
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.bowed import Bowed
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Quantity, Said, say
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import Plane, plane_frame
from bastion_core.geometry.solid import Solid
from bastion_core.progress import Progress, silent

CRUMB_MM3 = 1.0
"""Less than this is no part but what rounding leaves where a plane runs along a face."""
SLIVER_MM3 = 300.0
SLIVER_SHARE = 0.004
"""Parts under both of these are slivers: crumbs no maker wants to glue. Common practice, no source."""
BESIDE_MM = 0.02
"""How far beside a seam its two faces are looked at."""
MOST_PARTS = 120
OF_FILE = "file"
"""With a number: the side on which a part of that file of a set lies, as if a cut had made it."""


@dataclass(frozen=True)
class Cut:
    """A plane in the piece's own upright millimetres at scale 1, so that it follows the scale.

    ``limits`` restrict it to parts that lie on the given side (+1 above, -1 below) of earlier cuts; without any it
    goes through everything it meets.
    """

    id: str
    point: tuple[float, float, float]
    normal: tuple[float, float, float]
    limits: tuple[tuple[str, int], ...] = ()
    bow_mm: float = 0.0
    """How far its middle (``point``) stands out, along its normal, over a span of 100 mm; 0 for a plane."""
    bow_across: bool = False
    """Bowed along the second direction of its frame, not the first."""

    def mirrored(self) -> "Cut":
        """The same left to right."""
        (x, *at), (u, *along) = self.point, self.normal
        return replace(self, point=(-x, at[0], at[1]), normal=(-u, along[0], along[1]))

    def plane(self, scale: tuple[float, float, float]) -> Plane:
        """The plane at a scale: points stretch with it, normals against it."""
        s = np.array(scale)
        return Plane.through(np.array(self.point) * s, np.array(self.normal) / s)

    def surface(self, scale: tuple[float, float, float]) -> "Surface":
        """What it parts along at a scale: the plane, or the plane bowed."""
        plane = self.plane(scale)
        if not self.bow_mm:
            return plane
        s, n, unit = np.array(scale), np.array(plane.normal), np.array(self.normal) / np.linalg.norm(self.normal)
        along = plane_frame(unit)[:, 1 if self.bow_across else 0] * s
        along -= n * (along @ n)
        stretch = float(np.linalg.norm(along))
        # A parabola stretches with the scale: its depth with the normal, over a span that grew.
        deep = self.bow_mm / float(np.linalg.norm(unit / s))
        return Bowed(plane, three(np.array(self.point) * s), three(along / stretch), deep / stretch**2)


@dataclass(frozen=True)
class Part:
    """One printable body. ``sides`` says on which side of which cut it lies, ``path`` which cuts made it."""

    name: str
    solid: Solid
    sides: dict[str, int] = field(default_factory=dict)
    path: tuple[str, ...] = ()

    @property
    def id(self) -> str:
        """Stays the same as long as the cuts that bound it do; letters are for people."""
        return hashlib.sha256("/".join(self.path).encode()).hexdigest()[:10]


class Surface(Protocol):
    """What a seam lies in: a plane, or a bowed sheet. In its frame it is flat, and parts come off along z."""

    @property
    def normal(self) -> tuple[float, float, float]:
        """Unit direction in which the part above lies, at the seam's middle."""

    def to_flat(self) -> Floats:
        """4x4 into the frame in which the seam is drawn: it lies about z = 0, the part above over it."""

    def heights(self, points: Floats) -> Floats:
        """(n,): how far each of ``points`` (n, 3) lies above it."""

    def to_space(self, points: Floats) -> Floats:
        """(n, 3): places of its frame, (n, 2) on it or (n, 3) so far above it, in space."""

    def flatten(self, solid: Solid) -> Solid:
        """A solid brought into its frame, the seam at z = 0."""

    def unflatten(self, solid: Solid) -> Solid:
        """A solid of its frame, back in space."""

    def split(self, solid: Solid) -> tuple[Solid, Solid]:
        """The part of a solid above and the part below."""

    def meets(self, bounds: Floats, within_mm: float) -> bool:
        """Whether a box (2, 3) comes so near."""


def rim_in_space(face: BaseGeometry, surface: Surface, step_mm: float) -> Floats:
    """(n, 3): points along the rims of a flat area that lies in a surface's frame."""
    return surface.to_space(shapely.get_coordinates(shapely.segmentize(face.boundary, step_mm)))


@dataclass(frozen=True)
class Seam:
    """Where two parts meet: the shared face in the surface's own frame (u, v in mm), and its size."""

    cut_id: str
    above: str
    below: str
    surface: Surface
    face: BaseGeometry
    between: tuple[str, str] = ("", "")
    """Ids of the part above and the part below."""
    own: int = 0
    """What holds it already: pockets, holes and pegs that the files of a set came with."""

    @property
    def id(self) -> str:
        """Stays the same as long as its cut and both its parts do."""
        return "/".join((self.cut_id, *self.between))

    @property
    def area_mm2(self) -> float:
        return float(self.face.area)

    def rim(self, step_mm: float = 2.0) -> Floats:
        """(n, 3): points along all its rims, none further apart than that."""
        return rim_in_space(self.face, self.surface, step_mm)


@dataclass(frozen=True)
class Parting:
    """All parts and seams of a piece, and what a maker should know about the cuts."""

    parts: tuple[Part, ...]
    seams: tuple[Seam, ...]
    findings: tuple[Said, ...]
    idle_cuts: tuple[str, ...] = ()
    """Cuts that meet nothing."""


def without_cut(cuts: Sequence[Cut], cut_id: str) -> tuple[Cut, ...]:
    """The cuts less one; cuts that were limited by it go through both of its sides."""
    return tuple(replace(c, limits=tuple(lim for lim in c.limits if lim[0] != cut_id)) for c in cuts if c.id != cut_id)


def bodies_as_parts(solid: Solid) -> list[Part]:
    """The bodies of a piece, before any cut."""
    return [Part("", body, path=(f"body {i}",)) for i, body in enumerate(solid.bodies())]


def part_solid(
    solid: Solid | Sequence[Part], cuts: Sequence[Cut], scale: tuple[float, float, float], name: str, progress: Progress = silent
) -> Parting:
    """Cut a solid, or the parts a piece begins with (already at ``scale``), with ``cuts`` in their order.

    Every body that comes out is a part of its own. Raises RecipeProblem for a plane without a direction or for
    more parts than anybody would print.
    """
    pieces = bodies_as_parts(solid) if isinstance(solid, Solid) else list(solid)
    findings: list[Said] = []
    idle: list[str] = []
    planes = {c.id: c.surface(scale) for c in cuts}
    for index, cut in enumerate(cuts):
        progress(0.7 * index / max(len(cuts), 1), f"cut {index + 1} of {len(cuts)}")
        pieces, made = _apply(pieces, cut, planes[cut.id])
        if not made:
            findings.append(say(f"Cut {index + 1} meets nothing: it lies outside the part it is meant for."))
            idle.append(cut.id)
        for count in made:
            if count > 2:
                findings.append(say(f"Cut {index + 1} makes {count} pieces of one: it goes through more than one arm of the shape."))
        if len(pieces) > MOST_PARTS:
            raise RecipeProblem(f"These cuts give more than {MOST_PARTS} parts. Delete some planes, or choose a larger printer.")
    parts = _named(pieces, name)
    total = sum(p.solid.volume for p in parts)
    for part in parts:
        if part.solid.volume < SLIVER_MM3 and part.solid.volume < SLIVER_SHARE * total:
            tiny = Quantity((part.solid.volume,), "mm3", 2)
            findings.append(say("{} is a sliver of {}. Move the nearest plane a little.", part.name, tiny))
    progress(0.8, "finding the seams")
    return Parting(parts, tuple(_seams(parts, cuts, planes)), tuple(findings), tuple(idle))


def _apply(pieces: list[Part], cut: Cut, plane: Surface) -> tuple[list[Part], list[int]]:
    """The pieces after one cut, and for each piece it met how many it made of it."""
    kept: list[Part] = []
    made: list[int] = []
    for piece in pieces:
        if any(piece.sides.get(other, 0) != side for other, side in cut.limits):
            kept.append(piece)
            continue
        above, below = plane.split(piece.solid)
        if above.is_empty or below.is_empty:
            kept.append(replace(piece, sides={**piece.sides, cut.id: -1 if above.is_empty else 1}))
            continue
        halves = [(body, side) for half, side in ((above, 1), (below, -1)) for body in half.bodies() if body.volume >= CRUMB_MM3]
        if len({side for _, side in halves}) < 2:
            # The plane only grazes it: what came off on one side is no more than a crumb.
            kept.append(replace(piece, sides={**piece.sides, cut.id: halves[0][1] if halves else 1}))
            continue
        made.append(len(halves))
        for index, (body, side) in enumerate(halves):
            mine = [s for _, s in halves[:index]].count(side)
            kept.append(Part("", body, {**piece.sides, cut.id: side}, (*piece.path, f"{cut.id} {side} {mine}")))
    return kept, made


def letters(index: int) -> str:
    """0 is A, 25 is Z, 26 is AA.

    >>> letters(0), letters(27)
    ('A', 'AB')
    """
    head, tail = divmod(index, 26)
    return (letters(head - 1) if head else "") + ascii_uppercase[tail]


def _named(pieces: list[Part], name: str) -> tuple[Part, ...]:
    """From the top down, then from left to right as seen, so that names stay when a number changes a little."""

    def place(part: Part) -> tuple[float, float, float]:
        middle = part.solid.bounds.mean(axis=0)
        return -round(float(middle[2]) / 10), round(float(middle[0]) / 10), round(float(middle[1]) / 10)

    ordered = sorted(pieces, key=place)
    return tuple(replace(p, name=f"{name}-{letters(i)}") for i, p in enumerate(ordered))


def _seams(parts: tuple[Part, ...], cuts: Sequence[Cut], planes: dict[str, Surface]) -> list[Seam]:
    found = []
    for cut in cuts:
        plane = planes[cut.id]
        faces: dict[int, list[tuple[Part, BaseGeometry]]] = {1: [], -1: []}
        for part in parts:
            side = part.sides.get(cut.id, 0)
            if side and plane.meets(part.solid.bounds, BESIDE_MM):
                face = plane.flatten(part.solid).section(side * BESIDE_MM)
                if not face.is_empty:
                    faces[side].append((part, face))
        for above, upper in faces[1]:
            for below, lower in faces[-1]:
                if not box(*upper.bounds).intersects(box(*lower.bounds)):
                    continue
                shared = upper.intersection(lower)
                if shared.area > 1.0:
                    found.append(Seam(cut.id, above.name, below.name, plane, shared, (above.id, below.id)))
    return found


def glued_normals(parting: Parting) -> dict[str, list[Floats]]:
    """Of each part by its name: the outward normals (3,) of the faces at which it is glued to others."""
    found: dict[str, list[Floats]] = {p.name: [] for p in parting.parts}
    for seam in parting.seams:
        normal = np.array(seam.surface.normal)
        found[seam.above].append(-normal)
        found[seam.below].append(normal)
    return found
