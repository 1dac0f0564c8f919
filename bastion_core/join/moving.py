"""What moves: plates on rivets, in slots, on strips. Holes at true size, how far they go until they meet, where they gape and the strip that stops it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

import numpy as np
from scipy.spatial import cKDTree
from shapely import Point, box, unary_union
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import Part
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said, deg, mm, say
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import plane_frame
from bastion_core.geometry.solid import Solid, hull_solid
from bastion_core.geometry.walls import surface_sample
from bastion_core.join.fasteners.base import Hardware
from bastion_core.join.held import letter_of
from bastion_core.pieces.silhouette import svg_path
from bastion_core.statics.hinges import STRIP_STRAIN, HingeNeeds, fold_length, fold_strain, hinges_for

MoveKind = Literal["rivet", "slot", "hinge"]
MOVES: dict[MoveKind, str] = {"rivet": "turns on rivets", "slot": "slides on rivets in slots", "hinge": "folds on hinges"}
STRIPS_MM = {"leather": 2.0, "tpu": 1.2, "elastic": 1.0, "foam": 5.0}
"""What strips are cut of and how thick; common practice, no source."""
PLAY_MM = 0.3
"""Hole wider than its rivet; common practice (0.2 to 0.5 mm), no source."""
ROUND_HOLE_MM = 2.0
"""Of wall round a rivet's hole; common practice (once to twice its diameter), no source."""
LAP_MM = 12.0
"""Of a strip beyond each of its rivets; common practice, no source."""
STRETCHED = 0.5
"""Elastic is stretched by so much as it lies; common practice, no source."""
MOST_DEG, MOST_SLIDE_MM = 120.0, 60.0
_STEP_DEG, _STEP_MM = 3.0, 1.0
_MEET_MM3 = 0.05
_SETTLES = 7
_NEAR_MM, _BESIDE_MM = 4.0, 1.5
_CLUSTER_MM = 3.0
_SAMPLES = 4000


@dataclass(frozen=True)
class Moving:
    """Two parts (by letters, A-B: the second moves against the first) that move about a line through a point along an axis, at scale 1."""

    parts: str
    kind: MoveKind = "rivet"
    at_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)
    axis: tuple[float, float, float] = (1.0, 0.0, 0.0)
    rivet_mm: float = 3.0
    play_mm: float = PLAY_MM
    slot_mm: float = 12.0
    """How far a slot lets it slide."""
    along: tuple[float, float, float] = (0.0, 0.0, 1.0)
    """Which way it slides."""
    strip: str = "leather"
    """What its inner strip is cut of; empty for none."""

    def __post_init__(self) -> None:
        if self.kind not in MOVES:
            raise RecipeProblem(f"“{self.kind}” is no way to move. There are: {', '.join(MOVES)}.", "moves")
        if not 1 <= self.rivet_mm <= 12 or not 0.05 <= self.play_mm <= 3:
            raise RecipeProblem("A rivet is 1 to 12 mm thick, with 0.05 to 3 mm of play in its hole.", "moves")
        if not 2 <= self.slot_mm <= MOST_SLIDE_MM:
            raise RecipeProblem(f"A slot lets a plate slide 2 to {MOST_SLIDE_MM:g} mm.", "moves")
        if self.strip and self.strip not in STRIPS_MM:
            raise RecipeProblem(f"“{self.strip}” is no strip known here. There are: {', '.join(STRIPS_MM)}.", "moves")
        if not all(abs(v) < 1e5 for v in (*self.at_mm, *self.axis, *self.along)):
            raise RecipeProblem("What moves turns about a line through its piece.", "moves")
        if min(float(np.linalg.norm(self.axis)), float(np.linalg.norm(self.along))) < 1e-6:
            raise RecipeProblem("An axis needs a direction.", "moves")

    def mirrored(self) -> "Moving":
        """The same for the other side of a pair."""
        (x, y, z), (u, v, w), (i, j, k) = self.at_mm, self.axis, self.along
        return replace(self, at_mm=(-x, y, z), axis=(-u, v, w), along=(-i, j, k))


@dataclass(frozen=True)
class Strip:
    """A strip cut flat: its length and width, its holes (x from one end, diameter) on its middle line; of what, how thick."""

    material: str
    thick_mm: float
    long_mm: float
    wide_mm: float
    holes_mm: tuple[tuple[float, float], ...]
    free_mm: float
    """Between its rivets, as it lies."""
    strain: float
    """Where it bends most."""
    count: int = 1
    """Elastic goes in pairs, a hand's breadth of the plate apart, or the plate wobbles about a single line."""

    def outline(self) -> BaseGeometry:
        """True to size, from its corner at the origin: rounded corners, round holes."""
        body = box(0, 0, self.long_mm, self.wide_mm).buffer(-3).buffer(3)
        return body.difference(unary_union([Point(x, self.wide_mm / 2).buffer(across / 2, quad_segs=16) for x, across in self.holes_mm]))


