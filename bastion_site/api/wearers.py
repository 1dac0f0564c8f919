"""Wearers over HTTP: entry as typed, checks as one types, readings, guesses, the wearer file in and out."""

import json
import re
import tempfile
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Literal

from django.db import transaction
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.response import Response

from bastion_core.devices.caliper import CaliperReading
from bastion_core.devices.caliper import read as read_caliper
from bastion_core.engine.keeping import plain
from bastion_core.errors import MeasureProblem
from bastion_core.findings import Said
from bastion_core.measure.doubts import doubts
from bastion_core.measure.figure import Drawings
from bastion_core.measure.predict import predict
from bastion_core.measure.readings import WAYS
from bastion_core.measure.table import ROWS, TABLE, Measurement
from bastion_core.measure.wearer import check_possible, wearer_from_dict
from bastion_core.units import parse_length_mm
from bastion_site.api.files import sent
from bastion_site.api.sheet import Sheet, sheet
from bastion_site.api.uploads import Uploads
from bastion_site.builds.files import drop_source
from bastion_site.builds.models import Draft, Piece
from bastion_site.engine import quick, scans
from bastion_site.engine.deciding import forget_wearer
from bastion_site.engine.process import warm
from bastion_site.engine.queue import stop_job
from bastion_site.engine.refresh import refresh_for_wearer, refresh_many, worn_by
from bastion_site.engine.sweep import sweep
from bastion_site.errors import Changed
from bastion_site.jobs.models import Job
from bastion_site.wearers.models import Reading, Wearer
from bastion_site.wire import asked, question, wire

Units = Literal["mm", "in"]


class WearerSerializer(serializers.ModelSerializer):
    """A wearer as they are changed."""

    measurements = serializers.DictField(child=serializers.FloatField(), required=False)
    doubts = serializers.SerializerMethodField()
    version = serializers.IntegerField(required=False, min_value=0)
    waiting = serializers.SerializerMethodField()
    by = serializers.CharField(max_length=60, required=False, allow_blank=True, write_only=True, help_text="Who took what is changed.")

    class Meta:
        model = Wearer
        fields = ["id", "name", "sex", "mass_kg", "age_years", "measurements", "doubts", "waiting", "version", "by"]

    @extend_schema_field(serializers.DictField(child=wire(Said)()))
    def get_doubts(self, wearer):
        return plain(doubts(wearer.measurements))

    def get_waiting(self, wearer) -> int:
        return wearer.readings.filter(state=Reading.State.WAITS).count()

    def validate(self, attrs):
        # The core is the one judge of what a wearer file may hold.
        wearer_from_dict({k: attrs[k] for k in ("sex", "mass_kg", "age_years", "measurements") if k in attrs})
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
            version = validated.pop("version", None)
            if version is not None and version != fresh.version:
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


@dataclass(frozen=True)
class Typed:
    """What the maker typed, by measurement key, in the shop's unit unless one is written."""

    typed: dict[str, str]
    units: Units = "mm"


@dataclass(frozen=True)
class Checked:
    """Typed lengths in mm, and what is impossible or unlikely about them."""

    values_mm: dict[str, float]
    problems: dict[str, Said]
    doubts: dict[str, Said]


@dataclass(frozen=True)
class Take:
    """A reading as typed."""

    key: str
    typed: str
    units: Units = "mm"
    way: str = ""
    by: str = ""
    again: bool = False


@dataclass(frozen=True)
class Judge:
    """Readings to accept or refuse."""

    ids: tuple[int, ...]
    accept: bool


@dataclass(frozen=True)
class CaliperAsk:
    """Which measurement the caliper is held to."""

    key: str
    count: int
    cut_off: bool = False


class ReadingSerializer(serializers.ModelSerializer):
    """One reading of one measurement."""

    name = serializers.SerializerMethodField()

    class Meta:
        model = Reading
        fields = ["id", "key", "name", "value_mm", "way", "by", "state", "taken"]

    def get_name(self, reading) -> str:
        row = ROWS.get(reading.key)
        return row.name if row else reading.key


class WearerFileSerializer(serializers.Serializer):
    """A wearer file."""

    file = serializers.FileField()


_BLANK = {"allow_blank": True}
TYPED = {"typed": {"child_kwargs": {"allow_blank": True, "max_length": 40}}}
TypedSerializer = question(Typed, TYPED)
TakeSerializer = question(Take, {"key": {"max_length": 60}, "typed": {"max_length": 40}, "way": _BLANK, "by": {"max_length": 60, **_BLANK}})
JudgeSerializer = question(Judge)
CaliperSerializer = question(CaliperAsk, {"count": {"min_value": 0, "max_value": 10_000}})


