"""What a piece takes as a whole, what the last change did to that, and when all of a build could be printed."""

from collections.abc import Mapping
from datetime import datetime, timedelta

from django.core.cache import cache
from django.utils import timezone

from bastion_core.engine.keeping import hash_of
from bastion_core.engine.store import Ref
from bastion_core.findings import Verdict
from bastion_core.print.queue import Task, Waking, done_by, in_time, schedule
from bastion_core.print.recipe import PrintRecipe
from bastion_core.print.station import cost
from bastion_site.builds.models import Build, Draft, Piece
from bastion_site.engine.cases import PieceGraph
from bastion_site.engine.store import DatabaseStore
from bastion_site.shop.models import Shop

_TOLD = ("parts", "hours", "filament_g", "filament_m", "cost")
_MOVED_BY = ("parts", "hours", "filament_g", "cost")


def note_totals(graph: PieceGraph) -> None:
    """Take note of what is shown now, and of what the last change did to the totals. Everything has to be fresh.

    Nothing is noted where something else was decided meanwhile.
    """
    piece = graph.piece
    result = graph.result("print")
    totals = {k: getattr(result, k) for k in _TOLD if k != "cost"}
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
    moved = now.totals is not None and any(now.totals.get(k) != totals[k] for k in _MOVED_BY)
    change = {"before": now.totals | {"because": now.because}} if moved else {}
    as_decided.update(shown=shown, totals=totals, **change)


def build_calendar(build: Build, instead: Mapping[int, Mapping[str, str]] | None = None) -> dict:
    """Slots per printer, the last end, and what it says about the due date. ``instead`` holds what a piece would show otherwise, by its number."""
    shop = Shop.current()
    pieces = list(build.pieces.all())
    shown = {p.pk: p.shown for p in pieces} | dict(instead or {})
    store = DatabaseStore()
    store.look_up(Ref("print", s["print"]) for s in shown.values() if "print" in s)
    tasks, missing = [], []
    for piece in pieces:
        result = store.find(Ref("print", shown[piece.pk]["print"])) if "print" in shown[piece.pk] else None
        if not result:
            missing.append(piece.name)
            continue
        tasks += [Task(f"{piece.id}/{t['name']}", t["hours"]) for t in result["tasks"]]
        if result["unprintable"]:
            missing.append(piece.name)
    begin = _next_hour()
    waking = Waking(shop.wake_from_h, shop.wake_to_h)
    key = "calendar" + hash_of(begin.isoformat(), [[t.name, dict(t.hours)] for t in tasks], waking, shop.planning_factor)
    slots = cache.get_or_set(key, lambda: schedule(tasks, begin, waking, shop.planning_factor), 3600)
    end = done_by(slots, begin) if slots else None
    late = (end.date() - build.due).days if end and build.due else None
    return {
        "begin": begin.isoformat(timespec="minutes"),
        "done_by": end.isoformat(timespec="minutes") if end else None,
        "days_late": late,
        "verdict": Verdict.WAITS if late is None else in_time(late),
        "missing": missing,
        "machine_h": sum((s.end - s.start).total_seconds() for s in slots) / 3600,
        "slots": [
            {
                "piece": int(s.task.split("/")[0]),
                "part": s.task.split("/", 1)[1],
                "printer": s.printer,
                "start": s.start.isoformat(timespec="minutes"),
                "end": s.end.isoformat(timespec="minutes"),
            }
            for s in slots
        ],
    }


def _next_hour() -> datetime:
    now = timezone.localtime().replace(tzinfo=None, minute=0, second=0, microsecond=0)
    return now + timedelta(hours=1)
