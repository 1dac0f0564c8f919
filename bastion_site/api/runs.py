"""Runs over HTTP: a plate begun, paused, done, failed, taken back; the log with what it teaches."""

import csv
import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from django.http import Http404, HttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action, api_view
from rest_framework.parsers import FormParser
from rest_framework.response import Response

from bastion_core.engine.keeping import plain, whole
from bastion_core.errors import BastionError, RecipeProblem
from bastion_core.pieces.silhouette import svg_path
from bastion_core.plates.beds import usable
from bastion_core.plates.records import Plate
from bastion_core.schedule.causes import CAUSES
from bastion_core.schedule.learn import learnt
from bastion_core.takeaway import plain_cell
from bastion_site.api.floor_records import Begin, LogBook, Pressed, RunPartRecord, RunRecord
from bastion_site.api.uploads import Uploads
from bastion_site.builds.files import keep_photo
from bastion_site.builds.models import Build
from bastion_site.engine import floor
from bastion_site.engine.refresh import refresh_calendar
from bastion_site.errors import Changed
from bastion_site.prints import logbook, watching
from bastion_site.prints.models import Run, RunPart
from bastion_site.shop.models import Printer, Shop, Spool
from bastion_site.wire import asked, question, wire

BeginSerializer = question(Begin, {"key": {"min_length": 8, "max_length": 64}})
PressedSerializer = question(
    Pressed,
    {"key": {"min_length": 8, "max_length": 64}, "kind": {"max_length": 8}, "note": {"max_length": 2000}, "cause": {"max_length": 12}},
)
_MOST = 200


def run_records(runs: Iterable[Run]) -> tuple[RunRecord, ...]:
    """Runs as the screens are told of them."""
    runs = list(runs)
    begun: dict[tuple[int | None, str], list[datetime]] = defaultdict(list)
    pieces = {p.piece_id for r in runs for p in r.parts.all()}
    for piece, part, started in RunPart.objects.filter(piece__in=pieces).values_list("piece", "part", "run__started"):
        begun[piece, part].append(started)
    return tuple(_record(r, begun) for r in runs)


def run_record(run: Run) -> RunRecord:
    """One run."""
    return run_records([run])[0]


def _record(run: Run, begun: Mapping[tuple[int | None, str], Sequence[datetime]]) -> RunRecord:
    plate = _plate(run)
    lain = {p.part: p for p in plate.parts} if plate else {}
    parts = list(run.parts.all())
    tries = max((sum(at <= run.started for at in begun[p.piece_id, p.part]) for p in parts[:1]), default=1)
    told = tuple(RunPartRecord(p.name, p.piece_id, p.good, lain[p.part].drawing if p.part in lain else "") for p in parts)
    bed, size = ("", (1.0, 1.0)) if run.printer is None else (svg_path(usable(run.printer.core(), run.printer.gantry())), (run.printer.x_mm, run.printer.y_mm))  # fmt: skip
    cause = CAUSES.get(run.cause)
    iso = lambda moment: timezone.localtime(moment).replace(tzinfo=None).isoformat(timespec="minutes")  # noqa: E731
    s = run.settings
    words = f"{run.layer_mm:g} mm, {s.get('walls', '')} walls, {100 * s.get('infill', 0):.0f} % infill, supports {s.get('support', '')}"
    return RunRecord(
        run.pk, run.name, run.printer_name, run.material, run.layer_mm, run.state, iso(run.started), iso(run.ended) if run.ended else None,
        iso(run.expected), run.told_h, run.real_h, run.hours, run.told_g, run.grams, run.cause, cause.name if cause else "", run.at_mm, run.note,
        run.photo, run.watched, run.said, run.progress, max((p.size_mm[2] for p in lain.values()), default=0.0), max(tries, 1), words, told, bed, size,
    )  # fmt: skip


def _plate(run: Run) -> Plate | None:
    try:
        return whole(Plate, run.plate)
    except BastionError:  # begun under an older version
        return None


def _time(text: str | None) -> datetime | None:
    if not text:
        return None
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise RecipeProblem(f"“{text}” is no date and time. Write it like 2027-03-01T14:30.", "at") from None
    return timezone.make_aware(moment) if timezone.is_naive(moment) else moment


@extend_schema(request=BeginSerializer, responses={201: wire(RunRecord)})
@api_view(["POST"])
def begin(request, pk: int) -> Response:
    """Begin a plate on a printer. Sent twice with one key it counts once."""
    build = Build.objects.filter(pk=pk).first()
    if build is None:
        raise Http404("There is no such build.")
    given = whole(Begin, asked(BeginSerializer, request.data))
    known = logbook.begun(given.key)
    if known is not None:
        return Response(plain(run_record(known)), status=201)
    plates, _, _ = floor.plates_of(build)
    plate = next((p for p in plates if p.id == given.plate), None)
    if plate is None:
        raise Http404("This plate is not there any more: it was laid anew, or is printed. Look at the plates again.")
    printer = Printer.objects.filter(name=given.printer, active=True).first()
    if printer is None:
        raise RecipeProblem(f"“{given.printer}” is no printer in use. Choose one of the shop’s.", "printer")
    spool = None
    if given.spool is not None:
        spool = Spool.objects.filter(pk=given.spool).first()
        if spool is None:
            raise RecipeProblem("That spool is gone from the shop. Choose another.", "spool")
    watched = printer.watched and bool(printer.address) and given.at is None
    run = logbook.start(build, plate, printer, spool, given.key, _time(given.at), watched)
    if watched:
        try:
            watching.send(run)
        except (BastionError, Changed):
            # Nothing was begun: the press may be made again, under another key.
            logbook.undo(run)
            raise
    refresh_calendar(build, f"{run.name} begun")
    return Response(plain(run_record(run)), status=201)


