"""Shop over HTTP."""

from drf_spectacular.utils import extend_schema
from rest_framework import mixins, serializers, viewsets
from rest_framework.decorators import action
from rest_framework.response import Response

from bastion_core.errors import RecipeProblem
from bastion_core.fit.bays import Bay, checked
from bastion_core.printing.profile import MATERIALS
from bastion_core.printing.queue import Waking
from bastion_site.builds.chain import refresh_all
from bastion_site.shop.models import Printer, Shop, Spool


class UsualBaySerializer(serializers.Serializer):
    """Something that usually goes inside: a box, or a cylinder as wide as its first size."""

    name = serializers.CharField(max_length=60)
    size_mm = serializers.ListField(child=serializers.FloatField(), min_length=3, max_length=3)
    round = serializers.BooleanField(default=False)


class ShopSerializer(serializers.ModelSerializer):
    bays = UsualBaySerializer(many=True, required=False)

    class Meta:
        model = Shop
        exclude = ["id"]
        extra_kwargs = {
            "planning_factor": {"min_value": 1.0, "max_value": 10.0},
            "pad_mm": {"min_value": 0.0, "max_value": 60.0},
            "made_for_mm": {"min_value": 500.0, "max_value": 2600.0},
            "pin_clearance_mm": {"min_value": 0.0, "max_value": 2.0},
            "pin_wall_mm": {"min_value": 0.4, "max_value": 20.0},
        }

    def validate_bays(self, value):
        # A partial update fills in no defaults of what is nested.
        value = [{"round": False} | dict(record) for record in value]
        for record in value:
            checked(Bay(record["name"], tuple(record["size_mm"]), round=record["round"]))
        names = [record["name"] for record in value]
        twice = next((n for n in names if names.count(n) > 1), None)
        if twice is not None:
            raise RecipeProblem(f"There are two called “{twice}”. Give each a name of its own.")
        return value

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
        fields = ["id", "name", "x_mm", "y_mm", "z_mm", "margin_mm", "usable_mm", "bed_moves", "speed_mm_s", "acceleration_mm_s2", "active"]
        extra_kwargs = {"speed_mm_s": {"min_value": 5, "max_value": 1000}, "acceleration_mm_s2": {"min_value": 100, "max_value": 50000}}

    def get_usable_mm(self, printer) -> list[float]:
        return list(printer.core().usable_mm)

    def validate(self, attrs):
        known = {f.attname: getattr(self.instance, f.attname) for f in Printer._meta.fields} if self.instance else {}
        Printer(**(known | attrs)).core()  # the core says what is wrong with its numbers
        return attrs


class SpoolSerializer(serializers.ModelSerializer):
    left_g = serializers.FloatField(read_only=True)

    class Meta:
        model = Spool
        fields = ["id", "name", "material", "colour", "net_g", "used_g", "left_g", "price_per_kg"]
        extra_kwargs = {"used_g": {"min_value": 0}, "net_g": {"min_value": 1}, "price_per_kg": {"min_value": 0}}

    def validate_material(self, value):
        if value not in MATERIALS:
            raise RecipeProblem(f"“{value}” is no material known here. There are: {', '.join(MATERIALS)}.")
        return value


class MaterialSerializer(serializers.Serializer):
    key = serializers.CharField()
    name = serializers.CharField()
    density_g_cm3 = serializers.FloatField()
    softens_deg_c = serializers.FloatField()
    price_per_kg = serializers.FloatField()
    source = serializers.CharField()


class ShopView(mixins.RetrieveModelMixin, mixins.UpdateModelMixin, viewsets.GenericViewSet):
    """The shop's settings."""

    serializer_class = ShopSerializer
    http_method_names = ["get", "patch"]

    def get_object(self) -> Shop:
        return Shop.current()

    def perform_update(self, serializer) -> None:
        serializer.save()
        # What usually goes inside is only chosen from: pieces keep their own sizes.
        if set(serializer.validated_data) - {"bays"}:
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


class SpoolView(viewsets.ModelViewSet):
    """The shop's spools."""

    queryset = Spool.objects.all()
    serializer_class = SpoolSerializer
    http_method_names = ["get", "post", "patch", "delete"]

    @extend_schema(responses=MaterialSerializer(many=True))
    @action(detail=False, pagination_class=None)
    def materials(self, request):
        return Response(MaterialSerializer(MATERIALS.values(), many=True).data)
