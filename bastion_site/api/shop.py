"""Shop over HTTP."""

import re
import tempfile
from datetime import date
from pathlib import Path

import numpy as np
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import mixins, serializers, viewsets
from rest_framework.decorators import action
from rest_framework.response import Response

from bastion_core.devices.spool_scale import left_on
from bastion_core.devices.spool_scale import read as read_scale
from bastion_core.engine.keeping import plain, whole
from bastion_core.errors import RecipeProblem
from bastion_core.fit.bays import Bay
from bastion_core.plates.beds import usable
from bastion_core.print.profile import MATERIALS, Material
from bastion_core.schedule.model import Waking
from bastion_core.shop import LEAST_GAP_MM
from bastion_core.statics.magnets import disc_of
from bastion_site.api.files import sent
from bastion_site.api.floor_records import Weighed, Weighing
from bastion_site.api.records import UsualBay
from bastion_site.engine import quick
from bastion_site.engine.process import warm
from bastion_site.engine.refresh import refresh_all
from bastion_site.shop.models import CouponFit, Printer, Shop, Spool
from bastion_site.wire import asked, question, wire

WeighingSerializer = question(Weighing, {"count": {"min_value": 0, "max_value": 100_000}})
UsualBaySerializer = question(UsualBay, {"name": {"max_length": 60}})


def whole_days(value) -> list[date]:
    """Days as they are sent; RecipeProblem naming what is none."""
    days = []
    for text in value if isinstance(value, list) else [value]:
        try:
            days.append(date.fromisoformat(str(text)))
        except ValueError:
            raise RecipeProblem(f"“{text}” is no day. Write it like 2027-03-01.", "away") from None
    return days


class ShopSerializer(serializers.ModelSerializer):
    bays = UsualBaySerializer(many=True, required=False)

    class Meta:
        model = Shop
        exclude = ["id"]
        extra_kwargs = {
            "planning_factor": {"min_value": 1.0, "max_value": 10.0},
            "pad_mm": {"min_value": 0.0, "max_value": 60.0},
            "made_for_mm": {"min_value": 500.0, "max_value": 2600.0},
            "pin_clearance_mm": {"min_value": LEAST_GAP_MM, "max_value": 2.0},
            "pin_wall_mm": {"min_value": 0.4, "max_value": 20.0},
            "resin_price_per_l": {"min_value": 0.0, "max_value": 10_000.0},
            **{f"weigh_{kind}": {"min_value": 0.0, "max_value": 100.0} for kind in ("supports", "scars", "steps", "seams", "money")},
        }

    def validate_bays(self, value):
        # A partial update leaves out what is nested and not said: the core reads it as it came.
        bays = whole(tuple[UsualBay, ...], self.initial_data["bays"])
        for bay in bays:
            Bay(bay.name, bay.size_mm, round=bay.round)
        value = plain(bays)
        names = [record["name"] for record in value]
        twice = next((n for n in names if names.count(n) > 1), None)
        if twice is not None:
            raise RecipeProblem(f"There are two called “{twice}”. Give each a name of its own.")
        return value

    def validate_away(self, value):
        return sorted({d.isoformat() for d in whole_days(value)})

    def validate(self, attrs):
        merged = {"wake_from_h": 8.0, "wake_to_h": 22.0}
        if self.instance:
            merged = {"wake_from_h": self.instance.wake_from_h, "wake_to_h": self.instance.wake_to_h}
        merged |= {k: attrs[k] for k in merged if k in attrs}
        Waking(merged["wake_from_h"], merged["wake_to_h"])
        return attrs


class PrinterSerializer(serializers.ModelSerializer):
    usable_mm = serializers.SerializerMethodField()

    class Meta:
        model = Printer
        fields = [
            "id", "name", "x_mm", "y_mm", "z_mm", "margin_mm", "usable_mm", "bed_moves", "speed_mm_s", "acceleration_mm_s2", "active",
            "kind", "resin_layer_mm", "exposure_s", "lift_s", "clips", "under_gantry_mm", "head_mm", "power_w", "wear_per_h", "address", "watched",
        ]  # fmt: skip
        extra_kwargs = {
            "speed_mm_s": {"min_value": 5, "max_value": 1000}, "acceleration_mm_s2": {"min_value": 100, "max_value": 50000},
            "power_w": {"min_value": 0, "max_value": 5000}, "wear_per_h": {"min_value": 0, "max_value": 1000},
        }  # fmt: skip

    def get_usable_mm(self, printer) -> list[float]:
        return list(printer.core().usable_mm)

    def validate(self, attrs):
        known = {f.attname: getattr(self.instance, f.attname) for f in Printer._meta.fields} if self.instance else {}
        printer = Printer(**(known | attrs))
        usable(printer.core(), printer.gantry())  # the core says what is wrong with its numbers
        return attrs

    def validate_clips(self, value):
        return plain(whole(tuple[tuple[tuple[float, float], ...], ...], value))

    def validate_address(self, value):
        if value and not re.fullmatch(r"http://(127\.0\.0\.1|localhost)(:\d{2,5})?/?", value):
            raise RecipeProblem("A printer’s service is asked on this machine only: http://127.0.0.1 and its port.", "address")
        return value


class CouponFitSerializer(serializers.ModelSerializer):
    class Meta:
        model = CouponFit
        fields = ["id", "printer", "material", "pin_mm", "key_mm", "magnet_mm", "insert_mm", "thread_mm"]

    def validate(self, attrs):
        known = {f.attname: getattr(self.instance, f.attname) for f in CouponFit._meta.fields} if self.instance else {}
        CouponFit(**(known | attrs)).core()  # the core says what cannot be
        return attrs

    def validate_material(self, value):
        return _known_material(value)


