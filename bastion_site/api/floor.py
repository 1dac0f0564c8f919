"""The shop floor over HTTP: a build's plates, its printers' calendar, what may come of it, and plates to take away."""

import tempfile
import zipfile
from contextlib import suppress
from dataclasses import fields
from pathlib import Path
from typing import Any

import numpy as np
from django.db import transaction
from django.http import FileResponse, Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.response import Response

from bastion_core.cut.station import CutData
from bastion_core.engine.keeping import plain, whole
from bastion_core.engine.store import Ref
from bastion_core.errors import BastionError, RecipeProblem
from bastion_core.findings import NOTHING, Finding, Note
from bastion_core.pieces.silhouette import svg_path
from bastion_core.plates.beds import usable
from bastion_core.plates.files import file_name, write_plate
from bastion_core.plates.labels import labels_pdf, letter_of
from bastion_core.plates.nest import Spot
from bastion_core.plates.recipe import PlatesRecipe
from bastion_core.plates.records import Plate, PlatePart
from bastion_core.print.ground import read as read_ground
from bastion_core.print.profile import LAYER_HEIGHTS_MM
from bastion_core.print.station import PrintData
from bastion_core.schedule.costs import hour_costs
from bastion_core.schedule.learn import Learnt
from bastion_core.schedule.lessons import Failure, Told, lessons
from bastion_core.schedule.model import Asked, Slot
from bastion_core.takeaway import part_name
from bastion_site.api.files import put_piece
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
    WhatIfAll,
    WhatIfTold,
)
from bastion_site.api.records import JobRecord
from bastion_site.api.runs import run_record
from bastion_site.api.steps import by_whom
from bastion_site.builds.models import Build, Piece
from bastion_site.engine import floor
from bastion_site.engine.cases import SCANS, WITH, graph_of, graphs_of
from bastion_site.engine.deciding import keep, reason
from bastion_site.engine.refresh import refresh_calendar
from bastion_site.engine.store import DatabaseStore
from bastion_site.errors import NotYet
from bastion_site.jobs.models import Job
from bastion_site.prints.logbook import learnt_here, made_parts
from bastion_site.prints.models import Calendar, Run, RunPart
from bastion_site.shop.models import Printer, Shop, Spool
from bastion_site.wire import asked, question, wire

PlatesDecisionsSerializer = question(PlatesRecipe, name="PlatesDecisions")
WhatIfAllSerializer = question(WhatIfAll, {"layer_mm": {"min_value": 0.04, "max_value": 0.8}})
_FEW_RUNS = 400


def build_of(pk: int) -> Build:
    """The build of that number; Http404 when there is none."""
    build = Build.objects.select_related("wearer").filter(pk=pk).first()
    if build is None:
        raise Http404("There is no such build.")
    return build


@extend_schema(methods=["get"], responses=wire(Floor))
@extend_schema(methods=["post"], request=None, responses=wire(Floor))
@extend_schema(methods=["patch"], request=PlatesDecisionsSerializer(partial=True), responses=wire(Floor))
@api_view(["GET", "POST", "PATCH"])
def floor_view(request, pk: int) -> Response:
    """A build's plates and calendar as they are known now. POST has them computed; PATCH decides about its plates."""
    build = build_of(pk)
    if request.method == "POST":
        refresh_calendar(build)
    if request.method == "PATCH":
        changes = _decisions(request.data)
        with transaction.atomic():
            build = Build.objects.get(pk=pk)
            step = keep([(build, changes)], reason(changes), by_whom(request))
        if step is not None:
            refresh_calendar(build, reason(changes))
    return Response(plain(floor_record(build_of(pk))))


def _decisions(data: Any) -> dict[str, Any]:
    """Decisions about plates as sent: the core judges them whole."""
    if not isinstance(data, dict):
        raise serializers.ValidationError("Send one JSON object.")
    names = {f.name for f in fields(PlatesRecipe)}
    unknown = set(data) - names
    if unknown:
        raise RecipeProblem(f"{', '.join(sorted(unknown))}: nothing of that name is decided about plates.")
    whole(PlatesRecipe, {**plain(PlatesRecipe()), **data})
    return dict(data)


