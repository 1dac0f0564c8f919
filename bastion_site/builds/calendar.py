"""When all prints of a build could be done: the core's queue over the pieces' last results."""

from datetime import datetime, timedelta

from django.core.cache import cache
from django.utils import timezone

from bastion_core.printing.queue import Task, Waking, done_by, schedule
from bastion_site.builds.hashing import hash_of
from bastion_site.builds.models import Build, Derived
from bastion_site.shop.models import Shop


def build_calendar(build: Build) -> dict:
    """Slots per printer, the last end, and what it says about the due date."""
    shop = Shop.current()
    tasks, missing = [], []
    for piece in build.pieces.all():
        last = piece.shown.get("print")
        result = last and Derived.objects.defer("data").filter(kind="print", hash=last).first()
        if not result:
            missing.append(piece.name)
            continue
        tasks += [Task(f"{piece.id}/{t['name']}", t["hours"]) for t in result.summary["tasks"]]
        if result.summary["unprintable"]:
            missing.append(piece.name)
    begin = _next_hour()
    waking = Waking(shop.wake_from_h, shop.wake_to_h)
    key = "calendar" + hash_of(begin, [(t.name, t.hours) for t in tasks], waking.__dict__, shop.planning_factor)
    slots = cache.get_or_set(key, lambda: schedule(tasks, begin, waking, shop.planning_factor), 3600)
    end = done_by(slots, begin) if slots else None
    late = None
    if end and build.due:
        late = (end.date() - build.due).days
    return {
        "begin": begin.isoformat(timespec="minutes"),
        "done_by": end.isoformat(timespec="minutes") if end else None,
        "days_late": late,
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
