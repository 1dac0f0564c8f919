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
from drf_spectacular.utils import extend_schema
from rest_framework import mixins, serializers, viewsets
from rest_framework.decorators import action, api_view
from rest_framework.parsers import FormParser, MultiPartParser
from rest_framework.response import Response

from bastion_core.errors import FileProblem, RecipeProblem
from bastion_core.fit.scale import check_scale
from bastion_core.formats.reading import sniff
from bastion_core.geometry.place import plane_frame
from bastion_core.printing.profile import Profile
from bastion_core.takeaway import cut_list, plan_record, sheet_html
from bastion_site.builds.calendar import build_calendar
from bastion_site.builds.chain import STATES, VERDICTS, Chain, cut_from, refresh
from bastion_site.builds.files import drop_source, keep_source
from bastion_site.builds.models import Build, Derived, Piece
from bastion_site.builds.present import RECIPE_FIELDS, detail, job_record, row
from bastion_site.errors import Changed, NotYet, TooLarge
from bastion_site.jobs.models import Job
from bastion_site.jobs.tasks import queue_job, stop_job
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


class RecipeSerializer(serializers.ModelSerializer):
    """The decisions about a piece; a change names the version it was made against."""

    scale = three(allow_null=True, required=False)
    cuts = CutPlaneSerializer(many=True, allow_null=True, required=False)
    printer_ids = serializers.ListField(child=serializers.IntegerField(), required=False)
    pin_diameters_mm = serializers.ListField(child=serializers.FloatField(), allow_null=True, required=False)

    class Meta:
        model = Piece
        fields: ClassVar = [*RECIPE_FIELDS, "wearer"]
        extra_kwargs: ClassVar = {
            "pad_mm": {"min_value": 0.0, "max_value": 60.0},
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


class FilesSerializer(serializers.Serializer):
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


class FitDataSerializer(serializers.Serializer):
    head = HeadSerializer(allow_null=True)


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
    site = serializers.ChoiceField(choices=Piece.Site.choices, required=False)
    side = serializers.ChoiceField(choices=Piece.Side.choices, required=False, allow_blank=True)


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
        site = given.get("site") or ("head" if any(w in name.lower() for w in ("helm", "mask", "head")) else "other")
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
        refresh(self.queryset.get(pk=piece.pk), _said(changes))
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
        copy.shown, copy.totals, copy.before, copy.because, copy.version = {}, None, None, "", 1
        for cut in copy.cuts or []:
            for key in ("point", "normal"):
                cut[key] = [-cut[key][0], *cut[key][1:]]
        copy.save()
        refresh(self.queryset.get(pk=copy.pk))
        return self._told(copy, 201)

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
    "site": "where it is worn", "pin_diameters_mm": "the pins", "pin_clearance_mm": "the pins' clearance", "made_for_mm": "the height it was made for",
    "wanted_length_mm": "the wanted length", "turn_x": "the way it stands", "turn_y": "the way it stands", "turn_z": "the way it stands",
}  # fmt: skip


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
    name = "parts.glb" if station == "cut" else "preview.glb"
    path = Derived(kind=station, hash=hash_).folder / name
    if not path.is_file():
        raise Http404("This view is not computed yet.")
    return FileResponse(path.open("rb"), content_type="model/gltf-binary", headers={"Cache-Control": "public, max-age=31536000, immutable"})


__all__ = ["BuildView", "JobView", "PieceView", "stage_file"]
