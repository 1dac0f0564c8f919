"""Rods that are sold: bars and tubes, what they weigh and bear."""

import re
from dataclasses import dataclass
from math import pi

from bastion_core.errors import RecipeProblem
from bastion_core.statics.sections import Section


@dataclass(frozen=True)
class RodMaterial:
    """What rods are made of: stiffness and strength in bending in MPa, density in g/cm³, and whether a magnet or a compass minds it."""

    key: str
    name: str
    e_mpa: float
    bends_mpa: float
    density_g_cm3: float
    magnetic: bool = False
    caution: str = ""


ROD_MATERIALS: dict[str, RodMaterial] = {
    m.key: m
    for m in (
        RodMaterial("steel", "steel", 210_000, 235, 7.85, True),
        RodMaterial("aluminium", "aluminium", 70_000, 160, 2.70),
        RodMaterial(
            "carbon",
            "carbon fibre",
            120_000,
            500,
            1.55,
            caution="Cut it wet, with a mask for fine dust and gloves: its splinters and dust harm.",
        ),
        RodMaterial("beech", "beech", 14_000, 60, 0.70),
    )
}
"""Steel: yield of S235 after EN 10025-2. Aluminium: EN AW-6060 T6, EN 755-2, from memory. Carbon: pultruded, makers' sheets as remembered.
Beech: half its breaking strength of about 120 MPa in wood handbooks, for knots and grain; from memory."""
BARS_MM = (3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 16.0, 20.0)
TUBES_MM = ((6.0, 1.0), (8.0, 1.0), (10.0, 1.0), (12.0, 1.0), (16.0, 1.5), (20.0, 1.5), (25.0, 2.0))
"""Diameter and wall; common practice, no source."""


@dataclass(frozen=True)
class Stock:
    """A bar, or a tube with a wall so thick (mm); 0 for a bar."""

    material: str
    diameter_mm: float
    wall_mm: float = 0.0

    def __post_init__(self) -> None:
        if self.material not in ROD_MATERIALS:
            raise RecipeProblem(f"“{self.material}” is no rod known here. There are: {', '.join(ROD_MATERIALS)}.", "rods")
        if not 1 <= self.diameter_mm <= 60:
            raise RecipeProblem(f"A rod {self.diameter_mm:g} mm thick cannot be: 1 to 60 mm.", "rods")
        if not 0 <= self.wall_mm < self.diameter_mm / 2:
            raise RecipeProblem(f"A tube of {self.diameter_mm:g} mm has no wall of {self.wall_mm:g} mm.", "rods")

    @property
    def of(self) -> RodMaterial:
        return ROD_MATERIALS[self.material]

    @property
    def inner_mm(self) -> float:
        return self.diameter_mm - 2 * self.wall_mm if self.wall_mm else 0.0

    @property
    def code(self) -> str:
        """As it is written: steel-10, steel-10x1."""
        return f"{self.material}-{self.diameter_mm:g}" + (f"x{self.wall_mm:g}" if self.wall_mm else "")

    @property
    def name(self) -> str:
        """As a maker asks for it."""
        what = f"tube {self.diameter_mm:g} × {self.wall_mm:g} mm" if self.wall_mm else f"bar {self.diameter_mm:g} mm"
        return f"{self.of.name} {what}" if self.material != "beech" else f"beech dowel {self.diameter_mm:g} mm"

    @property
    def least_mm4(self) -> float:
        """Second moment: pi (D⁴ - d⁴) / 64."""
        return pi * (self.diameter_mm**4 - self.inner_mm**4) / 64

    @property
    def area_mm2(self) -> float:
        return pi * (self.diameter_mm**2 - self.inner_mm**2) / 4

    @property
    def grams_per_mm(self) -> float:
        return self.area_mm2 * self.of.density_g_cm3 / 1000

    @property
    def bears_nmm(self) -> float:
        """The bending moment at which it yields or breaks."""
        return self.of.bends_mpa * 2 * self.least_mm4 / self.diameter_mm

    def section(self) -> Section:
        """As a section."""
        i = self.least_mm4
        return Section(self.area_mm2, (0.0, 0.0), i, i, 0.0, 2 * i / self.diameter_mm, i)


_STOCK = re.compile(r"([a-z]+)-(\d+(?:\.\d+)?)(?:x(\d+(?:\.\d+)?))?")


def stock_of(text: str) -> Stock:
    """A rod as it is written: steel-10 for a bar, steel-10x1 for a tube; RecipeProblem where it is none.

    >>> stock_of("carbon-8x1").name
    'carbon fibre tube 8 × 1 mm'
    """
    found = _STOCK.fullmatch(text.strip())
    if not found:
        raise RecipeProblem(f"“{text}” is no rod. Write steel-10 for a bar, steel-10x1 for a tube: {', '.join(ROD_MATERIALS)}.", "rods")
    return Stock(found[1], float(found[2]), float(found[3] or 0))


def usual_stock() -> tuple[Stock, ...]:
    """What is usually there: bars and tubes, the lightest first."""
    tubes = [Stock(m, d, w) for m in ("steel", "aluminium", "carbon") for d, w in TUBES_MM]
    bars = [Stock(m, d) for m in ("steel", "aluminium", "carbon") for d in BARS_MM if d <= 12] + [
        Stock("beech", d) for d in BARS_MM if d >= 6
    ]
    return tuple(sorted((*tubes, *bars), key=lambda s: s.grams_per_mm))
