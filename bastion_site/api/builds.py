"""Builds over HTTP: the Wall of each, its suit, its joints."""

from collections import Counter
from dataclasses import dataclass
from datetime import date
from typing import Any, ClassVar

from django.db import transaction
from django.db.models import Model, Q
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.response import Response

from bastion_core.engine.keeping import plain
from bastion_core.findings import NOTHING, Quantity, say
from bastion_core.fit.recipe import FitRecipe
from bastion_core.fit.scale import check_scale, in_percent, scale_by_stature
from bastion_core.fit.suit import SuitPiece, suit_table
from bastion_core.print.recipe import PrintRecipe
from bastion_site.api.present import cells, row, shown_result, states, step_records, step_ref
from bastion_site.api.records import BuildLine, BuildRecord, JobRecord, Motion, StationRecord, Steps, Suit, SuitLine, Wall
from bastion_site.api.steps import StepSerializer, by_whom, go_and_refresh
from bastion_site.builds.files import drop_source
from bastion_site.builds.models import Build, Draft, Piece
from bastion_site.engine.cases import SCANS, WITH, build_graph, graphs_of, worn_pieces
from bastion_site.engine.deciding import keep, next_redo, next_undo, reason, redo, undo
from bastion_site.engine.queue import stop_job
from bastion_site.engine.refresh import refresh_many, refresh_motion
from bastion_site.engine.sweep import sweep
from bastion_site.engine.totals import build_calendar
from bastion_site.jobs.models import Job
from bastion_site.wire import asked, question, wire

_STEPS_SHOWN, _OUTLINES = 200, 14


def _as_json(value: Any) -> Any:
    """A checked value as steps keep it."""
    if isinstance(value, date):
        return value.isoformat()
    return value.pk if isinstance(value, Model) else value


class BuildSerializer(serializers.ModelSerializer):
    """A build as it is changed."""

    pieces = serializers.IntegerField(source="pieces.count", read_only=True)

    class Meta:
        model = Build
        fields: ClassVar = ["id", "name", "due", "wearer", "note", "archived", "pieces"]


@dataclass(frozen=True)
class ScaleAll:
    """One scale for all worn pieces."""

    factor: float


@dataclass(frozen=True)
class LayerAll:
    """One layer height for all pieces."""

    layer_mm: float


LayerAllSerializer = question(LayerAll, {"layer_mm": {"min_value": 0.04, "max_value": 0.8}})
ScaleAllSerializer = question(ScaleAll, {"factor": {"min_value": 0.3, "max_value": 3.0}})


class BuildView(viewsets.ModelViewSet):
    """Builds."""

    queryset = Build.objects.all()
    serializer_class = BuildSerializer
    http_method_names: ClassVar = ["get", "post", "patch", "delete"]

    def perform_update(self, serializer) -> None:
        given = serializer.validated_data
        with transaction.atomic():
            build = Build.objects.get(pk=serializer.instance.pk)
            before = build.wearer_id
            decided = {k: _as_json(given[k]) for k in ("name", "due", "wearer", "note") if k in given}
            if decided:
                keep([(build, decided)], reason(decided), by_whom(self.request))
            Build.objects.filter(pk=build.pk).update(archived=given.get("archived", build.archived))
        serializer.instance = Build.objects.get(pk=build.pk)
        if build.wearer_id != before:
            refresh_many(build.pieces.all(), "another wearer")

    def perform_destroy(self, instance) -> None:
        of_pieces = Q(piece__build=instance) | Q(draft__piece__build=instance)
        for job in Job.objects.filter(of_pieces, state__in=Job.ACTIVE) | instance.jobs.filter(state__in=Job.ACTIVE):
            stop_job(job)
        files = {mesh for p in instance.pieces.select_related("mesh") for mesh in p.sources}
        instance.delete()
        for mesh in files:
            drop_source(mesh)
        sweep()

    @extend_schema(responses=wire(BuildLine)(many=True))
    @action(detail=False, pagination_class=None)
    def lines(self, request):
        """Every build as the list of builds shows it."""
        return Response([_line(build) for build in self.queryset.select_related("wearer")])

    @extend_schema(responses=wire(Wall))
    @action(detail=True)
    def wall(self, request, pk=None):
        """Everything the Wall shows, in one answer."""
        build = self.get_object()
        pieces = list(build.pieces.select_related(*WITH).prefetch_related(*SCANS))
        jobs = latest_jobs([p.id for p in pieces])
        drafts = Counter(Draft.objects.filter(piece__build=build).values_list("piece", flat=True))
        due = build.due.isoformat() if build.due else None
        record = BuildRecord(build.id, build.name, due, build.wearer_id, build.note, build.archived, len(pieces))
        return Response(
            {
                "build": plain(record),
                "stations": plain(StationRecord.all()),
                "rows": [plain(row(g, jobs.get(g.piece.id), drafts[g.piece.id])) for g in graphs_of(pieces)],
                "calendar": build_calendar(build, pieces=pieces),
                "undo": plain(step_ref(next_undo(build))),
                "redo": plain(step_ref(next_redo(build))),
            }
        )

    @extend_schema(responses=wire(Steps))
    @action(detail=True)
    def steps(self, request, pk=None):
        """What was decided in this build, newest first."""
        build = self.get_object()
        return Response(plain(Steps(step_records(build, _STEPS_SHOWN), step_ref(next_undo(build)), step_ref(next_redo(build)))))

    @extend_schema(request=StepSerializer, responses=wire(Steps))
    @action(detail=True, methods=["post"])
    def undo(self, request, pk=None):
        """Take the last change in this build back; names it. 409 when it is another by now."""
        go_and_refresh(undo, "undoing", self.get_object(), request)
        return self.steps(request, pk)

    @extend_schema(request=StepSerializer, responses=wire(Steps))
    @action(detail=True, methods=["post"])
    def redo(self, request, pk=None):
        """Make the change in this build again that was taken back last."""
        go_and_refresh(redo, "redoing", self.get_object(), request)
        return self.steps(request, pk)

    @extend_schema(responses=wire(Suit))
    @action(detail=True)
    def suit(self, request, pk=None):
        """All pieces beside each other: wanted and chosen scale, proportion, walls, and what is wrong with them."""
        return Response(plain(suit(self.get_object())))

    @extend_schema(request=ScaleAllSerializer, responses=wire(Suit))
    @action(detail=True, methods=["post"], url_path="scale-all")
    def scale_all(self, request, pk=None):
        """Scale all worn pieces by one factor."""
        build, factor = self.get_object(), asked(ScaleAllSerializer, request.data)["factor"]
        check_scale((factor, factor, factor))
        ids = [p.id for p in worn_pieces(build)]
        with transaction.atomic():
            pieces = list(Piece.objects.select_related("build").filter(id__in=ids))
            keep([(p, {"scale": [factor, factor, factor]}) for p in pieces], say("all pieces to {}", in_percent(factor)), by_whom(request))
        refresh_many(Piece.objects.filter(id__in=ids), "the suit's factor")
        return Response(plain(suit(build)))

    @extend_schema(request=LayerAllSerializer, responses=wire(Steps))
    @action(detail=True, methods=["post"], url_path="layer-all")
    def layer_all(self, request, pk=None):
        """Print all pieces with one layer height."""
        build, layer = self.get_object(), asked(LayerAllSerializer, request.data)["layer_mm"]
        with transaction.atomic():
            pieces = list(Piece.objects.select_related("build").filter(build=build))
            keep(
                [(p, {"layer_mm": layer}) for p in pieces], say("layers of all pieces to {}", Quantity((layer,), "mm", 2)), by_whom(request)
            )
        refresh_many(build.pieces.all(), "the layer height of all pieces")
        return self.steps(request, pk)

    @extend_schema(methods=["get"], responses=wire(Motion))
    @extend_schema(methods=["post"], request=None, responses=wire(Motion))
    @action(detail=True, methods=["get", "post"])
    def motion(self, request, pk=None):
        """Every joint of the wearer with the pieces on: how far it goes before two of them meet. POST has it computed."""
        build = self.get_object()
        if request.method == "POST":
            refresh_motion(build)
        return Response(motion(build))


