"""What failures of one part say together: the same height again and again on a moving bed, the wrong file twice."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from bastion_core.findings import Said, mm, say
from bastion_core.schedule.causes import CAUSES

ALIKE_MM, TIMES = 12.0, 3
"""Failures so near each other in height are at the same one, and so many of them are no chance; common practice, no source."""


@dataclass(frozen=True)
class Failure:
    """A failed print of a part: where and why, by the run's number."""

    run: int
    piece: int
    part: str
    name: str
    printer: str
    bed_moves: bool
    cause: str
    at_mm: float | None
    high_mm: float


@dataclass(frozen=True)
class Told:
    """What several failures say: the runs, the sentence, and what may be tried: another printer, or a cut at that height."""

    runs: tuple[int, ...]
    piece: int
    part: str
    text: Said
    others: tuple[str, ...] = ()
    """Printers that take the part and whose bed does not move."""
    halves: bool = False
    """Whether two halves lying flat would do."""


def lessons(failures: Sequence[Failure], takes: dict[tuple[int, str], Sequence[tuple[str, bool]]]) -> tuple[Told, ...]:
    """What failures say, the newest part first. ``takes``: by piece and part the printers that take it, and whether their bed moves."""
    by_part: dict[tuple[int, str], list[Failure]] = defaultdict(list)
    for failure in failures:
        by_part[failure.piece, failure.part].append(failure)
    found = []
    for (piece, part), mine in by_part.items():
        still = tuple(name for name, moves in takes.get((piece, part), ()) if not moves)
        placed = sorted((f for f in mine if f.at_mm is not None and CAUSES[f.cause].printer), key=lambda f: f.at_mm or 0.0)
        alike = _alike(placed)
        if len(alike) >= TIMES:
            at = sum(f.at_mm or 0.0 for f in alike) / len(alike)
            moving = [f for f in alike if f.bed_moves]
            known = (mine[0].name, str(len(alike)), mm(round(at)), mm(round(alike[0].high_mm)))
            if len(moving) == len(alike):
                words = "{} failed {} times near {} of {} on {}, whose bed moves: {}."
                text = say(words, *known, moving[0].printer, "; ".join(["two halves lying flat", *still]))
            else:
                text = say("{} failed {} times near {} of {}: a brim, or two halves lying flat.", *known)
            found.append(Told(tuple(f.run for f in alike), piece, part, text, still if moving else (), True))
        wrong = [f for f in mine if f.cause == "wrong_file"]
        if wrong:
            text = say("{} was printed from the wrong file: look at both pictures before it is begun again.", wrong[0].name)
            found.append(Told(tuple(f.run for f in wrong), piece, part, text))
    return tuple(sorted(found, key=lambda t: -max(t.runs)))


def _alike(placed: Sequence[Failure]) -> list[Failure]:
    """The largest lot of failures within the same height."""
    best: list[Failure] = []
    for k, low in enumerate(placed):
        lot = [f for f in placed[k:] if (f.at_mm or 0.0) - (low.at_mm or 0.0) <= ALIKE_MM]
        if len(lot) > len(best):
            best = lot
    return best
