"""A wearer's sheet as the page shows it: what is taken, what is guessed, which pieces need what."""

from dataclasses import asdict
from functools import cache

from django.db.models import Q

from bastion_core.fit.sites import BY_NAME
from bastion_core.measure.figure import drawings
from bastion_core.measure.predict import predict
from bastion_core.measure.table import TABLE
from bastion_core.measure.wearer import doubts
from bastion_site.builds.models import Piece
from bastion_site.jobs.apart import run_apart


@cache
def figures() -> dict:
    """The drawings, made once for each web process."""
    return run_apart(_drawn)


def _drawn() -> dict:
    return asdict(drawings())


def needs_of(piece: Piece) -> tuple[str, ...]:
    """Keys a piece's fit hangs on."""
    where = BY_NAME.get(piece.site)
    if where is None:
        return ("stature_mm",)
    return tuple(dict.fromkeys(("stature_mm", *where.gains, *where.passing)))


def sheet(wearer, build_id: str | None) -> dict:
    """Rows of the sheet with values by key, repeats, guesses, and the pieces that need them."""
    mine = Q(wearer=wearer) | Q(wearer__isnull=True, build__wearer=wearer)
    pieces = Piece.objects.filter(mine, build__archived=False)
    if build_id and build_id.isdigit():
        pieces = pieces.filter(build_id=int(build_id))
    wanted: dict[str, list[str]] = {}
    for piece in pieces:
        for key in needs_of(piece):
            wanted.setdefault(key, []).append(piece.name)
    core = wearer.core()
    guesses = predict(core)
    summaries = wearer.summaries()
    rows = []
    for row in TABLE:
        guess = guesses.get(row.key)
        rows.append(
            {
                **{name: getattr(row, name) for name in ("key", "name", "group", "tool", "how", "mistake", "sided", "source")},
                "keys": row.keys,
                "needed_by": wanted.get(row.key, []),
                "values": {k: core.measurements[k] for k in row.keys if k in core.measurements},
                "counts": {k: summaries[k].count for k in row.keys if k in summaries},
                "spreads": {k: summaries[k].spread_mm for k in row.keys if k in summaries},
                "guess": None if guess is None else asdict(guess),
            }
        )
    needed = [r for r in rows if r["needed_by"]]
    return {
        "rows": rows,
        "changed": _changed(wearer, pieces),
        "needed": len(needed),
        "needed_taken": sum(bool(r["values"]) for r in needed),
        "doubts": doubts(core.measurements),
    }


def _changed(wearer, pieces) -> list[dict]:
    """What the last measuring of this wearer did to their pieces: each figure before and after."""
    told = []
    for piece in pieces:
        before, after = piece.before, piece.totals
        if before and after and str(before.get("because", "")).startswith(wearer.name):
            both = {k: [before[k], after[k]] for k in ("hours", "filament_g", "parts")}
            told.append({"piece": piece.id, "build": piece.build_id, "name": piece.name, **both})
    return told
