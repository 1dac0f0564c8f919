"""What mending costs: a part made again, a rim flared by heat, a rim or a hole opened by hand; now, and later, when more is glued."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, pi
from typing import Literal

from bastion_core.assemble.facts import Facts
from bastion_core.assemble.order import Bench, Timed
from bastion_core.assemble.table import CAUTIONS, FORM_MIN, FORM_MIN_PER_CM, FORMS_STRAIN, OPEN_MIN, OPEN_MIN_PER_CM_MM
from bastion_core.assemble.works import Done
from bastion_core.findings import NOTHING, Quantity, Said, mm, say
from bastion_core.print.profile import material

USUAL_MM = 2.0
"""What is asked of where nothing is too tight."""


@dataclass(frozen=True)
class Mend:
    """What mending takes: hours of hands, of a printer, and days until the piece stands where it stood."""

    what: Literal["reprint", "all", "heat", "open"]
    part: str
    by_mm: float
    """Of a rim; 0 for a part."""
    after: str
    """The key of the step after which it is told; empty before anything is glued."""
    hands_h: float
    printer_h: float
    days: int
    possible: bool
    said: Said
    caution: str = ""


def reprints(facts: Facts, done: Sequence[Done], timed: Timed, bench: Bench) -> tuple[Mend, ...]:
    """Each part made again before anything is glued, after each step that closes something, and at the end."""
    by_key = {d.key: d for d in done}
    closings = [key for key in timed.order if by_key[key].closes]
    found = []
    for k, body in enumerate(facts.assembly.bodies):
        if body.rod:
            continue
        printer_h = facts.print_h.get(body.name, 0.0)
        for after in dict.fromkeys(("", *closings, timed.order[-1] if closings else "")):
            until = timed.order[: timed.order.index(after) + 1] if after else ()
            again = [d for key in until if _touches(d := by_key[key], 1 << k, facts)]
            broken = sum(s.rim_cm for d in again for s in d.seams if d.kind in ("glue", "rod") and not s.opens)
            hands = sum(d.hands_min for d in again) / 60 + OPEN_MIN_PER_CM_MM * broken / 60
            waits = max((d.gate_h for d in again), default=0.0)
            found.append(Mend("reprint", body.name, 0.0, after, round(hands, 2), round(printer_h, 2), _days(bench, hands, printer_h + waits), True, NOTHING))  # fmt: skip
    return tuple(found)


def _touches(done: Done, body: int, facts: Facts) -> bool:
    """Whether a work has to be done once more when a body is made again: what was made at its faces, in it, inside it."""
    if done.kind in ("dry", "mock", "test"):
        return False
    if done.seams:
        ends = [facts.assembly.set_of(c.between) for s in done.seams for c in facts.assembly.contacts if c.id == s.id]
        return any(e & body for e in ends)
    return bool((done.new if done.thing is not None else done.bodies) & body)


def _days(bench: Bench, hands_h: float, waits_h: float) -> int:
    """Until so much work is done after so long a wait."""
    _, end = bench.placed(waits_h, max(hands_h, 1e-3))
    return max(1, ceil(end / 24))


def rims(facts: Facts, bench: Bench, rim_mm: float | None = None) -> tuple[Mend, ...]:
    """The tight rim on the way in made wider by so much (what it lacks where that is not given): by heat, by hand, or all parts printed larger."""
    worn = facts.worn
    if worn is None or worn.rim_mm is None or worn.rim_mm <= 0:
        return ()
    lacks = max(-(worn.passes_mm or 0.0), 0.0)
    by = rim_mm or (round(lacks + 0.5, 1) if lacks > 0 else USUAL_MM)
    stuff = material(facts.material)
    strain = 2 * pi * by / worn.rim_mm
    heat_h = (FORM_MIN + FORM_MIN_PER_CM * worn.rim_mm / 10) / 60
    can = stuff.forms_with_heat and strain <= FORMS_STRAIN
    if not stuff.forms_with_heat:
        why = say("{} is not flared by heat: it softens at {} °C, or not stiffly.", stuff.name, f"{stuff.softens_deg_c:.0f}")
    elif not can:
        most = FORMS_STRAIN * worn.rim_mm / (2 * pi)
        why = say("That stretches the rim by {}: up to {} go.", Quantity((strain,), "share", 1), mm(most, digits=1))
    else:
        why = say("Stretches the rim by {}; a failed print first.", Quantity((strain,), "share", 1))
    open_h = (OPEN_MIN + OPEN_MIN_PER_CM_MM * by * worn.rim_mm / 10) / 60
    again = sum(facts.print_h.values())
    return (
        Mend("heat", "", by, "", round(heat_h, 2), 0.0, 1, can, why, CAUTIONS["heat"]),
        Mend(
            "open",
            "",
            by,
            "",
            round(open_h, 2),
            0.0,
            _days(bench, open_h, 0.0),
            True,
            say("As far as its wall allows: measure it first."),
            CAUTIONS["open"],
        ),
        Mend("all", "", by, "", 0.0, round(again, 2), _days(bench, 0.0, again), True, say("All parts, at a larger scale.")),
    )
