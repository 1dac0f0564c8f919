"""The shop floor over HTTP: a build's plates, its printers' calendar, what may come of it, and plates to take away."""

import tempfile
import zipfile
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from django.http import FileResponse, Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.response import Response

from bastion_core.engine.keeping import plain, whole
from bastion_core.errors import RecipeProblem
from bastion_core.plates.files import file_name
from bastion_core.plates.labels import labels_pdf
from bastion_core.plates.recipe import PlatesRecipe
from bastion_core.plates.records import Plate
from bastion_core.print.profile import LAYER_HEIGHTS_MM
from bastion_core.recipes import BUILD_DECISIONS
from bastion_core.schedule.model import Asked
from bastion_core.schedule.plated import needs_of, scaled, with_another, without
from bastion_core.takeaway import part_name
from bastion_site.api.files import put_piece
from bastion_site.api.floor_present import floor_record
from bastion_site.api.floor_records import Floor, WhatIfAll, WhatIfTold
from bastion_site.api.steps import by_whom
from bastion_site.builds.models import Build
from bastion_site.engine import floor, quick
from bastion_site.engine.cases import WITH, graph_of
from bastion_site.engine.deciding import keep, reason
from bastion_site.engine.process import warm
from bastion_site.engine.refresh import refresh_calendar
from bastion_site.errors import NotYet
from bastion_site.shop.models import Printer
from bastion_site.wire import asked, question, wire

PlatesDecisionsSerializer = question(PlatesRecipe, name="PlatesDecisions")
WhatIfAllSerializer = question(WhatIfAll, {"layer_mm": {"min_value": 0.04, "max_value": 0.8}})
_NO_PLATES = "The plates are not laid yet, or all is printed. Lay them first."
_MOST_S = 600.0


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
            # In one go: a page that asks between the two would have it planned twice.
            if step is not None:
                refresh_calendar(build, reason(changes))
    return Response(plain(floor_record(build_of(pk))))


def _prints() -> Path:
    """Where the results of Print lie."""
    return settings.MEDIA_ROOT / "derived" / "print"


def _decisions(data: Any) -> dict[str, Any]:
    """Decisions about plates as sent: the core judges them as they are kept."""
    if not isinstance(data, dict):
        raise serializers.ValidationError("Send one JSON object.")
    unknown = set(data) - set(BUILD_DECISIONS)
    if unknown:
        raise RecipeProblem(f"{', '.join(sorted(unknown))}: nothing of that name is decided about plates.")
    return dict(data)


@extend_schema(request=WhatIfAllSerializer, responses=wire(WhatIfTold))
@api_view(["POST"])
def what_if_all(request, pk: int) -> Response:
    """A change of the whole build that is tried: nothing is decided by it. Quick plans of both, so that they compare."""
    build = build_of(pk)
    given = whole(WhatIfAll, asked(WhatIfAllSerializer, request.data))
    plates, _, _ = floor.plates_of(build)
    if not plates:
        raise NotYet(_NO_PLATES)
    now = floor.asked_of(build, needs_of(plates))
    both = [floor.tried(asked_for) for asked_for in (now, _changed(build, now, plates, given))]
    return Response(
        plain(
            WhatIfTold(
                *(t.plan.done.isoformat(timespec="minutes") for t in both), *(t.odds.by["80"].isoformat(timespec="minutes") for t in both),
                *(t.odds.in_time for t in both), *(t.hours for t in both), *(t.filament_g for t in both),
            )
        )
    )  # fmt: skip


def _changed(build: Build, now: Asked, plates: tuple[Plate, ...], given: WhatIfAll) -> Asked:
    if given.printer is not None:
        like = Printer.objects.filter(pk=given.printer, active=True).first()
        if like is None:
            raise RecipeProblem("There is no such printer in the shop. Choose one that is.", "printer")
        return with_another(now, like.name)
    if given.layer_mm is not None:
        if given.layer_mm not in LAYER_HEIGHTS_MM:
            raise RecipeProblem(f"Layer heights that can be tried: {', '.join(f'{h:g}' for h in LAYER_HEIGHTS_MM)} mm.", "layer_mm")
        return scaled(now, plates, floor.layer_ratios(build, given.layer_mm))
    return without(now, plates, set(given.without))


def _plate(build: Build, plate_id: str) -> Plate:
    plates, _, _ = floor.plates_of(build)
    found = next((p for p in plates if p.id == plate_id), None)
    if found is None:
        raise Http404("This plate is not there any more: it was laid anew, or is printed.")
    return found


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
        warm.ask(quick.write_plates, [(plate, printer.core())], _prints(), Path(made))
        answer = HttpResponse((Path(made) / file_name(plate)).read_bytes(), content_type="model/3mf")
    answer["Content-Disposition"] = f'attachment; filename="{file_name(plate)}"'
    return answer


@extend_schema(responses={(200, "application/pdf"): OpenApiTypes.BINARY})
@api_view(["GET"])
def labels(request, pk: int) -> HttpResponse:
    """A sheet for each plate and a label for each part, as PDF."""
    build = build_of(pk)
    plates, _, _ = floor.plates_of(build)
    if not plates:
        raise NotYet(_NO_PLATES)
    answer = HttpResponse(_labels(build, plates), content_type="application/pdf")
    answer["Content-Disposition"] = f'attachment; filename="{part_name(build.name)}-labels.pdf"'
    return answer


def _labels(build: Build, plates: tuple[Plate, ...]) -> bytes:
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
        # Meshes are read and written where no page waits for the interpreter.
        warm.ask(quick.write_plates, [(p, printers[p.printer]) for p in plates], _prints(), Path(made), timeout_s=_MOST_S)
        for path in sorted(Path(made).iterdir()):
            zipped.write(path, f"plates/{path.name}")
        if plates:
            zipped.writestr("labels.pdf", _labels(build, plates))
        if left:
            zipped.writestr("not-here.txt", "Not computed to the end yet: " + ", ".join(left) + "\n")
    packed.seek(0)
    return FileResponse(packed, as_attachment=True, filename=f"{part_name(build.name)}.zip", content_type="application/zip")
