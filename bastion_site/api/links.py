"""Links for a far-away wearer over HTTP, and the sheet behind one."""

from dataclasses import dataclass

from django.db import transaction
from django.http import Http404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action, api_view
from rest_framework.response import Response

from bastion_core.engine.keeping import plain
from bastion_core.measure.table import TABLE, Measurement
from bastion_core.measure.wearer import check_possible
from bastion_core.units import parse_length_mm
from bastion_site.api.wearers import TYPED, Units, known
from bastion_site.errors import NotYet
from bastion_site.wearers.models import MeasureLink, Reading, Wearer
from bastion_site.wire import asked, question, wire


class LinkSerializer(serializers.ModelSerializer):
    """A link that opens a wearer's sheet and nothing else."""

    open = serializers.BooleanField(read_only=True)
    keys = serializers.ListField(child=serializers.CharField(max_length=60), required=False, help_text="Empty for all of it.")

    class Meta:
        model = MeasureLink
        fields = ["id", "token", "keys", "created", "expires", "revoked", "open"]
        read_only_fields = ["token", "created", "expires", "revoked"]

    def validate_keys(self, value):
        for key in value:
            known(key)
        return value


@dataclass(frozen=True)
class FarSheet:
    """What a far-away wearer sees: their name, what is asked, and what they have sent already."""

    name: str
    expires: str
    rows: tuple[Measurement, ...]
    sent: dict[str, float]


@dataclass(frozen=True)
class Send:
    """Measurements as typed."""

    typed: dict[str, str]
    units: Units = "mm"
    by: str = ""


SendSerializer = question(Send, {**TYPED, "by": {"max_length": 60, "allow_blank": True}})


class LinkView(viewsets.GenericViewSet):
    """Links of a wearer."""

    queryset = Wearer.objects.all()
    serializer_class = LinkSerializer

    @extend_schema(methods=["get"], responses=LinkSerializer(many=True))
    @extend_schema(methods=["post"], request=LinkSerializer, responses={201: LinkSerializer})
    @action(detail=True, methods=["get", "post"], pagination_class=None)
    def links(self, request, pk=None):
        """Links for a far-away wearer: list them, or make one."""
        wearer = self.get_object()
        if request.method == "GET":
            return Response(LinkSerializer(wearer.links.all(), many=True).data)
        reading = LinkSerializer(data=request.data)
        reading.is_valid(raise_exception=True)
        return Response(LinkSerializer(reading.save(wearer=wearer)).data, status=201)

    @extend_schema(request=None, responses=LinkSerializer)
    @action(detail=True, methods=["post"], url_path=r"links/(?P<link>\d{1,18})/revoke")
    def revoke(self, request, pk=None, link=None):
        """End a link at once."""
        found = self.get_object().links.filter(pk=link).first()
        if found is None:
            raise Http404("There is no such link.")
        found.revoked = True
        found.save(update_fields=["revoked"])
        return Response(LinkSerializer(found).data)


def _open_link(token: str) -> MeasureLink:
    link = MeasureLink.objects.select_related("wearer").filter(token=token).first()
    if link is None:
        raise Http404("This link leads nowhere. Ask for it once more.")
    if not link.open:
        why = "was withdrawn" if link.revoked else "ran out"
        raise NotYet(f"This link {why}. Ask for a new one.")
    return link


def _sheet(link: MeasureLink) -> FarSheet:
    wanted = link.keys or [r.key for r in TABLE]
    sent = {r.key: r.value_mm for r in link.wearer.readings.filter(state=Reading.State.WAITS, way="customer").order_by("id")}
    return FarSheet(link.wearer.name, link.expires.isoformat(), tuple(r for r in TABLE if r.key in wanted), sent)


@extend_schema(methods=["get"], responses=wire(FarSheet))
@extend_schema(methods=["post"], request=SendSerializer, responses=wire(FarSheet))
@api_view(["GET", "POST"])
def far_sheet(request, token: str):
    """The sheet behind a link. What is sent waits until the maker accepts it."""
    link = _open_link(token)
    if request.method == "POST":
        given = asked(SendSerializer, request.data)
        allowed = {r.key for r in TABLE if not link.keys or r.key in link.keys}
        values = {
            key: check_possible(key, parse_length_mm(text, given["units"]))
            for key, text in ((k, str(v)) for k, v in given["typed"].items())
            if key in allowed and text.strip()
        }
        with transaction.atomic():
            for key, value in values.items():
                link.wearer.readings.filter(key=key, state=Reading.State.WAITS).delete()
                link.wearer.readings.create(
                    key=key, value_mm=value, way="customer", by=given["by"], state=Reading.State.WAITS, taken=timezone.now()
                )
    return Response(plain(_sheet(link)))
