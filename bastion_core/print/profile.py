"""Materials and print profiles: the tables of this station, each figure with its source."""

from dataclasses import dataclass, replace
from math import pi

from bastion_core.errors import RecipeProblem
from bastion_core.print.supports import Holding, Spots, Style

FILAMENT_DIAMETER_MM = 1.75
LAYER_HEIGHTS_MM = (0.12, 0.16, 0.20, 0.28)
_LINE_WIDTH_MM = 0.45
OUTER_WALL_SPEED, SLOW_OUTER_WALL_SPEED, SKIN_SPEED = 0.5, 0.25, 0.7
"""Shares of a printer's ordinary speed; common practice, no source."""


@dataclass(frozen=True)
class Material:
    """A filament: density in g/cm³, how much a hot end melts of it in mm³/s, where it goes soft, what it costs."""

    key: str
    name: str
    density_g_cm3: float
    most_flow_mm3_s: float
    softens_deg_c: float
    price_per_kg: float
    source: str
    forms_with_heat: bool = False
    """Whether a rim of it is flared with gentle heat: stiff plastics that soften low; common practice, no source."""
    shrinks: float = 0.1
    """How readily it curls off the bed, against ABS; common practice, no source."""


_FLOW = "flow: common practice for a plain hot end, no source; price: a round figure, change it per spool"
MATERIALS: dict[str, Material] = {
    m.key: m
    for m in (
        Material(
            "pla",
            "PLA",
            1.24,
            14.0,
            58,
            22.0,
            "density and softening: polymer handbooks (polylactide 1.24 g/cm³, glass transition 55-60 °C); " + _FLOW,
            True,
        ),
        Material(
            "pla-sand",
            "Easy-sanding PLA",
            1.31,
            12.0,
            56,
            28.0,
            "density: common practice for mineral-filled PLA, no source; " + _FLOW,
            True,
        ),
        Material(
            "petg",
            "PETG",
            1.27,
            10.0,
            75,
            24.0,
            "density and softening: polymer handbooks (PETG 1.27 g/cm³, glass transition about 80 °C); " + _FLOW,
            True,
        ),
        Material("abs", "ABS", 1.04, 12.0, 98, 24.0, "density: polymer handbooks (1.04 g/cm³); " + _FLOW, shrinks=1.0),
        Material("asa", "ASA", 1.07, 12.0, 98, 30.0, "density: polymer handbooks (1.07 g/cm³); " + _FLOW, shrinks=0.8),
        Material("tpu", "TPU", 1.21, 4.0, 60, 35.0, "density: polymer handbooks (1.20 to 1.22 g/cm³); " + _FLOW),
    )
}


def material(key: str) -> Material:
    """The material of that key; RecipeProblem naming those there are."""
    try:
        return MATERIALS[key]
    except KeyError:
        raise RecipeProblem(f"“{key}” is no material known here. There are: {', '.join(MATERIALS)}.") from None


def grams_per_metre(density_g_cm3: float, diameter_mm: float = FILAMENT_DIAMETER_MM) -> float:
    """Weight of a metre of filament: density times the section of the strand."""
    return density_g_cm3 * pi * diameter_mm**2 / 4


@dataclass(frozen=True)
class Profile:
    """How a part is printed. Lengths in mm; ``infill`` as a share 0..1."""

    layer_mm: float = 0.2
    walls: int = 3
    infill: float = 0.15
    material: str = "pla"
    line_width_mm: float = _LINE_WIDTH_MM
    skin_mm: float = 0.8
    """Solid floor and roof; common practice, no source."""
    support: Style = "branching"
    support_bed_only: bool = False
    support_from_deg: float = 45.0
    """Faces hanging further out than this from the upright get support; common practice, no source."""
    brim_mm: float = 0.0
    """How far a brim of two layers reaches round the foot."""
    raft: bool = False
    """Three thick layers under the foot and all supports."""
    slow_outer_wall: bool = False
    """The wall that shows at half its usual speed: its lines lie more evenly."""
    adaptive_layers: bool = False
    """Finer layers where the surface is shallow, coarser where it is upright; ``layer_mm`` is what a slope of 60 degrees gets."""
    least_layer_s: float = 8.0
    """Shorter layers are slowed down to this, so that they set; common practice, no source."""
    layer_change_s: float = 1.0

    def __post_init__(self) -> None:
        material(self.material)
        if not 0.04 <= self.layer_mm <= 0.8:
            raise RecipeProblem(f"A layer height of {self.layer_mm:g} mm does not print. Take 0.04 to 0.8 mm; 0.12 to 0.28 is usual.")
        if not 1 <= self.walls <= 20:
            raise RecipeProblem("Walls have to be between 1 and 20.")
        if not 0 <= self.infill <= 1:
            raise RecipeProblem("Infill has to be between 0 and 100 %.")

    @property
    def skin_layers(self) -> int:
        """Solid layers under and over air."""
        return max(3, round(self.skin_mm / self.layer_mm + 0.49))

    @property
    def most_speed_mm_s(self) -> float:
        """Above which the hot end melts no more."""
        return material(self.material).most_flow_mm3_s / (self.line_width_mm * self.layer_mm)

    @property
    def outer_wall_speed(self) -> float:
        """Of the outer wall, as a share of the printer's ordinary speed."""
        return SLOW_OUTER_WALL_SPEED if self.slow_outer_wall else OUTER_WALL_SPEED

    def holding(self, spared: Spots = (), held: Spots = ()) -> Holding:
        """What is held up, with the maker's places."""
        return Holding(self.support_from_deg, self.support_bed_only, spared, held)

    def with_layer(self, layer_mm: float) -> "Profile":
        """The same profile at another layer height, the same everywhere."""
        return replace(self, layer_mm=layer_mm, adaptive_layers=False)
