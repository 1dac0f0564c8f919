"""Wearers over HTTP: entry as typed, checks as one types, readings, guesses, scans, links, the wearer file in and out."""

import json
import re
from dataclasses import asdict

from django.db import transaction
from django.http import FileResponse, Http404, HttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action, api_view
from rest_framework.parsers import FormParser, MultiPartParser
from rest_framework.response import Response

from bastion_core.devices.caliper import read as read_caliper
from bastion_core.errors import FileProblem, MeasureProblem
from bastion_core.measure.figure import VIEWS
from bastion_core.measure.predict import predict
from bastion_core.measure.readings import WAYS
from bastion_core.measure.table import ROWS, TABLE
from bastion_core.measure.wearer import check_possible, doubts, wearer_from_dict
from bastion_core.units import MM_PER_UNIT, parse_length_mm
from bastion_site.builds.chain import refresh_for_wearer
from bastion_site.builds.files import drop_source, keep_source
from bastion_site.errors import Changed, NotYet
from bastion_site.jobs.apart import run_apart
from bastion_site.wearers import scans
from bastion_site.wearers.models import SCAN_KINDS, TYPED_UNITS, MeasureLink, Reading, Scan, Wearer
from bastion_site.wearers.sheet import figures, sheet


class MeasurementRow(serializers.Serializer):
    key = serializers.CharField()
    name = serializers.CharField()
    group = serializers.CharField()
    tool = serializers.CharField()
    how = serializers.CharField()
    mistake = serializers.CharField()
    sided = serializers.BooleanField()
    source = serializers.CharField()


class WearerSerializer(serializers.ModelSerializer):
    measurements = serializers.DictField(child=serializers.FloatField(), required=False)
    doubts = serializers.SerializerMethodField()
    version = serializers.IntegerField(required=False)
    waiting = serializers.SerializerMethodField()
    by = serializers.CharField(max_length=60, required=False, allow_blank=True, write_only=True, help_text="Who took what is changed.")

    class Meta:
        model = Wearer
        fields = ["id", "name", "sex", "mass_kg", "measurements", "doubts", "waiting", "version", "by"]

    def get_doubts(self, wearer) -> dict[str, str]:
        return doubts(wearer.measurements)

    def get_waiting(self, wearer) -> int:
        return wearer.readings.filter(state=Reading.State.WAITS).count()

    def validate(self, attrs):
        # The core is the one judge of what a wearer file may hold.
        wearer_from_dict({k: attrs[k] for k in ("sex", "mass_kg", "measurements") if k in attrs})
        return attrs

    def create(self, validated):
        taken, by = validated.pop("measurements", {}), validated.pop("by", "")
        with transaction.atomic():
            wearer = Wearer.objects.create(**validated)
            for key, value in taken.items():
                wearer.take(key, value, by=by)
        return wearer

    def update(self, instance, validated):
        with transaction.atomic():
            fresh = Wearer.objects.select_for_update().get(pk=instance.pk)
            asked = validated.pop("version", None)
            if asked is not None and asked != fresh.version:
                raise Changed("These measurements were changed in another window since you opened them. They have been loaded anew.")
            taken, by = validated.pop("measurements", None), validated.pop("by", "")
            if taken is not None:
                before = dict(fresh.measurements)
                for key in before.keys() - taken.keys():
                    fresh.leave(key)
                for key, value in taken.items():
                    if before.get(key) != value:
                        fresh.take(key, value, by=by)
                fresh.measurements = taken
            return super().update(fresh, validated | {"version": fresh.version + 1})


class TypedSerializer(serializers.Serializer):
    """What the maker typed, by measurement key, in the shop's unit unless one is written."""

    typed = serializers.DictField(child=serializers.CharField(allow_blank=True))
    units = serializers.ChoiceField(choices=TYPED_UNITS, default="mm")


class CheckedSerializer(serializers.Serializer):
    values_mm = serializers.DictField(child=serializers.FloatField())
    problems = serializers.DictField(child=serializers.CharField())
    doubts = serializers.DictField(child=serializers.CharField())


class FileSerializer(serializers.Serializer):
    file = serializers.FileField()


class GuessSerializer(serializers.Serializer):
    value = serializers.FloatField()
    sd = serializers.FloatField()
    based_on = serializers.ListField(child=serializers.CharField())
    source = serializers.CharField()


