"""How big: a helmet over a head, by its inside at the level where the head is widest.

The piece stands upright with its front toward -y. The head hangs from the inside of the
dome: crown, then padding, then shell. The level where a head is widest lies a fixed share
of its height under the crown; there rays from inside measure how far the shell is all round.
"""

from dataclasses import dataclass

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.findings import Quantity, Said, Verdict, mm, say
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import quarter_turns
from bastion_core.geometry.rays import Rays
from bastion_core.measure.wearer import Wearer
from bastion_core.shop import PAD_MM

LEAST_PAD_MM = 3.0
"""Under this much room each side a lined helmet cannot be worn for long; common practice, no source."""
WIDEST_BELOW_CROWN = 0.38
"""Where a head is widest, as a share of chin-to-crown under the crown; common practice, no source."""
_USUAL_CHIN_TO_CROWN_MM = 230.0
_RAYS = 180
_LEVELS = (0.0, 4.0, -4.0, 8.0, -8.0, 14.0, -14.0, 20.0, -20.0)


@dataclass(frozen=True)
class InsideLevel:
    """The inside of a piece at one height, in the piece's own millimetres at scale 1."""

    height_mm: float
    centre_mm: tuple[float, float]
    breadth_mm: float
    length_mm: float
    outline_mm: tuple[tuple[float, float], ...]
    """Inner outline from rays, counter-clockwise, relative to the centre."""
    seen: float
    """Share of the directions in which the shell was met at this very height."""


@dataclass(frozen=True)
class HeadFit:
    """The answer for one helmet and one head, at the chosen scale."""

    inside: InsideLevel
    chosen_scale: tuple[float, float, float]
    needed_breadth_mm: float
    needed_length_mm: float
    needed_scale: float
    bare_scale: float
    """Below this the bare head does not go into the level at all."""
    inside_breadth_mm: float
    inside_length_mm: float
    room_sides_mm: float
    """Room each side of the head across, at the chosen scale, before padding."""
    room_front_back_mm: float
    verdict: Verdict
    reason: Said
    notes: tuple[Said, ...] = ()


def fit_head(mesh: Mesh, wearer: Wearer, pad_mm: float = PAD_MM, scale: tuple[float, float, float] | None = None) -> HeadFit:
    """Whether and at what scale ``mesh`` (mm, upright, front at -y, scale 1) goes round the wearer's head.

    ``scale`` None takes the needed one. Raises RecipeProblem when breadth or length of the head is missing, or
    when the piece has no inside that could be measured.
    """
    breadth, length = wearer.get("head_breadth_mm"), wearer.get("head_length_mm")
    if breadth is None or length is None:
        missing = [name for name, value in (("head breadth", breadth), ("head length", length)) if value is None]
        raise RecipeProblem(
            f"{wearer.name or 'The wearer'} has no {' and no '.join(missing)} yet. Take it on the measurement sheet; the fit needs it."
        )
    notes: list[Said] = []
    height = wearer.get("chin_to_crown_mm")
    if height is None:
        height = _USUAL_CHIN_TO_CROWN_MM
        notes.append(say("Chin to crown is not taken; an ordinary {} was used for where the head is widest.", mm(height)))
    need_b, need_l = breadth + 2 * pad_mm, length + 2 * pad_mm
    # The level depends on the scale and the scale on the level: a few rounds settle it.
    needed = 1.0
    level = inside_level(mesh, height * WIDEST_BELOW_CROWN + pad_mm)
    for _ in range(6):
        before = needed
        needed = max(need_b / level.breadth_mm, need_l / level.length_mm)
        if abs(needed - before) < 1e-5:
            break
        level = inside_level(mesh, (height * WIDEST_BELOW_CROWN + pad_mm) / needed)
    chosen = scale if scale is not None else (needed, needed, needed)
    at_chosen = level if scale is None else inside_level(mesh, (height * WIDEST_BELOW_CROWN + pad_mm) / chosen[2])
    inside_b, inside_l = at_chosen.breadth_mm * chosen[0], at_chosen.length_mm * chosen[1]
    side, front = (inside_b - breadth) / 2, (inside_l - length) / 2
    if at_chosen.seen < 0.75:
        open_share = Quantity((1 - at_chosen.seen,), "share")
        notes.append(
            say("At this height the shell is open over {} of the way round; the gaps were bridged from just above and below.", open_share)
        )
    if at_chosen.breadth_mm > at_chosen.length_mm * 1.02:
        notes.append(
            say("The inside is wider than it is long. If the front of the piece is not toward the front of the stage, turn it first.")
        )
    verdict, reason = _verdict(side, front, pad_mm)
    bare = max(breadth / level.breadth_mm, length / level.length_mm)
    return HeadFit(at_chosen, chosen, need_b, need_l, needed, bare, inside_b, inside_l, side, front, verdict, reason, tuple(notes))


