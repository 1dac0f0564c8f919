"""What the shop has: printers, spools, and how it likes to work."""

from typing import get_args

from django.db import models

from bastion_core.fit.bays import KINDS
from bastion_core.plates.beds import Gantry
from bastion_core.schedule.costs import CORE_G, POWER_PRICE_PER_KWH, POWER_W, WEAR_PER_H
from bastion_core.schedule.model import PLANNING_FACTOR
from bastion_core.schedule.spools import SpoolLeft, left_sd_g
from bastion_core.shop import (
    BED_MARGIN_MM,
    HANDS_WEIGH,
    MADE_FOR_MM,
    MONEY_WEIGHS,
    PAD_MM,
    PIN_CLEARANCE_MM,
    PIN_WALL_MM,
    RESIN_PRICE_PER_L,
    Fits,
    Kind,
    Weights,
)
from bastion_core.shop import Printer as CorePrinter
from bastion_core.shop import Shop as CoreShop
from bastion_core.shop import Spool as CoreSpool


def usual_bays() -> list[dict]:
    """The core's table of what goes inside."""
    return [{"name": k.name, "size_mm": list(k.size_mm), "round": k.round} for k in KINDS.values()]


class Shop(models.Model):
    """The one row of settings; its defaults are the core's."""

    class Units(models.TextChoices):
        MM = "mm", "millimetres"
        INCH = "in", "inches"

    units = models.CharField(max_length=2, choices=Units, default=Units.MM)
    pad_mm = models.FloatField(default=PAD_MM)
    made_for_mm = models.FloatField(default=MADE_FOR_MM)
    pin_clearance_mm = models.FloatField(default=PIN_CLEARANCE_MM)
    pin_wall_mm = models.FloatField(default=PIN_WALL_MM)
    resin_price_per_l = models.FloatField(default=RESIN_PRICE_PER_L)
    weigh_supports = models.FloatField(default=HANDS_WEIGH)
    weigh_scars = models.FloatField(default=HANDS_WEIGH)
    weigh_steps = models.FloatField(default=HANDS_WEIGH)
    weigh_seams = models.FloatField(default=HANDS_WEIGH)
    weigh_money = models.FloatField(default=MONEY_WEIGHS)
    planning_factor = models.FloatField(default=PLANNING_FACTOR)
    wake_from_h = models.FloatField(default=8.0)
    wake_to_h = models.FloatField(default=22.0)
    bays = models.JSONField(default=usual_bays)
    """[{name, size_mm, round}] of what usually goes inside pieces; a box, or a cylinder as wide as its first size."""
    currency = models.CharField(max_length=4, default="€")
    away = models.JSONField(default=list)
    """Days (ISO) on which nobody changes a bed."""
    power_price_per_kwh = models.FloatField(default=POWER_PRICE_PER_KWH)

    @classmethod
    def current(cls) -> "Shop":
        return cls.objects.get_or_create(pk=1)[0]


