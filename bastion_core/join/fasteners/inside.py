"""Where along the inside of a seam lugs or snaps sit: spread wide, where the wall takes them, nothing presses and a screw can be reached."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from bastion_core.findings import NOTHING, Said, joined, mm, say
from bastion_core.geometry.mesh import Floats, Ints
from bastion_core.join.ask import Ask
from bastion_core.join.edges import Rims
from bastion_core.join.fasteners.lug import Load, Lug, Refused, Round, make_lug
from bastion_core.join.fasteners.snap import make_snap
from bastion_core.join.held import Held
from bastion_core.join.room import InsideRoom

_EVERY_MM = 80.0
"""One lug for so much of the inside rim; common practice, no source."""
_FEWEST, LUGS_MOST = 2, 6
_TRIED_EVERY_MM = 6.0
_TRIED = 60
_MOVED_MM = 3.0


@dataclass(frozen=True)
class Placed:
    """What stands inside a seam, what is to be said of it, and why nothing does (a code of Refused)."""

    lugs: tuple[Lug, ...]
    said: Said
    code: str


def lugs_along(inside_mm: float) -> int:
    """How many lugs an inside rim of that length gets."""
    return int(np.clip(round(inside_mm / _EVERY_MM), _FEWEST, LUGS_MOST))


def place_inside(ask: Ask, held: Held, load: Load, inside: InsideRoom, material: str, wanted: Floats | None) -> Placed:
    """Lugs or snaps along the inside of a seam. ``wanted`` (n, 2) are the maker's places in the seam's frame.

    From the other side there may be room for a screw, or wall for a hook, where there is none from the side that was asked for.
    """
    first = _placed(ask, held, load, inside, material, wanted)
    if first.lugs or held.kind in ("lug", "magnet"):
        return first
    other = _placed(ask, replace(held, turned=not held.turned), load, inside, material, wanted)
    return other if other.lugs else first


def _placed(ask: Ask, held: Held, load: Load, inside: InsideRoom, material: str, wanted: Floats | None) -> Placed:
    rims = ask.rims
    if rims is None or not rims.inside.any():
        words = "This seam has no inside to put lugs on: its rim shows all round, or the body is solid. Take pins or a tongue."
        return Placed((), say(words), "none")
    places = _along_the_inside(rims, _TRIED_EVERY_MM if wanted is None else 0.0)
    points, out = rims.points[places], rims.out[places]
    taken = [o.taken() for o in ask.others]
    filled = [p for p, _ in taken if len(p)]
    tree = cKDTree(np.concatenate(filled)) if filled else None
    about = Round(ask.seam, ask.whole, inside, tree, max((r for _, r in taken), default=0.0), material, held.turned)
    make = make_snap if held.kind == "snap" else make_lug
    count = lugs_along(ask.inside_mm) if wanted is None else len(wanted)
    chosen: list[Lug] = []
    against: Counter[str] = Counter()
    why: dict[str, Refused] = {}
    told: list[Said] = []
    for k in range(count):
        order = _order(points + out * load.off_mm, chosen, None if wanted is None else wanted[k])
        first: Refused | None = None
        for i in order[:_TRIED]:
            one = make(about, points[i], out[i], load)
            if isinstance(one, Refused):
                against[one.code] += 1
                why.setdefault(one.code, one)
                first = first or one
            elif all(np.linalg.norm(np.subtract(one.flat_mm, c.flat_mm)) > 2.2 * load.radius_mm + 2 for c in chosen):
                chosen.append(one)
                off = float(np.linalg.norm(points[i] - points[order[0]]))
                if wanted is not None and off > _MOVED_MM:
                    name = "Snap" if held.kind == "snap" else "Lug"
                    because = first.said.small() if first else say("another one stands there.")
                    told.append(say("{} {} went {} along the wall: {}", name, str(k + 1), mm(off), because))
                break
        if len(chosen) <= k:
            break
    # What presses matters most to the wearer, then whatever is most often in the way.
    worst = why.get("press") or (why[against.most_common(1)[0][0]] if against else None)
    if not chosen:
        reason = worst or Refused("none", say("The inside rim is too short."))
        return Placed((), say("Nothing could stand inside this seam: {}", reason.said.small()), reason.code)
    if "press" in why and wanted is None:
        told.append(say("{} They went where there is room.", why["press"].said))
    if len(chosen) < min(count, _FEWEST):
        told.append(say("Room for one only: {}", worst.said.small() if worst else "the inside rim is too short."))
    return Placed(tuple(chosen), joined(told, " ") if told else NOTHING, "")


def _along_the_inside(rims: Rims, every_mm: float) -> Ints:
    """Samples of the inside, that far apart."""
    kept: list[int] = []
    for k in np.flatnonzero(rims.inside):
        if not kept or np.linalg.norm(rims.points[k] - rims.points[kept[-1]]) >= every_mm:
            kept.append(int(k))
    return np.array(kept)


def _order(points: Floats, chosen: Sequence[Lug], wanted: Floats | None) -> Ints:
    """Which places to try, the best first: the nearest to the one that is wanted, else the farthest from all there are."""
    if wanted is not None:
        return np.argsort(np.linalg.norm(points - wanted, axis=1))
    if not chosen:
        return np.argsort(-np.linalg.norm(points - points.mean(axis=0), axis=1))
    away = np.min([np.linalg.norm(points - np.array(c.flat_mm), axis=1) for c in chosen], axis=0)
    return np.argsort(-away)
