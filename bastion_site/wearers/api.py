"""Wearers over HTTP: entry as typed, checks as one types, the wearer file in and out."""

import json
import re

from django.db import transaction
from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.parsers import MultiPartParser
from rest_framework.response import Response

from bastion_core.errors import MeasureProblem
from bastion_core.measure.wearer import TABLE, check_possible, doubts, wearer_from_dict
from bastion_core.units import parse_length_mm
from bastion_site.builds.chain import refresh_for_wearer
from bastion_site.errors import Changed
from bastion_site.wearers.models import Wearer


class MeasurementRow(serializers.Serializer):
    key = serializers.CharField()
    name = serializers.CharField()
    how = serializers.CharField()
    source = serializers.CharField()


class WearerSerializer(serializers.ModelSerializer):
    measurements = serializers.DictField(child=serializers.FloatField(), required=False)
    doubts = serializers.SerializerMethodField()
    version = serializers.IntegerField(required=False)

    class Meta:
        model = Wearer
        fields = ["id", "name", "sex", "mass_kg", "measurements", "doubts", "version"]

    def get_doubts(self, wearer) -> dict[str, str]:
        return doubts(wearer.measurements)

    def validate(self, attrs):
        # The core is the one judge of what a wearer file may hold.
        wearer_from_dict({k: attrs[k] for k in ("sex", "mass_kg", "measurements") if k in attrs})
        return attrs

    def update(self, instance, validated):
        with transaction.atomic():
            fresh = Wearer.objects.select_for_update().get(pk=instance.pk)
            asked = validated.pop("version", None)
            if asked is not None and asked != fresh.version:
                raise Changed("These measurements were changed in another window since you opened them. They have been loaded anew.")
            return super().update(fresh, validated | {"version": fresh.version + 1})


class TypedSerializer(serializers.Serializer):
    """What the maker typed, by measurement key, in the shop's unit unless one is written."""

    typed = serializers.DictField(child=serializers.CharField(allow_blank=True))
    units = serializers.ChoiceField(choices=["mm", "in"], default="mm")


class CheckedSerializer(serializers.Serializer):
    values_mm = serializers.DictField(child=serializers.FloatField())
    problems = serializers.DictField(child=serializers.CharField())
    doubts = serializers.DictField(child=serializers.CharField())


class FileSerializer(serializers.Serializer):
    file = serializers.FileField()


class WearerView(viewsets.ModelViewSet):
    """The wearers of the shop."""

    queryset = Wearer.objects.all()
    serializer_class = WearerSerializer
    http_method_names = ["get", "post", "patch", "delete"]

    def perform_update(self, serializer) -> None:
        wearer = serializer.save()
        refresh_for_wearer(wearer, f"{wearer.name} measured anew")

    @extend_schema(responses=MeasurementRow(many=True))
    @action(detail=False, pagination_class=None)
    def table(self, request):
        return Response(MeasurementRow(TABLE, many=True).data)

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

    @extend_schema(responses={(200, "application/json"): OpenApiTypes.BINARY})
    @action(detail=True)
    def file(self, request, pk=None):
        """The wearer file, as ``./bastion plan --wearer`` reads it."""
        wearer = self.get_object()
        name = re.sub(r"[^a-z0-9]+", "-", wearer.name.lower()).strip("-") or "wearer"
        body = json.dumps(wearer.core().as_dict(), indent=1, ensure_ascii=False)
        return HttpResponse(body, content_type="application/json", headers={"Content-Disposition": f'attachment; filename="{name}.json"'})

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
        made = Wearer.objects.create(name=core.name or "Unnamed wearer", sex=core.sex, mass_kg=core.mass_kg, measurements=core.measurements)
        return Response(WearerSerializer(made).data, status=201)
