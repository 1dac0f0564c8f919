"""Builds and pieces over HTTP."""

import csv
import io
import json
import tempfile
import zipfile
from typing import ClassVar

from django.conf import settings
from django.db import transaction
from django.http import FileResponse, Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import mixins, serializers, viewsets
from rest_framework.decorators import action, api_view
from rest_framework.parsers import FormParser, MultiPartParser
from rest_framework.response import Response

from bastion_core.errors import FileProblem, RecipeProblem
from bastion_core.fit.answer import CurvePoint, PaddingCurve, filament_at, from_curve
from bastion_core.fit.bays import PLACES
from bastion_core.fit.gauge import RING_MM
from bastion_core.fit.layers import LAYERS, WHERES
from bastion_core.fit.scale import check_scale
from bastion_core.fit.sites import BY_NAME, WAYS_IN, guess_site
from bastion_core.formats.reading import sniff
from bastion_core.geometry.place import plane_frame
from bastion_core.printing.profile import Profile
from bastion_core.takeaway import cut_list, plan_record, sheet_html
from bastion_site.builds.calendar import build_calendar
from bastion_site.builds.chain import STATES, VERDICTS, Chain, bay_from, cut_from, layer_from, refresh
from bastion_site.builds.files import drop_source, keep_photo, keep_source
from bastion_site.builds.models import WAY_IN_CHOICES, Build, Derived, Piece, TestFit
from bastion_site.builds.present import RECIPE_FIELDS, detail, job_record, row
from bastion_site.builds.suit import moved, scale_all, suit
from bastion_site.builds.tryout import cut_gauge_ring, write_half_scale
from bastion_site.errors import Changed, NotYet, TooLarge
from bastion_site.jobs.apart import run_apart
from bastion_site.jobs.models import Job
from bastion_site.jobs.tasks import queue_job, stop_job
from bastion_site.shop.api import UsualBaySerializer
from bastion_site.shop.models import Printer, Shop, Spool


class JobSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    state = serializers.ChoiceField(choices=Job.State.choices)
    progress = serializers.FloatField()
    what = serializers.CharField()
    message = serializers.CharField()


class RemedySerializer(serializers.Serializer):
    label = serializers.CharField()
    change = serializers.DictField()


class FindingSerializer(serializers.Serializer):
    verdict = serializers.ChoiceField(choices=VERDICTS)
    text = serializers.CharField()
    remedies = RemedySerializer(many=True)


class StationSerializer(serializers.Serializer):
    state = serializers.ChoiceField(choices=STATES)
    verdict = serializers.ChoiceField(choices=VERDICTS)
    findings = FindingSerializer(many=True)


class StationsSerializer(serializers.Serializer):
    measure = StationSerializer()
    intake = StationSerializer()
    fit = StationSerializer()
    cut = StationSerializer()
    join = StationSerializer()
    print = StationSerializer()


def three(**kwargs):
    return serializers.ListField(child=serializers.FloatField(), min_length=3, max_length=3, **kwargs)


class IntakeSerializer(serializers.Serializer):
    unit = serializers.CharField()
    unit_reason = serializers.CharField()
    unit_sure = serializers.BooleanField()
    size_mm = three()
    triangles = serializers.IntegerField()
    volume_mm3 = serializers.FloatField()
    watertight = serializers.BooleanField()
    overlaps = serializers.BooleanField()
    bodies = serializers.IntegerField()
    mended = serializers.ListField(child=serializers.CharField())
    sentences = serializers.ListField(child=serializers.CharField())
    thinnest_wall_mm = serializers.FloatField(allow_null=True)


class FitSerializer(serializers.Serializer):
    scale = three()
    suggested = serializers.FloatField()
    verdict = serializers.ChoiceField(choices=VERDICTS)
    reason = serializers.CharField()
    warnings = serializers.ListField(child=serializers.CharField())
    size_mm = three()
    bounds_mm = serializers.ListField(child=three())
    room_mm = serializers.FloatField(allow_null=True)
    judged = serializers.BooleanField()
    least_scale = serializers.FloatField(allow_null=True)
    probability = serializers.FloatField(allow_null=True)


class CutSerializer(serializers.Serializer):
    parts = serializers.IntegerField()
    seams = serializers.IntegerField()
    findings = serializers.ListField(child=serializers.CharField())
    misfits = serializers.ListField(child=serializers.CharField())
    proposed = serializers.BooleanField()
    whole_fits = serializers.DictField(child=serializers.BooleanField())


class HardwareSerializer(serializers.Serializer):
    kind = serializers.CharField()
    diameter_mm = serializers.FloatField()
    length_mm = serializers.FloatField()
    count = serializers.IntegerField()


class JoinSerializer(serializers.Serializer):
    pins = serializers.IntegerField()
    seams = serializers.IntegerField()
    glued_only = serializers.IntegerField()
    warnings = serializers.ListField(child=serializers.CharField())
    hardware = HardwareSerializer(many=True)


class PrintSerializer(serializers.Serializer):
    parts = serializers.IntegerField()
    hours = serializers.FloatField()
    filament_g = serializers.FloatField()
    filament_m = serializers.FloatField()
    cost = serializers.FloatField()
    unprintable = serializers.ListField(child=serializers.CharField())