def floor_record(build: Build) -> Floor:
    """All that the printers page shows."""
    shop, learnt = Shop.current(), learnt_here()
    plates, state, graph = floor.plates_of(build)
    now = floor.asked_of(build, floor.needs_of(plates))
    calendar = Calendar.objects.filter(build=build).first()
    job = build.jobs.filter(kind=Job.Kind.CALENDAR).first()
    kept = floor.kept_of(calendar) if calendar is not None else None
    if state == "fresh" and (calendar is None or not floor.fresh(calendar, now)):
        state = "computing" if job is not None and job.state in Job.ACTIVE else "stale"
        # A plan for the same plates is told on until the new one is there.
        if kept is not None and not {s.plate for s in kept.plan.slots} & {n.id for n in now.needs}:
            kept = None
    recipe = floor.recipe_of(build)
    result = known.result if (known := graph.found("plates")) is not None else None
    found = graph.stations["plates"].findings(graph.case, result) if result is not None else ()
    inputs = graph.inputs("plates")
    pieces = list(build.pieces.select_related(*WITH).prefetch_related(*SCANS))
    running = Run.objects.filter(state__in=Run.OPEN).select_related("printer").prefetch_related("parts")
    return Floor(
        state, getattr(inputs, "said", NOTHING), JobRecord.of(job), build.due.isoformat() if build.due else None, now.times.begin.isoformat(timespec="minutes"),
        shop.wake_from_h, shop.wake_to_h, tuple(shop.away), recipe.gap_mm, recipe.together, recipe.in_turn, recipe.must_have, recipe.left_out,
        recipe.held_plates, {str(p.pk): p.name for p in pieces}, _plates(plates, kept), result.bound if result else None, result.plates if result else None,
        tuple(f for f in found if isinstance(f, Finding)), tuple(n for n in found if isinstance(n, Note)), _beds(kept, learnt),
        _chances(kept, plates, shop) if kept else None, _moved(calendar, kept), tuple(run_record(r) for r in running), _lessons(build, pieces),
        shop.currency,
    )  # fmt: skip


def _plates(plates: tuple[Plate, ...], kept: floor.Kept | None) -> tuple[PlateRecord, ...]:
    slots: dict[str, Slot] = {s.plate: s for s in kept.plan.slots} if kept else {}
    fed = {f.plate: f for f in kept.fed} if kept else {}
    matters = {m.plate: m for m in kept.odds.matters} if kept else {}
    names = dict(Spool.objects.values_list("pk", "name"))
    made = []
    for p in plates:
        slot, feed, matter = slots.get(p.id), fed.get(p.id), matters.get(p.id)
        printer = slot.printer if slot and slot.printer in p.on else p.printer
        taken = p.on[printer]
        ends = kept.odds.plates.get(p.id) if kept else None
        made.append(
            PlateRecord(
                p.id, p.name, printer, p.on, p.material, p.colour, p.layer_mm, p.resin, tuple(_part(part, taken.hours / max(sum(q.hours for q in p.parts), 1e-9)) for part in p.parts), taken.hours,
                taken.filament_g, taken.support_g, p.must, p.held, p.in_turn, p.beyond, p.again, p.wrong, p.filled,
                slot.start.isoformat(timespec="minutes") if slot else None, slot.end.isoformat(timespec="minutes") if slot else None,
                ends[1].isoformat(timespec="minutes") if ends else None, matter.fails if matter else None, matter.later_h if matter else None,
                FedRecord(feed.grams, feed.sd_g, feed.spool, names.get(feed.spool, ""), feed.left_g, feed.runs_out, feed.near_h, feed.awake)
                if feed else None,
            )
        )  # fmt: skip
    return tuple(sorted(made, key=lambda p: (p.start or "9", p.printer, p.name)))


def _part(part: PlatePart, share: float) -> PartOnPlate:
    """A part as it is drawn; its hours are its share of what the plate takes on the printer it is planned on."""
    return PartOnPlate(**(part.__dict__ | {"hours": part.hours * share}), drawn=drawn(part), letter=letter_of(part))


def drawn(part: PlatePart) -> str:
    """A part's ground where it lies, as an SVG path."""
    return svg_path(Spot(part.turn_deg, part.x_mm, part.y_mm).place(read_ground(part.ground)).simplify(0.4))


def _beds(kept: floor.Kept | None, learnt: Learnt) -> tuple[BedRecord, ...]:
    made = []
    for p in Printer.objects.filter(active=True):
        pace, fails = learnt.pace_of(p.name, ""), learnt.fails_of(p.name)
        low, high = pace.between()
        done = kept.odds.printers.get(p.name) if kept else None
        made.append(
            BedRecord(
                p.pk, p.name, p.kind, p.x_mm, p.y_mm, svg_path(usable(p.core(), p.gantry())), pace.median, low, high, pace.prints,
                100 * fails.per_h, done.isoformat(timespec="minutes") if done else None, p.watched,
            )
        )  # fmt: skip
    return tuple(made)