def _known_material(value: str) -> str:
    if value not in MATERIALS:
        raise RecipeProblem(f"“{value}” is no material known here. There are: {', '.join(MATERIALS)}.")
    return value


class SpoolSerializer(serializers.ModelSerializer):
    sd_g = serializers.SerializerMethodField()
    left_g = serializers.FloatField(read_only=True)

    class Meta:
        model = Spool
        fields = [
            "id", "name", "material", "colour", "net_g", "used_g", "left_g", "price_per_kg", "core_g", "opened", "dried", "weighed", "sd_g",
        ]  # fmt: skip
        read_only_fields = ["weighed"]
        extra_kwargs = {
            "used_g": {"min_value": 0}, "net_g": {"min_value": 1}, "price_per_kg": {"min_value": 0}, "core_g": {"min_value": 0, "max_value": 2000},
        }  # fmt: skip

    def get_sd_g(self, spool) -> float:
        return round(spool.core().sd_g, 1)

    def validate_material(self, value):
        return _known_material(value)


class ShopView(mixins.RetrieveModelMixin, mixins.UpdateModelMixin, viewsets.GenericViewSet):
    """The shop's settings."""

    serializer_class = ShopSerializer
    http_method_names = ["get", "patch"]

    def get_object(self) -> Shop:
        return Shop.current()

    def perform_update(self, serializer) -> None:
        serializer.save()
        # What usually goes inside is only chosen from: pieces keep their own sizes. Days and prices are the calendar's.
        if set(serializer.validated_data) - {"bays", "away", "power_price_per_kwh"}:
            refresh_all("shop settings")


class PrinterView(viewsets.ModelViewSet):
    """The shop's printers."""

    queryset = Printer.objects.all()
    serializer_class = PrinterSerializer
    http_method_names = ["get", "post", "patch", "delete"]

    def perform_create(self, serializer) -> None:
        serializer.save()
        refresh_all("a new printer")

    def perform_update(self, serializer) -> None:
        serializer.save()
        refresh_all(f"printer {serializer.instance.name}")

    def perform_destroy(self, instance) -> None:
        name = instance.name
        instance.delete()
        refresh_all(f"printer {name} taken away")


class CouponFitView(viewsets.ModelViewSet):
    """What fitted on the clearance coupons: joints of pieces whose prints have not begun follow it."""

    queryset = CouponFit.objects.all()
    serializer_class = CouponFitSerializer
    http_method_names = ["get", "post", "patch", "delete"]

    def perform_create(self, serializer) -> None:
        serializer.save()
        refresh_all("the coupon’s fits")

    def perform_update(self, serializer) -> None:
        serializer.save()
        refresh_all("the coupon’s fits")

    def perform_destroy(self, instance) -> None:
        instance.delete()
        refresh_all("a coupon taken away")

    @extend_schema(responses={(200, "model/stl"): OpenApiTypes.BINARY})
    @action(detail=False, pagination_class=None)
    def coupon(self, request):
        """The coupon to print, as STL."""
        with tempfile.TemporaryDirectory(prefix="bastion-") as made:
            path = Path(made) / "clearance-coupon.stl"
            warm.ask(quick.write_coupon, str(path))
            return sent(path)

    @extend_schema(parameters=[OpenApiParameter("disc", str)], responses={(200, "model/stl"): OpenApiTypes.BINARY})
    @action(detail=False, pagination_class=None, url_path="pole-gauge")
    def pole_gauge(self, request):
        """The pole gauge for a disc (6x3), as STL."""
        disc = disc_of(request.query_params.get("disc", "6x3"))
        with tempfile.TemporaryDirectory(prefix="bastion-") as made:
            path = Path(made) / f"pole-gauge-{disc.diameter_mm:g}x{disc.thick_mm:g}.stl"
            warm.ask(quick.write_pole_gauge, str(path), disc.code, Shop.current().pin_clearance_mm)
            return sent(path)


class SpoolView(viewsets.ModelViewSet):
    """The shop's spools. What a piece costs follows their prices; nothing is computed for it."""

    queryset = Spool.objects.all()
    serializer_class = SpoolSerializer
    http_method_names = ["get", "post", "patch", "delete"]

    def perform_create(self, serializer) -> None:
        serializer.save()
        refresh_all("a new spool")

    def perform_update(self, serializer) -> None:
        serializer.save()
        if "price_per_kg" in serializer.validated_data or "material" in serializer.validated_data:
            refresh_all("the price of filament")

    def perform_destroy(self, instance) -> None:
        instance.delete()
        refresh_all("a spool taken away")

    @extend_schema(request=WeighingSerializer, responses=wire(Weighed))
    @action(detail=True, methods=["post"])
    def weigh(self, request, pk=None):
        """A reading of the simulated scale with this spool on it; what is left follows it."""
        spool = self.get_object()
        given = asked(WeighingSerializer, request.data)
        # What really is on it: near what is reckoned, as far off as such a figure is.
        off = np.random.default_rng([spool.pk, round(spool.used_g)]).normal(0.0, 0.03 * spool.used_g) if spool.weighed is None else 0.0
        truth = min(max(spool.left_g + off, 0.0), spool.net_g) + spool.core_g
        reading = read_scale(truth, given["count"], spool.pk, given["cut_off"], given["tare_off"])
        left, was = left_on(reading.gross_g, spool.core_g, spool.net_g), spool.left_g
        Spool.objects.filter(pk=spool.pk).update(used_g=max(spool.net_g - left, 0.0), weighed=timezone.now(), used_since_g=0.0)
        spool.refresh_from_db()
        return Response(plain(Weighed(reading.gross_g, left, was, spool.core().sd_g)))

    @extend_schema(responses=wire(Material)(many=True))
    @action(detail=False, pagination_class=None)
    def materials(self, request):
        return Response(plain(list(MATERIALS.values())))