def _verdict(side_mm: float, front_mm: float, pad_mm: float) -> tuple[Verdict, Said]:
    least, where = min((side_mm, "at the sides"), (front_mm, "front and back"))
    if least < 0:
        return Verdict.STOPS, say("The head is {} too large {}: it does not go in, even without padding.", mm(-2 * least, digits=1), where)
    if least < min(LEAST_PAD_MM, pad_mm):
        return Verdict.STOPS, say("Only {} each side {}: no room for any lining.", mm(least, digits=1), where)
    if least < pad_mm - 0.05:
        return Verdict.TIGHT, say("{} each side {}; {} of padding does not fit.", mm(least, digits=1), where, mm(pad_mm))
    return Verdict.HOLDS, say("{} each side at the tightest, {} wanted.", mm(least, digits=1), mm(pad_mm))


def inside_level(mesh: Mesh, below_dome_mm: float) -> InsideLevel:
    """The inside ``below_dome_mm`` under the highest point of the dome's inside.

    A ring without a dome is measured at half its height. RecipeProblem when the shell is met in fewer than a third of
    the directions.
    """
    middle = mesh.bounds.mean(axis=0)
    low, high = float(mesh.bounds[0, 2]), float(mesh.bounds[1, 2])
    dome = _dome_height(mesh.rays, middle[:2], low, high)
    height = (low + high) / 2 if dome is None else max(dome - below_dome_mm, low + 0.02 * (high - low))
    centre = middle[:2].copy()
    for _ in range(4):
        distance, seen = _round(mesh, centre, height, low, high)
        outline = distance[:, None] * _directions()[:, :2]
        shift = (outline.max(axis=0) + outline.min(axis=0)) / 2
        if np.abs(shift).max() < 0.01:
            break
        centre += shift
    extent = np.ptp(outline, axis=0)
    points = tuple((float(x), float(y)) for x, y in outline)
    return InsideLevel(height, (float(centre[0]), float(centre[1])), float(extent[0]), float(extent[1]), points, seen)


def _directions() -> Floats:
    angle = np.arange(_RAYS) * (2 * np.pi / _RAYS)
    return np.column_stack([np.cos(angle), np.sin(angle), np.zeros(_RAYS)])


def _dome_height(rays: Rays, centre: Floats, low: float, high: float) -> float | None:
    """Height of the dome's inside over the middle: the first hit upward from below the rim."""
    spread = np.array([[0, 0], [12, 0], [-12, 0], [0, 12], [0, -12]], dtype=np.float64) * (high - low) / 300
    origins = np.column_stack([centre + spread, np.full(5, low - 1.0)])
    distance, _ = rays.first_hits(origins, np.tile([0.0, 0.0, 1.0], (5, 1)))
    heights = low - 1.0 + distance[np.isfinite(distance)]
    # A floor instead of an opening is met at once: then the piece is no helmet seen from below.
    heights = heights[heights > low + 0.25 * (high - low)]
    return float(heights.max()) if len(heights) else None


def _round(mesh: Mesh, centre: Floats, height: float, low: float, high: float) -> tuple[Floats, float]:
    """Distance to the shell all round (n,), gaps filled from nearby heights and directions; the share met at the height itself."""
    directions = _directions()
    found = np.full(_RAYS, np.inf)
    seen, full = 0.0, 0
    for step in _LEVELS:
        z = min(max(height + step, low + 0.5), high - 0.5)
        open_ones = np.flatnonzero(~np.isfinite(found))
        if not len(open_ones):
            break
        origins = np.tile([centre[0], centre[1], z], (len(open_ones), 1))
        found[open_ones], face = mesh.rays.first_hits(origins, directions[open_ones])
        # A ray that leaves material began inside it: there the piece is full, not open.
        full += int((np.einsum("ij,ij->i", mesh.area_vectors[face], directions[open_ones])[face >= 0] > 0).sum())
        if step == 0.0:
            seen = float(np.isfinite(found).mean())
    good = np.isfinite(found)
    if good.mean() < 1 / 3 or full > good.sum() / 2:
        raise RecipeProblem(
            "No closed inside was found at the height of the head. If the piece lies on its back or side, turn it upright under Pieces; if it is worn elsewhere, change its site."
        )
    angle = np.arange(_RAYS)
    filled = np.interp(angle, angle[good], found[good], period=_RAYS)
    return np.asarray(filled), seen


def upright_guess(mesh: Mesh) -> tuple[tuple[int, int, int], str] | None:
    """Quarter turns that bring a helmet upright when it does not stand so in the file, with the reason; None when it does.

    Looks along each axis for the side that is open below and closed above.
    """
    best: tuple[float, tuple[int, int, int]] | None = None
    for turns in ((0, 0, 0), (1, 0, 0), (3, 0, 0), (2, 0, 0), (0, 1, 0), (0, 3, 0)):
        turned = mesh.transformed(quarter_turns(*turns)) if any(turns) else mesh
        middle = turned.bounds.mean(axis=0)
        low, high = float(turned.bounds[0, 2]), float(turned.bounds[1, 2])
        if _dome_height(turned.rays, middle[:2], low, high) is None:
            continue
        distance, _ = turned.rays.first_hits(np.tile([*middle[:2], (low + high) / 2], (_RAYS, 1)), _directions())
        score = float(np.isfinite(distance).mean())
        if turns == (0, 0, 0) and score > 0.6:
            return None
        if best is None or score > best[0] + 0.05:
            best = (score, turns)
    if best is None or best[1] == (0, 0, 0) or best[0] < 0.5:
        return None
    return best[1], "the opening for the neck was found on another side than below"
