"""The shop floor: a build's plates, which printer prints them when, and what may come of it."""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any

from django.utils import timezone

from bastion_core.engine.keeping import hash_of, plain, whole
from bastion_core.engine.memo import Memo
from bastion_core.errors import BastionError
from bastion_core.plates.records import Plate
from bastion_core.plates.station import PlatesData
from bastion_core.print.profile import MATERIALS
from bastion_core.print.station import price_of
from bastion_core.progress import Progress, silent, span
from bastion_core.schedule.learn import Learnt
from bastion_core.schedule.model import Asked, Busy, Need, Plan, Times, Waking
from bastion_core.schedule.odds import Odds, futures
from bastion_core.schedule.plated import needs_of
from bastion_core.schedule.solve import planned, quick
from bastion_core.schedule.spools import Bought, Fed, OneMore, one_more, shopping, spools_for
from bastion_site.builds.models import Build
from bastion_site.engine.cases import SCANS, WITH, build_graph, graphs_of
from bastion_site.jobs.models import Job
from bastion_site.prints.logbook import learnt_here, parts_printed
from bastion_site.prints.models import Calendar, Run
from bastion_site.shop.models import Printer, Shop, Spool, shop_today

_LATE_H = 1.0
"""A plate that should have begun so long ago and has not: the calendar is old."""
_OVERDUE_H = 0.5


@dataclass(frozen=True)
class Kept:
    """A calendar as it is kept."""

    plan: Plan
    odds: Odds
    fed: tuple[Fed, ...]
    buy: tuple[Bought, ...]
    hours: float
    filament_cost: float
    more_spools: tuple[OneMore, ...] = ()


def plates_of(build: Build) -> tuple[tuple[Plate, ...], str, Any]:
    """A build's plates (the fresh ones, else none), their state, and the graph they stand in."""
    graph, _ = build_graph(build)
    job = build.jobs.filter(kind=Job.Kind.CALENDAR).first()
    known = graph.found("plates")
    if known is not None:
        return still_to_print(build, whole(PlatesData, graph.store.data(known.ref)).plates), "fresh", graph
    if job is not None and job.state in Job.ACTIVE:
        return (), "computing", graph
    return (), "failed" if job is not None and job.state == Job.State.FAILED else "stale", graph


def still_to_print(build: Build, plates: tuple[Plate, ...]) -> tuple[Plate, ...]:
    """Plates without what is printed or being printed; failed parts are on plates of their own."""
    pieces = list(build.pieces.values_list("pk", flat=True))
    made, failed = parts_printed(pieces)
    spent = {p: {*made.get(p, ()), *failed.get(p, ())} for p in pieces}
    left = (plate.left(made if plate.again else spent) for plate in plates)
    return tuple(p for p in left if p is not None)


def asked_of(build: Build, needs: tuple[Need, ...], begin: datetime | None = None, any_spool: bool = False) -> Asked:
    """What a build's calendar depends on now: who is awake, what runs on the printers (of any build), what the log says of their pace."""
    shop = Shop.current()
    learnt = learnt_here(shop)
    printers = tuple(Printer.objects.filter(active=True).values_list("name", flat=True))
    moment = begin or quarter(timezone.localtime().replace(tzinfo=None))
    busy = []
    for run in Run.objects.filter(state__in=Run.OPEN, printer__active=True).select_related("printer"):
        until = timezone.localtime(run.expected).replace(tzinfo=None)
        busy.append(Busy(run.printer.name, max(until, moment + timedelta(hours=_OVERDUE_H)), str(run.pk)))
    there = [] if any_spool else [s.core() for s in Spool.objects.all()]
    spools = {} if any_spool else {stuff: sum(s.left_g > 0 and s.feeds(stuff) for s in there) for stuff in {n.stuff for n in needs}}
    paces = {key: guess.median for key, guess in learnt.pace.items()}
    due = datetime.combine(build.due, time()) if build.due else None
    times = Times(moment, Waking(shop.wake_from_h, shop.wake_to_h), tuple(date.fromisoformat(d) for d in shop.away))
    return Asked(needs, printers, times, tuple(busy), spools, paces, due)