class TotalsSerializer(serializers.Serializer):
    parts = serializers.IntegerField()
    hours = serializers.FloatField()
    filament_g = serializers.FloatField()
    filament_m = serializers.FloatField()
    cost = serializers.FloatField()
    done_by = serializers.CharField(allow_null=True)
    because = serializers.CharField(required=False)


class WornBySerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    taken = serializers.IntegerField()
    of = serializers.IntegerField()


class RowSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    side = serializers.CharField()
    site = serializers.CharField()
    mirror_of = serializers.IntegerField(allow_null=True)
    version = serializers.IntegerField()
    file_name = serializers.CharField()
    wearer = WornBySerializer(allow_null=True)
    silhouette = serializers.CharField()
    bounds_mm = serializers.ListField(child=three(), allow_null=True)
    job = JobSerializer(allow_null=True)
    stations = StationsSerializer()
    intake = IntakeSerializer(allow_null=True)
    fit = FitSerializer(allow_null=True)
    cut = CutSerializer(allow_null=True)
    join = JoinSerializer(allow_null=True)
    print = PrintSerializer(allow_null=True)
    totals = TotalsSerializer(allow_null=True)
    before = TotalsSerializer(allow_null=True)
    because = serializers.CharField()


class CutPlaneSerializer(serializers.Serializer):
    id = serializers.CharField()
    point = three()
    normal = three()
    limits = serializers.ListField(child=serializers.ListField(), required=False)


class LayerSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=40)
    thickness_mm = serializers.FloatField()
    where = serializers.ChoiceField(choices=[(w, w) for w in WHERES], default="all")


class BaySerializer(serializers.Serializer):
    name = serializers.CharField(max_length=60)
    size_mm = three()
    place = serializers.ChoiceField(choices=[(p, p) for p in PLACES], required=False, allow_blank=True)
    at_mm = three(required=False, allow_null=True)
    round = serializers.BooleanField(default=False, help_text="A cylinder as wide as its first size.")


MOST_TURN_DEG = 45.0


class RecipeSerializer(serializers.ModelSerializer):
    """The decisions about a piece; a change names the version it was made against."""

    scale = three(allow_null=True, required=False)
    cuts = CutPlaneSerializer(many=True, allow_null=True, required=False)
    printer_ids = serializers.ListField(child=serializers.IntegerField(), required=False)
    pin_diameters_mm = serializers.ListField(child=serializers.FloatField(), allow_null=True, required=False)
    layers = LayerSerializer(many=True, required=False)
    bays = BaySerializer(many=True, required=False)
    shift_mm = three(required=False)
    turn_deg = three(required=False)

    class Meta:
        model = Piece
        fields: ClassVar = [*RECIPE_FIELDS, "wearer"]
        extra_kwargs: ClassVar = {
            "pad_mm": {"min_value": 0.0, "max_value": 60.0},
            "give_mm": {"min_value": 0.0, "max_value": 15.0},
            "made_for_mm": {"min_value": 500.0, "max_value": 2600.0},
            "wanted_length_mm": {"min_value": 1.0, "max_value": 10000.0},
            **{f"turn_{axis}": {"max_value": 3} for axis in "xyz"},
        }

    def validate_scale(self, value):
        if value is not None:
            check_scale(tuple(value))
        return value

    def validate_cuts(self, value):
        for record in value or []:
            plane_frame(cut_from(record).normal)
        return value

    def validate_layers(self, value):
        for record in value:
            layer_from(record)
        return [dict(r) for r in value]

    def validate_bays(self, value):
        for record in value:
            bay_from(record)
        return [dict(r) for r in value]

    def validate_shift_mm(self, value):
        if max(abs(v) for v in value) > 300:
            raise RecipeProblem("A piece was moved by more than 300 mm from its seat. Look at its site and side instead.")
        return value

    def validate_turn_deg(self, value):
        if max(abs(v) for v in value) > MOST_TURN_DEG:
            raise RecipeProblem(
                f"A piece was turned by more than {MOST_TURN_DEG:.0f}° in its seat. Stand it up otherwise under Pieces instead."
            )
        return value

    def validate_printer_ids(self, value):
        unknown = set(value) - set(Printer.objects.filter(active=True).values_list("id", flat=True))
        if unknown:
            raise RecipeProblem("A printer was chosen that the shop no longer has. Choose again.")
        return value

    def validate(self, attrs):
        known = self.instance
        profile = {k: attrs.get(k, getattr(known, k) if known else None) for k in ("layer_mm", "walls", "infill", "material")}
        if all(v is not None for v in profile.values()):
            Profile(**profile)
        return attrs


class ChangeSerializer(RecipeSerializer):
    version = serializers.IntegerField(write_only=True)

    class Meta(RecipeSerializer.Meta):
        fields: ClassVar = [*RecipeSerializer.Meta.fields, "version"]


class UsualSerializer(serializers.Serializer):
    worn = serializers.BooleanField()
    way_in = serializers.CharField(allow_blank=True)


class FilesSerializer(serializers.Serializer):
    fit = serializers.CharField(allow_null=True)
    preview = serializers.CharField(allow_null=True)
    parts = serializers.CharField(allow_null=True)


class InsideSerializer(serializers.Serializer):
    height_mm = serializers.FloatField()
    centre_mm = serializers.ListField(child=serializers.FloatField())
    breadth_mm = serializers.FloatField()
    length_mm = serializers.FloatField()
    outline_mm = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
    seen = serializers.FloatField()


