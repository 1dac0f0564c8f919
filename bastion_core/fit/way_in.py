"""Whether a piece can be put on: each of its sections against every body section that has to pass it on the way."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from bastion_core.errors import RecipeProblem
from bastion_core.fit.onbody import Crossing, OnBody
from bastion_core.fit.room import Placed
from bastion_core.fit.sites import WAYS_IN, Site
from bastion_core.geometry.mesh import Floats, Mesh

_RAYS = 144
_LEVELS = 26
_RING_FROM = 0.9
SPRING_MM = 12.0
"""How far an open-backed piece of ordinary wall springs apart and comes back; common practice, no source. Try it on a failed print."""
TILTS_DEG = (0.0, -12.0, 12.0, -24.0, 24.0)
_MOST_ASIDE = 0.3
_CORNERS = 72
"""Corners kept of a body section: those that reach furthest in so many directions."""


@dataclass(frozen=True, eq=False)
class Opening:
    """The inside of a piece at one level, in its own coordinates at scale 1: (k, 2) points on the shell and the share of the way round they cover."""

    at_mm: float
    points: Floats
    covered: float
    gap_mm: float
    """Widest opening in the way round, straight across; 0 for a closed ring."""


@dataclass(frozen=True)
class Ring:
    """The tight place: where in the piece, what of the body, and both sizes."""

    at_mm: float
    """Height in the scaled piece above its lower edge."""
    body: str
    body_mm: tuple[float, float]
    piece_mm: tuple[float, float]
    outline_mm: tuple[tuple[float, float], ...]
    """The piece's inside there, scaled, about the body's section."""
    body_outline_mm: tuple[tuple[float, float], ...]
    clear_mm: float
    tilt_deg: float = 0.0


@dataclass(frozen=True)
class WayIn:
    """Whether it goes on and how narrowly. ``least_mm`` is each side; None where nothing has to pass."""

    kind: str
    passes: bool
    least_mm: float | None
    ring: Ring | None
    needs_scale: float | None
    """The scale at which it would pass, None where any does or none can."""
    reason: str
    opening_deg: float | None = None
    """How far a piece that opens lengthwise has to open about its hinge."""
    hinge: str = ""
    """Where that hinge lies best."""


def openings(piece: Mesh) -> list[Opening]:
    """The inside of an upright piece at many levels, lowest first."""
    low, high = float(piece.bounds[0, 2]), float(piece.bounds[1, 2])
    angle = np.arange(_RAYS) * (2 * np.pi / _RAYS)
    level = np.column_stack([np.cos(angle), np.sin(angle), np.zeros(_RAYS)])
    told = []
    centre = piece.bounds.mean(axis=0)[:2]
    edge = min(0.6, 0.01 * (high - low))
    for z in np.linspace(low + edge, high - edge, _LEVELS):
        here = centre.copy()
        for _ in range(3):
            distance, face = piece.rays.first_hits(np.tile([here[0], here[1], z], (_RAYS, 1)), level)
            hit = face >= 0
            if hit.sum() < 8:
                break
            flat = here + distance[hit, None] * level[hit, :2]
            here = (flat.max(axis=0) + flat.min(axis=0)) / 2
        if hit.sum() < 8:
            continue
        # A ray that leaves material began inside it: this level is full, not open.
        inside_out = np.einsum("ij,ij->i", piece.area_vectors[face[hit]], level[hit]) > 0
        if inside_out.mean() > 0.5:
            continue
        points = here_points(piece, here, float(z), level)
        distance, face = piece.rays.first_hits(np.tile([here[0], here[1], z], (_RAYS, 1)), level)
        told.append(Opening(float(z), points, float(hit.mean()), _gap(piece, here, float(z), face >= 0)))
    return told


def here_points(piece: Mesh, centre: Floats, z: float, level: Floats) -> Floats:
    """(k, 2): where rays round about ``centre`` meet the shell."""
    distance, face = piece.rays.first_hits(np.tile([centre[0], centre[1], z], (len(level), 1)), level)
    hit = face >= 0
    return np.asarray(centre + distance[hit, None] * level[hit, :2])


def _gap(piece: Mesh, centre: Floats, z: float, hit: NDArray[np.bool_]) -> float:
    """Straight distance across the longest run of directions without a shell."""
    index = np.flatnonzero(hit)
    if len(index) == len(hit):
        return 0.0
    run = np.diff(np.append(index, index[0] + len(hit)))
    widest = int(run.argmax())
    if run[widest] < 4:
        return 0.0
    step = 2 * np.pi / len(hit)
    # Both edges, each between a direction that meets the shell and the next one that does not: halved until they are sharp.
    meets = np.array([index[widest] * step, (index[widest] + run[widest]) * step])
    misses = meets + np.array([step, -step])
    edge = np.zeros((2, 2))
    for _ in range(9):
        angle = (meets + misses) / 2
        level = np.column_stack([np.cos(angle), np.sin(angle), np.zeros(2)])
        distance, face = piece.rays.first_hits(np.tile([centre[0], centre[1], z], (2, 1)), level)
        there = face >= 0
        meets, misses = np.where(there, angle, meets), np.where(there, misses, angle)
        edge[there] = distance[there, None] * level[there, :2]
    whole = np.column_stack([np.cos(meets), np.sin(meets), np.zeros(2)])
    distance, face = piece.rays.first_hits(np.tile([centre[0], centre[1], z], (2, 1)), whole)
    edge = np.where((face >= 0)[:, None], np.where(np.isfinite(distance), distance, 0)[:, None] * whole[:, :2], edge)
    return float(np.linalg.norm(edge[1] - edge[0]))


def clearance(opening: Floats, outline: Floats) -> tuple[float, Floats]:
    """Most room each side (mm) with which a convex ``outline`` (m, 2) lies within the shell points ``opening`` (k, 2), moved freely; and that move (2,).

    Negative when it does not go through. A compass search from the middles of both.
    """
    if len(outline) > _CORNERS:
        outline = outline[np.unique((outline @ _FAN.T).argmax(axis=0))]
    edge = np.roll(outline, -1, axis=0) - outline
    keep = np.linalg.norm(edge, axis=1) > 1e-9
    corner, edge = outline[keep], edge[keep]
    normal = np.column_stack([edge[:, 1], -edge[:, 0]]) / np.linalg.norm(edge, axis=1)[:, None]
    edge_at = np.einsum("ij,ij->i", normal, corner)

    # How far each point of the shell lies outside each edge's line, before any move.
    outside = opening @ normal.T - edge_at

    def room(moves: Floats) -> Floats:
        return np.asarray((outside[None] - (moves @ normal.T)[:, None, :]).max(axis=2).min(axis=1))

    move = (opening.max(axis=0) + opening.min(axis=0)) / 2 - (outline.max(axis=0) + outline.min(axis=0)) / 2
    begin = move
    # Moved out of the ring altogether the outline would touch nothing: it has to stay about the ring's middle.
    reach = _MOST_ASIDE * float(np.ptp(opening, axis=0).min())
    best, step = float(room(move[None])[0]), 8.0
    while step > 0.01:
        tried = move + step * _COMPASS
        values = np.where(np.linalg.norm(tried - begin, axis=1) <= reach, room(tried), -np.inf)
        index = int(values.argmax())
        if values[index] > best + 1e-7:
            best, move = float(values[index]), tried[index]
        else:
            step /= 2
    return best, move


_FAN = np.array([[np.cos(a), np.sin(a)] for a in np.arange(_CORNERS) * 2 * np.pi / _CORNERS])
_COMPASS = np.array([[np.cos(a), np.sin(a)] for a in np.arange(8) * np.pi / 4])


def judge_way_in(
    piece: Mesh, placed: Placed, body: OnBody, where: Site, kind: str, worn_mm: float = 0.0, give_mm: float = 0.0,
    found: Sequence[Opening] | None = None,
) -> WayIn:  # fmt: skip
    """Whether a seated piece can be put on.

    ``worn_mm`` is what is worn underneath each side, ``give_mm`` how far skin gives way; ``found`` are the piece's openings
    where they are known. RecipeProblem for an unknown kind.
    """
    if kind not in WAYS_IN:
        raise RecipeProblem(f"“{kind}” is no way in. Use one of {', '.join(WAYS_IN)}.")
    if kind == "plates":
        return WayIn(kind, True, None, None, None, "Front and back go on apart: nothing has to pass.")
    found = openings(piece) if found is None else found
    if kind == "split":
        return _hinged(found, placed, body, worn_mm - give_mm)
    if not found:
        return WayIn(kind, True, None, None, None, "No ring of it goes round the body: it is laid on.")
    extra = worn_mm - give_mm
    if kind == "open":
        return _through_the_gap(found, placed, body.crossings(), extra)
    rings = [o for o in found if o.covered >= _RING_FROM]
    if not rings:
        return _through_the_gap(found, placed, body.crossings(), extra)
    best: tuple[float, Ring | None] = (-np.inf, None)
    tilts = TILTS_DEG if where.part == "head" and not body.whole else (0.0,)
    for tilt in tilts:
        told = _tightest(rings, placed, body.crossings(tilt), where.comes_from, extra, tilt, piece)
        if told[1] is None:
            return WayIn(kind, True, None, None, None, "Nothing of the body lies before it on its way.")
        if told[0] > best[0]:
            best = told
    least, ring = best
    assert ring is not None
    passes = least >= 0
    if passes:
        return WayIn(kind, True, least, ring, None, f"The {ring.body} passes with {least:.1f} mm each side at the tightest ring.")
    size = f"{ring.body_mm[0]:.0f} × {ring.body_mm[1]:.0f} mm"
    return WayIn(
        kind,
        False,
        least,
        ring,
        None,
        f"The {ring.body} ({size}) does not pass the ring {ring.at_mm:.0f} mm above the lower edge: {-least:.1f} mm too tight each side.",
    )


def _pairs(rings: Sequence[Opening], placed: Placed, crossings: Sequence[Crossing], comes_from: str) -> list[tuple[Opening, Crossing]]:
    """Each level of the piece with the body sections that pass it: all those on the side it comes from."""
    told = []
    for ring in rings:
        z = ring.at_mm * placed.scale[2] + placed.offset_mm[2]
        for crossing in crossings:
            if (crossing.at_mm >= z) if comes_from == "above" else (crossing.at_mm <= z):
                told.append((ring, crossing))
    return told


def _tightest(
    rings: Sequence[Opening], placed: Placed, crossings: Sequence[Crossing], comes_from: str, extra: float, tilt: float, piece: Mesh
) -> tuple[float, Ring | None]:
    """The least clearance over all pairs. Rough sizes pick the pairs worth a closer look."""
    pairs = _pairs(rings, placed, crossings, comes_from)
    if not pairs:
        return np.inf, None
    s = np.array(placed.scale[:2])
    sizes = {id(c): np.ptp(c.outline, axis=0) for c in crossings}
    rough = [float((np.ptp(r.points * s, axis=0) - sizes[id(c)]).min()) for r, c in pairs]
    order = np.argsort(rough, kind="stable")[:14]
    best: tuple[float, int, Floats] | None = None
    for index in order:
        ring, crossing = pairs[int(index)]
        if best is not None and rough[int(index)] / 2 - extra > best[0] + 12:
            break
        room, move = clearance(ring.points * s, crossing.outline)
        if best is None or room - extra < best[0]:
            best = (room - extra, int(index), move)
    assert best is not None
    ring, crossing = pairs[best[1]]
    inside, passing = ring.points * s - best[2], crossing.outline
    at = (ring.at_mm - float(piece.bounds[0, 2])) * placed.scale[2]
    extent, body_extent = np.ptp(inside, axis=0), np.ptp(passing, axis=0)
    return best[0], Ring(
        at, crossing.name, (float(body_extent[0]), float(body_extent[1])), (float(extent[0]), float(extent[1])),
        tuple((float(x), float(y)) for x, y in inside), tuple((float(x), float(y)) for x, y in passing), best[0], tilt,
    )  # fmt: skip


def scale_that_passes(
    piece: Mesh, placed: Placed, body: OnBody, where: Site, told: WayIn, worn_mm: float = 0.0, give_mm: float = 0.0,
    found: Sequence[Opening] | None = None,
) -> float | None:  # fmt: skip
    """The least scale at which a piece pulled or sprung over goes on; None where nothing has to pass, or no scale up to twice today's does."""
    if told.ring is None:
        return None
    found = openings(piece) if found is None else found
    rings = [o for o in found if o.covered >= _RING_FROM]
    if told.kind == "over" and not rings:
        return None
    crossings = body.crossings(told.ring.tilt_deg)
    middle = piece.bounds.mean(axis=0)

    def room(factor: float) -> float:
        scale = (placed.scale[0] * factor, placed.scale[1] * factor, placed.scale[2] * factor)
        kept = np.array(placed.offset_mm) + middle * placed.scale - middle * scale
        grown = Placed(scale, (float(kept[0]), float(kept[1]), float(kept[2])))
        if told.kind == "open":
            return _through_the_gap(found, grown, crossings, worn_mm - give_mm).least_mm or 0.0
        return _tightest(rings, grown, crossings, where.comes_from, worn_mm - give_mm, told.ring.tilt_deg if told.ring else 0.0, piece)[0]

    root = least_root(room, 0.4 if told.passes else 1.0, 1.0 if told.passes else 2.0)
    return None if root is None else float(max(placed.scale) * root)


