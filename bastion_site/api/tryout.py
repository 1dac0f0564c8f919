"""Trying cheaply over HTTP: the gauge ring, a half-scale copy, the log of trying on."""

import tempfile
from contextlib import contextmanager
from pathlib import Path
from typing import ClassVar

from django.conf import settings
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.parsers import FormParser
from rest_framework.response import Response

from bastion_core.engine.keeping import plain, whole
from bastion_core.fit.gauge import RING_MM, tight_height
from bastion_core.fit.recipe import FitRecipe
from bastion_core.join.trying import Tried
from bastion_core.pieces.standing import SOLID
from bastion_core.print.recipe import PrintRecipe
from bastion_core.takeaway import part_name
from bastion_site.api.files import sent
from bastion_site.api.pieces import numbers
from bastion_site.api.present import shown_result
from bastion_site.api.records import Gauge, Put
from bastion_site.api.uploads import Uploads
from bastion_site.builds.files import keep_photo
from bastion_site.builds.models import Piece, TestFit
from bastion_site.engine import quick
from bastion_site.engine.cases import WITH, PieceGraph, graph_of
from bastion_site.engine.process import warm
from bastion_site.errors import NotYet
from bastion_site.wire import asked, question, wire

RING = [OpenApiParameter("at_mm", float), OpenApiParameter("height_mm", float)]


class TestFitSerializer(serializers.ModelSerializer):
    """A piece was tried on."""

    picture = serializers.FileField(write_only=True, required=False)
    predicted = serializers.DictField(read_only=True)

    class Meta:
        model = TestFit
        fields: ClassVar = ["id", "day", "felt", "where", "action", "photo", "predicted", "picture"]
        read_only_fields: ClassVar = ["photo"]


PutSerializer = question(Put)


class TryOutView(viewsets.GenericViewSet):
    """What is made of a piece to try it by."""

    queryset = Piece.objects.select_related(*WITH)
    http_method_names: ClassVar = ["get", "post"]

    @extend_schema(responses={(200, "model/stl"): OpenApiTypes.BINARY}, parameters=RING)
    @action(detail=True, url_path="gauge-ring")
    def gauge_ring(self, request, pk=None):
        """A slice at true size to try on, as STL; what it takes stands in the answer's headers."""
        with _ring(self.get_object(), request) as (ring, path):
            return sent(path, headers={"X-Minutes": f"{ring.minutes:.1f}", "X-Grams": f"{ring.filament_g:.1f}"})

    @extend_schema(responses=wire(Gauge), parameters=RING)
    @action(detail=True, url_path="gauge-ring/takes")
    def gauge_ring_takes(self, request, pk=None):
        """Minutes, grams and size of the ring, before it is downloaded."""
        with _ring(self.get_object(), request) as (ring, _):
            return Response(plain(ring))

    @extend_schema(responses={(200, "model/stl"): OpenApiTypes.BINARY})
    @action(detail=True, url_path="half-scale")
    def half_scale(self, request, pk=None):
        """The whole piece at half its size, for trying a mechanism in any leftover colour."""
        graph = graph_of(self.get_object())
        standing, scale = _fitted(graph)
        with tempfile.TemporaryDirectory(prefix="bastion-") as made:
            path = Path(made) / f"{part_name(graph.piece.name)}-half.stl"
            warm.ask(quick.write_half_scale, standing, _solid(graph), scale, str(path))
            return sent(path)

    @extend_schema(request=PutSerializer, responses=wire(Tried))
    @action(detail=True, methods=["post"], url_path="seam-place", pagination_class=None)
    def seam_place(self, request, pk=None):
        """Where a fastener goes when it is put somewhere on its seam. Nothing is decided by it."""
        graph = graph_of(self.get_object())
        if graph.found("join") is None:
            raise NotYet("The joints of this piece are not computed yet. Wait for it, and move them then.")
        put = asked(PutSerializer, request.data)
        at = whole(tuple[float, float, float], put["at_mm"])
        inputs, store = graph.inputs("join"), graph.store
        pieces = inputs.shaped.standing.piece
        passed = quick.Passed(
            settings.MEDIA_ROOT / "derived", {pieces: store.find(pieces)}, {ref: store.data(ref) for ref in (pieces, inputs.cut)}
        )
        tried = warm.ask(quick.try_seam, passed, inputs, graph.data("join"), put["seam"], put["index"], at)
        return Response(plain(tried))

    @extend_schema(methods=["get"], responses=TestFitSerializer(many=True))
    @extend_schema(methods=["post"], request={"multipart/form-data": TestFitSerializer}, responses={201: TestFitSerializer})
    @action(detail=True, methods=["get", "post"], url_path="test-fits", pagination_class=None, parser_classes=[Uploads, FormParser])
    def test_fits(self, request, pk=None):
        """The log of trying the piece on."""
        piece = self.get_object()
        if request.method == "GET":
            return Response(TestFitSerializer(piece.test_fits.all(), many=True).data)
        reading = TestFitSerializer(data=request.data)
        reading.is_valid(raise_exception=True)
        given = dict(reading.validated_data)
        picture = given.pop("picture", None)
        fit = shown_result(graph_of(piece), "fit")
        predicted = {k: plain(getattr(fit, k)) for k in ("verdict", "room_mm", "probability", "scale")} if fit else {}
        predicted |= {"reason": str(fit.reason)} if fit else {}
        made = TestFit.objects.create(piece=piece, predicted=predicted, photo=keep_photo(picture) if picture else "", **given)
        return Response(TestFitSerializer(made).data, status=201)


def _fitted(graph: PieceGraph):
    """How a fitted piece stands, and its scale; NotYet when it is not fitted."""
    if graph.found("fit") is None:
        raise NotYet("This piece is not fitted yet. Wait for it, and take it then.")
    return graph.inputs("fit").standing, graph.result("fit").scale


def _solid(graph: PieceGraph) -> str:
    return str(graph.store.folder(graph.inputs("fit").standing.piece) / SOLID)


@contextmanager
def _ring(piece: Piece, request):
    """The ring's figures and its file, which is gone afterwards."""
    graph = graph_of(piece)
    standing, scale = _fitted(graph)
    at, height = numbers(request, "at_mm", "height_mm")
    answer = graph.data("fit").answer
    if at is None:
        at = tight_height(answer, graph.result("fit").size_mm[2])
    printers = graph.case.shop.chosen()
    with tempfile.TemporaryDirectory(prefix="bastion-") as made:
        path = Path(made) / f"{part_name(piece.name)}-gauge-ring.stl"
        turn, profile = answer.turn_deg if answer else piece.of(FitRecipe).turn_deg, piece.of(PrintRecipe).profile()
        figures = warm.ask(
            quick.write_gauge_ring, standing, _solid(graph), scale, turn, at, RING_MM if height is None else height,
            printers[0] if printers else None, profile, str(path),
        )  # fmt: skip
        yield Gauge(*figures), path
