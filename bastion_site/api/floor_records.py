"""What the API answers about plates, printers, runs and the log."""

from dataclasses import dataclass
from typing import Any

from bastion_core.findings import Finding, Note, Said, Verdict
from bastion_core.plates.recipe import HeldPlate
from bastion_core.plates.records import PlatePart, Taken
from bastion_core.schedule.spools import Bought, OneMore
from bastion_site.api.records import JobRecord


@dataclass(frozen=True)
class PartOnPlate(PlatePart):
    """A part on a plate, with its ground drawn where it lies (SVG path, mm from the bed's middle, y down)."""

    drawn: str = ""
    letter: str = ""


@dataclass(frozen=True)
class FedRecord:
    """A plate's filament."""

    grams: float
    sd_g: float
    spool: int | None
    spool_name: str
    left_g: float
    runs_out: float
    near_h: float | None
    awake: bool
    verdict: Verdict


@dataclass(frozen=True)
class PlateRecord:
    """A plate that is still to be printed, and when."""

    id: str
    name: str
    printer: str
    """It is planned on; that it is laid for, where nothing is planned."""
    on: dict[str, Taken]
    material: str
    colour: str
    layer_mm: float
    resin: bool
    parts: tuple[PartOnPlate, ...]
    hours: float
    filament_g: float
    support_g: float
    must: bool
    held: bool
    in_turn: bool
    beyond: bool
    again: bool
    wrong: tuple[str, ...]
    filled: float
    start: str | None
    end: str | None
    end_80: str | None
    """Done by then with 80 %."""
    fails: float | None
    """Chance that it fails at least once, where that moves the date."""
    later_h: float | None
    fed: FedRecord | None
    spools: tuple[int, ...]
    """Of the shop's that are of its material and colour."""


@dataclass(frozen=True)
class BedRecord:
    """A printer with its bed drawn from above, and what is known of it."""

    id: int
    name: str
    kind: str
    x_mm: float
    y_mm: float
    usable: str
    """SVG path, mm from the bed's middle, y down."""
    pace: float
    """Real hours over told ones: median."""
    pace_low: float
    pace_high: float
    """80 %."""
    prints: int
    """It leans on."""
    fails_per_100_h: float
    done_80: str | None
    watched: bool


@dataclass(frozen=True)
class RunPartRecord:
    """A part of a run."""

    name: str
    piece: int | None
    good: bool | None
    drawn: str


@dataclass(frozen=True)
class RunRecord:
    """A run of the log."""

    id: int
    name: str
    printer: str
    material: str
    layer_mm: float
    state: str
    started: str
    ended: str | None
    expected: str
    told_h: float
    planned_h: float
    hours: float
    told_g: float
    grams: float
    cause: str
    cause_name: str
    at_mm: float | None
    note: str
    photo: str
    watched: bool
    said: str
    """What watching it says, where something is wrong."""
    progress: float | None
    high_mm: float
    tries: int
    """How often one of its parts was begun up to then."""
    settings: str
    parts: tuple[RunPartRecord, ...]
    usable: str
    bed_mm: tuple[float, float]
    """Width and depth of its printer's bed."""


@dataclass(frozen=True)
class Chances:
    """What may come of the calendar."""

    done: str
    best: str | None
    within: float | None
    by: dict[str, str]
    in_time: float | None
    verdict: Verdict
    """Of that chance."""
    failures: float
    machine_h: float
    filament_g: float
    cost: float
    """Filament, power and wear."""
    hours_cost: float
    """Power and wear alone."""
    buy: tuple[Bought, ...]
    more_spools: tuple[OneMore, ...]
    late: tuple[str, ...]
    left_out: tuple[str, ...]


@dataclass(frozen=True)
class PlanMoved:
    """What the last change did: done by, chance, hours before and now."""

    because: str
    done: str
    done_now: str
    in_time: float | None
    in_time_now: float | None
    hours: float
    hours_now: float


@dataclass(frozen=True)
class Picture:
    """A part from the side as it lies (SVG path), and what it is a picture of."""

    label: str
    path: str


@dataclass(frozen=True)
class Lesson:
    """What the log says about what goes wrong: a sentence, and what can be tried at once."""

    text: Said
    piece: int | None
    change: Any | None
    """Decisions of the piece, for a draft."""
    button: str
    runs: tuple[int, ...]
    pictures: tuple[Picture, ...] = ()
    """What was printed, and what was meant."""


@dataclass(frozen=True)
class Floor:
    """All that the printers page shows."""

    state: str
    """Of the plates and the calendar."""
    waits: Said
    job: JobRecord | None
    due: str | None
    now: str
    wake_from_h: float
    wake_to_h: float
    away: tuple[str, ...]
    gap_mm: float
    together: str
    in_turn: bool
    must_have: tuple[int, ...]
    left_out: tuple[int, ...]
    held_plates: tuple[HeldPlate, ...]
    pieces: dict[str, str]
    """Number and name of every piece."""
    plates: tuple[PlateRecord, ...]
    bound: int | None
    laid: int | None
    findings: tuple[Finding, ...]
    notes: tuple[Note, ...]
    beds: tuple[BedRecord, ...]
    chances: Chances | None
    moved: PlanMoved | None
    running: tuple[RunRecord, ...]
    lessons: tuple[Lesson, ...]
    currency: str


@dataclass(frozen=True)
class WhatIfAll:
    """A change of the whole build that is tried: a printer more (like one there is, by number), another layer height for all, pieces left out."""

    printer: int | None = None
    layer_mm: float | None = None
    without: tuple[int, ...] = ()


@dataclass(frozen=True)
class WhatIfTold:
    """Before and after."""

    done: str
    done_then: str
    by_80: str
    by_80_then: str
    in_time: float | None
    in_time_then: float | None
    hours: float
    hours_then: float
    filament_g: float
    filament_g_then: float


@dataclass(frozen=True)
class Begin:
    """A plate is begun. ``key`` comes from the hand that pressed."""

    key: str
    plate: str
    printer: str
    spool: int | None = None
    at: str | None = None


@dataclass(frozen=True)
class Pressed:
    """A press about a run."""

    key: str
    kind: str
    at: str | None = None
    good: tuple[str, ...] = ()
    bad: tuple[str, ...] = ()
    cause: str = ""
    at_mm: float | None = None
    used_g: float | None = None
    note: str = ""
    seen_end: bool = True
    """False where it ended while nobody looked: then its hours say nothing of the printer's pace."""


@dataclass(frozen=True)
class LogBook:
    """The log: runs, newest first, told against real, and what was learnt."""

    runs: tuple[RunRecord, ...]
    causes: dict[str, str]
    factor: float
    """Of hours: the mean of the printers that were taught."""
    prior: float
    """Before anything was logged."""
    grams: float


@dataclass(frozen=True)
class Weighing:
    """The spool scale is asked; ``cut_off`` and ``tare_off`` say what its stand-in does wrong."""

    count: int = 0
    cut_off: bool = False
    tare_off: bool = False


@dataclass(frozen=True)
class Weighed:
    """What the scale said, and what is left by it."""

    gross_g: float
    left_g: float
    was_g: float
    sd_g: float
