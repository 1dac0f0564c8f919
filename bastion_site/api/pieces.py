"""Pieces over HTTP: in as a file, then decisions that are changed step by step."""

from dataclasses import dataclass
from typing import ClassVar

from django.db import transaction
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import mixins, serializers, viewsets
from rest_framework.decorators import action
from rest_framework.parsers import FormParser
from rest_framework.response import Response

from bastion_core.cut.recipe import CutRecipe
from bastion_core.engine.keeping import plain
from bastion_core.errors import RecipeProblem
from bastion_core.finish.recipe import FinishRecipe
from bastion_core.fit.curve import filament_at, from_curve
from bastion_core.fit.layers import pad_of
from bastion_core.fit.sites import guess_site
from bastion_core.join.recipe import JoinRecipe
from bastion_core.measure.table import SITES
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.sets import SetFile, called
from bastion_core.recipes import begin_all, write_all
from bastion_site.api.drafts import DraftSerializer, tried
from bastion_site.api.present import detail, draft_record, shown_result
from bastion_site.api.records import Detail, DraftRecord, WhatIf
from bastion_site.api.rows import check_rows
from bastion_site.api.steps import StepSerializer, by_whom, go_and_refresh
from bastion_site.api.uploads import Uploads
from bastion_site.builds.files import drop_source, keep_model, keep_photo
from bastion_site.builds.models import Build, Piece
from bastion_site.engine.cases import WITH, PieceGraph, drafts_of, graph_of, graphs_of
from bastion_site.engine.deciding import keep, mirrored_seat, reason, redo, undo, with_twin
from bastion_site.engine.drafts import begin
from bastion_site.engine.queue import queue_job, stop_job
from bastion_site.engine.refresh import refresh
from bastion_site.engine.sweep import sweep
from bastion_site.errors import Changed, NotYet
from bastion_site.jobs.models import Job
from bastion_site.shop.models import shop_today
from bastion_site.wire import Decided, asked, labels_of_decisions, question, wire


@dataclass(frozen=True)
class Change(Decided):
    """Decisions to change, and the version of the piece they were made against."""

    name: str = ""
    note: str = ""
    wearer: int | None = None
    version: int = 0


ChangeSerializer = question(
    Change,
    labels_of_decisions() | {"name": {"max_length": 80}, "note": {"max_length": 20_000, "allow_blank": True}, "version": {"min_value": 0}},
)


class UploadSerializer(serializers.Serializer):
    """A model file, and what is known of it."""

    build = serializers.PrimaryKeyRelatedField(queryset=Build.objects.all())
    file = serializers.FileField(allow_empty_file=True)
    name = serializers.CharField(required=False, max_length=80)
    site = serializers.ChoiceField(choices=[(s, s) for s in SITES], required=False)
    side = serializers.ChoiceField(choices=[(s, s) for s in ("left", "right")], required=False, allow_blank=True)


class MoreFileSerializer(serializers.Serializer):
    """A further file of a piece, or the piece whose files it is to share."""

    file = serializers.FileField(allow_empty_file=True, required=False)
    piece = serializers.PrimaryKeyRelatedField(queryset=Piece.objects.select_related("mesh"), required=False)


class PictureSerializer(serializers.Serializer):
    """A picture."""

    file = serializers.FileField(allow_empty_file=True)


@dataclass(frozen=True)
class Added:
    """Files as the decision about a set names them."""

    files: tuple[SetFile, ...]