def _line(build: Build) -> dict:
    """How a build stands: by the kept results of its pieces, so that a list of many is quick."""
    pieces = list(build.pieces.select_related(*WITH).prefetch_related(*SCANS))
    jobs, graphs = latest_jobs([p.pk for p in pieces]), graphs_of(pieces)
    worst_of = Counter(str(max(cell.verdict for cell in cells(g, jobs.get(g.piece.pk)).values())) for g in graphs)
    outlines = [fit.silhouette for g in graphs[:_OUTLINES] if (fit := shown_result(g, "fit")) is not None]
    due, wearer = build.due.isoformat() if build.due else None, build.wearer.name if build.wearer else ""
    record = BuildLine(build.pk, build.name, due, wearer, build.archived, len(pieces), dict(worst_of), tuple(outlines))
    return plain(record) | {"calendar": build_calendar(build) | {"slots": []}}


def latest_jobs(piece_ids) -> dict[int, Job]:
    """The newest job of each piece."""
    return {job.piece_id: job for job in Job.objects.filter(piece_id__in=piece_ids).order_by("id")}


def suit(build: Build) -> Suit:
    """First guess from the statures, and a row for each worn piece."""
    graphs = graphs_of(worn_pieces(build))
    jobs = latest_jobs([g.piece.id for g in graphs])
    fits = {g.piece.id: shown_result(g, "fit") for g in graphs}
    pieces = [
        SuitPiece(
            p.id, p.name, p.site, p.side, max(f.scale), f.least_scale, f.wall_mm, p.of(PrintRecipe).walls, p.of(FitRecipe).made_for_mm
        )
        for g in graphs
        if (p := g.piece) and (f := fits[p.id])
    ]
    lines = {line.id: line for line in suit_table(pieces)}
    listed = []
    for graph in graphs:
        p, f = graph.piece, fits[graph.piece.id]
        line, state = lines.get(p.id), states(graph, jobs.get(p.id))["fit"]
        if f is None or line is None:
            listed.append(SuitLine(p.id, p.name, p.site, "waits", state, None, None, None, None, None, None, ()))
        else:
            listed.append(
                SuitLine(
                    p.id, p.name, p.site, f.verdict, state, f.least_scale, max(f.scale), f.room_mm, f.probability, line.ratio, f.wall_mm,
                    line.issues,
                )
            )  # fmt: skip
    factor, reason = None, say("the build has no pieces yet")
    first = build.pieces.first()
    if first is not None:
        stature = build.wearer.measurements.get("stature_mm") if build.wearer else None
        guess, reason = scale_by_stature(stature, first.of(FitRecipe).made_for_mm)
        factor = guess if stature else None
    return Suit(factor, reason, tuple(listed))


def motion(build: Build) -> dict:
    """A build's joints as they are known now."""
    graph, left_out = build_graph(build)
    inputs, job = graph.inputs("motion"), build.jobs.filter(kind=Job.Kind.MOTION).first()
    known = graph.found("motion")
    waits = getattr(inputs, "said", NOTHING)
    record = Motion(states(graph, job)["motion"], waits, JobRecord.of(job), (), tuple(left_out))
    return plain(record) | ({"contacts": graph.store.data(known.ref)["contacts"]} if known else {})
