"""What a piece takes as a whole, what the last change did to that, and when all of a build could be printed."""

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta

from django.core.cache import cache
from django.utils import timezone

from bastion_core.engine.keeping import hash_of
from bastion_core.engine.store import Ref
from bastion_core.findings import Verdict
from bastion_core.plates.recipe import PlatesRecipe
from bastion_core.plates.records import Plate
from bastion_core.print.recipe import PrintRecipe
from bastion_core.print.station import cost
from bastion_core.schedule.model import Asked, Need, Plan, in_time
from bastion_core.schedule.plated import needs_of
from bastion_core.schedule.solve import quick
from bastion_site.builds.models import Build, Draft, Piece
from bastion_site.engine import floor
from bastion_site.engine.cases import PieceGraph
from bastion_site.engine.store import DatabaseStore
from bastion_site.prints.logbook import made_parts
from bastion_site.prints.models import Calendar

_TOLD = ("parts", "hours", "filament_g", "filament_m", "cost")
_MOVED_BY = ("parts", "hours", "filament_g", "cost", "hands_h")


def note_totals(graph: PieceGraph) -> None:
    """Take note of what is shown now, and of what the last change did to the totals. Everything has to be fresh.

    Nothing is noted where something else was decided meanwhile.
    """
    piece = graph.piece
    result = graph.result("print")
    totals = {k: getattr(result, k) for k in _TOLD if k != "cost"}
    totals["hands_h"] = round(graph.result("finish").hands_h, 3)
    totals["cost"] = cost(result.filament_g, graph.case.of(PrintRecipe), graph.case.shop, result.resin_ml)
    shown = {key: ref.hash for key in graph.stations if (ref := graph.ref(key)) is not None and graph.stations[key].kept}
    totals["done_by"] = build_calendar(piece.build, {piece.pk: shown})["done_by"]
    as_decided = Piece.objects.filter(pk=piece.pk, version=piece.version)
    if piece.draft is not None:
        if as_decided.exists():
            Draft.objects.filter(pk=piece.draft.pk, version=piece.draft.version).update(shown=shown, totals=totals)
        return
    now = as_decided.first()
    if now is None:
        return
    moved = now.totals is not None and any(k in now.totals and now.totals[k] != totals[k] for k in _MOVED_BY)
    change = {"before": now.totals | {"because": now.because}} if moved else {}
    as_decided.update(shown=shown, totals=totals, **change)


def build_calendar(build: Build, instead: Mapping[int, Mapping[str, str]] | None = None, pieces: Sequence[Piece] | None = None) -> dict:
    """Slots per printer, the last end, and what it says about the due date. ``instead`` holds what a piece would show otherwise, by its number; ``pieces``
    are all of the build's, where they were read already.

    By the plan that was kept, while it holds; else by a quick one: of the plates where they are laid, of every part alone where not.
    """
    if instead is None and Calendar.objects.filter(build=build).exists():
        plates, _, _ = floor.plates_of(build)
        if plates:
            return _of_plates(build, plates)
    pieces = list(build.pieces.all()) if pieces is None else pieces
    needs, missing = _alone(pieces, {p.pk: p.shown for p in pieces} | dict(instead or {}))
    asked = floor.asked_of(build, needs, begin=_next_hour(), any_spool=True)
    plan = _quick(asked)
    whose = {n.id: (int(n.id.split("/")[0]),) for n in needs}
    return _told(build, asked, plan, whose, {n.id: n.name for n in needs}, missing)


def _of_plates(build: Build, plates: tuple[Plate, ...]) -> dict:
    """By a build's plates."""
    needs = needs_of(plates)
    asked = floor.asked_of(build, needs)
    calendar = Calendar.objects.filter(build=build).first()
    kept = floor.kept_of(calendar) if calendar is not None and floor.fresh(calendar, asked) else None
    plan = kept.plan if kept is not None else _quick(asked)
    recipe, pieces = build.of(PlatesRecipe), list(build.pieces.all())
    missing = [p.name for p in pieces if "print" not in p.shown or p.pk in recipe.left_out]
    shown = {p.pk: p.shown["print"] for p in pieces if "print" in p.shown}
    store = DatabaseStore()
    store.look_up(Ref("print", h) for h in shown.values())
    results = {pk: store.find(Ref("print", h)) for pk, h in shown.items()}
    missing += [p.name for p in pieces if (results.get(p.pk) or {}).get("unprintable")]
    whose = {p.id: tuple(sorted({part.piece for part in p.parts})) for p in plates}
    told = _told(build, asked, plan, whose, {p.id: p.name for p in plates}, missing)
    if kept is not None:
        told |= {"in_time": kept.odds.in_time, "by_80": kept.odds.by["80"].isoformat(timespec="minutes")}
    return told


def _alone(pieces: Sequence[Piece], shown: Mapping[int, Mapping[str, str]]) -> tuple[tuple[Need, ...], list[str]]:
    """Every part of these pieces as a print of its own, and the names of pieces that are not whole in it."""
    store = DatabaseStore()
    store.look_up(Ref("print", s["print"]) for s in shown.values() if "print" in s)
    made = made_parts(p.pk for p in pieces)
    needs, missing = [], []
    for piece in pieces:
        result = store.find(Ref("print", shown[piece.pk]["print"])) if "print" in shown[piece.pk] else None
        if not result:
            missing.append(piece.name)
            continue
        gone = _names(made[piece.pk], piece, shown[piece.pk]["print"]) if piece.pk in made else ()
        needs += [
            Need(f"{piece.id}/{t['name']}", t["name"], {n: h for n, h in t["hours"].items() if h > 0})
            for t in result["tasks"]
            if t["name"] not in gone
        ]
        if result["unprintable"]:
            missing.append(piece.name)
    return tuple(needs), missing


def _names(ids: tuple[str, ...], piece: Piece, print_hash: str) -> set[str]:
    """What the parts of these ids are called now."""
    data = DatabaseStore().data(Ref("print", print_hash))
    return {p["name"] for p in data["parts"] if p["id"] in ids}


def _quick(asked: Asked) -> Plan:
    key = "calendar" + hash_of(
        floor.key_of(asked), asked.times.begin.isoformat(), [b.until.isoformat(timespec="minutes")[:13] for b in asked.busy]
    )
    return cache.get_or_set(key, lambda: quick(asked), 3600)


def _told(
    build: Build, asked: Asked, plan: Plan, whose: Mapping[str, tuple[int, ...]], names: Mapping[str, str], missing: list[str]
) -> dict:
    iso = lambda moment: moment.isoformat(timespec="minutes")  # noqa: E731
    end = plan.done if plan.slots or asked.busy else None
    late = (end.date() - build.due).days if end and build.due else None
    return {
        "begin": iso(asked.times.begin),
        "done_by": iso(end) if end else None,
        "days_late": late,
        "verdict": Verdict.WAITS if late is None else in_time(late),
        "missing": missing,
        "machine_h": sum((s.end - s.start).total_seconds() for s in plan.slots) / 3600,
        "slots": [
            {
                "piece": whose[s.plate][0],
                "pieces": list(whose[s.plate]),
                "part": names[s.plate],
                "printer": s.printer,
                "start": iso(s.start),
                "end": iso(s.end),
            }
            for s in plan.slots
        ],
        "in_time": None,
        "by_80": None,
    }


def _next_hour() -> datetime:
    now = timezone.localtime().replace(tzinfo=None, minute=0, second=0, microsecond=0)
    return now + timedelta(hours=1)
