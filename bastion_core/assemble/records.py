"""The order of a piece as it is kept and told."""

from dataclasses import dataclass
from typing import Any

from bastion_core.assemble.pictures import StepDrawing
from bastion_core.assemble.rework import Mend
from bastion_core.assemble.table import WorkKind
from bastion_core.engine.keeping import plain
from bastion_core.findings import Said


@dataclass(frozen=True)
class AssemblyStep:
    """One step: what is done, to what, with what, how long it takes and what waits for it."""

    key: str
    kind: WorkKind
    title: Said
    how: tuple[Said, ...]
    """What to mind, in order."""
    parts: tuple[str, ...]
    """What comes on, or is worked on."""
    onto: tuple[str, ...]
    """What it comes onto."""
    way: tuple[float, float, float]
    """The direction it comes off in; it goes on against it. Nothing but zeros where nothing moves."""
    seams: tuple[str, ...]
    """Letters of the seams it closes."""
    glue: str
    amount_ml: float
    tapes: int
    weld_cm: float
    """Filament for an inside strip; 0 where the iron does not get there."""
    hands_min: float
    start_h: float
    """From the first day's beginning at the bench."""
    end_h: float
    day: int
    clock: str
    """Hour of that day at which it begins."""
    handle_h: float
    full_h: float
    sets_min: float
    """A mixed glue is to be used up, and the parts together, within that."""
    by_clock: str
    """The hour by which that is, where it is mixed at the step's beginning; empty where nothing is mixed, or several times."""
    meanwhile: tuple[str, ...]
    """Keys of steps that are begun while it sets."""
    check: tuple[Said, ...]
    """Of a trial: what to look at."""
    fails: float
    lost_h: float
    """Hours of hands that are lost if a trial fails there."""
    caution: str
    spray_after: float | None = None
    """Of the insides of what is together then, how much spray still gets to; None where nothing has an inside, or nothing is closed."""
    hand_after: float | None = None
    machine_lost_h: float = 0.0


@dataclass(frozen=True)
class Locked:
    """Something that goes onto the rest no straight way."""

    step: str
    moves: str
    by: str
    travel_mm: float
    at_mm: tuple[float, float, float]


@dataclass(frozen=True)
class ThingTold:
    """Something that goes inside: in which step, how it gets there, whether it is reached again."""

    name: str
    kind: str
    step: str
    goes_in: bool
    again: bool
    """Whether a hand gets to it once the piece is whole, what comes off taken off."""
    seam: str
    """The letters of a seam that would have to come off for that; empty where none does, or it is reached."""
    seam_id: str
    fished: bool
    way: bool
    """Of a wire, whether there is one."""
    at_mm: tuple[float, float, float]


@dataclass(frozen=True)
class InsideTold:
    """A part's inside: how large, and how much of it is reached once the piece is whole, and where it is covered."""

    part: str
    area_dm2: float
    share_whole: float
    share: float
    """When it is covered, in this order."""
    step: str


@dataclass(frozen=True)
class AssembleResult:
    """What the Wall and the findings want to know."""

    steps: int
    hands_h: float
    elapsed_h: float
    days: int
    waits_h: float
    """Of glue and paint, on the longest chain."""
    risk_h: float
    locked: tuple[Locked, ...]
    things: tuple[ThingTold, ...]
    insides: tuple[InsideTold, ...]
    impossible: Said
    """Why the maker's order cannot be; empty where it can."""
    unknown: tuple[str, ...]
    """Steps the maker fixed that are there no more."""
    costs_h: float
    """What the fixed order costs in elapsed time, hands and risk, against the best without it."""
    costs_days: int
    unwelded: tuple[str, ...]
    """Seams to whose inside no iron gets."""
    chance: float | None
    """That it fits, where it is worn."""
    parts: int


@dataclass(frozen=True)
class AssembleData:
    """Every step, and what mending costs."""

    steps: tuple[AssemblyStep, ...]
    mends: tuple[Mend, ...]
    bench_from_h: float
    bench_h: float


@dataclass(frozen=True)
class AssemblyDrawings:
    """Each step of an order drawn. They lie in a file of their own, so that a page that polls does not fetch them."""

    steps: tuple[StepDrawing, ...]


DRAWINGS = "drawings.json"


def order_record(result: AssembleResult, data: AssembleData) -> dict[str, Any]:
    """The order as plan.json and ``./bastion assemble`` tell it: sentences in millimetres."""
    steps = [
        {"step": k, **{name: value for name, value in plain(step).items() if name not in _SENTENCES}, "title": str(step.title)}
        | {"how": [str(said) for said in step.how], "check": [str(said) for said in step.check]}
        for k, step in enumerate(data.steps, 1)
    ]
    totals = {name: getattr(result, name) for name in ("hands_h", "elapsed_h", "waits_h", "days", "risk_h")}
    return {
        "steps": steps,
        "totals": {"steps": result.steps, **totals, "bench_h": data.bench_h},
        "impossible": str(result.impossible),
        "locked": plain(result.locked),
        "things": plain(result.things),
        "insides": plain(result.insides),
        "fixed_costs_h": result.costs_h,
        "mends": [plain(m) | {"said": str(m.said)} for m in data.mends],
    }


_SENTENCES = ("title", "how", "check")