def _chances(kept: floor.Kept, plates: tuple[Plate, ...], shop: Shop) -> Chances:
    plan, odds = kept.plan, kept.odds
    rates = {p.name: hour_costs(p.power_w, shop.power_price_per_kwh, p.wear_per_h) for p in Printer.objects.all()}
    by_id = {p.id: p for p in plates}
    running = sum((s.end - s.start).total_seconds() / 3600 * rates.get(s.printer, 0.0) for s in plan.slots)
    prices = {s.material: s.price_per_kg for s in Spool.objects.order_by("-id")}
    grams = sum(f.grams for f in kept.fed)
    filament = sum(f.grams / 1000 * prices.get(by_id[f.plate].material, 22.0) for f in kept.fed if f.plate in by_id)
    names = {p.id: p.name for p in plates}
    return Chances(
        plan.done.isoformat(timespec="minutes"), plan.best.isoformat(timespec="minutes") if plan.best else None, plan.within,
        {c: d.isoformat(timespec="minutes") for c, d in odds.by.items()}, odds.in_time, odds.failures, kept.hours, grams, filament + running,
        running, kept.buy, kept.more_spools, tuple(names.get(i, i) for i in plan.late), tuple(names.get(i, i) for i in plan.left_out),
    )  # fmt: skip


def _moved(calendar: Calendar | None, kept: floor.Kept | None) -> PlanMoved | None:
    if calendar is None or kept is None or not calendar.before:
        return None
    was = calendar.before
    return PlanMoved(
        calendar.because,
        was["done"],
        kept.plan.done.isoformat(timespec="minutes"),
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
    moves = dict(Printer.objects.filter(active=True).values_list("name", "bed_moves"))
    takes: dict[tuple[int, str], list[tuple[str, bool]]] = {}
    printed: dict[int, PrintData] = {}
    for number, graph in graphs.items():
        known = graph.found("print")
        if known is not None:
            printed[number] = graph.data("print")
            takes |= {(number, p.id): [(n, moves[n]) for n in p.on if n in moves] for p in printed[number].parts}
    told_all = []
    for told in lessons(failures, takes):
        numbers = dict(Printer.objects.filter(active=True).values_list("name", "pk"))
        still = [numbers[n] for n in told.others if n in numbers]
        if told.halves and told.piece in printed:
            change = _halved(graphs[told.piece], printed[told.piece], told.part)
            if change is not None:
                told_all.append(Lesson(told.text, told.piece, change, "Try two halves lying flat", told.runs))
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


def _halved(graph: Any, printed: PrintData, part_id: str) -> dict[str, Any] | None:
    """The decision that cuts a part in two along its height as it lies, across its thinner side; None where its cut is not known."""
    known = graph.found("cut")
    part = next((p for p in printed.parts if p.id == part_id), None)
    if known is None or part is None:
        return None
    data: CutData = graph.data("cut")
    of = next((p for p in data.parts if p.id == part_id), None)
    fit = graph.result("fit")
    if of is None:
        return None
    side = np.array([1.0, 0, 0]) if part.size_mm[0] <= part.size_mm[1] else np.array([0, 1.0, 0])
    scale = np.array(fit.scale)
    normal = np.array(part.transform)[:3, :3] @ side * scale
    normal = normal / np.linalg.norm(normal)
    taken = {c.id for c in data.cuts}
    name = next(f"c{k}" for k in range(1, 400) if f"c{k}" not in taken)
    cut = {
        "id": name,
        "point": [float(v) for v in np.array(of.centre_mm) / scale],
        "normal": [float(v) for v in normal],
        "limits": plain(of.sides),
    }
    return {"cuts": [*plain(data.cuts), cut]}


@extend_schema(request=WhatIfAllSerializer, responses=wire(WhatIfTold))
@api_view(["POST"])
def what_if_all(request, pk: int) -> Response:
    """A change of the whole build that is tried: nothing is decided by it. Quick plans of both, so that they compare."""
    build = build_of(pk)
    given = whole(WhatIfAll, asked(WhatIfAllSerializer, request.data))
    plates, _, _ = floor.plates_of(build)
    if not plates:
        raise NotYet("The plates are not laid yet, or all is printed. Lay them first.")
    now = floor.asked_of(build, floor.needs_of(plates))
    before = floor.worked_out(build, now, best=False)
    then = floor.worked_out(build, _changed(build, now, plates, given), best=False)
    return Response(
        plain(
            WhatIfTold(
                *(k.plan.done.isoformat(timespec="minutes") for k in (before, then)), *(k.odds.by["80"].isoformat(timespec="minutes") for k in (before, then)),
                before.odds.in_time, then.odds.in_time, before.hours, then.hours, sum(f.grams for f in before.fed), sum(f.grams for f in then.fed),
            )
        )
    )  # fmt: skip


def _changed(build: Build, now: Asked, plates: tuple[Plate, ...], given: WhatIfAll) -> Asked:
    if given.printer is not None:
        like = Printer.objects.filter(pk=given.printer, active=True).first()
        if like is None:
            raise RecipeProblem("There is no such printer in the shop. Choose one that is.", "printer")
        return floor.with_another(now, like.name)
    if given.layer_mm is not None:
        if given.layer_mm not in LAYER_HEIGHTS_MM:
            raise RecipeProblem(f"Layer heights that can be tried: {', '.join(f'{h:g}' for h in LAYER_HEIGHTS_MM)} mm.", "layer_mm")
        return floor.scaled(now, plates, floor.layer_ratios(build, given.layer_mm))
    return floor.without(now, plates, set(given.without))


def _plate(build: Build, plate_id: str) -> Plate:
    plates, _, _ = floor.plates_of(build)
    found = next((p for p in plates if p.id == plate_id), None)
    if found is None:
        raise Http404("This plate is not there any more: it was laid anew, or is printed.")
    return found


def _folder(part: PlatePart) -> Path:
    return DatabaseStore().folder(Ref("print", part.print_hash))


@extend_schema(responses={(200, "model/3mf"): OpenApiTypes.BINARY})
@api_view(["GET"])
def plate_3mf(request, pk: int, plate_id: str) -> HttpResponse:
    """A plate as 3MF: every part named and in its place, millimetres from the front left corner of the bed."""
    plate = _plate(build_of(pk), plate_id)
    name = request.query_params.get("printer", plate.printer)
    printer = Printer.objects.filter(name=name).first()
    if printer is None or name not in plate.on:
        raise Http404("The plate does not lie on that printer.")
    with tempfile.TemporaryDirectory(prefix="bastion-") as made:
        path = Path(made) / file_name(plate)
        write_plate(plate, printer.core(), _folder, path)
        answer = HttpResponse(path.read_bytes(), content_type="model/3mf")
    answer["Content-Disposition"] = f'attachment; filename="{file_name(plate)}"'
    return answer


@extend_schema(responses={(200, "application/pdf"): OpenApiTypes.BINARY})
@api_view(["GET"])
def labels(request, pk: int) -> HttpResponse:
    """A sheet for each plate and a label for each part, as PDF."""
    build = build_of(pk)
    answer = HttpResponse(_labels(build), content_type="application/pdf")
    answer["Content-Disposition"] = f'attachment; filename="{part_name(build.name)}-labels.pdf"'
    return answer


def _labels(build: Build) -> bytes:
    plates, _, _ = floor.plates_of(build)
    if not plates:
        raise NotYet("The plates are not laid yet, or all is printed. Lay them first.")
    rows = list(Printer.objects.filter(active=True))
    return labels_pdf(plates, [p.core() for p in rows], [p.gantry() for p in rows], build.name)


@extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
@api_view(["GET"])
def everything(request, pk: int) -> HttpResponse:
    """The whole build as one zip: every plate, every part, each piece's plan, cut list and sheet, and the labels."""
    build = build_of(pk)
    packed = tempfile.TemporaryFile()  # noqa: SIM115  the response closes it
    left = []
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as zipped, tempfile.TemporaryDirectory(prefix="bastion-") as made:
        for piece in build.pieces.select_related(*WITH):
            graph = graph_of(piece)
            if graph.found("print") is None:
                left.append(piece.name)
                continue
            put_piece(zipped, graph, f"{part_name(piece.name)}-{piece.pk}/")
        plates, _, _ = floor.plates_of(build)
        printers = {p.name: p.core() for p in Printer.objects.filter(active=True)}
        for plate in plates:
            path = Path(made) / file_name(plate)
            write_plate(plate, printers[plate.printer], _folder, path)
            zipped.write(path, f"plates/{path.name}")
            path.unlink()
        if plates:
            zipped.writestr("labels.pdf", _labels(build))
        if left:
            zipped.writestr("not-here.txt", "Not computed to the end yet: " + ", ".join(left) + "\n")
    packed.seek(0)
    return FileResponse(packed, as_attachment=True, filename=f"{part_name(build.name)}.zip", content_type="application/zip")