def least_root(room: Callable[[float], float], low: float, high: float, within: float = 2e-4) -> float | None:
    """Where ``room`` stops being negative between ``low`` and ``high``, from the right side; ``low`` when it never is, None when it always is."""
    if room(high) < 0:
        return None
    if room(low) >= 0:
        return low
    root = float(brentq(room, low, high, xtol=within, rtol=1e-6))
    return root if room(root) >= 0 else min(root + within, high)


def _hinged(found: Sequence[Opening], placed: Placed, body: OnBody, extra: float) -> WayIn:
    """A piece parted lengthwise that opens about a hinge: how far, for the limb to come in between its free edges.

    The free edges stand apart by twice their way from the hinge times the sine of half the opening.
    """
    rings = [o for o in found if o.covered >= _RING_FROM]
    crossings = body.crossings()
    levels = []
    for ring in rings:
        z = ring.at_mm * placed.scale[2] + placed.offset_mm[2]
        near = min(crossings, key=lambda c: abs(c.at_mm - z), default=None)
        if near is not None and abs(near.at_mm - z) < 10:
            inside = ring.points * np.array(placed.scale[:2]) + np.array(placed.offset_mm[:2])
            levels.append((inside, _narrowest(near.outline) + 2 * extra))
    if not levels:
        return WayIn("split", True, None, None, None, "It opens lengthwise and closes round the body: nothing has to pass.")
    best = min((_opening_deg(levels, angle), name) for name, angle in _HINGES.items())
    if not np.isfinite(best[0]):
        widest = max(breadth for _, breadth in levels)
        return WayIn(
            "split",
            False,
            None,
            None,
            None,
            f"However far it opens, the limb of {widest:.0f} mm does not come in between its edges: part it in two halves.",
        )
    words = f"Parted lengthwise and hinged at the {best[1]}, it has to open by {best[0]:.0f}° to let the body in: nothing has to pass."
    return WayIn("split", True, None, None, None, words, best[0], best[1])


