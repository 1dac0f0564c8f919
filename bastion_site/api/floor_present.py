"""The shop floor as the screens are told of it: plates, beds, chances, what the last change did, what failures say."""

from contextlib import suppress
from datetime import datetime
from typing import Any

from bastion_core.cut.halves import halved
from bastion_core.cut.parting import Cut
from bastion_core.engine.keeping import plain
from bastion_core.engine.store import Ref
from bastion_core.errors import BastionError
from bastion_core.findings import NOTHING, Finding, Note
from bastion_core.pieces.silhouette import svg_path
from bastion_core.plates.beds import usable
from bastion_core.plates.labels import letter_of
from bastion_core.plates.recipe import PlatesRecipe
from bastion_core.plates.records import Plate, PlatePart
from bastion_core.print.station import PrintData
from bastion_core.schedule.costs import hour_costs
from bastion_core.schedule.learn import Learnt
from bastion_core.schedule.lessons import Failure, Told, lessons
from bastion_core.schedule.model import Slot
from bastion_core.schedule.plated import needs_of
from bastion_core.schedule.spools import Fed
from bastion_site.api.floor_records import (
    BedRecord,
    Chances,
    FedRecord,
    Floor,
    Lesson,
    PartOnPlate,
    Picture,
    PlanMoved,
    PlateRecord,
)
from bastion_site.api.records import JobRecord
from bastion_site.api.runs import run_records
from bastion_site.builds.models import Build, Piece
from bastion_site.engine import floor
from bastion_site.engine.cases import SCANS, WITH, graphs_of
from bastion_site.jobs.models import Job
from bastion_site.prints.logbook import learnt_here, made_parts
from bastion_site.prints.models import Calendar, Run, RunPart
from bastion_site.shop.models import Printer, Shop, Spool

_FEW_RUNS = 400


def _iso(moment: datetime) -> str:
    return moment.isoformat(timespec="minutes")


def floor_record(build: Build) -> Floor:
    """All that the printers page shows."""
    shop, learnt = Shop.current(), learnt_here()
    plates, state, graph = floor.plates_of(build)
    now = floor.asked_of(build, needs_of(plates))
    calendar = Calendar.objects.filter(build=build).first()
    job = build.jobs.filter(kind=Job.Kind.CALENDAR).first()
    kept = floor.kept_of(calendar) if calendar is not None else None
    if state == "fresh" and (calendar is None or not floor.fresh(calendar, now)):
        state = "computing" if job is not None and job.state in Job.ACTIVE else "stale"
        # A plan for the same plates is told on until the new one is there.
        if kept is not None and not {s.plate for s in kept.plan.slots} & {n.id for n in now.needs}:
            kept = None
    recipe = build.of(PlatesRecipe)
    result = known.result if (known := graph.found("plates")) is not None else None
    found = graph.stations["plates"].findings(graph.case, result) if result is not None else ()
    inputs = graph.inputs("plates")
    pieces = list(build.pieces.select_related(*WITH).prefetch_related(*SCANS))
    running = Run.objects.filter(state__in=Run.OPEN).select_related("printer").prefetch_related("parts")
    return Floor(
        state=state,
        waits=getattr(inputs, "said", NOTHING),
        job=JobRecord.of(job),
        due=build.due.isoformat() if build.due else None,
        now=_iso(now.times.begin),
        wake_from_h=shop.wake_from_h,
        wake_to_h=shop.wake_to_h,
        away=tuple(shop.away),
        gap_mm=recipe.gap_mm,
        together=recipe.together,
        in_turn=recipe.in_turn,
        must_have=recipe.must_have,
        left_out=recipe.left_out,
        held_plates=recipe.held_plates,
        pieces={str(p.pk): p.name for p in pieces},
        plates=_plates(plates, kept),
        bound=result.bound if result else None,
        laid=result.plates if result else None,
        findings=tuple(f for f in found if isinstance(f, Finding)),
        notes=tuple(n for n in found if isinstance(n, Note)),
        beds=_beds(kept, learnt),
        chances=_chances(kept, plates, shop) if kept else None,
        moved=_moved(calendar, kept),
        running=run_records(running),
        lessons=_lessons(build, pieces),
        currency=shop.currency,
    )