@dataclass(frozen=True, eq=False)
class Moved:
    """How two parts move against each other."""

    wanted: Moving
    fixed: str
    moves: str
    rivets: int
    grip_mm: float
    """Through both walls, the longest."""
    low: float
    """How far it goes one way until the plates meet: degrees, or mm of a slot (negative)."""
    high: float
    held_low: bool
    """Whether something stops it there, or nothing did as far as was looked."""
    held_high: bool
    gape_mm: float
    """How much further apart the plates' backs are at the worse end than at rest."""
    gapes_at: float
    overlap_mm: float
    """How far one lies under the other at rest."""
    strip: Strip | None
    hinge: HingeNeeds | None
    tools: dict[str, tuple[Solid, ...]] = field(repr=False)
    drawing: tuple[tuple[str, str], ...] = ()
    """What is drawn, seen along the axis: fixed, rest, low, high with SVG paths (mm, y downward)."""
    box: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    at_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def hardware(self) -> tuple[Hardware, ...]:
        """The rivets."""
        if self.wanted.kind == "hinge" or not self.rivets:
            return ()
        d = self.wanted.rivet_mm
        # A strip is riveted at both its ends, too.
        more = 2 * self.strip.count if self.strip is not None else 0
        length = float(np.ceil(self.grip_mm + d))
        return (Hardware("rivet", d, length, self.rivets + more, f"Rivet {d:g} × {length:g} mm, set loose, with washers"),)


def moved(parts: Sequence[Part], wanted: Moving, scale: Floats) -> Moved | Said:
    """How two parts move; or why they cannot."""
    letters = {letter_of(p.name): p for p in parts}
    names = wanted.parts.split("-")
    if len(names) != 2 or any(n not in letters for n in names):
        return say("There are no parts {} any more: choose again which two move.", wanted.parts.replace("-", " and "))
    fixed, moves = (letters[n] for n in names)
    at = np.array(wanted.at_mm) * scale
    axis = np.array(wanted.axis) / np.linalg.norm(wanted.axis)
    to_axis = np.eye(4)
    to_axis[:3, :3] = plane_frame(axis).T
    to_axis[:3, 3] = -to_axis[:3, :3] @ at
    still, plate = fixed.solid.transformed(to_axis), moves.solid.transformed(to_axis)
    slide = to_axis[:3, :3] @ (np.array(wanted.along) / np.linalg.norm(wanted.along))
    radius = (wanted.rivet_mm + wanted.play_mm) / 2
    hits, grip = _through(still, plate)
    if wanted.kind != "hinge":
        if not hits:
            words = "The line of the rivet passes {} and {} nowhere side by side: move it to where one plate lies over the other."
            return say(words, *names)
        for name, solid in ((names[0], still), (names[1], plate)):
            if not _keeps_wall(solid, radius, hits):
                return say("The rivet's hole comes too near an edge of {}: less than {} of wall stays round it.", name, mm(ROUND_HOLE_MM))
    before = still.common(plate).volume
    back = np.asarray(np.linalg.inv(to_axis))
    tools: dict[str, tuple[Solid, ...]] = {}
    if wanted.kind != "hinge":
        low_z, high_z = min(h[0] for h in hits) - 2, max(h[1] for h in hits) + 2
        bore = Solid.cylinder(radius, high_z - low_z, 48).transformed(_shift([0, 0, (low_z + high_z) / 2]))
        other = bore
        if wanted.kind == "slot":
            ends = [bore.transformed(_shift(slide * s)) for s in (0.0, -wanted.slot_mm)]
            other = hull_solid(np.concatenate([e.mesh().vertices for e in ends]))
        tools = {fixed.name: (bore.transformed(back),), moves.name: (other.transformed(back),)}

    def meets(much: float) -> bool:
        there = plate.transformed(_turn(much) if wanted.kind != "slot" else _shift(slide * much))
        return bool(still.common(there).volume > before + _MEET_MM3)

    most, step = (wanted.slot_mm, _STEP_MM) if wanted.kind == "slot" else (MOST_DEG, _STEP_DEG)
    (low, held_low), (high, held_high) = _until(meets, -most if wanted.kind != "slot" else 0.0, -step), _until(meets, most, step)
    if high - low < (1.0 if wanted.kind == "slot" else 2.0):
        way = "slide" if wanted.kind == "slot" else "turn"
        words = (
            "{} cannot {} against {} at all: they meet at once. Move the line away from where they touch, or leave more room between them."
        )
        return say(words, names[1], way, names[0])
    gape, gapes_at, overlap, width = _gaping(still, plate, low, high, wanted.kind == "slot", slide)
    strip = _strip(wanted, gape, overlap, width, max(abs(low), abs(high))) if wanted.strip else None
    hinge = None
    if wanted.kind == "hinge":
        (_, _, z0), (_, _, z1) = still.bounds
        (_, _, p0), (_, _, p1) = plate.bounds
        arm = float(np.hypot(*np.abs(plate.bounds[:, :2]).max(axis=0)))
        hinge = hinges_for(wanted.play_mm, arm, float(min(z1, p1) - max(z0, p0)))
        if hinge is None:
            words = "Hinges along {} let {} slew more than it may: make the line longer, or take less play than {}."
            return say(words, mm(min(z1, p1) - max(z0, p0)), names[1], mm(wanted.play_mm, digits=2))
    drawing, frame = _drawn(still, plate, low, high, wanted.kind == "slot", slide)
    return Moved(
        wanted, fixed.name, moves.name, len(hits), grip, low, high, held_low, held_high, gape, gapes_at, overlap, strip, hinge, tools, drawing, frame,
        three(at, 2),
    )  # fmt: skip


