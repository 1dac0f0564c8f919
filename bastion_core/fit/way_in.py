"""Whether a piece can be put on: each of its sections against every body section that has to pass it on the way."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said, mm, say
from bastion_core.fit.onbody import Crossing, OnBody
from bastion_core.fit.openings import Opening, clearance, openings
from bastion_core.fit.room import Placed
from bastion_core.fit.sites import WAYS_IN, Site
from bastion_core.geometry.mesh import Floats, Mesh

_RING_FROM = 0.9
SPRING_MM = 12.0
"""How far an open-backed piece of ordinary wall springs apart and comes back; common practice, no source. Try it on a failed print."""
TILTS_DEG = (0.0, -12.0, 12.0, -24.0, 24.0)


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
    reason: Said
    opening_deg: float | None = None
    """How far a piece that opens lengthwise has to open about its hinge."""
    hinge: str = ""
    """Where that hinge lies best."""


def judge_way_in(
    piece: Mesh, placed: Placed, body: OnBody, worn_at: Site, kind: str, worn_mm: float = 0.0, give_mm: float = 0.0,
    found: Sequence[Opening] | None = None,
) -> WayIn:  # fmt: skip
    """Whether a seated piece can be put on.

    ``worn_mm`` is what is worn underneath each side, ``give_mm`` how far skin gives way; ``found`` are the piece's openings
    where they are known. RecipeProblem for an unknown kind.
    """
    if kind not in WAYS_IN:
        raise RecipeProblem(f"“{kind}” is no way in. Use one of {', '.join(WAYS_IN)}.")
    if kind == "plates":
        return WayIn(kind, True, None, None, None, say("Front and back go on apart: nothing has to pass."))
    found = openings(piece) if found is None else found
    if kind == "split":
        return _hinged(found, placed, body, worn_mm - give_mm)
    if not found:
        return WayIn(kind, True, None, None, None, say("No ring of it goes round the body: it is laid on."))
    extra = worn_mm - give_mm
    if kind == "open":
        return _through_the_gap(found, placed, body.crossings(), extra)
    rings = [o for o in found if o.covered >= _RING_FROM]
    if not rings:
        return _through_the_gap(found, placed, body.crossings(), extra)
    best: tuple[float, Ring | None] = (-np.inf, None)
    tilts = TILTS_DEG if worn_at.part == "head" and not body.whole else (0.0,)
    for tilt in tilts:
        tightest = _tightest(rings, placed, body.crossings(tilt), worn_at.comes_from, extra, tilt, piece)
        if tightest[1] is None:
            return WayIn(kind, True, None, None, None, say("Nothing of the body lies before it on its way."))
        if tightest[0] > best[0]:
            best = tightest
    least, ring = best
    assert ring is not None
    passes = least >= 0
    if passes:
        return WayIn(
            kind, True, least, ring, None, say("The {} passes with {} each side at the tightest ring.", ring.body, mm(least, digits=1))
        )
    return WayIn(
        kind,
        False,
        least,
        ring,
        None,
        say(
            "The {} ({}) does not pass the ring {} above the lower edge: {} too tight each side.",
            ring.body,
            mm(*ring.body_mm),
            mm(ring.at_mm),
            mm(-least, digits=1),
        ),
    )


def _pairs(rings: Sequence[Opening], placed: Placed, crossings: Sequence[Crossing], comes_from: str) -> list[tuple[Opening, Crossing]]:
    """Each level of the piece with the body sections that pass it: all those on the side it comes from."""
    pairs = []
    for ring in rings:
        z = ring.at_mm * placed.scale[2] + placed.offset_mm[2]
        for crossing in crossings:
            if (crossing.at_mm >= z) if comes_from == "above" else (crossing.at_mm <= z):
                pairs.append((ring, crossing))
    return pairs


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
    piece: Mesh, placed: Placed, body: OnBody, worn_at: Site, judged: WayIn, worn_mm: float = 0.0, give_mm: float = 0.0,
    found: Sequence[Opening] | None = None,
) -> float | None:  # fmt: skip
    """The least scale at which a piece pulled or sprung over goes on; None where nothing has to pass, or no scale up to twice today's does."""
    if judged.ring is None:
        return None
    found = openings(piece) if found is None else found
    rings = [o for o in found if o.covered >= _RING_FROM]
    if judged.kind == "over" and not rings:
        return None
    crossings = body.crossings(judged.ring.tilt_deg)
    middle = piece.bounds.mean(axis=0)

    def room(factor: float) -> float:
        scale = (placed.scale[0] * factor, placed.scale[1] * factor, placed.scale[2] * factor)
        kept = np.array(placed.offset_mm) + middle * placed.scale - middle * scale
        grown = Placed(scale, (float(kept[0]), float(kept[1]), float(kept[2])))
        if judged.kind == "open":
            return _through_the_gap(found, grown, crossings, worn_mm - give_mm).least_mm or 0.0
        return _tightest(
            rings, grown, crossings, worn_at.comes_from, worn_mm - give_mm, judged.ring.tilt_deg if judged.ring else 0.0, piece
        )[0]

    root = least_root(room, 0.4 if judged.passes else 1.0, 1.0 if judged.passes else 2.0)
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
        return WayIn("split", True, None, None, None, say("It opens lengthwise and closes round the body: nothing has to pass."))
    best = min((_opening_deg(levels, angle), name) for name, angle in _HINGES.items())
    if not np.isfinite(best[0]):
        widest = max(breadth for _, breadth in levels)
        return WayIn(
            "split",
            False,
            None,
            None,
            None,
            say("However far it opens, the limb of {} does not come in between its edges: part it in two halves.", mm(widest)),
        )
    words = f"Parted lengthwise and hinged at the {best[1]}, it has to open by {best[0]:.0f}° to let the body in: nothing has to pass."
    return WayIn("split", True, None, None, None, say(words), best[0], best[1])


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
            say("It is closed all round: there is no opening to let the limb in. Cut it open at the back, or choose another way on."),
        )
    if worst is None:
        return WayIn("open", True, None, None, None, say("It is open wide enough to be laid on."))
    room, opening, crossing = worst
    at = (opening.at_mm - found[0].at_mm) * placed.scale[2]
    extent = np.ptp(opening.points * s, axis=0)
    size = np.ptp(crossing.outline, axis=0)
    ring = Ring(at, crossing.name, (float(size[0]), float(size[1])), (float(extent[0]), float(extent[1])), tuple((float(x * s), float(y * s)) for x, y in opening.points), tuple((float(x), float(y)) for x, y in crossing.outline), room)  # fmt: skip
    gap = opening.gap_mm * s
    if room >= 0:
        lets = say("The opening of {}, sprung by {} each side, lets the limb in.", mm(gap), mm(SPRING_MM))
        return WayIn("open", True, room, ring, None, lets)
    return WayIn(
        "open",
        False,
        room,
        ring,
        None,
        say(
            "The opening is {}; the limb there is {} across. Open the edge by {} more.",
            mm(gap),
            mm(gap - 2 * room + 2 * SPRING_MM),
            mm(-2 * room),
        ),
    )


def _narrowest(outline: Floats) -> float:
    """Least breadth of a convex outline in any direction."""
    angle = np.radians(np.arange(0, 180, 5))
    across = outline @ np.array([np.cos(angle), np.sin(angle)])
    return float(np.ptp(across, axis=0).min())