def _plates(plates: tuple[Plate, ...], kept: floor.Kept | None) -> tuple[PlateRecord, ...]:
    slots: dict[str, Slot] = {s.plate: s for s in kept.plan.slots} if kept else {}
    fed = {f.plate: f for f in kept.fed} if kept else {}
    matters = {m.plate: m for m in kept.odds.matters} if kept else {}
    spools = [s.core() for s in Spool.objects.all()]
    names = {s.id: s.name for s in spools}
    made = []
    for p in plates:
        slot, feed, matter = slots.get(p.id), fed.get(p.id), matters.get(p.id)
        printer = slot.printer if slot and slot.printer in p.on else p.printer
        taken = p.on[printer]
        ends = kept.odds.plates.get(p.id) if kept else None
        share = taken.hours / max(sum(part.hours for part in p.parts), 1e-9)
        made.append(
            PlateRecord(
                id=p.id, name=p.name, printer=printer, on=p.on, material=p.material, colour=p.colour, layer_mm=p.layer_mm, resin=p.resin,
                parts=tuple(_part(part, share) for part in p.parts), hours=taken.hours, filament_g=taken.filament_g, support_g=taken.support_g,
                must=p.must, held=p.held, in_turn=p.in_turn, beyond=p.beyond, again=p.again, wrong=p.wrong, filled=p.filled,
                start=_iso(slot.start) if slot else None, end=_iso(slot.end) if slot else None, end_80=_iso(ends[1]) if ends else None,
                fails=matter.fails if matter else None, later_h=matter.later_h if matter else None, fed=_fed(feed, names) if feed else None,
                spools=tuple(s.id for s in spools if s.feeds(f"{p.material}|{p.colour}")),
            )
        )  # fmt: skip
    return tuple(sorted(made, key=lambda p: (p.start or "9", p.printer, p.name)))


def _fed(fed: Fed, names: dict[int, str]) -> FedRecord:
    name = "" if fed.spool is None else names.get(fed.spool, "")
    return FedRecord(fed.grams, fed.sd_g, fed.spool, name, fed.left_g, fed.runs_out, fed.near_h, fed.awake, fed.verdict)


def _part(part: PlatePart, share: float) -> PartOnPlate:
    """A part as it is drawn; its hours are its share of what the plate takes on the printer it is planned on."""
    return PartOnPlate(**(part.__dict__ | {"hours": part.hours * share}), drawn=part.drawing, letter=letter_of(part))


def _beds(kept: floor.Kept | None, learnt: Learnt) -> tuple[BedRecord, ...]:
    made = []
    for p in Printer.objects.filter(active=True):
        pace, fails = learnt.pace_of(p.name, ""), learnt.fails_of(p.name)
        low, high = pace.between()
        done = kept.odds.printers.get(p.name) if kept else None
        made.append(
            BedRecord(
                p.pk, p.name, p.kind, p.x_mm, p.y_mm, svg_path(usable(p.core(), p.gantry())), pace.median, low, high, pace.prints,
                100 * fails.per_h, _iso(done) if done else None, p.watched,
            )
        )  # fmt: skip
    return tuple(made)


def _chances(kept: floor.Kept, plates: tuple[Plate, ...], shop: Shop) -> Chances:
    plan, odds = kept.plan, kept.odds
    rates = {p.name: hour_costs(p.power_w, shop.power_price_per_kwh, p.wear_per_h) for p in Printer.objects.all()}
    running = sum((s.end - s.start).total_seconds() / 3600 * rates.get(s.printer, 0.0) for s in plan.slots)
    names = {p.id: p.name for p in plates}
    return Chances(
        done=_iso(plan.done),
        best=_iso(plan.best) if plan.best else None,
        within=plan.within,
        by={c: _iso(d) for c, d in odds.by.items()},
        in_time=odds.in_time,
        verdict=odds.verdict,
        failures=odds.failures,
        machine_h=kept.hours,
        filament_g=sum(f.grams for f in kept.fed),
        cost=kept.filament_cost + running,
        hours_cost=running,
        buy=kept.buy,
        more_spools=kept.more_spools,
        late=tuple(names.get(i, i) for i in plan.late),
        left_out=tuple(names.get(i, i) for i in plan.left_out),
    )