class PieceView(mixins.RetrieveModelMixin, mixins.DestroyModelMixin, viewsets.GenericViewSet):
    """Pieces."""

    queryset = Piece.objects.select_related(*WITH)
    serializer_class = wire(Detail)
    http_method_names: ClassVar = ["get", "post", "patch", "delete"]

    def _answer(self, piece: Piece, status: int = 200) -> Response:
        piece = self.queryset.get(pk=piece.pk)
        return Response(detail(graph_of(piece), piece.jobs.first()), status=status)

    @extend_schema(responses=wire(Detail))
    def retrieve(self, request, pk=None):
        return self._answer(self.get_object())

    @extend_schema(request={"multipart/form-data": UploadSerializer}, responses={201: wire(Detail)})
    @action(detail=False, methods=["post"], parser_classes=[Uploads, FormParser])
    def upload(self, request):
        """Take a model file in. It is looked at at once, mended and computed in the background."""
        reading = UploadSerializer(data=request.data)
        reading.is_valid(raise_exception=True)
        given = reading.validated_data
        uploaded = given["file"]
        mesh = keep_model(uploaded)
        name = given.get("name") or called(uploaded.name)
        site = given.get("site") or guess_site(name)
        side = given.get("side") or next((s for s in ("left", "right") if s in name.lower().split()), "")
        recipe = write_all(begin_all(shop_today(), site=site, side=side))
        piece = Piece.objects.create(build=given["build"], name=name, mesh=mesh, file_name=uploaded.name[:255], recipe=recipe)
        queue_job(piece, Job.Kind.PIECES)
        return self._answer(piece, 201)

    @extend_schema(request=ChangeSerializer, responses=wire(Detail))
    def partial_update(self, request, pk=None):
        """Change decisions. Names the version they were made against; 409 when it is no longer the current one."""
        piece = self.get_object()
        changes = asked(ChangeSerializer, request.data, partial=True)
        if "version" not in changes:
            raise RecipeProblem("A change has to name the version of the piece it was made against.", "version")
        version = changes.pop("version")
        check_rows(changes, piece)
        with transaction.atomic():
            piece = self.queryset.get(pk=piece.pk)
            if piece.version != version:
                raise Changed
            wanted = with_twin(piece, changes)
            keep(wanted, reason(changes), by_whom(request))
        for one, _ in wanted:
            refresh(one, reason(k for k in changes if k not in ("name", "note")))
        return self._answer(piece)

    @extend_schema(request=StepSerializer, responses=wire(Detail))
    @action(detail=True, methods=["post"])
    def undo(self, request, pk=None):
        """Take the last change of this piece back; names it, so that two windows do not take back two. 409 when it is another by now."""
        return self._went(undo, "undoing", request)

    @extend_schema(request=StepSerializer, responses=wire(Detail))
    @action(detail=True, methods=["post"])
    def redo(self, request, pk=None):
        """Make the change of this piece again that was taken back last."""
        return self._went(redo, "redoing", request)

    def _went(self, go, way: str, request) -> Response:
        piece = self.get_object()
        go_and_refresh(go, way, piece, request)
        return self._answer(piece)

    @extend_schema(responses=wire(DraftRecord)(many=True), request=DraftSerializer, methods=["GET"])
    @extend_schema(request=DraftSerializer, responses={201: wire(DraftRecord)}, methods=["POST"])
    @action(detail=True, methods=["get", "post"], pagination_class=None)
    def drafts(self, request, pk=None):
        """The changes of this piece that are tried; or one more."""
        piece = self.get_object()
        if request.method == "GET":
            return Response(plain([draft_record(g, piece) for g in graphs_of(drafts_of([piece]))]))
        change, because, _ = tried(request, piece)
        draft = begin(piece, change, because)
        return Response(plain(draft_record(graph_of(draft.as_piece()), piece)), status=201)

    def perform_destroy(self, instance) -> None:
        for job in instance.jobs.filter(state__in=Job.ACTIVE) | Job.objects.filter(draft__piece=instance, state__in=Job.ACTIVE):
            stop_job(job)
        files = instance.sources
        instance.delete()
        for mesh in files:
            drop_source(mesh)
        sweep()

    @extend_schema(request={"multipart/form-data": MoreFileSerializer}, responses={201: wire(Added)})
    @action(detail=True, methods=["post"], parser_classes=[Uploads, FormParser])
    def files(self, request, pk=None):
        """Add a file to a piece, sent or another piece's, so that its decisions can name it. Changes nothing yet."""
        piece = self.get_object()
        reading = MoreFileSerializer(data=request.data)
        reading.is_valid(raise_exception=True)
        uploaded, other = reading.validated_data.get("file"), reading.validated_data.get("piece")
        if (uploaded is None) == (other is None):
            raise RecipeProblem("Send a file, or name another piece whose files are to be added.", "file")
        if other is not None:
            piece.more_files.add(*other.sources)
            return Response(plain(Added(other.made_of)), status=201)
        mesh = keep_model(uploaded)
        piece.more_files.add(mesh)
        return Response(plain(Added((SetFile(mesh.sha256, called(uploaded.name)),))), status=201)

    @extend_schema(request={"multipart/form-data": PictureSerializer}, responses=wire(Detail), methods=["POST"])
    @extend_schema(request=None, responses=wire(Detail), methods=["DELETE"])
    @action(detail=True, methods=["post", "delete"], parser_classes=[Uploads, FormParser])
    def picture(self, request, pk=None):
        """Keep a picture of what the piece is to look like; or take it away."""
        piece = self.get_object()
        if request.method == "POST":
            reading = PictureSerializer(data=request.data)
            reading.is_valid(raise_exception=True)
            piece.picture = keep_photo(reading.validated_data["file"])
        else:
            piece.picture = ""
        piece.save(update_fields=["picture"])
        return self._answer(piece)

    @extend_schema(request=None, responses={201: wire(Detail)})
    @action(detail=True, methods=["post"])
    def mirror(self, request, pk=None):
        """The other side of a pair: same file, same decisions, mirrored left to right."""
        piece = self.get_object()
        other = {"left": "right", "right": "left"}.get(piece.side, "")
        name = piece.name.replace(piece.side, other).replace(piece.side.title(), other.title()) if other else piece.name
        copy = Piece(
            build=piece.build, note=piece.note, mirror_of=piece, mesh=piece.mesh, file_name=piece.file_name, wearer=piece.wearer,
            name=name if name != piece.name else f"{piece.name} mirrored"[:80], recipe=piece.recipe,
        )  # fmt: skip
        cuts = piece.of(CutRecipe).cuts
        mirrored = not piece.of(PiecesRecipe).mirrored
        turned = plain(piece.of(JoinRecipe).mirrored()) | plain(piece.of(FinishRecipe).mirrored())
        copy.decide(
            side=other, mirrored=mirrored, cuts=cuts and plain(tuple(c.mirrored() for c in cuts)), **turned, **mirrored_seat(piece)
        )  # fmt: skip
        copy.save()
        copy.more_files.set(piece.more_files.all())
        refresh(self.queryset.get(pk=copy.pk))
        return self._answer(copy, 201)

    @extend_schema(request=None, responses=wire(Detail))
    @action(detail=True, methods=["post"])
    def compute(self, request, pk=None):
        """Compute again what is not fresh, after a stop or a failure."""
        piece = self.get_object()
        refresh(piece)
        return self._answer(piece)

    @extend_schema(responses=wire(WhatIf), parameters=[OpenApiParameter("scale", float), OpenApiParameter("pad_mm", float)])
    @action(detail=True, url_path="what-if")
    def what_if(self, request, pk=None):
        """Another scale or padding, answered at once from the curve of the last fit."""
        graph = graph_of(self.get_object())
        return Response(plain(what_if(graph, *numbers(request, "scale", "pad_mm"))))