class HeadSerializer(serializers.Serializer):
    inside = InsideSerializer()
    needed_breadth_mm = serializers.FloatField()
    needed_length_mm = serializers.FloatField()
    needed_scale = serializers.FloatField()
    bare_scale = serializers.FloatField()
    inside_breadth_mm = serializers.FloatField()
    inside_length_mm = serializers.FloatField()
    room_sides_mm = serializers.FloatField()
    room_front_back_mm = serializers.FloatField()


class PointsField(serializers.ListField):
    """Points or rows of numbers."""

    child = serializers.ListField(child=serializers.FloatField())


class RoomSerializer(serializers.Serializer):
    least_mm = serializers.FloatField(allow_null=True)
    where = serializers.CharField()
    at_mm = three()
    p05_mm = serializers.FloatField(allow_null=True)
    median_mm = serializers.FloatField(allow_null=True)
    touching = serializers.FloatField()
    open = serializers.FloatField()


class RingSerializer(serializers.Serializer):
    at_mm = serializers.FloatField()
    body = serializers.CharField()
    body_mm = serializers.ListField(child=serializers.FloatField())
    piece_mm = serializers.ListField(child=serializers.FloatField())
    outline_mm = PointsField()
    body_outline_mm = PointsField()
    clear_mm = serializers.FloatField()
    tilt_deg = serializers.FloatField()


class WayInSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(choices=WAY_IN_CHOICES)
    passes = serializers.BooleanField()
    least_mm = serializers.FloatField(allow_null=True)
    ring = RingSerializer(allow_null=True)
    needs_scale = serializers.FloatField(allow_null=True)
    reason = serializers.CharField()
    opening_deg = serializers.FloatField(allow_null=True)
    hinge = serializers.CharField(allow_blank=True)


class BayFitSerializer(serializers.Serializer):
    name = serializers.CharField()
    size_mm = three()
    place = serializers.CharField()
    centre_mm = three()
    room_body_mm = serializers.FloatField()
    room_shell_mm = serializers.FloatField()
    fits = serializers.BooleanField()
    needs_scale = serializers.FloatField(allow_null=True)
    text = serializers.CharField()
    free_at = serializers.CharField(allow_blank=True)


class BendSerializer(serializers.Serializer):
    what = serializers.CharField()
    needs_girth_mm = serializers.FloatField()
    room_mm = serializers.FloatField()
    where = serializers.CharField()


class SightSerializer(serializers.Serializer):
    left_deg = serializers.FloatField()
    right_deg = serializers.FloatField()
    up_deg = serializers.FloatField()
    down_deg = serializers.FloatField()
    share = serializers.FloatField()
    solid_angle_sr = serializers.FloatField()
    grid = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))
    side_range_deg = serializers.ListField(child=serializers.FloatField())
    up_range_deg = serializers.ListField(child=serializers.FloatField())


class CurvePointSerializer(serializers.Serializer):
    scale = serializers.FloatField()
    room_mm = serializers.FloatField()
    wall_mm = serializers.FloatField(allow_null=True)
    volume_mm3 = serializers.FloatField()


class MarkSerializer(serializers.Serializer):
    rule = serializers.CharField()
    scale = serializers.FloatField()


class BetterSerializer(serializers.Serializer):
    key = serializers.CharField()
    name = serializers.CharField()
    from_probability = serializers.FloatField()
    to_probability = serializers.FloatField()
    guessed = serializers.BooleanField()
    reason = serializers.CharField()


class MeetingSerializer(serializers.Serializer):
    """How far a joint goes before two things meet; an id of 0 is the body itself."""

    joint = serializers.CharField()
    side = serializers.CharField(allow_blank=True)
    stays_id = serializers.IntegerField()
    goes_id = serializers.IntegerField()
    stays = serializers.CharField()
    goes = serializers.CharField()
    reaches_deg = serializers.FloatField()
    needs_deg = serializers.FloatField()
    usual_deg = serializers.FloatField()
    meets = serializers.BooleanField()
    gap_mm = serializers.FloatField()
    verdict = serializers.ChoiceField(choices=VERDICTS)
    text = serializers.CharField()


class MeetingDrawingSerializer(serializers.Serializer):
    """Both from the side the joint is seen best from: SVG paths in mm."""

    stays = serializers.CharField()
    rests = serializers.CharField()
    reached = serializers.CharField()
    pivot = serializers.ListField(child=serializers.FloatField())
    box = serializers.ListField(child=serializers.FloatField())


class DrawnMeetingSerializer(MeetingSerializer):
    tightest = serializers.BooleanField(help_text="Whether this joint meets nothing sooner.")
    drawing = MeetingDrawingSerializer(allow_null=True)


class MovedSerializer(serializers.Serializer):
    waits = serializers.CharField(allow_blank=True)
    meetings = DrawnMeetingSerializer(many=True)
    left_out = serializers.ListField(child=serializers.CharField(), help_text="Pieces not judged yet, or worn by somebody else.")


class AnswerSerializer(serializers.Serializer):
    """Everything known of a piece on its wearer."""

    site = serializers.CharField()
    offset_mm = three()
    middle_mm = three()
    low_mm = serializers.FloatField(help_text="Height of the placed piece's lower edge.")
    tight_mm = serializers.FloatField()
    room = RoomSerializer()
    way_in = WayInSerializer()
    bays = BayFitSerializer(many=True)
    bend = BendSerializer(allow_null=True)
    crease = MeetingSerializer(allow_null=True)
    crease_drawing = MeetingDrawingSerializer(allow_null=True)
    sight = SightSerializer(allow_null=True)
    curve = CurvePointSerializer(many=True)
    marks = MarkSerializer(many=True)
    least_scale = serializers.FloatField(allow_null=True)
    probability = serializers.FloatField(allow_null=True)
    measure_next = BetterSerializer(many=True)


