"""What a shop has and how it likes to work, as stations need it."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.finish.pace import HandLog

BED_MARGIN_MM = 5.0
"""Brim, clips, purge line, loss at the corners, each side of the bed; common practice (5 to 10 mm), no source."""
RESIN_MARGIN_MM = 3.0
"""The same of a resin printer's plate; common practice, no source."""
PAD_MM = 8.0
"""Foam and liner each side of a head; common practice (5 to 15 mm), no source."""
MADE_FOR_MM = 1830.0
"""Stature most files are drawn for; common practice, no source."""
PIN_CLEARANCE_MM = 0.15
"""Per side, between pin and hole; common practice (0.1 to 0.3 mm by printer), no source. A coupon tells better."""
PIN_WALL_MM = 1.2
"""Wall that stays round a hole; common practice, no source."""


HANDS_WEIGH = 5.0
"""Hours of the printer that an hour of hands weighs; common practice, no source."""
MONEY_WEIGHS = 0.5
"""Hours of the printer that a unit of money weighs; common practice, no source."""
Kind = Literal["filament", "resin"]
RESIN_PRICE_PER_L = 35.0
"""Of ordinary resin; common practice (30 to 45 a litre), no source."""


@dataclass(frozen=True)
class Printer:
    """A printer: nameplate volume in mm, margin per side of the bed (none in height), how it moves or how it cures."""

    name: str
    x_mm: float
    y_mm: float
    z_mm: float
    margin_mm: float = BED_MARGIN_MM
    bed_moves: bool = True
    """Whether the bed travels in y: tall slim parts get knocked off such a bed. Most ordinary printers are built so; common practice, no source."""
    speed_mm_s: float = 120.0
    """Ordinary speed of inner walls and infill; outer walls and skins run slower (see print.profile)."""
    acceleration_mm_s2: float = 3000.0
    warm_up_h: float = 0.1
    corner_mm_s: float = 8.0
    """How much the head's speed may jump at a corner, without slowing down before it; common practice, no source."""
    kind: Kind = "filament"
    resin_layer_mm: float = 0.05
    exposure_s: float = 2.5
    """Of a resin printer: light for each layer; common practice, no source."""
    lift_s: float = 6.0
    """Peeling each layer off, and back; common practice, no source."""

    def __post_init__(self) -> None:
        if self.kind == "resin" and not (0.01 <= self.resin_layer_mm <= 0.3 and 0.1 <= self.exposure_s <= 120 and 0 <= self.lift_s <= 120):
            raise RecipeProblem(
                f"Resin printer “{self.name}”: a layer of 0.01 to 0.3 mm, an exposure of 0.1 to 120 s and a lift of 0 to 120 s are possible."
            )
        usable = (self.x_mm - 2 * self.margin_mm, self.y_mm - 2 * self.margin_mm, self.z_mm)
        if not all(np.isfinite(v) and v >= 20 for v in usable) or max(usable) > 5000 or self.margin_mm < 0:
            raise RecipeProblem(
                f"Printer “{self.name}”: a usable volume of {usable[0]:.0f} × {usable[1]:.0f} × {usable[2]:.0f} mm cannot be. Give the nameplate size and a smaller margin."
            )

    @property
    def usable_mm(self) -> tuple[float, float, float]:
        """Width, depth and height that may be filled."""
        return self.x_mm - 2 * self.margin_mm, self.y_mm - 2 * self.margin_mm, self.z_mm


@dataclass(frozen=True)
class Spool:
    """Filament that is there: its material, what is left of it, and its price."""

    material: str
    left_g: float
    price_per_kg: float


@dataclass(frozen=True)
class Weights:
    """Hours of the printer that an hour of each kind of hands weighs, and that a unit of money does: some like sanding, most hate it."""

    supports: float = HANDS_WEIGH
    """Taking supports off."""
    scars: float = HANDS_WEIGH
    """Sanding where they touched."""
    steps: float = HANDS_WEIGH
    """Sanding stair-steps."""
    seams: float = HANDS_WEIGH
    """Gluing and filling seams."""
    money: float = MONEY_WEIGHS

    def __post_init__(self) -> None:
        if not all(0 <= v <= 100 for v in (self.supports, self.scars, self.steps, self.seams, self.money)):
            raise RecipeProblem("An hour of hands weighs 0 to 100 hours of the printer.")


Gap = Literal["pin", "key", "magnet", "insert", "thread"]
LEAST_GAP_MM = 0.02
"""Printed parts with less than this between them never go together; common practice, no source."""


@dataclass(frozen=True)
class Fits:
    """What fitted on the clearance coupon of one printer (by its number) and material: mm per side of pins, keys and magnets; of inserts and
    threads, mm that the hole is wider than in the table. None where nothing was entered."""

    printer: int
    material: str
    pin_mm: float | None = None
    key_mm: float | None = None
    magnet_mm: float | None = None
    insert_mm: float | None = None
    thread_mm: float | None = None

    def __post_init__(self) -> None:
        for name in ("pin_mm", "key_mm", "magnet_mm"):
            value = getattr(self, name)
            if value is not None and not LEAST_GAP_MM <= value <= 2:
                raise RecipeProblem(
                    f"A clearance of {value:g} mm per side cannot be: parts go together from {LEAST_GAP_MM:g} mm on, to 2 mm.", name
                )
        for name in ("insert_mm", "thread_mm"):
            value = getattr(self, name)
            if value is not None and not -0.5 <= value <= 1:
                raise RecipeProblem(f"A hole {value:g} mm wider than in the table cannot be: -0.5 to 1 mm.", name)


@dataclass(frozen=True)
class Shop:
    """Settings, printers and stock. ``printers`` are (number, printer): recipes choose by number."""

    printers: tuple[tuple[int, Printer], ...] = ()
    spools: tuple[Spool, ...] | None = None
    """None where no stock is kept."""
    pad_mm: float = PAD_MM
    made_for_mm: float = MADE_FOR_MM
    pin_clearance_mm: float = PIN_CLEARANCE_MM
    pin_wall_mm: float = PIN_WALL_MM
    resin_price_per_l: float = RESIN_PRICE_PER_L
    weights: Weights = Weights()
    fits: tuple[Fits, ...] = ()
    """What fitted on each printer's coupon."""
    hands: tuple[HandLog, ...] = ()
    """What ticked steps of the bench say of this maker's pace."""

    def chosen(self, numbers: tuple[int, ...] = ()) -> tuple[Printer, ...]:
        """The filament printers of these numbers; all where none is named."""
        return tuple(p for number, p in self.printers if p.kind == "filament" and (not numbers or number in numbers))

    @property
    def in_resin(self) -> tuple[Printer, ...]:
        """The resin printers, for small details of any piece."""
        return tuple(p for _, p in self.printers if p.kind == "resin")

    def price_per_kg(self, material: str) -> float | None:
        """What filament of a material costs, by the first spool of it; None where there is none."""
        return next((s.price_per_kg for s in self.spools or () if s.material == material), None)

    def left_g(self, material: str) -> float | None:
        """What is left of a material; None where no stock is kept, 0 where there is no spool of it."""
        return None if self.spools is None else sum(s.left_g for s in self.spools if s.material == material)

    def fitted(self, gap: Gap, numbers: tuple[int, ...], material: str) -> float | None:
        """What fitted on the coupons of these printers (all where none is named) in a material: the loosest, as a part may be printed on any of
        them; None where no coupon was entered."""
        known = [getattr(f, f"{gap}_mm") for f in self.fits if f.material == material and (not numbers or f.printer in numbers)]
        return max((v for v in known if v is not None), default=None)
