"""A wearer's sheet as the page shows it: what is taken, what is guessed, which pieces need what."""

from dataclasses import dataclass

from django.db.models import Q

from bastion_core.findings import Said
from bastion_core.fit.sites import needs
from bastion_core.measure.doubts import doubts
from bastion_core.measure.predict import Guess, predict
from bastion_core.measure.table import TABLE
from bastion_site.builds.models import Piece
from bastion_site.engine.refresh import WEARERS
from bastion_site.wearers.models import Wearer


@dataclass(frozen=True)
class SheetRow:
    """One line of the sheet, with values by key where left and right are taken apart."""

    key: str
    name: str
    group: str
    tool: str
    how: str
    mistake: str
    sided: bool
    source: str
    keys: tuple[str, ...]
    needed_by: tuple[str, ...]
    values: dict[str, float]
    counts: dict[str, int]
    spreads: dict[str, float]
    guess: Guess | None


@dataclass(frozen=True)
class Moved:
    """A piece that the last measuring changed, and each figure before and after."""

    piece: int
    build: int
    name: str
    hours: tuple[float, float]
    filament_g: tuple[float, float]
    parts: tuple[int, int]


@dataclass(frozen=True)
class Sheet:
    """Everything on a wearer's sheet."""

    changed: tuple[Moved, ...]
    rows: tuple[SheetRow, ...]
    needed: int
    needed_taken: int
    doubts: dict[str, Said]


def sheet(wearer: Wearer, build_id: str | None) -> Sheet:
    """Rows of the sheet with values by key, repeats, guesses, and the pieces that need them."""
    mine = Q(wearer=wearer) | Q(wearer__isnull=True, build__wearer=wearer)
    pieces = Piece.objects.filter(mine, build__archived=False)
    if build_id and build_id.isdigit() and len(build_id) < 18:
        pieces = pieces.filter(build_id=int(build_id))
    wanted: dict[str, list[str]] = {}
    for piece in pieces:
        for key in needs(piece.site):
            wanted.setdefault(key, []).append(piece.name)
    core, summaries = wearer.core(), wearer.summaries()
    guesses = predict(core)
    rows = tuple(
        SheetRow(
            row.key, row.name, row.group, row.tool, row.how, row.mistake, row.sided, row.source, row.keys, tuple(wanted.get(row.key, ())),
            {k: core.measurements[k] for k in row.keys if k in core.measurements},
            {k: summaries[k].count for k in row.keys if k in summaries},
            {k: summaries[k].spread_mm for k in row.keys if k in summaries},
            guesses.get(row.key),
        )
        for row in TABLE
    )  # fmt: skip
    needed = [r for r in rows if r.needed_by]
    return Sheet(moved(wearer, pieces), rows, len(needed), sum(bool(r.values) for r in needed), doubts(core.measurements))


def moved(wearer: Wearer, pieces) -> tuple[Moved, ...]:
    """What the last measuring of this wearer did to their pieces."""
    listed = []
    for piece in pieces:
        before, after = piece.before, piece.totals
        if before and after and str(before.get("because", "")).startswith(WEARERS):
            hours, grams, parts = ((before[k], after[k]) for k in ("hours", "filament_g", "parts"))
            listed.append(Moved(piece.id, piece.build_id, piece.name, hours, grams, parts))
    return tuple(listed)