_HINGES = {"back": np.pi / 2, "front": -np.pi / 2, "left side": 0.0, "right side": np.pi}


def _opening_deg(levels: Sequence[tuple[Floats, float]], angle: float) -> float:
    """Degrees that halves hinged along the line on one side have to open, the seam lying opposite; inf where no opening does."""
    out = np.array([np.cos(angle), np.sin(angle)])
    # One straight hinge for all levels, outside of them all.
    hinge = np.mean([inside[(inside @ out).argmax()] for inside, _ in levels], axis=0)
    most = 0.0
    for inside, breadth in levels:
        reach = float(np.linalg.norm(inside[(inside @ out).argmin()] - hinge))
        if breadth > 2 * reach:
            return float("inf")
        most = max(most, float(np.degrees(2 * np.arcsin(max(breadth, 0.0) / (2 * reach)))))
    return most


def _through_the_gap(found: Sequence[Opening], placed: Placed, crossings: Sequence[Crossing], extra: float) -> WayIn:
    """An open-backed piece is sprung apart and pushed on sideways: its gap against the limb's breadth there."""
    s = float(min(placed.scale[:2]))
    worst: tuple[float, Opening, Crossing] | None = None
    for opening in found:
        if opening.gap_mm <= 0 and opening.covered < _RING_FROM:
            continue
        z = opening.at_mm * placed.scale[2] + placed.offset_mm[2]
        near = [c for c in crossings if abs(c.at_mm - z) < 10]
        if not near:
            continue
        breadth = _narrowest(near[0].outline) + 2 * extra
        room = (opening.gap_mm * s + 2 * SPRING_MM - breadth) / 2
        if worst is None or room < worst[0]:
            worst = (room, opening, near[0])
    if worst is None and all(o.covered >= _RING_FROM for o in found):
        return WayIn(
            "open",
            False,
            None,
            None,
            None,
            "It is closed all round: there is no opening to let the limb in. Cut it open at the back, or choose another way on.",
        )
    if worst is None:
        return WayIn("open", True, None, None, None, "It is open wide enough to be laid on.")
    room, opening, crossing = worst
    at = (opening.at_mm - found[0].at_mm) * placed.scale[2]
    extent = np.ptp(opening.points * s, axis=0)
    size = np.ptp(crossing.outline, axis=0)
    ring = Ring(at, crossing.name, (float(size[0]), float(size[1])), (float(extent[0]), float(extent[1])), tuple((float(x * s), float(y * s)) for x, y in opening.points), tuple((float(x), float(y)) for x, y in crossing.outline), room)  # fmt: skip
    gap = opening.gap_mm * s
    if room >= 0:
        return WayIn(
            "open", True, room, ring, None, f"The opening of {gap:.0f} mm, sprung by {SPRING_MM:.0f} mm each side, lets the limb in."
        )
    return WayIn(
        "open",
        False,
        room,
        ring,
        None,
        f"The opening is {gap:.0f} mm; the limb there is {gap - 2 * room + 2 * SPRING_MM:.0f} mm across. Open the edge by {-2 * room:.0f} mm more.",
    )


def _narrowest(outline: Floats) -> float:
    """Least breadth of a convex outline in any direction."""
    angle = np.radians(np.arange(0, 180, 5))
    across = outline @ np.array([np.cos(angle), np.sin(angle)])
    return float(np.ptp(across, axis=0).min())