def _through(one: Solid, other: Solid) -> tuple[list[tuple[float, float]], float]:
    """Where the line x = y = 0 passes both bodies side by side: (from, to) along it; and the longest of those."""
    spans = []
    for which, solid in enumerate((one, other)):
        rays = solid.mesh().rays
        low = float(solid.bounds[0][2]) - 5
        _, distance, entering = rays.all_hits(np.array([[1e-4, 2e-4, low]]), np.array([[0.0, 0.0, 1.0]]))
        order = np.argsort(distance)
        hits, goes_in = low + distance[order], entering[order]
        spans += [(float(a), float(b), which) for a, b, i in zip(hits[:-1], hits[1:], goes_in[:-1], strict=True) if i]
    spans.sort()
    found: list[tuple[float, float]] = []
    for (a0, a1, a), (b0, b1, b) in pairwise(spans):
        if a != b and b0 - a1 < _CLUSTER_MM:
            found.append((a0, max(a1, b1)))
    return found, max((b - a for a, b in found), default=0.0)


def _keeps_wall(solid: Solid, radius: float, hits: Sequence[tuple[float, float]]) -> bool:
    """Whether every line beside the hole still passes the body near each of its walls."""
    turns = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    ring = (radius + ROUND_HOLE_MM) * np.column_stack([np.cos(turns), np.sin(turns)])
    rays = solid.mesh().rays
    for low, high in hits:
        starts = np.column_stack([ring, np.full(12, low - 4.0)])
        ray, distance, _ = rays.all_hits(starts, np.tile([0.0, 0.0, 1.0], (12, 1)))
        if len(set(ray[distance < high - low + 8.0].tolist())) < 12:
            return False
    return True


def _until(meets: Callable[[float], bool], most: float, step: float) -> tuple[float, bool]:
    """How far something goes until it meets, to within a hundredth of the step; and whether it did."""
    at, count = 0.0, int(abs(most) / abs(step) + 1e-9)
    for _ in range(count):
        if meets(at + step):
            low, high = at, at + step
            for _ in range(_SETTLES):
                middle = (low + high) / 2
                low, high = (low, middle) if meets(middle) else (middle, high)
            return low, True
        at += step
    return at, False


def _gaping(still: Solid, plate: Solid, low: float, high: float, slides: bool, slide: Floats) -> tuple[float, float, float, float]:
    """By how much the plates part most where one lay under the other, at which end; how far they overlap at rest, and how wide that is."""
    a, b = (surface_sample(s.mesh(), _SAMPLES).points for s in (still, plate))
    tree = cKDTree(b)
    apart = tree.query(a)[0]
    near = a[apart < min(float(apart.min()) + _BESIDE_MM, _NEAR_MM)]
    if len(near) < 8:
        return 0.0, 0.0, 0.0, 20.0
    rest = tree.query(near)[0]
    worst, at = 0.0, 0.0
    for end in (low, high):
        there = b @ _turn(end)[:3, :3].T if not slides else b + slide * end
        opened = float(np.percentile(cKDTree(there).query(near)[0] - rest, 98))
        if opened > worst:
            worst, at = opened, end
    # One lies under the other along the way from the one's middle to the other's.
    way = slide[:2] if slides else b[:, :2].mean(axis=0) - a[:, :2].mean(axis=0)
    size = float(np.linalg.norm(way))
    way = way / size if size > 1e-6 else np.array([1.0, 0.0])
    return worst, at, float(np.ptp(near[:, :2] @ way)), float(np.ptp(near[:, 2]))


