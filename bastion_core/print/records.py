"""What is told and written of each part as it lies: the way, the files, what it takes on each printer, in resin, printed flat."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from bastion_core.findings import Said
from bastion_core.pieces.silhouette import FRONT, silhouette, svg_path
from bastion_core.print.estimate import Estimate
from bastion_core.print.ground import ground_of, written
from bastion_core.print.hands import Hands
from bastion_core.print.lay import LaidPart
from bastion_core.print.orient import Term, Way
from bastion_core.print.profile import Profile
from bastion_core.print.resin import InResin
from bastion_core.print.sanding import Sanding
from bastion_core.takeaway import rows_of, write_part


@dataclass(frozen=True)
class LyingRecord:
    """A way for a part to lie: which side is down (in the scaled standing piece), about what it takes, and what counts against it."""

    called: Said
    down: tuple[float, float, float]
    hours: float
    """About; exact for the way taken."""
    support_g: float
    height_mm: float
    fits: bool
    terms: tuple[Term, ...]


@dataclass(frozen=True)
class TurnedPart:
    """A part as it lies on printers that do not take it the best way."""

    file_3mf: str
    file_stl: str
    size_mm: tuple[float, float, float]
    transform: tuple[tuple[float, ...], ...]
    on: dict[str, Estimate]
    lying: LyingRecord
    ground: str
    """What it takes of a bed (well-known text, mm)."""


@dataclass(frozen=True)
class Forming:
    """A thin plate printed flat and formed over a former with heat."""

    chosen: bool
    thickness_mm: float
    stretch: float
    """How much the worst twentieth of it becomes longer or shorter (share)."""
    off_mm: float
    """How far its inside lies off the former where it is hollowed."""
    flat_h: float
    former_h: float
    filament_g: float
    """Of both."""
    former: TurnedPart | None
    """The former as it is printed, where it is chosen."""


@dataclass(frozen=True)
class PrintPart:
    """A part as it lies, with its files, what it takes on each printer, and its pictures (SVG paths, mm)."""

    id: str
    name: str
    file_3mf: str
    file_stl: str
    size_mm: tuple[float, float, float]
    volume_mm3: float
    triangles: int
    printer: str | None
    """The quickest; None where no printer can take it."""
    filament_g: float | None
    filament_m: float | None
    hours: float | None
    support_g: float | None
    transform: tuple[tuple[float, ...], ...]
    """4x4 rows from the lying part back to the scaled upright piece."""
    on: dict[str, Estimate]
    picture: str
    footprint: str
    ground: str
    """What it takes of a bed with supports and brim, in the frame of its files (well-known text, mm)."""
    lying: LyingRecord
    others: tuple[LyingRecord, ...]
    held_mm2: float
    """Level area that hangs over air."""
    stands_on_part: int
    """Supports that begin on the part itself."""
    by_hand: bool
    """Whether the maker laid it."""
    sanding: Sanding
    hands: Hands
    hands_h: float
    resin: InResin | None
    """What it takes in resin, or would."""
    of_resin: bool
    turned: tuple[TurnedPart, ...]
    """Where it lies otherwise; ``on`` has these printers too."""
    forming: Forming | None
    """What it takes printed flat and formed, or would."""


def _about(way: Way, laid: LaidPart, profile: Profile, fits: bool) -> LyingRecord:
    """Another way to lie, by what is known of the one taken: walls and infill take as long whichever way it lies."""
    best = laid.best_printer
    one = laid.estimates[best] if best else None
    hours = 0.0
    if one is not None:
        same = one.hours - one.hours_by["support"] - one.hours_by["layer change"]
        per_g = one.hours_by["support"] / one.support_g if one.support_g > 1 else one.hours_by["walls"] / max(one.filament_g, 1e-9)
        hours = same + per_g * way.support_g + way.height_mm / profile.layer_mm * profile.layer_change_s / 3600
    return LyingRecord(way.called, way.down, round(hours, 2), round(way.support_g, 1), round(way.height_mm, 1), fits, way.terms)


def _lying(laid: LaidPart) -> LyingRecord:
    """The way a part lies."""
    one = laid.estimates[laid.best_printer] if laid.best_printer else None
    way = laid.way
    hours, support = (one.hours, one.support_g) if one else (0.0, 0.0)
    return LyingRecord(way.called, way.down, hours, support, round(way.height_mm, 1), one is not None, way.terms)


def _ground(laid: LaidPart, profile: Profile) -> str:
    return written(ground_of(laid.solid, laid.shape, profile))


def _back(laid: LaidPart) -> tuple[tuple[float, ...], ...]:
    return tuple(tuple(row) for row in rows_of(np.asarray(np.linalg.inv(laid.matrix), dtype=np.float64)))


def turned_of(laid: LaidPart, files: dict[str, Any], profile: Profile) -> TurnedPart:
    """A part as it lies on printers that do not take it the best way, with the files written of it."""
    return TurnedPart(
        files["file_3mf"], files["file_stl"], files["size_mm"], _back(laid), laid.estimates, _lying(laid), _ground(laid, profile)
    )


def forming_of(laid: LaidPart, folder: Path, profile: Profile) -> Forming | None:
    """What a plate takes printed flat; where it is chosen its former is written."""
    if laid.plate is None:
        return None
    told, flat, former = laid.plate.formed, laid.plate.flat, laid.plate.former
    one, over = flat.estimates[flat.best_printer or ""], former.estimates[former.best_printer or ""]
    made = turned_of(former, write_part(former.solid, folder, former.name), profile) if laid.flat else None
    return Forming(
        laid.flat, round(told.thickness_mm, 2), round(told.stretch, 4), round(told.off_mm, 2), one.hours, over.hours,
        one.filament_g + over.filament_g, made,
    )  # fmt: skip


def record_of(
    part_id: str,
    laid: LaidPart,
    files: dict[str, Any],
    profile: Profile,
    by_hand: bool,
    turned: tuple[TurnedPart, ...],
    forming: Forming | None,
) -> PrintPart:
    """A part as it lies, with the files written of it and what else could be done with it."""
    best = laid.best_printer
    one = laid.estimates[best] if best else None
    hands = laid.hands(profile)
    return PrintPart(
        id=part_id,
        printer=best,
        filament_g=one.filament_g if one else None,
        filament_m=one.filament_m if one else None,
        hours=one.hours if one else None,
        support_g=one.support_g if one else None,
        transform=_back(laid),
        on=laid.estimates | {name: e for t in turned for name, e in t.on.items()},
        picture=silhouette(laid.solid, FRONT),
        footprint=svg_path(laid.solid.outline().simplify(0.5)),
        ground=_ground(laid, profile),
        lying=_lying(laid),
        others=tuple(_about(way, laid, profile, fits) for way, fits in laid.others),
        held_mm2=round(laid.shape.support.held_mm2, 1),
        stands_on_part=laid.shape.support.stands_on_part,
        by_hand=by_hand,
        sanding=laid.seen.sanding(profile),
        hands=hands,
        hands_h=round(hands.all_h, 3),
        resin=laid.resin,
        of_resin=laid.of_resin,
        turned=turned,
        forming=forming,
        **files,
    )
