"""The demo's people, shop and build. All invented; numbers are plausible, nobody's."""

from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

BUILD = "Tidewrack Watch, harbour parade"
DUE_IN_DAYS = 47


def due(today: date) -> date:
    """The parade is some weeks off."""
    return today + timedelta(days=DUE_IN_DAYS)


WEARERS: tuple[dict[str, Any], ...] = (
    {
        "name": "Oda Brackwater",
        "sex": "female",
        "mass_kg": 63.0,
        "measurements": {
            "stature_mm": 1684.0,
            "head_circumference_mm": 560.0,
            "head_breadth_mm": 149.0,
            "head_length_mm": 190.0,
            "chin_to_crown_mm": 218.0,
        },
    },
    {
        "name": "Ketil Sandspit",
        "sex": "male",
        "mass_kg": 104.0,
        "measurements": {
            "stature_mm": 1932.0,
            "head_circumference_mm": 612.0,
            "head_breadth_mm": 170.0,
            "head_length_mm": 211.0,
            "chin_to_crown_mm": 246.0,
        },
    },
)

PRINTERS: tuple[dict[str, Any], ...] = (
    {"name": "Gull", "x_mm": 220, "y_mm": 220, "z_mm": 250, "bed_moves": True, "speed_mm_s": 70, "acceleration_mm_s2": 1000},
    {"name": "Tern", "x_mm": 250, "y_mm": 210, "z_mm": 220, "bed_moves": False, "speed_mm_s": 220, "acceleration_mm_s2": 8000},
    {"name": "Albatross", "x_mm": 350, "y_mm": 350, "z_mm": 400, "bed_moves": False, "speed_mm_s": 90, "acceleration_mm_s2": 2500},
)

SPOOLS: tuple[dict[str, Any], ...] = (
    {"name": "Slate, cupboard", "material": "pla", "colour": "slate grey", "net_g": 3000, "used_g": 420, "price_per_kg": 21.0},
    {"name": "Storm, opened", "material": "petg", "colour": "storm blue", "net_g": 1000, "used_g": 655, "price_per_kg": 26.0},
)


@dataclass(frozen=True)
class DemoPiece:
    """A piece of the demo: its file, and what has been decided about it so far."""

    file: str
    name: str
    recipe: dict[str, Any] = field(default_factory=dict)
    wearer: str | None = None
    printers: tuple[str, ...] = ()
    mirror: bool = False
    """Make the other side of the pair from it."""


PIECES: tuple[DemoPiece, ...] = (
    DemoPiece(
        "nautilus-helm",
        "Nautilus helm",
        {"site": "head", "note": "Small beds only: Albatross stays free for what runs for days."},
        printers=("Gull", "Tern"),
    ),
    DemoPiece(
        "nautilus-helm",
        "Nautilus helm, second watch",
        {"site": "head", "scale": [1.0, 1.0, 1.0], "note": "At the file's own size, as it was first tried."},
        wearer="Ketil Sandspit",
    ),
    DemoPiece("crest", "Crest", {"note": "Held by magnets later."}),
    DemoPiece("wave-pauldron-left", "Wave pauldron left", {"side": "left"}, mirror=True),
    DemoPiece("kelp-bracer-left", "Kelp bracer left", {"side": "left"}),
    DemoPiece("kelp-bracer-right", "Kelp bracer right", {"side": "right", "note": "The file came torn."}),
    DemoPiece("breakwater-breastplate", "Breakwater breastplate", {"layer_mm": 0.28}, printers=("Gull", "Tern")),
    DemoPiece("heron-shin-left", "Heron shin left", {"side": "left"}, mirror=True),
    DemoPiece(
        "lantern-staff",
        "Lantern staff",
        {"cuts": [], "wanted_length_mm": 1900.0, "material": "petg", "note": "Kept in one piece, to see what that means."},
    ),
)