class SectionSerializer(serializers.Serializer):
    at_mm = serializers.FloatField()
    shell = serializers.ListField(child=PointsField())
    body = PointsField()


class FitDataSerializer(serializers.Serializer):
    head = HeadSerializer(allow_null=True)
    answer = AnswerSerializer(allow_null=True)
    sections = SectionSerializer(many=True)


class PartSerializer(serializers.Serializer):
    name = serializers.CharField()
    size_mm = three()
    centre_mm = three()
    volume_mm3 = serializers.FloatField()
    fits = serializers.ListField(child=serializers.CharField())


class CutDataSerializer(serializers.Serializer):
    cuts = CutPlaneSerializer(many=True)
    parts = PartSerializer(many=True)


class PinSerializer(serializers.Serializer):
    kind = serializers.CharField()
    diameter_mm = serializers.FloatField()
    depth_mm = serializers.FloatField()
    clearance_mm = serializers.FloatField()
    position_mm = three()
    axis = three()


class SpotSerializer(serializers.Serializer):
    x = serializers.FloatField()
    y = serializers.FloatField()
    radius_mm = serializers.FloatField()


class SeamSerializer(serializers.Serializer):
    parts = serializers.ListField(child=serializers.CharField())
    cut = serializers.CharField()
    area_mm2 = serializers.FloatField()
    advice = serializers.CharField()
    joints = PinSerializer(many=True)
    face = serializers.CharField()
    box = serializers.ListField(child=serializers.FloatField())
    spots = SpotSerializer(many=True)


class JoinDataSerializer(serializers.Serializer):
    seams = SeamSerializer(many=True)
    parts = serializers.ListField(child=serializers.CharField())


class OnPrinterSerializer(serializers.Serializer):
    hours = serializers.FloatField()
    filament_g = serializers.FloatField()
    support_g = serializers.FloatField()
    layers = serializers.IntegerField()
    hours_by = serializers.DictField(child=serializers.FloatField())


class PrintPartSerializer(serializers.Serializer):
    name = serializers.CharField()
    size_mm = three()
    printer = serializers.CharField(allow_null=True)
    filament_g = serializers.FloatField(allow_null=True)
    filament_m = serializers.FloatField(allow_null=True)
    hours = serializers.FloatField(allow_null=True)
    support_g = serializers.FloatField(allow_null=True)
    on = serializers.DictField(child=OnPrinterSerializer())
    picture = serializers.CharField()
    footprint = serializers.CharField()


class SweepSerializer(serializers.Serializer):
    layer_mm = serializers.FloatField()
    hours = serializers.FloatField()
    filament_g = serializers.FloatField()


class PrintDataSerializer(serializers.Serializer):
    parts = PrintPartSerializer(many=True)
    sweep = SweepSerializer(many=True)


class DetailSerializer(RowSerializer):
    build = serializers.IntegerField()
    note = serializers.CharField()
    recipe = RecipeSerializer()
    fit_data = FitDataSerializer(allow_null=True)
    cut_data = CutDataSerializer(allow_null=True)
    join_data = JoinDataSerializer(allow_null=True)
    print_data = PrintDataSerializer(allow_null=True)
    silhouette_side = serializers.CharField()
    files = FilesSerializer()
    usual = UsualSerializer()


class SlotSerializer(serializers.Serializer):
    piece = serializers.IntegerField()
    part = serializers.CharField()
    printer = serializers.CharField()
    start = serializers.CharField()
    end = serializers.CharField()


class CalendarSerializer(serializers.Serializer):
    begin = serializers.CharField()
    done_by = serializers.CharField(allow_null=True)
    days_late = serializers.IntegerField(allow_null=True)
    missing = serializers.ListField(child=serializers.CharField())
    machine_h = serializers.FloatField()
    slots = SlotSerializer(many=True)


class BuildSerializer(serializers.ModelSerializer):
    pieces = serializers.IntegerField(source="pieces.count", read_only=True)

    class Meta:
        model = Build
        fields: ClassVar = ["id", "name", "due", "wearer", "note", "archived", "pieces"]


class WallSerializer(serializers.Serializer):
    build = BuildSerializer()
    rows = RowSerializer(many=True)
    calendar = CalendarSerializer()


class SuitRowSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    site = serializers.CharField()
    verdict = serializers.ChoiceField(choices=VERDICTS)
    state = serializers.ChoiceField(choices=STATES)
    wanted = serializers.FloatField(allow_null=True)
    chosen = serializers.FloatField(allow_null=True)
    room_mm = serializers.FloatField(allow_null=True)
    probability = serializers.FloatField(allow_null=True)
    ratio = serializers.FloatField(allow_null=True)
    wall_mm = serializers.FloatField(allow_null=True)
    complaints = serializers.ListField(child=serializers.CharField())


class SuitSerializer(serializers.Serializer):
    factor = serializers.FloatField(allow_null=True)
    reason = serializers.CharField()
    rows = SuitRowSerializer(many=True)


class ScaleAllSerializer(serializers.Serializer):
    factor = serializers.FloatField(min_value=0.3, max_value=3.0)