def numbers(request, *names: str) -> list[float | None]:
    """Numbers out of an address; None where one is not given."""
    try:
        return [float(request.query_params[n]) if n in request.query_params else None for n in names]
    except ValueError as error:
        raise RecipeProblem(f"{' and '.join(names)} have to be numbers.") from error


def what_if(graph: PieceGraph, scale: float | None, pad_mm: float | None) -> WhatIf:
    """Another scale or padding, read off the curve."""
    fit = shown_result(graph, "fit")
    answer = graph.data("fit").answer if graph.found("fit") else None
    if fit is None or answer is None:
        raise NotYet("This piece has not been judged on a body yet.")
    head = graph.piece.site == "head"
    now_mm = pad_of(graph.inputs("fit").recipe.layers or ()) if head else 0.0
    scale = max(fit.scale) if scale is None else scale
    pad_mm = now_mm if pad_mm is None else pad_mm
    point = from_curve(answer.curve, scale, pad_mm - now_mm if head else 0.0, answer.padding)
    if point is None:
        raise RecipeProblem("That scale lies outside the curve (85 to 140 %). Set it, and it is computed.", "scale")
    now, printed = from_curve(answer.curve, max(fit.scale)), shown_result(graph, "print")
    grams = filament_at(printed.filament_g, now, point) if now and printed else None
    met = tuple(m.rule for m in answer.marks if scale >= m.scale - 1e-4)
    return WhatIf(scale, pad_mm, point.room_mm, point.wall_mm, grams, met)