def _strip(wanted: Moving, gape: float, overlap: float, width: float, turned: float) -> Strip:
    """The strip inside that keeps plates from gaping: fixed on both, so long that they part no further than they overlap."""
    thick = STRIPS_MM[wanted.strip]
    free = max(overlap, 10.0) + min(gape, 0.8 * overlap)
    across = float(np.clip(0.5 * width, 10.0, 40.0))
    cut = free / (1 + STRETCHED) if wanted.strip == "elastic" else free
    hole = wanted.rivet_mm + wanted.play_mm
    folded = turned if wanted.kind != "slot" else 0.0
    strain = fold_strain(thick, folded, free)
    return Strip(
        wanted.strip,
        thick,
        round(cut + 2 * LAP_MM, 1),
        round(across, 1),
        ((LAP_MM, hole), (round(cut + LAP_MM, 1), hole)),
        round(free, 1),
        round(strain, 3),
        2 if wanted.strip == "elastic" else 1,
    )


def _drawn(
    still: Solid, plate: Solid, low: float, high: float, slides: bool, slide: Floats
) -> tuple[tuple[tuple[str, str], ...], tuple[float, float, float, float]]:
    shapes = [("fixed", still)] + [
        (name, plate.transformed(_shift(slide * much) if slides else _turn(much)))
        for name, much in (("low", low), ("high", high), ("rest", 0.0))
    ]
    outlines = [(name, solid.outline().simplify(0.15)) for name, solid in shapes]
    bounds = np.array([o.bounds for _, o in outlines])
    (x0, y0), (x1, y1) = bounds[:, :2].min(axis=0), bounds[:, 2:].max(axis=0)
    return tuple((name, svg_path(o)) for name, o in outlines), (float(x0), float(-y1), float(x1 - x0), float(y1 - y0))


def _turn(degrees: float) -> Floats:
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    matrix = np.eye(4)
    matrix[:2, :2] = [[c, -s], [s, c]]
    return matrix


def _shift(by: Floats | Sequence[float]) -> Floats:
    matrix = np.eye(4)
    matrix[:3, 3] = by
    return matrix


@dataclass(frozen=True)
class MovedRecord:
    """How two parts move, as it is told."""

    index: int
    kind: MoveKind
    parts: str
    rivets: int
    rivet_mm: float
    hole_mm: float
    half_hole_mm: float
    """In a trial print at half scale, where holes shrink with it."""
    low: float
    high: float
    held_low: bool
    held_high: bool
    gape_mm: float
    gapes_at: float
    overlap_mm: float
    strip: Strip | None
    most_strain: float
    hinge: HingeNeeds | None
    drawing: tuple[tuple[str, str], ...]
    box: tuple[float, float, float, float]
    at_mm: tuple[float, float, float]


def moved_record(found: Moved, index: int) -> MovedRecord:
    """A movement as it is kept and told."""
    wanted = found.wanted
    hole = wanted.rivet_mm + wanted.play_mm
    return MovedRecord(
        index, wanted.kind, wanted.parts, found.rivets, wanted.rivet_mm, round(hole, 2), round(hole / 2, 2), round(found.low, 1), round(found.high, 1),
        found.held_low, found.held_high, round(found.gape_mm, 1), round(found.gapes_at, 1), round(found.overlap_mm, 1), found.strip,
        STRIP_STRAIN[found.strip.material] if found.strip else 1.0, found.hinge, found.drawing, tuple(round(v, 2) for v in found.box),  # type: ignore[arg-type]
        found.at_mm,
    )  # fmt: skip


def told_of(found: Moved) -> Said | None:
    """What is to be said of a movement: that it gapes with nothing to stop it, or that its strip is bent too hard."""
    letter, strip = letter_of(found.moves), found.strip
    if strip is None and found.gape_mm > max(found.overlap_mm, 2.0):
        words = "{} gapes by {} at {}: an inner strip would stop it."
        return say(words, letter, mm(found.gape_mm), deg(found.gapes_at) if found.wanted.kind != "slot" else mm(found.gapes_at))
    if strip is not None and strip.strain > STRIP_STRAIN[strip.material]:
        turned = max(abs(found.low), abs(found.high))
        words = "The strip of {} is bent too hard over {}: it wants {} between its rivets, or a thinner one."
        return say(words, letter, mm(strip.free_mm), mm(fold_length(strip.thick_mm, turned, strip.material)))
    return None
