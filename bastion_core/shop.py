"""What a shop has and how it likes to work, as stations need it."""

from dataclasses import dataclass

import numpy as np

from bastion_core.errors import RecipeProblem

BED_MARGIN_MM = 5.0
"""Brim, clips, purge line, loss at the corners, each side of the bed; common practice (5 to 10 mm), no source."""
PAD_MM = 8.0
"""Foam and liner each side of a head; common practice (5 to 15 mm), no source."""
MADE_FOR_MM = 1830.0
"""Stature most files are drawn for; common practice, no source."""
PIN_CLEARANCE_MM = 0.15
"""Per side, between pin and hole; common practice (0.1 to 0.3 mm by printer), no source. A coupon tells better."""
PIN_WALL_MM = 1.2
"""Wall that stays round a hole; common practice, no source."""


@dataclass(frozen=True)
class Printer:
    """A filament printer: nameplate volume in mm, margin per side of the bed (none in height), and how it moves."""

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

    def __post_init__(self) -> None:
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
class Shop:
    """Settings, printers and stock. ``printers`` are (number, printer): recipes choose by number."""

    printers: tuple[tuple[int, Printer], ...] = ()
    spools: tuple[Spool, ...] | None = None
    """None where no stock is kept."""
    pad_mm: float = PAD_MM
    made_for_mm: float = MADE_FOR_MM
    pin_clearance_mm: float = PIN_CLEARANCE_MM
    pin_wall_mm: float = PIN_WALL_MM

    def chosen(self, numbers: tuple[int, ...]) -> tuple[Printer, ...]:
        """The printers of these numbers; all where none is named."""
        return tuple(p for number, p in self.printers if not numbers or number in numbers)

    def price_per_kg(self, material: str) -> float | None:
        """What filament of a material costs, by the first spool of it; None where there is none."""
        return next((s.price_per_kg for s in self.spools or () if s.material == material), None)

    def left_g(self, material: str) -> float | None:
        """What is left of a material; None where no stock is kept, 0 where there is no spool of it."""
        return None if self.spools is None else sum(s.left_g for s in self.spools if s.material == material)
