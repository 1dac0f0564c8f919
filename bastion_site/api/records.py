"""What the API answers with, beside the results of the stations themselves."""

from dataclasses import dataclass, field, make_dataclass
from typing import Literal

from bastion_core.findings import Finding, Note, Said, Verdict
from bastion_core.fit.layers import Layer
from bastion_core.fit.motion_station import DrawnContact
from bastion_core.join.glue import GlueRecord
from bastion_core.pieces.holes import Hole
from bastion_core.pieces.revision import Revision
from bastion_core.pieces.sets import SetFile
from bastion_core.recipes import Difference
from bastion_core.stations import STATIONS
from bastion_site.jobs.models import Job
from bastion_site.wire import Decided


@dataclass(frozen=True)
class JobRecord:
    """Work that is under way or was done."""

    id: int
    kind: str
    state: str
    progress: float
    what: str
    message: str

    @classmethod
    def of(cls, job: Job | None) -> "JobRecord | None":
        return None if job is None else cls(job.id, job.kind, job.state, job.progress, job.what, job.message)


@dataclass(frozen=True)
class Cell:
    """A station of a piece as the Wall shows it."""

    title: str
    state: str
    verdict: Verdict
    main: Said
    under: Said
    findings: tuple[Finding, ...]
    notes: tuple[Note, ...]


@dataclass(frozen=True)
class Totals:
    """What a piece takes as a whole."""

    parts: int
    hours: float
    filament_g: float
    filament_m: float
    cost: float
    done_by: str | None
    because: str = ""
    hands_h: float | None = None
    """Of smoothing it; None of totals that an older version noted."""


@dataclass(frozen=True)
class WornBy:
    """Who wears it."""

    id: int
    name: str


@dataclass(frozen=True)
class Row:
    """A piece as a row of the Wall."""

    id: int
    name: str
    side: str
    site: str
    mirror_of: int | None
    version: int
    file_name: str
    wearer: WornBy | None
    silhouette: str
    """As the file has it; ``scale`` makes it the piece."""
    scale: tuple[float, float, float] | None
    bounds_mm: tuple[tuple[float, float, float], ...] | None
    job: JobRecord | None
    stations: dict[str, Cell]
    totals: Totals | None
    before: Totals | None
    because: str
    drafts: int
    """How many changes of it are being tried."""


@dataclass(frozen=True)
class StepRef:
    """A step that can be undone or done again."""

    id: int
    because: Said


@dataclass(frozen=True)
class StepPartRecord:
    """What a step changed on one piece, or on the build itself."""

    piece: int | None
    name: str
    differences: tuple[Difference, ...]


@dataclass(frozen=True)
class StepRecord:
    """A kept change: why, by whom, when, what it was before and after, and whether it was undone."""

    id: int
    because: Said
    by: str
    at: str
    state: str
    parts: tuple[StepPartRecord, ...]


@dataclass(frozen=True)
class Steps:
    """The kept changes of a build, newest first, and which come next."""

    steps: tuple[StepRecord, ...]
    undo: StepRef | None
    redo: StepRef | None


@dataclass(frozen=True)
class DraftRecord:
    """A change that is tried: what it changes of what is kept, and the piece's row as it would be."""

    id: int
    version: int
    because: Said | None
    differences: tuple[Difference, ...]
    row: Row
    silhouette_side: str
    revision: Revision | None = None
    """What another file changes; None where the files are the same, or it is not computed yet."""


@dataclass(frozen=True)
class Usual:
    """What is usual where a piece is worn."""

    worn: bool
    way_in: str
    layers: tuple[Layer, ...]


@dataclass(frozen=True)
class TickRecord:
    """A step of the finish that was done, and the minutes it took where they were told."""

    step: str
    took_min: float | None
    at: str


@dataclass(frozen=True)
class TickAsked:
    """A step that is done, or not after all; ``press`` is a key of the hand that pressed, so that it counts once."""

    press: str
    step: str
    done: bool = True
    took_min: float | None = None


@dataclass(frozen=True)
class Files:
    """Where the stage's files lie; each address ends in a hash, so a browser may keep it for ever."""

    preview: str | None
    parts: str | None
    fit: str | None
    laid: str | None
    """Every part as it lies, with its supports."""
    seen: str | None
    """How much of its surface is seen."""
    joined: str | None
    """Every part as it is joined."""
    assembly: str | None
    """The hash under which the pictures of its order lie."""
    regions: str | None
    """Its surface, a mesh for each region."""