class BuildView(viewsets.ModelViewSet):
    """Builds, and the Wall of each."""

    queryset = Build.objects.all()
    serializer_class = BuildSerializer
    http_method_names: ClassVar = ["get", "post", "patch", "delete"]

    def perform_update(self, serializer) -> None:
        before = self.get_object().wearer_id
        build = serializer.save()
        if build.wearer_id != before:
            for piece in build.pieces.select_related("build__wearer", "wearer", "mesh"):
                refresh(piece, "another wearer")

    def perform_destroy(self, instance) -> None:
        files = {p.mesh for p in instance.pieces.select_related("mesh")}
        instance.delete()
        for mesh in files:
            drop_source(mesh)

    @extend_schema(responses=SuitSerializer)
    @action(detail=True)
    def suit(self, request, pk=None):
        """All pieces beside each other: wanted and chosen scale, proportion, walls, and who complains."""
        return Response(suit(self.get_object()))

    @extend_schema(responses=MovedSerializer)
    @action(detail=True)
    def moved(self, request, pk=None):
        """Every joint of the wearer with the pieces on: how far it goes before two of them meet."""
        return Response(moved(self.get_object()))

    @extend_schema(request=ScaleAllSerializer, responses=SuitSerializer)
    @action(detail=True, methods=["post"], url_path="scale-all")
    def scale_all(self, request, pk=None):
        """Scale all worn pieces by one factor."""
        asked = ScaleAllSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        build = self.get_object()
        scale_all(build, asked.validated_data["factor"])
        return Response(suit(build))

    @extend_schema(responses=WallSerializer)
    @action(detail=True)
    def wall(self, request, pk=None):
        """Everything the Wall shows, in one answer."""
        build = self.get_object()
        shop, printers, spools = Shop.current(), list(Printer.objects.filter(active=True)), list(Spool.objects.all())
        pieces = build.pieces.select_related("build__wearer", "wearer", "mesh")
        jobs = latest_jobs([p.id for p in pieces])
        rows = [row(p, Chain(p, shop, printers), jobs.get(p.id), spools) for p in pieces]
        return Response({"build": BuildSerializer(build).data, "rows": rows, "calendar": build_calendar(build)})


def latest_jobs(piece_ids) -> dict[int, Job]:
    """The newest job of each piece."""
    found: dict[int, Job] = {}
    for job in Job.objects.filter(piece_id__in=piece_ids).order_by("id"):
        found[job.piece_id] = job
    return found


class UploadSerializer(serializers.Serializer):
    build = serializers.PrimaryKeyRelatedField(queryset=Build.objects.all())
    file = serializers.FileField(allow_empty_file=True)
    name = serializers.CharField(required=False, max_length=80)
    site = serializers.ChoiceField(choices=Piece.SITES, required=False)
    side = serializers.ChoiceField(choices=Piece.Side.choices, required=False, allow_blank=True)


class WhatIfSerializer(serializers.Serializer):
    scale = serializers.FloatField()
    pad_mm = serializers.FloatField()
    room_mm = serializers.FloatField()
    wall_mm = serializers.FloatField(allow_null=True)
    filament_g = serializers.FloatField(allow_null=True)
    met = serializers.ListField(child=serializers.CharField())


class GaugeSerializer(serializers.Serializer):
    at_mm = serializers.FloatField()
    minutes = serializers.FloatField()
    filament_g = serializers.FloatField()
    size_mm = three()


class TestFitSerializer(serializers.ModelSerializer):
    picture = serializers.FileField(write_only=True, required=False)
    predicted = serializers.DictField(read_only=True)

    class Meta:
        model = TestFit
        fields: ClassVar = ["id", "day", "felt", "where", "action", "photo", "predicted", "picture"]
        read_only_fields: ClassVar = ["photo"]


def _tight_height(answer: dict | None, summary: dict) -> float:
    """Height of the tightest ring above the scaled piece's lower edge; its middle where nothing was judged."""
    if answer is None:
        return summary["size_mm"][2] / 2
    ring = answer["way_in"]["ring"]
    if ring is not None and not answer["way_in"]["passes"]:
        return ring["at_mm"]
    return answer["room"]["at_mm"][2] - answer["low_mm"]


