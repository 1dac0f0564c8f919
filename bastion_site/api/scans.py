"""A wearer's scans over HTTP: brought in, read in the background, used as the body."""

from dataclasses import dataclass

from django.db import transaction
from django.http import FileResponse, Http404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.parsers import FormParser
from rest_framework.response import Response

from bastion_core.engine.keeping import plain
from bastion_core.errors import FileProblem
from bastion_core.units import MM_PER_UNIT
from bastion_site.api.records import JobRecord
from bastion_site.api.uploads import Uploads
from bastion_site.builds.files import drop_source, keep_model
from bastion_site.engine import scans
from bastion_site.engine.queue import queue_job, stop_job
from bastion_site.engine.refresh import refresh_for_wearer
from bastion_site.engine.scans import Found
from bastion_site.engine.sweep import sweep
from bastion_site.errors import NotYet
from bastion_site.jobs.models import Job
from bastion_site.wearers.models import SCAN_KINDS, Scan, Wearer
from bastion_site.wire import wire

UNITS = [(u, u) for u in MM_PER_UNIT]


@dataclass(frozen=True)
class ScanRecord:
    """A scan: how it is read, what was found on it (nothing until it was read), and the work on it."""

    id: int
    kind: str
    unit: str
    hair_mm: float
    used: bool
    created: str
    found: Found | None
    reading: str
    job: JobRecord | None


class ScanAskSerializer(serializers.Serializer):
    """A scan to read."""

    file = serializers.FileField(required=False, allow_empty_file=True)
    simulated = serializers.BooleanField(default=False, help_text="Take the scan from the simulated scanner instead of a file.")
    kind = serializers.ChoiceField(choices=SCAN_KINDS, default="head")
    unit = serializers.ChoiceField(choices=UNITS, required=False, allow_blank=True)
    hair_mm = serializers.FloatField(default=0.0, min_value=0.0, max_value=60.0)


def _three_points(**more):
    numbers = serializers.ListField(child=serializers.FloatField(min_value=-1e6, max_value=1e6), min_length=3, max_length=3)
    return serializers.ListField(child=numbers, min_length=3, max_length=3, required=False, **more)


class ScanChangeSerializer(serializers.Serializer):
    """How a scan is to be read, and what it is used for."""

    hair_mm = serializers.FloatField(required=False, min_value=0.0, max_value=60.0)
    unit = serializers.ChoiceField(choices=UNITS, required=False)
    points = _three_points()
    shown = _three_points(help_text="The three points as touched on the stood-up scan (mm), instead of in the file's coordinates.")
    used = serializers.BooleanField(required=False)
    keep = serializers.BooleanField(required=False, help_text="Note its measurements on the sheet, as taken by scan.")


class ScanView(viewsets.GenericViewSet):
    """Scans of a wearer."""

    queryset = Wearer.objects.all()
    serializer_class = wire(ScanRecord)

    def _scan(self, scan: str) -> Scan:
        found = self.get_object().scans.filter(pk=scan).first()
        if found is None:
            raise Http404("There is no such scan.")
        return found

    @extend_schema(methods=["get"], responses=wire(ScanRecord)(many=True))
    @extend_schema(methods=["post"], request={"multipart/form-data": ScanAskSerializer}, responses={201: wire(ScanRecord)})
    @action(detail=True, methods=["get", "post"], pagination_class=None, parser_classes=[Uploads, FormParser])
    def scans(self, request, pk=None):
        """Scans of a wearer: list them, or have a new one stood up and measured."""
        wearer = self.get_object()
        if request.method == "GET":
            return Response([record(s) for s in wearer.scans.all()])
        reading = ScanAskSerializer(data=request.data)
        reading.is_valid(raise_exception=True)
        given = reading.validated_data
        mesh = None
        if not given["simulated"]:
            if not given.get("file"):
                raise FileProblem("Send a scan: an STL, OBJ or PLY file.")
            mesh = keep_model(given["file"])
        scan = Scan.objects.create(wearer=wearer, mesh=mesh, kind=given["kind"], unit=given.get("unit", ""), hair_mm=given["hair_mm"])
        queue_job(wearer, Job.Kind.SCAN, {"scan": scan.pk})
        return Response(record(scan), status=201)

    @extend_schema(methods=["patch"], request=ScanChangeSerializer, responses=wire(ScanRecord))
    @extend_schema(methods=["delete"], responses={204: None})
    @action(detail=True, methods=["patch", "delete"], url_path=r"scans/(?P<scan>\d{1,18})")
    def scan(self, request, pk=None, scan=None):
        """Change how a scan is read, take it as the head or the body for fits, note its measurements; or delete it."""
        found = self._scan(scan)
        if request.method == "DELETE":
            return self._gone(found)
        reading = ScanChangeSerializer(data=request.data)
        reading.is_valid(raise_exception=True)
        given = dict(reading.validated_data)
        if found.found is None and {"shown", "used", "keep"} & given.keys():
            raise NotYet("This scan is not read yet. Wait for it.")
        if {"used", "keep"} & given.keys() and not found.found["sure"]:
            raise NotYet("This scan could stand two ways. Show its three points first.")
        if "shown" in given:
            given["points"] = scans.in_the_file(found, given["shown"])
        if {"hair_mm", "unit", "points"} & given.keys():
            for name in ("hair_mm", "unit", "points"):
                if name in given:
                    setattr(found, name, given[name])
            found.save(update_fields=["hair_mm", "unit", "points"])
            queue_job(found.wearer, Job.Kind.SCAN, {"scan": found.pk})
        if "used" in given:
            found.wearer.scans.filter(kind=found.kind).update(used=False)
            found.used = given["used"]
            found.save(update_fields=["used"])
        if given.get("keep"):
            with transaction.atomic():
                for key, measured in found.found["values"].items():
                    found.wearer.take(key, measured["value"], "scan")
        if {"used", "keep"} & given.keys():
            refresh_for_wearer(found.wearer, "scan")
        return Response(record(found))

    def _gone(self, scan: Scan) -> Response:
        """Delete a scan, its file, and what was computed of it."""
        for job in scan.wearer.jobs.filter(about={"scan": scan.pk}, state__in=Job.ACTIVE):
            stop_job(job)
        mesh, used, wearer = scan.mesh, scan.used, scan.wearer
        scans.forget_files(scan)
        scan.delete()
        if mesh is not None:
            drop_source(mesh)
        if used:
            refresh_for_wearer(wearer, "deleted scan")
        sweep()
        return Response(status=204)

    @extend_schema(responses={(200, "model/gltf-binary"): OpenApiTypes.BINARY})
    @action(detail=True, url_path=r"scans/(?P<scan>\d{1,18})/preview")
    def preview(self, request, pk=None, scan=None):
        """The stood-up scan for the stage."""
        path = self._scan(scan).files / "preview.glb"
        if not path.is_file():
            raise Http404("This scan is gone from the data folder, or not read yet.")
        return FileResponse(path.open("rb"), content_type="model/gltf-binary")


def record(scan: Scan) -> dict:
    """A scan as the page shows it, as JSON."""
    job = scan.wearer.jobs.filter(kind=Job.Kind.SCAN, about={"scan": scan.pk}).first()
    made = ScanRecord(
        scan.pk, scan.kind, scan.unit, scan.hair_mm, scan.used, scan.created.isoformat(), None, scan.reading if scan.found else "",
        JobRecord.of(job),
    )  # fmt: skip
    return plain(made) | {"found": scan.found}