class SheetRowSerializer(MeasurementRow):
    keys = serializers.ListField(child=serializers.CharField())
    needed_by = serializers.ListField(child=serializers.CharField())
    values = serializers.DictField(child=serializers.FloatField())
    counts = serializers.DictField(child=serializers.IntegerField())
    spreads = serializers.DictField(child=serializers.FloatField())
    guess = GuessSerializer(allow_null=True)


class ChangedSerializer(serializers.Serializer):
    """A piece that the last measuring changed, and by how much."""

    piece = serializers.IntegerField()
    build = serializers.IntegerField()
    name = serializers.CharField()
    hours = serializers.ListField(child=serializers.FloatField())
    filament_g = serializers.ListField(child=serializers.FloatField())
    parts = serializers.ListField(child=serializers.IntegerField())


class SheetSerializer(serializers.Serializer):
    changed = ChangedSerializer(many=True)
    rows = SheetRowSerializer(many=True)
    needed = serializers.IntegerField()
    needed_taken = serializers.IntegerField()
    doubts = serializers.DictField(child=serializers.CharField())


class FigureSerializer(serializers.Serializer):
    view = serializers.ChoiceField(choices=VIEWS)
    front = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
    behind = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))


class FiguresSerializer(serializers.Serializer):
    outlines = serializers.DictField(child=serializers.CharField())
    boxes = serializers.DictField(child=serializers.ListField(child=serializers.FloatField()))
    figures = serializers.DictField(child=FigureSerializer())


class ReadingSerializer(serializers.ModelSerializer):
    name = serializers.SerializerMethodField()

    class Meta:
        model = Reading
        fields = ["id", "key", "name", "value_mm", "way", "by", "state", "taken"]

    def get_name(self, reading) -> str:
        row = ROWS.get(reading.key)
        return row.name if row else reading.key


class TakeSerializer(serializers.Serializer):
    """A reading as typed."""

    key = serializers.CharField(max_length=60)
    typed = serializers.CharField(max_length=40)
    units = serializers.ChoiceField(choices=TYPED_UNITS, default="mm")
    way = serializers.ChoiceField(choices=[(w, w) for w in WAYS], required=False, allow_blank=True)
    by = serializers.CharField(max_length=60, required=False, allow_blank=True)
    again = serializers.BooleanField(default=False)


class JudgeSerializer(serializers.Serializer):
    ids = serializers.ListField(child=serializers.IntegerField())
    accept = serializers.BooleanField()


class LinkSerializer(serializers.ModelSerializer):
    open = serializers.BooleanField(read_only=True)

    class Meta:
        model = MeasureLink
        fields = ["id", "token", "keys", "created", "expires", "revoked", "open"]
        read_only_fields = ["token", "created", "expires", "revoked"]


class CaliperAskSerializer(serializers.Serializer):
    key = serializers.CharField()
    count = serializers.IntegerField(min_value=0, max_value=10_000)
    cut_off = serializers.BooleanField(default=False)


class CaliperSerializer(serializers.Serializer):
    value_mm = serializers.FloatField()
    battery = serializers.FloatField()
    low = serializers.BooleanField()


class ScanValueSerializer(serializers.Serializer):
    value = serializers.FloatField()
    sd = serializers.FloatField()


class ScanToldSerializer(serializers.Serializer):
    unit = serializers.CharField()
    done = serializers.ListField(child=serializers.CharField())
    off_mm = serializers.FloatField()
    values = serializers.DictField(child=ScanValueSerializer())
    outlines = serializers.DictField(child=serializers.CharField())
    tapes = serializers.DictField(child=FigureSerializer())
    boxes = serializers.DictField(child=serializers.ListField(child=serializers.FloatField()))
    points_wanted = serializers.ListField(child=serializers.CharField())


class ScanSerializer(serializers.ModelSerializer):
    told = ScanToldSerializer()

    class Meta:
        model = Scan
        fields = ["id", "kind", "unit", "hair_mm", "used", "created", "told"]


class ScanAskSerializer(serializers.Serializer):
    file = serializers.FileField(required=False)
    simulated = serializers.BooleanField(default=False, help_text="Take the scan from the simulated scanner instead of a file.")
    kind = serializers.ChoiceField(choices=SCAN_KINDS, default="head")
    unit = serializers.ChoiceField(choices=[(u, u) for u in MM_PER_UNIT], required=False, allow_blank=True)
    hair_mm = serializers.FloatField(default=0.0, min_value=0.0, max_value=60.0)