Detail = make_dataclass(
    "Detail",
    [
        ("build", int), ("note", str), ("recipe", Decided), ("worn_by", int | None), ("usual", Usual), ("silhouette_side", str), ("files", Files),
        ("made_of", tuple[SetFile, ...]), ("holes", tuple[Hole, ...]), ("picture", str), ("alike", tuple[Said, ...]), ("glues", tuple[GlueRecord | None, ...]), ("undo", StepRef | None), ("redo", StepRef | None), ("draft_version", int | None), ("ticks", tuple[TickRecord, ...]),
        *((s.key, s.result | None) for s in STATIONS),
        *((f"{s.key}_data", s.data | None) for s in STATIONS if s.kept),
    ],
    bases=(Row,), frozen=True,
)  # fmt: skip
Detail.__doc__ = "A piece with all that its station pages show: its row, its decisions, and what every station found."


@dataclass(frozen=True)
class Slot:
    """A print on a printer."""

    piece: int
    """The first whose parts lie on it."""
    pieces: tuple[int, ...]
    part: str
    """The part, or the plate where plates are laid."""
    printer: str
    start: str
    end: str


@dataclass(frozen=True)
class Calendar:
    """When all prints of a build could be done."""

    begin: str
    done_by: str | None
    days_late: int | None
    verdict: Verdict
    missing: tuple[str, ...]
    machine_h: float
    slots: tuple[Slot, ...]
    in_time: float | None = None
    """Chance, where the printers were planned."""
    by_80: str | None = None
    """All printed by then with 80 %."""


@dataclass(frozen=True)
class BuildRecord:
    """A build."""

    id: int
    name: str
    due: str | None
    wearer: int | None
    note: str
    archived: bool
    pieces: int


@dataclass(frozen=True)
class BuildLine:
    """A build in the list: who wears it, when it is due, how far it is and what stands in its way."""

    id: int
    name: str
    due: str | None
    wearer: str
    archived: bool
    pieces: int
    verdicts: dict[str, int]
    """How many pieces are at each verdict, as the worst of their stations says."""
    outlines: tuple[str, ...]
    """Drawn from the meshes of its first pieces, from the front."""
    calendar: Calendar | None = None
    """Without its slots."""


@dataclass(frozen=True)
class StationRecord:
    """A column of the Wall, and the sheet it stands on."""

    key: str
    title: str
    sheet: Literal["plan", "bench"]

    @classmethod
    def all(cls) -> "tuple[StationRecord, ...]":
        """Every station, in the order of the work."""
        return tuple(cls(s.key, s.title, s.sheet) for s in STATIONS)


@dataclass(frozen=True)
class Wall:
    """Everything the Wall shows, in one answer."""

    build: BuildRecord
    stations: tuple[StationRecord, ...]
    rows: tuple[Row, ...]
    calendar: Calendar
    undo: StepRef | None
    redo: StepRef | None


@dataclass(frozen=True)
class SuitLine:
    """A worn piece beside the others."""

    id: int
    name: str
    site: str
    verdict: Verdict
    state: str
    wanted: float | None
    chosen: float | None
    room_mm: float | None
    probability: float | None
    ratio: float | None
    wall_mm: float | None
    issues: tuple[Said, ...]


@dataclass(frozen=True)
class Suit:
    """All worn pieces of a build, and the first guess from the statures."""

    factor: float | None
    reason: Said
    rows: tuple[SuitLine, ...]


@dataclass(frozen=True)
class Motion:
    """A build's joints with its pieces on. ``waits`` says why there is nothing; ``state`` whether it is known, and ``job`` what is at it."""

    state: str
    waits: Said
    job: JobRecord | None
    contacts: tuple[DrawnContact, ...]
    left_out: tuple[str, ...] = field(default=())


@dataclass(frozen=True)
class WhatIf:
    """What another scale or padding would bring, read off the curve."""

    scale: float
    pad_mm: float
    room_mm: float
    wall_mm: float | None
    filament_g: float | None
    met: tuple[str, ...]


@dataclass(frozen=True)
class Gauge:
    """What a gauge ring takes."""

    at_mm: float
    minutes: float
    filament_g: float
    size_mm: tuple[float, float, float]


@dataclass(frozen=True)
class Put:
    """A fastener is put somewhere: its seam, its number there, the place in the piece's own mm."""

    seam: str
    index: int
    at_mm: tuple[float, float, float]


@dataclass(frozen=True)
class UsualBay:
    """Something that usually goes inside: a box, or a cylinder as wide as its first size."""

    name: str
    size_mm: tuple[float, float, float]
    round: bool = False