class Printer(models.Model):
    """A printer of the shop, of filament or resin. Sizes are the nameplate's."""

    name = models.CharField(max_length=60, unique=True)
    x_mm = models.FloatField()
    y_mm = models.FloatField()
    z_mm = models.FloatField()
    margin_mm = models.FloatField(default=BED_MARGIN_MM)
    bed_moves = models.BooleanField(default=CorePrinter.bed_moves)
    speed_mm_s = models.FloatField(default=CorePrinter.speed_mm_s)
    acceleration_mm_s2 = models.FloatField(default=CorePrinter.acceleration_mm_s2)
    kind = models.CharField(max_length=10, default=CorePrinter.kind, choices=[(k, k) for k in get_args(Kind)])
    resin_layer_mm = models.FloatField(default=CorePrinter.resin_layer_mm)
    exposure_s = models.FloatField(default=CorePrinter.exposure_s)
    lift_s = models.FloatField(default=CorePrinter.lift_s)
    active = models.BooleanField(default=True)
    clips = models.JSONField(default=list)
    """Polygons on the bed that are not to be printed on: corners in mm from the front left one."""
    under_gantry_mm = models.FloatField(default=Gantry.under_mm)
    head_mm = models.FloatField(default=Gantry.head_mm)
    power_w = models.FloatField(default=POWER_W)
    wear_per_h = models.FloatField(default=WEAR_PER_H)
    address = models.CharField(max_length=200, blank=True)
    """Of its service, where it is watched."""
    watched = models.BooleanField(default=False)
    stand_in = models.JSONField(null=True, blank=True)
    """Of a printer that is simulated here: how it behaves (the core's Manner)."""

    class Meta:
        ordering = ["id"]

    def gantry(self) -> Gantry:
        """What its bed and gantry leave; RecipeProblem when its numbers cannot be."""
        return Gantry(self.name, tuple(tuple((x, y) for x, y in c) for c in self.clips), self.under_gantry_mm, self.head_mm)

    def core(self) -> CorePrinter:
        """The same printer as the core knows it; RecipeProblem when its numbers cannot be."""
        return CorePrinter(
            self.name, self.x_mm, self.y_mm, self.z_mm, self.margin_mm, self.bed_moves, self.speed_mm_s, self.acceleration_mm_s2,
            kind=self.kind, resin_layer_mm=self.resin_layer_mm, exposure_s=self.exposure_s, lift_s=self.lift_s,
        )  # fmt: skip


class Spool(models.Model):
    """A spool and what is left on it."""

    name = models.CharField(max_length=80)
    material = models.CharField(max_length=20)
    colour = models.CharField(max_length=40, blank=True)
    net_g = models.FloatField(default=1000.0)
    used_g = models.FloatField(default=0.0)
    price_per_kg = models.FloatField()
    core_g = models.FloatField(default=CORE_G)
    """The empty spool."""
    opened = models.DateField(null=True, blank=True)
    dried = models.DateField(null=True, blank=True)
    weighed = models.DateTimeField(null=True, blank=True)
    used_since_g = models.FloatField(default=0.0)
    """Reckoned off since it was weighed."""

    class Meta:
        ordering = ["id"]

    @property
    def left_g(self) -> float:
        return max(self.net_g - self.used_g, 0.0)

    def core(self) -> SpoolLeft:
        """What is left on it, with its doubt."""
        sd = left_sd_g(self.used_since_g if self.weighed else self.used_g)
        return SpoolLeft(self.pk, self.name, self.material, self.colour, self.left_g, sd, self.price_per_kg)


class CouponFit(models.Model):
    """What fitted on the clearance coupon of a printer and material; see the core's Fits."""

    printer = models.ForeignKey(Printer, models.CASCADE, related_name="fits")
    material = models.CharField(max_length=20)
    pin_mm = models.FloatField(null=True, blank=True)
    key_mm = models.FloatField(null=True, blank=True)
    magnet_mm = models.FloatField(null=True, blank=True)
    insert_mm = models.FloatField(null=True, blank=True)
    thread_mm = models.FloatField(null=True, blank=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["printer", "material"], name="one_coupon_each")]

    def core(self) -> Fits:
        """The same as the core knows it; RecipeProblem when a clearance cannot be."""
        return Fits(self.printer_id, self.material, self.pin_mm, self.key_mm, self.magnet_mm, self.insert_mm, self.thread_mm)


def shop_today() -> CoreShop:
    """The shop as stations know it: settings, printers in use, stock."""
    row = Shop.current()
    return CoreShop(
        tuple((p.id, p.core()) for p in Printer.objects.filter(active=True)),
        tuple(CoreSpool(s.material, s.left_g, s.price_per_kg) for s in Spool.objects.all()),
        row.pad_mm,
        row.made_for_mm,
        row.pin_clearance_mm,
        row.pin_wall_mm,
        row.resin_price_per_l,
        Weights(row.weigh_supports, row.weigh_scars, row.weigh_steps, row.weigh_seams, row.weigh_money),
        tuple(f.core() for f in CouponFit.objects.filter(printer__active=True)),
    )