class RunView(viewsets.GenericViewSet):
    """Runs of plates."""

    queryset = Run.objects.select_related("printer").prefetch_related("parts")
    serializer_class = wire(RunRecord)

    @extend_schema(parameters=[OpenApiParameter("build", int), OpenApiParameter("find", str)], responses=wire(LogBook))
    @action(detail=False, pagination_class=None)
    def log(self, request):
        """The log, newest first; ``find`` looks for words in names, settings, printers, causes and notes."""
        runs = self.get_queryset()
        build = request.query_params.get("build", "")
        if build.isdecimal() and len(build) < 10:
            runs = runs.filter(build=int(build))
        records = list(run_records(runs[:_MOST]))
        for word in re.findall(r"\S+", request.query_params.get("find", "").lower()):
            records = [
                r for r in records if word in f"{r.name} {r.printer} {r.material} {r.state} {r.cause_name} {r.note} {r.settings}".lower()
            ]
        known = learnt(logbook.told(), Shop.current().planning_factor)
        log = LogBook(
            tuple(records),
            {c.key: c.name for c in CAUSES.values()},
            known.mean_pace,
            known.prior.median,
            known.grams_of("", "").median,
        )
        return Response(plain(log))

    def _run(self, pk: str) -> Run:
        run = self.get_queryset().filter(pk=pk).first() if str(pk).isdecimal() and len(str(pk)) < 10 else None
        if run is None:
            raise Http404("There is no such print in the log: its start was taken back.")
        return run

    def _told(self, run: Run, because: str) -> Response:
        refresh_calendar(run.build, because)
        return Response(plain(run_record(self._run(str(run.pk)))))

    @extend_schema(responses=wire(RunRecord))
    def retrieve(self, request, pk=None):
        """One run."""
        return Response(plain(run_record(self._run(pk))))

    @extend_schema(request=PressedSerializer, responses=wire(RunRecord))
    @action(detail=True, methods=["post"])
    def press(self, request, pk=None):
        """Pause, resume, done or failed."""
        run = self._run(pk)
        given = asked(PressedSerializer, request.data)
        at, kind, key = _time(given.pop("at")), given.pop("kind"), given.pop("key")
        pressed = logbook.press(run, kind, key, at, **given)
        if run.watched and kind in watching.TOLD:
            watching.tell(run, kind)
        return self._told(pressed, f"{run.name} {kind}")

    @extend_schema(request=None, responses=wire(RunRecord))
    @action(detail=True, methods=["post"])
    def undo(self, request, pk=None):
        """Take the last press about it back; 204 where that was its start."""
        run = self._run(pk)
        build, stands = run.build, logbook.undo(run)
        if stands is None and run.watched:
            watching.tell(run, "failed")
        if stands is None:
            refresh_calendar(build, f"{run.name} taken back")
            return Response(status=204)
        return self._told(stands, f"{run.name} taken back")

    @extend_schema(request={"multipart/form-data": {"type": "object", "properties": {"picture": {"type": "string", "format": "binary"}}}}, responses=wire(RunRecord))  # fmt: skip
    @action(detail=True, methods=["post"], parser_classes=[Uploads, FormParser])
    def picture(self, request, pk=None):
        """A photo of how it came out."""
        run = self._run(pk)
        uploaded: Any = request.data.get("picture")
        if uploaded is None or isinstance(uploaded, str):
            raise serializers.ValidationError({"picture": "Send a picture: JPEG, PNG or WebP."})
        Run.objects.filter(pk=run.pk).update(photo=keep_photo(uploaded))
        return Response(plain(run_record(self._run(pk))))


@extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
@api_view(["GET"])
def logbook_csv(request) -> HttpResponse:
    """The log as a table, for a spreadsheet."""
    answer = HttpResponse(content_type="text/csv", headers={"Content-Disposition": 'attachment; filename="log.csv"'})
    out = csv.writer(answer)
    out.writerow(
        ["started", "ended", "printer", "print", "material", "layer_mm", "state", "cause", "told_h", "real_h", "told_g", "grams", "note"]
    )
    for r in Run.objects.all():
        out.writerow(
            [r.started.isoformat(), r.ended.isoformat() if r.ended else "", plain_cell(r.printer_name), plain_cell(r.name), r.material, f"{r.layer_mm:g}",
             r.state, r.cause, f"{r.told_h:.2f}", f"{r.hours:.2f}", f"{r.told_g:.0f}", f"{r.grams:.0f}", plain_cell(r.note)]
        )  # fmt: skip
    return answer