def quarter(moment: datetime) -> datetime:
    """The next full quarter of an hour."""
    whole_min = moment.replace(minute=0, second=0, microsecond=0)
    minutes = -(-(moment - whole_min).total_seconds() // 900) * 15
    return whole_min + timedelta(minutes=minutes)


def key_of(asked: Asked) -> str:
    """The hash of all that a calendar depends on, but for the time of day."""
    still = [(b.printer, b.plate) for b in asked.busy]
    return hash_of([[n.id, n.name, dict(n.hours), n.stuff, n.grams, n.must] for n in asked.needs], asked.printers, asked.times.waking,
                   [d.isoformat() for d in asked.times.away], still, dict(asked.spools), {k: round(v, 6) for k, v in asked.factor.items()},
                   asked.due.isoformat() if asked.due else None)  # fmt: skip


def carry_out(build: Build, memo: Memo, progress: Progress = silent) -> Calendar:
    """Lay a build's parts on plates where that is not known, and plan its printers anew."""
    graph, _ = build_graph(build, memo)
    graph.carry_out(span(progress, 0.0, 0.6), ("plates",))
    data: PlatesData = graph.data("plates")
    asked = asked_of(build, needs_of(still_to_print(build, data.plates)))
    return keep(build, asked, worked_out(asked, span(progress, 0.6, 1.0)))


def worked_out(asked: Asked, progress: Progress = silent) -> Kept:
    """A calendar with its chances and its filament."""
    plan, learnt = planned(asked, progress), learnt_here()
    fed = _fed(asked, plan, learnt)
    shop, needs = shop_today(), {n.id: n for n in asked.needs}
    prices = {key: price_of(key, shop) for key in MATERIALS}
    buy = shopping(fed, needs, [s.core() for s in Spool.objects.all()], prices)
    filament = sum(f.grams / 1000 * prices[needs[f.plate].stuff.partition("|")[0]] for f in fed)
    return Kept(plan, _odds(asked, plan, learnt), tuple(fed), tuple(buy), _hours(plan), round(filament, 2), one_more(asked))


@dataclass(frozen=True)
class Tried:
    """A quick plan of something that is only tried, as far as it is compared."""

    plan: Plan
    odds: Odds
    hours: float
    filament_g: float


def tried(asked: Asked) -> Tried:
    """A quick plan."""
    plan, learnt = quick(asked), learnt_here()
    return Tried(plan, _odds(asked, plan, learnt), _hours(plan), sum(f.grams for f in _fed(asked, plan, learnt)))


def _fed(asked: Asked, plan: Plan, learnt: Learnt) -> list[Fed]:
    fed, _ = spools_for(plan.slots, {n.id: n for n in asked.needs}, [s.core() for s in Spool.objects.all()], learnt, asked.times)
    return [f for f in fed if f.grams > 0]


def _odds(asked: Asked, plan: Plan, learnt: Learnt) -> Odds:
    return futures(plan.slots, {n.id: n for n in asked.needs}, learnt, asked.times, asked.busy, asked.due)


def _hours(plan: Plan) -> float:
    """Of all printers, as they are planned."""
    return sum((s.end - s.start).total_seconds() for s in plan.slots) / 3600


def keep(build: Build, asked: Asked, kept: Kept) -> Calendar:
    """Keep a calendar, with what it was before the last change."""
    key, old = key_of(asked), Calendar.objects.filter(build=build).first()
    before, because = (old.before, old.because) if old else (None, "")
    if old is not None and old.key != key:
        was = kept_of(old)
        if was is not None:
            before = {"done": was.plan.done.isoformat(timespec="minutes"), "in_time": was.odds.in_time, "hours": was.hours}
    values = {"key": key, "made": timezone.now(), "plan": plain(kept), "before": before, "because": because}
    return Calendar.objects.update_or_create(build=build, defaults=values)[0]


def kept_of(calendar: Calendar) -> Kept | None:
    """What a kept calendar says; None where an older version of this program kept it."""
    try:
        return whole(Kept, calendar.plan)
    except BastionError:
        return None


def fresh(calendar: Calendar, asked: Asked) -> bool:
    """Whether a kept calendar still holds: all it depends on, and no plate of it is late for its start."""
    kept = kept_of(calendar) if calendar.key == key_of(asked) else None
    if kept is None:
        return False
    return all(s.start >= asked.times.begin - timedelta(hours=_LATE_H) for s in kept.plan.slots)


def layer_ratios(build: Build, layer_mm: float) -> dict[int, tuple[float, float]]:
    """By piece how hours and grams change at another layer height: read off what Print found for the whole piece."""
    ratios = {}
    for graph in graphs_of(list(build.pieces.select_related(*WITH).prefetch_related(*SCANS))):
        if graph.found("print") is None:
            continue
        sweep = {s.layer_mm: s for s in graph.data("print").sweep}
        result, then = graph.result("print"), sweep.get(layer_mm)
        if then is not None and result.hours > 0 and result.filament_g > 0:
            ratios[graph.piece.pk] = then.hours / result.hours, then.filament_g / result.filament_g
    return ratios