class WearerView(viewsets.ModelViewSet):
    """The wearers of the shop."""

    queryset = Wearer.objects.all()
    serializer_class = WearerSerializer
    http_method_names = ["get", "post", "patch", "delete"]

    def perform_update(self, serializer) -> None:
        wearer = serializer.save()
        refresh_for_wearer(wearer, "measurements")

    def perform_destroy(self, instance) -> None:
        for job in instance.jobs.filter(state__in=Job.ACTIVE):
            stop_job(job)
        meshes = [s.mesh for s in instance.scans.select_related("mesh") if s.mesh]
        for scan in instance.scans.all():
            scans.forget_files(scan)
        pieces = list(worn_by(instance).values_list("pk", flat=True))
        forget_wearer(instance.pk)
        Draft.objects.filter(change__wearer=instance.pk).delete()
        Draft.objects.filter(piece__in=pieces).update(shown={}, totals=None)
        instance.delete()
        for mesh in meshes:
            drop_source(mesh)
        # What was shown last of their fit shows their body.
        for piece in Piece.objects.filter(pk__in=pieces):
            piece.shown.pop("fit", None)
            piece.save(update_fields=["shown"])
        refresh_many(Piece.objects.filter(pk__in=pieces, build__archived=False), "the wearer was deleted")
        sweep()

    @extend_schema(responses=wire(Measurement)(many=True))
    @action(detail=False, pagination_class=None)
    def table(self, request):
        """Every measurement there is."""
        return Response(plain(list(TABLE)))

    @extend_schema(responses=wire(Drawings))
    @action(detail=False, pagination_class=None)
    def figures(self, request):
        """Line drawings of where each measurement is taken."""
        return Response(_figures())

    @extend_schema(responses=wire(Sheet))
    @action(detail=True)
    def sheet(self, request, pk=None):
        """Everything on a wearer's sheet; ``?build=`` tells which pieces need what."""
        return Response(plain(sheet(self.get_object(), request.query_params.get("build"))))

    @extend_schema(request=TypedSerializer, responses=wire(Checked))
    @action(detail=False, methods=["post"])
    def check(self, request):
        """Read typed lengths and say what is impossible and what is unlikely. Keeps nothing."""
        given = asked(TypedSerializer, request.data)
        values, problems = {}, {}
        for key, typed in given["typed"].items():
            text = str(typed)  # a number is as good as its digits
            if not text.strip():
                continue
            try:
                values[key] = check_possible(key, parse_length_mm(text, given["units"]))
            except MeasureProblem as problem:
                problems[key] = problem.said
        return Response(plain(Checked(values, problems, doubts(values))))

    @extend_schema(request=TakeSerializer, responses=WearerSerializer)
    @action(detail=True, methods=["post"])
    def take(self, request, pk=None):
        """Note one reading: in place of the one in force, or beside it (``again``)."""
        given = asked(TakeSerializer, request.data)
        known(given["key"])
        if given["way"] and given["way"] not in WAYS:
            raise MeasureProblem(f"“{given['way']}” is no way of measuring. Use one of {', '.join(WAYS)}.", "way")
        value = check_possible(given["key"], parse_length_mm(given["typed"], given["units"]))
        with transaction.atomic():
            wearer = Wearer.objects.select_for_update().get(pk=self.get_object().pk)
            wearer.take(given["key"], value, given["way"], given["by"], given["again"])
        refresh_for_wearer(wearer, ROWS[given["key"]].name.lower())
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
        given = asked(JudgeSerializer, request.data)
        with transaction.atomic():
            wearer = Wearer.objects.select_for_update().get(pk=self.get_object().pk)
            waiting = list(wearer.readings.filter(pk__in=given["ids"], state=Reading.State.WAITS))
            for reading in waiting:
                if given["accept"]:
                    wearer.leave(reading.key)
                reading.state = Reading.State.HOLDS if given["accept"] else Reading.State.REFUSED
                reading.save(update_fields=["state"])
                if given["accept"]:
                    wearer.take_mean(reading.key)
        if waiting and given["accept"]:
            refresh_for_wearer(wearer, "measurements")
        return Response(WearerSerializer(wearer).data)

    @extend_schema(request=CaliperSerializer, responses=wire(CaliperReading))
    @action(detail=True, methods=["post"])
    def caliper(self, request, pk=None):
        """One press of the simulated caliper's button, for the measurement in focus."""
        given = asked(CaliperSerializer, request.data)
        wearer, key = self.get_object(), given["key"]
        known(key)
        true = wearer.core().get(key)
        if true is None:
            guess = predict(wearer.core()).get(ROWS[key].key)
            true = guess.value if guess else 100.0
        return Response(plain(read_caliper(true, given["count"], wearer.pk, given["cut_off"])))

    @extend_schema(responses={(200, "model/stl"): OpenApiTypes.BINARY})
    @action(detail=True)
    def body(self, request, pk=None):
        """The stand-in body; ``?format_=3mf`` for the other format."""
        wearer = self.get_object()
        kind = "3mf" if request.query_params.get("format_") == "3mf" else "stl"
        with tempfile.TemporaryDirectory(prefix="bastion-") as made:
            path = Path(made) / f"{slug(wearer.name)}-body.{kind}"
            warm.ask(quick.write_body, wearer.core(), str(path))
            return sent(path)

    @extend_schema(responses={(200, "application/json"): OpenApiTypes.BINARY})
    @action(detail=True)
    def file(self, request, pk=None):
        """The wearer file, as ``./bastion plan --wearer`` reads it."""
        wearer = self.get_object()
        body = json.dumps(wearer.core().as_dict(), indent=1, ensure_ascii=False)
        headers = {"Content-Disposition": f'attachment; filename="{slug(wearer.name)}.json"'}
        return HttpResponse(body, content_type="application/json", headers=headers)

    @extend_schema(request={"multipart/form-data": WearerFileSerializer}, responses=WearerSerializer)
    @action(detail=False, methods=["post"], url_path="from-file", parser_classes=[Uploads])
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
        made = Wearer.objects.create(name=core.name or "Unnamed wearer", sex=core.sex, mass_kg=core.mass_kg, age_years=core.age_years)
        for key, value in core.measurements.items():
            made.take(key, value)
        return Response(WearerSerializer(made).data, status=201)


@cache
def _figures() -> dict:
    """The drawings, made once for each web process."""
    return warm.ask(quick.figures)


def slug(name: str) -> str:
    """A name as part of a file's name."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "wearer"


def known(key: str) -> None:
    """MeasureProblem for a key that stands on no sheet."""
    if key not in ROWS:
        raise MeasureProblem(f"“{key}” is no measurement of the sheet.", "key")