class PieceView(mixins.RetrieveModelMixin, mixins.DestroyModelMixin, viewsets.GenericViewSet):
    """Pieces: in as a file, then a recipe that is changed step by step."""

    queryset = Piece.objects.select_related("build__wearer", "wearer", "mesh")
    serializer_class = DetailSerializer
    http_method_names: ClassVar = ["get", "post", "patch", "delete"]

    def _told(self, piece: Piece, status: int = 200) -> Response:
        piece = self.queryset.get(pk=piece.pk)
        job = piece.jobs.first()
        return Response(detail(piece, Chain.of(piece), job, list(Spool.objects.all())), status=status)

    @extend_schema(responses=DetailSerializer)
    def retrieve(self, request, pk=None):
        return self._told(self.get_object())

    @extend_schema(request={"multipart/form-data": UploadSerializer}, responses={201: DetailSerializer})
    @action(detail=False, methods=["post"], parser_classes=[MultiPartParser, FormParser])
    def upload(self, request):
        """Take a model file in. It is looked at at once, mended and computed in the background."""
        if int(request.META.get("CONTENT_LENGTH") or 0) > settings.MOST_UPLOAD_BYTES + 100_000:
            raise TooLarge(_over_limit())
        asked = UploadSerializer(data=request.data)
        valid = asked.is_valid()
        if getattr(request._request, "over_limit", False):
            raise TooLarge(_over_limit())
        if not valid:
            asked.is_valid(raise_exception=True)
        given = asked.validated_data
        uploaded = given["file"]
        if not uploaded.size:
            raise FileProblem("The file is empty (0 bytes). Download or export it again.")
        mesh = keep_source(uploaded)
        try:
            sniff(mesh.path)
        except FileProblem:
            drop_source(mesh)
            raise
        stem = uploaded.name.rsplit("/", 1)[-1].rsplit(".", 1)[0]
        name = given.get("name") or stem.replace("-", " ").replace("_", " ").strip()[:80] or "Piece"
        site = given.get("site") or guess_site(name)
        side = given.get("side") or next((s for s in ("left", "right") if s in name.lower().split()), "")
        shop = Shop.current()
        piece = Piece.objects.create(
            build=given["build"], name=name, site=site, side=side, mesh=mesh, file_name=uploaded.name[:255],
            pad_mm=shop.pad_mm, made_for_mm=shop.made_for_mm,
        )  # fmt: skip
        queue_job(piece, Job.Kind.INTAKE)
        return self._told(piece, 201)

    @extend_schema(request=ChangeSerializer, responses=DetailSerializer)
    def partial_update(self, request, pk=None):
        """Change decisions. Names the version they were made against; 409 when it is no longer the current one."""
        piece = self.get_object()
        asked = ChangeSerializer(piece, data=request.data, partial=True)
        if "version" not in request.data:
            raise RecipeProblem("A change has to name the version of the piece it was made against.")
        asked.is_valid(raise_exception=True)
        changes = dict(asked.validated_data)
        version = changes.pop("version")
        with transaction.atomic():
            if not Piece.objects.filter(pk=piece.pk, version=version).update(version=version + 1):
                raise Changed
            fresh = Piece.objects.get(pk=piece.pk)
            for name, value in changes.items():
                setattr(fresh, name, value)
            fresh.version = version + 1
            fresh.save()
            twin = _move_twin(fresh, changes)
        refresh(self.queryset.get(pk=piece.pk), _said(changes))
        if twin is not None:
            refresh(self.queryset.get(pk=twin.pk), _said(changes))
        return self._told(piece)

    def perform_destroy(self, instance) -> None:
        for job in instance.jobs.filter(state__in=Job.ACTIVE):
            stop_job(job)
        mesh = instance.mesh
        instance.delete()
        drop_source(mesh)

    @extend_schema(request=None, responses={201: DetailSerializer})
    @action(detail=True, methods=["post"])
    def mirror(self, request, pk=None):
        """The other side of a pair: same file, same decisions, mirrored left to right."""
        piece = self.get_object()
        other = {"left": "right", "right": "left"}.get(piece.side, "")
        name = piece.name
        for a, b in (("left", "right"), ("right", "left")):
            if piece.side == a:
                name = name.replace(a, b).replace(a.title(), b.title())
        copy = Piece.objects.get(pk=piece.pk)
        copy.pk, copy.mirror_of, copy.side, copy.mirrored = None, piece, other, not piece.mirrored
        copy.name = name if name != piece.name else f"{piece.name} mirrored"
        for field, value in piece.mirrored_seat.items():
            setattr(copy, field, value)
        copy.shown, copy.totals, copy.before, copy.because, copy.version = {}, None, None, "", 1
        for cut in copy.cuts or []:
            for key in ("point", "normal"):
                cut[key] = [-cut[key][0], *cut[key][1:]]
        copy.save()
        refresh(self.queryset.get(pk=copy.pk))
        return self._told(copy, 201)

    @extend_schema(responses=WhatIfSerializer, parameters=[OpenApiParameter("scale", float), OpenApiParameter("pad_mm", float)])
    @action(detail=True, url_path="what-if")
    def what_if(self, request, pk=None):
        """Another scale or padding, answered at once from the curve of the last fit."""
        piece = self.get_object()
        fit = Chain.of(piece).shown("fit")
        answer = fit and Derived.objects.get(pk=fit.pk).data.get("answer")
        if not answer:
            raise NotYet("This piece has not been judged on a body yet.")
        try:
            scale = float(request.query_params.get("scale", max(fit.summary["scale"])))
            pad = float(request.query_params.get("pad_mm", piece.pad_mm))
        except ValueError as error:
            raise RecipeProblem("Scale and padding have to be numbers.") from error
        curve = [CurvePoint(**p) for p in answer["curve"]]
        others = [PaddingCurve(c["more_mm"], tuple(CurvePoint(**p) for p in c["points"])) for c in answer["padding"]]
        point = from_curve(curve, scale, pad - piece.pad_mm if piece.site == "head" else 0.0, others)
        if point is None:
            raise RecipeProblem("That scale lies outside the curve (85 to 140 %). Set it, and it is computed.")
        now, printed = from_curve(curve, max(fit.summary["scale"])), Chain.of(piece).shown("print")
        grams = filament_at(printed.summary["filament_g"], now, point) if now and printed else None
        met = [m["rule"] for m in answer["marks"] if scale >= m["scale"] - 1e-4]
        return Response(
            {"scale": scale, "pad_mm": pad, "room_mm": point.room_mm, "wall_mm": point.wall_mm, "filament_g": grams, "met": met}
        )

    @extend_schema(
        responses={(200, "model/stl"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("at_mm", float), OpenApiParameter("height_mm", float)],
    )
    @action(detail=True, url_path="gauge-ring")
    def gauge_ring(self, request, pk=None):
        """A slice at true size to try on, as STL; what it takes stands in the answer's headers."""
        ring = self._ring(request)
        headers = {"X-Minutes": f"{ring['minutes']:.1f}", "X-Grams": f"{ring['filament_g']:.1f}"}
        return FileResponse(open(ring["path"], "rb"), as_attachment=True, filename=ring["name"], headers=headers)

    @extend_schema(responses=GaugeSerializer, parameters=[OpenApiParameter("at_mm", float), OpenApiParameter("height_mm", float)])
    @action(detail=True, url_path="gauge-ring/takes")
    def gauge_ring_takes(self, request, pk=None):
        """Minutes, grams and size of the ring, before it is taken away."""
        return Response(self._ring(request))

    def _ring(self, request) -> dict:
        piece = self.get_object()
        chain = Chain.of(piece)
        fit = chain.found("fit")
        if fit is None:
            raise NotYet("This piece is not fitted yet. Wait for it, and take the ring then.")
        answer = Derived.objects.get(pk=fit.pk).data.get("answer")
        try:
            height = float(request.query_params.get("height_mm", RING_MM))
            at = float(request.query_params["at_mm"]) if "at_mm" in request.query_params else _tight_height(answer, fit.summary)
        except ValueError as error:
            raise RecipeProblem("Height and place of the ring have to be numbers of millimetres.") from error
        source = Derived(kind="intake", hash=chain.intake_hash).folder / "solid.npz"
        printer = chain.printers[0] if chain.printers else None
        return run_apart(
            cut_gauge_ring,
            str(source),
            chain.turns,
            piece.mirrored,
            tuple(fit.summary["scale"]),
            tuple(piece.turn_deg),
            at,
            height,
            printer,
            chain.profile,
            piece.name,
        )

    @extend_schema(responses={(200, "model/stl"): OpenApiTypes.BINARY})
    @action(detail=True, url_path="half-scale")
    def half_scale(self, request, pk=None):
        """The whole piece at half its size, for trying a mechanism in any leftover colour."""
        piece = self.get_object()
        chain = Chain.of(piece)
        fit = chain.found("fit")
        if fit is None:
            raise NotYet("This piece is not fitted yet. Wait for it, and take the copy then.")
        source = Derived(kind="intake", hash=chain.intake_hash).folder / "solid.npz"
        made = run_apart(write_half_scale, str(source), chain.turns, piece.mirrored, tuple(fit.summary["scale"]), piece.name)
        return FileResponse(open(made["path"], "rb"), as_attachment=True, filename=made["name"])

    @extend_schema(methods=["get"], responses=TestFitSerializer(many=True))
    @extend_schema(methods=["post"], request={"multipart/form-data": TestFitSerializer}, responses={201: TestFitSerializer})
    @action(detail=True, methods=["get", "post"], url_path="test-fits", pagination_class=None, parser_classes=[MultiPartParser, FormParser])
    def test_fits(self, request, pk=None):
        """The log of trying the piece on."""
        piece = self.get_object()
        if request.method == "GET":
            return Response(TestFitSerializer(piece.test_fits.all(), many=True).data)
        asked = TestFitSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        given = dict(asked.validated_data)
        picture = given.pop("picture", None)
        fit = Chain.of(piece).shown("fit")
        predicted = {k: fit.summary.get(k) for k in ("verdict", "reason", "room_mm", "probability", "scale")} if fit else {}
        made = TestFit.objects.create(piece=piece, predicted=predicted, photo=keep_photo(picture) if picture else "", **given)
        return Response(TestFitSerializer(made).data, status=201)

    @extend_schema(request=None, responses=DetailSerializer)
    @action(detail=True, methods=["post"])
    def compute(self, request, pk=None):
        """Compute again what is not fresh, after a stop or a failure."""
        piece = self.get_object()
        refresh(piece)
        return self._told(piece)

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    @action(detail=True)
    def takeaway(self, request, pk=None):
        """Zip of a piece: parts as 3MF and STL, plan.json, the cut list as CSV, and a sheet to print."""
        piece = self.get_object()
        chain = Chain.of(piece)
        if not chain.found("print"):
            raise NotYet("This piece is not computed to the end yet. Wait for it, or compute it, and take it away then.")
        intake, fit, joined, printed = (Derived.objects.get(pk=chain.found(s).pk) for s in ("intake", "fit", "join", "print"))
        source = {
            "file": piece.file_name, "triangles": intake.summary["triangles"], "volume_mm3": intake.summary["volume_mm3"],
            "watertight": intake.summary["watertight"], "mended": intake.summary["mended"], "unit": intake.summary["unit"],
        }  # fmt: skip
        pins = joined.summary["hardware"]
        told = row(piece, chain, piece.jobs.first(), list(Spool.objects.all()))
        warnings = [f["text"] for s in told["stations"].values() for f in s["findings"] if f["verdict"] in ("tight", "stops")]
        kept = (
            "name",
            "file_3mf",
            "file_stl",
            "size_mm",
            "volume_mm3",
            "triangles",
            "printer",
            "filament_g",
            "filament_m",
            "hours",
            "transform",
        )
        parts = [{k: p[k] for k in kept} for p in printed.data["parts"]]
        seams = [{k: s[k] for k in ("parts", "cut", "area_mm2", "advice", "joints")} for s in joined.data["seams"]]
        record = plan_record(
            source, fit.summary["scale"], {k: fit.summary[k] for k in ("verdict", "reason", "suggested")}, parts, seams, pins, warnings
        )
        sheet = sheet_html(piece.name, piece.build.name, record, printed.data["parts"], joined.data["seams"], piece.note)
        written = io.StringIO()
        csv.writer(written).writerows(cut_list(pins, parts))
        packed = tempfile.TemporaryFile()  # noqa: SIM115  the response closes it
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as zipped:
            for part in parts:
                for key in ("file_3mf", "file_stl"):
                    zipped.write(printed.folder / part[key], part[key])
            zipped.writestr("plan.json", json.dumps(record, indent=1, ensure_ascii=False))
            zipped.writestr("cut-list.csv", written.getvalue())
            zipped.writestr("sheet.html", sheet)
        packed.seek(0)
        slug = parts[0]["name"].rsplit("-", 1)[0] if parts else "piece"
        return FileResponse(packed, as_attachment=True, filename=f"{slug}.zip", content_type="application/zip")


def _over_limit() -> str:
    return f"The file is over the limit of {settings.MOST_UPLOAD_BYTES // 1024**2} MB. Reduce its triangles, or split it, before bringing it in."


_WORDS = {
    "scale": "the scale", "cuts": "the cuts", "printer_ids": "the printers", "layer_mm": "the layer height", "walls": "the walls",
    "infill": "the infill", "material": "the material", "pad_mm": "the padding", "wearer": "the wearer", "unit": "the unit",
    "site": "where it is worn", "pin_diameters_mm": "the pins", "pin_clearance_mm": "the pins' clearance", "made_for_mm": "the height it was made for", "way_in": "the way in", "layers": "the layers", "bays": "what goes inside",
    "shift_mm": "the seat", "turn_deg": "the seat", "give_mm": "how far skin gives",
    "wanted_length_mm": "the wanted length", "turn_x": "the way it stands", "turn_y": "the way it stands", "turn_z": "the way it stands",
}  # fmt: skip


def _move_twin(piece: Piece, changes: dict) -> Piece | None:
    """The other side of a pair sits as this one does, mirrored; the twin that was moved, if any."""
    twin = piece.twin if {"shift_mm", "turn_deg"} & changes.keys() else None
    if twin is None:
        return None
    for field, value in piece.mirrored_seat.items():
        setattr(twin, field, value)
    twin.version += 1
    twin.save(update_fields=[*piece.mirrored_seat, "version"])
    return twin


def _said(changes: dict) -> str:
    """What a change was, in words, for the before and after."""
    return " and ".join(dict.fromkeys(_WORDS[k] for k in changes if k in _WORDS))


class JobView(mixins.RetrieveModelMixin, viewsets.GenericViewSet):
    """Watch and stop work."""

    queryset = Job.objects.all()
    serializer_class = JobSerializer

    @extend_schema(request=None, responses=JobSerializer)
    @action(detail=True, methods=["post"])
    def stop(self, request, pk=None):
        stop_job(self.get_object())
        return Response(job_record(Job.objects.get(pk=pk)))


@extend_schema(responses={(200, "model/gltf-binary"): OpenApiTypes.BINARY})
@api_view(["GET"])
def stage_file(request, station: str, hash_: str) -> HttpResponse:
    """A GLB for the stage. Named by hash, so it never changes."""
    name = {"cut": "parts.glb", "fit": "fit.glb"}.get(station, "preview.glb")
    path = Derived(kind=station, hash=hash_).folder / name
    if not path.is_file():
        raise Http404("This view is not computed yet.")
    return FileResponse(path.open("rb"), content_type="model/gltf-binary", headers={"Cache-Control": "public, max-age=31536000, immutable"})


class TradeSerializer(serializers.Serializer):
    """Tables of the trade the fit page chooses from."""

    sites = serializers.ListField(child=serializers.CharField())
    ways_in = serializers.ListField(child=serializers.CharField())
    layers = serializers.DictField(child=serializers.FloatField())
    wheres = serializers.ListField(child=serializers.CharField())
    bays = UsualBaySerializer(many=True)
    places = serializers.ListField(child=serializers.CharField())


@extend_schema(responses=TradeSerializer)
@api_view(["GET"])
def trade(request) -> Response:
    """Sites, ways in and layers as the core knows them, and what the shop usually puts inside."""
    return Response(
        {
            "sites": [*BY_NAME, "hand_held", "other"],
            "ways_in": WAYS_IN,
            "layers": {name: row[0] for name, row in LAYERS.items()},
            "wheres": WHERES,
            "bays": Shop.current().bays,
            "places": PLACES,
        }
    )


@extend_schema(responses={(200, "image/*"): OpenApiTypes.BINARY})
@api_view(["GET"])
def photo(request, name: str) -> HttpResponse:
    """A photo of a test fit."""
    path = settings.MEDIA_ROOT / "photos" / name
    if not path.is_file():
        raise Http404("This photo is gone from the data folder.")
    return FileResponse(path.open("rb"), headers={"X-Content-Type-Options": "nosniff"})


__all__ = ["BuildView", "JobView", "PieceView", "photo", "stage_file", "trade"]
