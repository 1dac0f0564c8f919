"""What cavities are filled with for weight, and what that does to their walls while it is wet."""

from dataclasses import dataclass
from math import pi, sqrt

from bastion_core.statics.poses import G_M_S2

CLAMPED = 0.5
"""Stress of a long plate held along both sides: 0.5 p b² / t² (Roark's Formulas for Stress and Strain, flat plates, from memory)."""


@dataclass(frozen=True)
class Fill:
    """A fill: what it weighs as it stands (g/cm³), as poured, how warm it gets as it sets (°C), how long that takes (h), and what to mind."""

    key: str
    name: str
    density_g_cm3: float
    wet_g_cm3: float
    warms_deg_c: float
    sets_h: float
    caution: str


FILLS: dict[str, Fill] = {
    f.key: f
    for f in (
        Fill(
            "sand",
            "dry sand",
            1.6,
            1.6,
            20,
            0,
            "Quartz dust harms lungs: pour it damp or with a mask, then dry it; close the hole with epoxy.",
        ),
        Fill("plaster", "plaster", 1.2, 1.6, 45, 1, "It warms as it sets: pour it in layers. Not down the drain."),
        Fill("concrete", "fine concrete", 2.2, 2.3, 40, 48, "Wet cement burns skin and eyes: gloves and goggles."),
        Fill(
            "shot", "steel shot in epoxy", 5.0, 5.0, 60, 24, "Epoxy in bulk gets hot: layers of 10 mm. Gloves, fresh air. It is magnetic."
        ),
    )
}
"""Densities: handbooks (dry sand 1.5 to 1.7, set gypsum 1.1 to 1.3, mortar 2.0 to 2.3, loose steel shot about 4.5 g/cm³), from memory. Warmth and
times: common practice, no source."""


def pressure_kpa(fill: Fill, high_mm: float) -> float:
    """At the foot of so high a column while it is wet: density x g x height."""
    return fill.wet_g_cm3 * G_M_S2 * high_mm / 1000


def wall_mpa(pressure: float, flat_mm: float, round_mm: float, wall_mm: float) -> float:
    """The stress in a wall so thick under a pressure (kPa): the worse of a flat side so wide, held along its edges, and a round so wide (radius)."""
    p = pressure / 1000
    return max(CLAMPED * p * flat_mm**2 / wall_mm**2, p * round_mm / wall_mm)


def round_of(area_mm2: float) -> float:
    """Radius of the circle of an area."""
    return sqrt(max(area_mm2, 0.0) / pi)