class ScanChangeSerializer(serializers.Serializer):
    hair_mm = serializers.FloatField(required=False, min_value=0.0, max_value=60.0)
    unit = serializers.ChoiceField(choices=[(u, u) for u in MM_PER_UNIT], required=False)
    points = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(), min_length=3, max_length=3), min_length=3, max_length=3, required=False
    )
    shown = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(), min_length=3, max_length=3),
        min_length=3,
        max_length=3,
        required=False,
        help_text="The three points as touched on the stood-up scan (mm), instead of in the file's coordinates.",
    )
    used = serializers.BooleanField(required=False)
    keep = serializers.BooleanField(required=False, help_text="Note its measurements on the sheet, as taken by scan.")


class WearerView(viewsets.ModelViewSet):
    """The wearers of the shop."""

    queryset = Wearer.objects.all()
    serializer_class = WearerSerializer
    http_method_names = ["get", "post", "patch", "delete"]

    def perform_update(self, serializer) -> None:
        wearer = serializer.save()
        refresh_for_wearer(wearer, f"{wearer.name} measured anew")

    def perform_destroy(self, instance) -> None:
        meshes = [s.mesh for s in instance.scans.select_related("mesh")]
        for scan in instance.scans.all():
            scans.forget_files(scan)
        instance.delete()
        for mesh in meshes:
            drop_source(mesh)

    @extend_schema(responses=MeasurementRow(many=True))
    @action(detail=False, pagination_class=None)
    def table(self, request):
        return Response(MeasurementRow(TABLE, many=True).data)

    @extend_schema(responses=FiguresSerializer)
    @action(detail=False, pagination_class=None)
    def figures(self, request):
        """Line drawings of where each measurement is taken."""
        return Response(figures())

    @extend_schema(responses=SheetSerializer)
    @action(detail=True)
    def sheet(self, request, pk=None):
        """Everything on a wearer's sheet; ``?build=`` tells which pieces need what."""
        return Response(sheet(self.get_object(), request.query_params.get("build")))

    @extend_schema(request=TypedSerializer, responses=CheckedSerializer)
    @action(detail=False, methods=["post"])
    def check(self, request):
        """Read typed lengths and say what is impossible and what is unlikely. Keeps nothing."""
        asked = TypedSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values, problems = {}, {}
        for key, text in asked.validated_data["typed"].items():
            if not text.strip():
                continue
            try:
                values[key] = check_possible(key, parse_length_mm(text, asked.validated_data["units"]))
            except MeasureProblem as problem:
                problems[key] = str(problem)
        return Response({"values_mm": values, "problems": problems, "doubts": doubts(values)})

    @extend_schema(request=TakeSerializer, responses=WearerSerializer)
    @action(detail=True, methods=["post"])
    def take(self, request, pk=None):
        """Note one reading: in place of the one in force, or beside it (``again``)."""
        asked = TakeSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        given = asked.validated_data
        _known(given["key"])
        value = check_possible(given["key"], parse_length_mm(given["typed"], given["units"]))
        with transaction.atomic():
            wearer = Wearer.objects.select_for_update().get(pk=self.get_object().pk)
            wearer.take(given["key"], value, given.get("way", ""), given.get("by", ""), given["again"])
        refresh_for_wearer(wearer, f"{wearer.name}’s {ROWS[given['key']].name.lower()}")
        return Response(WearerSerializer(wearer).data)

    @extend_schema(responses=ReadingSerializer(many=True))
    @action(detail=True, pagination_class=None)
    def readings(self, request, pk=None):
        """All readings of a wearer, newest first: in force, past, and waiting to be accepted."""
        return Response(ReadingSerializer(self.get_object().readings.all()[:500], many=True).data)

    @extend_schema(request=JudgeSerializer, responses=WearerSerializer)
    @action(detail=True, methods=["post"])
    def judge(self, request, pk=None):
        """Accept or refuse readings that came by a link."""
        asked = JudgeSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        with transaction.atomic():
            wearer = Wearer.objects.select_for_update().get(pk=self.get_object().pk)
            waiting = list(wearer.readings.filter(pk__in=asked.validated_data["ids"], state=Reading.State.WAITS))
            for reading in waiting:
                if asked.validated_data["accept"]:
                    wearer.leave(reading.key)
                reading.state = Reading.State.HOLDS if asked.validated_data["accept"] else Reading.State.REFUSED
                reading.save(update_fields=["state"])
                if asked.validated_data["accept"]:
                    wearer.settle(reading.key)
        if waiting and asked.validated_data["accept"]:
            refresh_for_wearer(wearer, f"{wearer.name} measured anew")
        return Response(WearerSerializer(wearer).data)

    @extend_schema(request=CaliperAskSerializer, responses=CaliperSerializer)
    @action(detail=True, methods=["post"])
    def caliper(self, request, pk=None):
        """One press of the simulated caliper's button, for the measurement in focus."""
        asked = CaliperAskSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        wearer, key = self.get_object(), asked.validated_data["key"]
        _known(key)
        true = wearer.core().get(key)
        if true is None:
            guess = predict(wearer.core()).get(ROWS[key].key)
            true = guess.value if guess else 100.0
        return Response(asdict(read_caliper(true, asked.validated_data["count"], wearer.pk, asked.validated_data["cut_off"])))

    @extend_schema(methods=["get"], responses=LinkSerializer(many=True))
    @extend_schema(methods=["post"], request=LinkSerializer, responses={201: LinkSerializer})
    @action(detail=True, methods=["get", "post"], pagination_class=None)
    def links(self, request, pk=None):
        """Links for a far-away wearer: list them, or make one."""
        wearer = self.get_object()
        if request.method == "GET":
            return Response(LinkSerializer(wearer.links.all(), many=True).data)
        asked = LinkSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        return Response(LinkSerializer(asked.save(wearer=wearer)).data, status=201)

    @extend_schema(request=None, responses=LinkSerializer)
    @action(detail=True, methods=["post"], url_path=r"links/(?P<link>\d+)/revoke")
    def revoke(self, request, pk=None, link=None):
        """End a link at once."""
        found = self.get_object().links.filter(pk=link).first()
        if found is None:
            raise Http404("There is no such link.")
        found.revoked = True
        found.save(update_fields=["revoked"])
        return Response(LinkSerializer(found).data)

    @extend_schema(methods=["get"], responses=ScanSerializer(many=True))
    @extend_schema(methods=["post"], request={"multipart/form-data": ScanAskSerializer}, responses={201: ScanSerializer})
    @action(detail=True, methods=["get", "post"], pagination_class=None, parser_classes=[MultiPartParser, FormParser])
    def scans(self, request, pk=None):
        """Scans of a wearer: list them, or stand a new one up and measure it."""
        wearer = self.get_object()
        if request.method == "GET":
            return Response(ScanSerializer(wearer.scans.all(), many=True).data)
        asked = ScanAskSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        given = asked.validated_data
        if given["simulated"]:
            mesh = run_apart(scans.simulate, wearer.core(), wearer.pk, str(scans.temporary()))
            mesh = scans.keep_file(mesh)
        elif given.get("file"):
            mesh = keep_source(given["file"])
        else:
            raise FileProblem("Send a scan: an STL, OBJ or PLY file.")
        scan = Scan(wearer=wearer, mesh=mesh, kind=given["kind"], unit=given.get("unit", ""), hair_mm=given["hair_mm"])
        try:
            scans.stand_up(scan)
        except Exception:
            drop_source(mesh)
            raise
        return Response(ScanSerializer(scan).data, status=201)

    @extend_schema(request=ScanChangeSerializer, responses=ScanSerializer)
    @action(detail=True, methods=["patch"], url_path=r"scans/(?P<scan>\d+)")
    def scan(self, request, pk=None, scan=None):
        """Change how a scan is read, take it as the head or the body for fits, or note its measurements."""
        wearer = self.get_object()
        found = wearer.scans.filter(pk=scan).first()
        if found is None:
            raise Http404("There is no such scan.")
        asked = ScanChangeSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        given = asked.validated_data
        if "shown" in given:
            given["points"] = scans.in_the_file(found, given["shown"])
        if {"hair_mm", "unit", "points"} & given.keys():
            for name in ("hair_mm", "unit", "points"):
                if name in given:
                    setattr(found, name, given[name])
            scans.stand_up(found)
        if "used" in given:
            wearer.scans.filter(kind=found.kind).update(used=False)
            found.used = given["used"]
            found.save(update_fields=["used"])
        if given.get("keep"):
            with transaction.atomic():
                for key, told in found.told["values"].items():
                    wearer.take(key, told["value"], "scan")
        if {"used", "keep"} & given.keys():
            refresh_for_wearer(wearer, f"{wearer.name} scanned")
        return Response(ScanSerializer(found).data)

    @extend_schema(responses={(200, "model/gltf-binary"): OpenApiTypes.BINARY})
    @action(detail=True, url_path=r"scans/(?P<scan>\d+)/preview")
    def preview(self, request, pk=None, scan=None):
        """The stood-up scan for the stage."""
        found = self.get_object().scans.filter(pk=scan).first()
        path = found and found.folder / "preview.glb"
        if not path or not path.is_file():
            raise Http404("This scan is gone from the data folder.")
        return FileResponse(path.open("rb"), content_type="model/gltf-binary")

    @extend_schema(responses={(200, "model/stl"): OpenApiTypes.BINARY})
    @action(detail=True)
    def body(self, request, pk=None):
        """The stand-in body to take away; ``?format_=3mf`` for the other format."""
        wearer = self.get_object()
        kind = "3mf" if request.query_params.get("format_") == "3mf" else "stl"
        path = run_apart(scans.write_body, wearer.core(), str(scans.temporary() / f"body.{kind}"))
        return FileResponse(open(path, "rb"), as_attachment=True, filename=f"{_slug(wearer.name)}-body.{kind}")

    @extend_schema(responses={(200, "application/json"): OpenApiTypes.BINARY})
    @action(detail=True)
    def file(self, request, pk=None):
        """The wearer file, as ``./bastion plan --wearer`` reads it."""
        wearer = self.get_object()
        body = json.dumps(wearer.core().as_dict(), indent=1, ensure_ascii=False)
        headers = {"Content-Disposition": f'attachment; filename="{_slug(wearer.name)}.json"'}
        return HttpResponse(body, content_type="application/json", headers=headers)

    @extend_schema(request={"multipart/form-data": FileSerializer}, responses=WearerSerializer)
    @action(detail=False, methods=["post"], url_path="from-file", parser_classes=[MultiPartParser])
    def from_file(self, request):
        """A new wearer from a wearer file."""
        given = request.FILES.get("file")
        if given is None or given.size > 200_000:
            raise MeasureProblem("Send one wearer file (JSON, under 200 kB).")
        try:
            data = json.loads(given.read())
        except ValueError as error:
            raise MeasureProblem(f"{given.name} is not JSON: {error}.") from error
        core = wearer_from_dict(data)
        made = Wearer.objects.create(name=core.name or "Unnamed wearer", sex=core.sex, mass_kg=core.mass_kg)
        for key, value in core.measurements.items():
            made.take(key, value)
        return Response(WearerSerializer(made).data, status=201)