def _moved(calendar: Calendar | None, kept: floor.Kept | None) -> PlanMoved | None:
    if calendar is None or kept is None or not calendar.before:
        return None
    was = calendar.before
    return PlanMoved(
        calendar.because,
        was["done"],
        _iso(kept.plan.done),
        was["in_time"],
        kept.odds.in_time,
        was["hours"],
        kept.hours,
    )


def _lessons(build: Build, pieces: list[Piece]) -> tuple[Lesson, ...]:
    """What failures of this build's parts say, each with what may be tried."""
    runs = (
        Run.objects.filter(build=build, state=Run.State.FAILED)
        .exclude(cause="")
        .prefetch_related("parts")
        .select_related("printer")[:_FEW_RUNS]
    )
    failures, made = [], made_parts(p.pk for p in pieces)
    for run in runs:
        high = {p["part"]: p["size_mm"][2] for p in run.plate["parts"]}
        bad = [p for p in run.parts.all() if p.good is False and p.piece_id and p.part not in made.get(p.piece_id, ())]
        failures += [
            Failure(
                run.pk, p.piece_id, p.part, p.name, run.printer_name, bool(run.printer and run.printer.bed_moves), run.cause, run.at_mm,
                high.get(p.part, 0.0),
            )
            for p in bad
        ]  # fmt: skip
    if not failures:
        return ()
    graphs = {g.piece.pk: g for g in graphs_of([p for p in pieces if p.pk in {f.piece for f in failures}])}
    printers = list(Printer.objects.filter(active=True))
    moves, numbers = {p.name: p.bed_moves for p in printers}, {p.name: p.pk for p in printers}
    takes: dict[tuple[int, str], list[tuple[str, bool]]] = {}
    printed: dict[int, PrintData] = {}
    for number, graph in graphs.items():
        known = graph.found("print")
        if known is not None:
            printed[number] = graph.data("print")
            takes |= {(number, p.id): [(n, moves[n]) for n in p.on if n in moves] for p in printed[number].parts}
    told_all = []
    for told in lessons(failures, takes):
        still = [numbers[n] for n in told.others if n in numbers]
        if told.halves and told.piece in printed:
            cuts = _halved(graphs[told.piece], printed[told.piece], told.part)
            if cuts is not None:
                told_all.append(Lesson(told.text, told.piece, {"cuts": plain(cuts)}, "Try two halves lying flat", told.runs))
        if still:
            told_all.append(Lesson(told.text, told.piece, {"printer_ids": still}, f"Try {', '.join(told.others)}", told.runs))
        if not told.halves:
            told_all.append(
                Lesson(told.text, told.piece, None, "", told.runs, _pictures(told, graphs[told.piece], printed.get(told.piece)))
            )
    return tuple(told_all)


def _pictures(told: Told, graph: Any, printed: PrintData | None) -> tuple[Picture, ...]:
    """The part as it was printed last, and as it is meant."""
    was = RunPart.objects.filter(run__in=told.runs, piece=told.piece, part=told.part).order_by("-run").first()
    made = []
    with suppress(BastionError):
        old = graph.store.data(Ref("print", was.print_hash))["parts"] if was else []
        made += [Picture("as it was printed", p["picture"]) for p in old if p["id"] == told.part]
    made += [Picture("as it is meant now", p.picture) for p in (printed.parts if printed else ()) if p.id == told.part]
    return tuple(made)


def _halved(graph: Any, printed: PrintData, part_id: str) -> tuple[Cut, ...] | None:
    """The cuts that part one in two; None where its cut is not known."""
    part = next((p for p in printed.parts if p.id == part_id), None)
    if part is None or graph.found("cut") is None:
        return None
    return halved(graph.data("cut"), part, graph.result("fit").scale)