def _slug(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "wearer"


def _known(key: str) -> None:
    if key not in ROWS:
        raise MeasureProblem(f"“{key}” is no measurement of the sheet.")


class FarSheetSerializer(serializers.Serializer):
    """What a far-away wearer sees: their name, what is asked, and what they have sent already."""

    name = serializers.CharField()
    expires = serializers.DateTimeField()
    rows = MeasurementRow(many=True)
    sent = serializers.DictField(child=serializers.FloatField())


class SendSerializer(TypedSerializer):
    by = serializers.CharField(max_length=60, required=False, allow_blank=True)


def _open_link(token: str) -> MeasureLink:
    link = MeasureLink.objects.select_related("wearer").filter(token=token).first()
    if link is None:
        raise Http404("This link leads nowhere. Ask for it once more.")
    if not link.open:
        why = "was withdrawn" if link.revoked else "ran out"
        raise NotYet(f"This link {why}. Ask for a new one.")
    return link


def _far_sheet(link: MeasureLink) -> dict:
    wanted = link.keys or [r.key for r in TABLE]
    rows = [r for r in TABLE if r.key in wanted]
    sent = {r.key: r.value_mm for r in link.wearer.readings.filter(state=Reading.State.WAITS, way="customer").order_by("id")}
    return FarSheetSerializer({"name": link.wearer.name, "expires": link.expires, "rows": rows, "sent": sent}).data


@extend_schema(methods=["get"], responses=FarSheetSerializer)
@extend_schema(methods=["post"], request=SendSerializer, responses=FarSheetSerializer)
@api_view(["GET", "POST"])
def far_sheet(request, token: str):
    """The sheet behind a link. What is sent waits until the maker accepts it."""
    link = _open_link(token)
    if request.method == "POST":
        asked = SendSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        allowed = {r.key for r in TABLE if not link.keys or r.key in link.keys}
        values = {}
        for key, text in asked.validated_data["typed"].items():
            if key in allowed and text.strip():
                values[key] = check_possible(key, parse_length_mm(text, asked.validated_data["units"]))
        with transaction.atomic():
            for key, value in values.items():
                link.wearer.readings.filter(key=key, state=Reading.State.WAITS).delete()
                link.wearer.readings.create(
                    key=key,
                    value_mm=value,
                    way="customer",
                    by=asked.validated_data.get("by", ""),
                    state=Reading.State.WAITS,
                    taken=timezone.now(),
                )
    return Response(_far_sheet(link))
