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
            "chest_girth_mm": 905.0,
            "waist_girth_mm": 742.0,
            "hip_girth_mm": 985.0,
            "left_forearm_girth_mm": 247.0,
            "right_forearm_girth_mm": 252.0,
            "wrist_girth_mm": 156.0,
            "left_calf_girth_mm": 362.0,
            "right_calf_girth_mm": 365.0,
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
    {
        "name": "Gull",
        "x_mm": 220,
        "y_mm": 220,
        "z_mm": 250,
        "bed_moves": True,
        "speed_mm_s": 70,
        "acceleration_mm_s2": 1000,
        "stand_in": {"speed_up": 600.0, "pace": 1.34, "fails_per_h": 0.004},
    },
    {
        "name": "Tern",
        "x_mm": 250,
        "y_mm": 210,
        "z_mm": 220,
        "bed_moves": False,
        "speed_mm_s": 220,
        "acceleration_mm_s2": 8000,
        "clips": [[[0, 0], [22, 0], [22, 14], [0, 14]]],
        "stand_in": {"speed_up": 600.0, "pace": 1.18},
    },
    {"name": "Albatross", "x_mm": 350, "y_mm": 350, "z_mm": 400, "bed_moves": False, "speed_mm_s": 90, "acceleration_mm_s2": 2500},
    {"name": "Petrel", "kind": "resin", "x_mm": 143, "y_mm": 89, "z_mm": 175, "margin_mm": 3},
)

"""Gull and Tern are simulated here and watched: an hour of theirs takes six seconds."""

SPOOLS: tuple[dict[str, Any], ...] = (
    {
        "name": "Slate, cupboard",
        "material": "pla",
        "colour": "slate grey",
        "net_g": 3000,
        "used_g": 420,
        "price_per_kg": 21.0,
        "core_g": 310,
    },
    {"name": "Slate, new", "material": "pla", "colour": "slate grey", "net_g": 3000, "used_g": 0, "price_per_kg": 21.0, "core_g": 310},
    {"name": "Slate, the rest", "material": "pla", "colour": "slate grey", "net_g": 1000, "used_g": 660, "price_per_kg": 22.0},
    {"name": "Storm, opened", "material": "petg", "colour": "storm blue", "net_g": 1000, "used_g": 655, "price_per_kg": 26.0},
)

COUPONS: tuple[dict[str, Any], ...] = (
    {"printer": "Gull", "material": "pla", "pin_mm": 0.2, "key_mm": 0.15, "magnet_mm": 0.1, "insert_mm": 0.0, "thread_mm": 0.1},
    {"printer": "Tern", "material": "pla", "pin_mm": 0.15, "key_mm": 0.15, "magnet_mm": 0.1},
)
"""What fitted on each printer's clearance coupon."""


@dataclass(frozen=True)
class DemoPiece:
    """A piece of the demo: its file, and what has been decided about it so far."""

    file: str
    name: str
    recipe: dict[str, Any] = field(default_factory=dict)
    note: str = ""
    wearer: str | None = None
    printers: tuple[str, ...] = ()
    mirror: bool = False
    """Make the other side of the pair from it."""
    files: tuple[str, ...] = ()
    """Of a set, each in its place: the first is the file above."""


BOARD = {"name": "board on a carrier", "size_mm": [66.0, 56.0, 24.0], "place": "nape"}
SUIT = [{"name": "suit", "thickness_mm": 1.5, "where": "all"}]

PIECES: tuple[DemoPiece, ...] = (
    DemoPiece(
        "nautilus-helm",
        "Nautilus helm",
        {"site": "head"},
        note="Small beds only: Albatross stays free for what runs for days.",
        printers=("Gull", "Tern"),
    ),
    DemoPiece(
        "nautilus-helm",
        "Nautilus helm, signal",
        {
            "site": "head",
            "scale": [1.07, 1.07, 1.07],
            "bays": [BOARD],
            "put_in": [
                {"name": "battery", "kind": "battery", "part": "A", "size_mm": [62.0, 9.0, 36.0], "at_mm": [0.0, -10.0, 240.0]},
                {"name": "wire", "kind": "wire", "part": "battery", "to": BOARD["name"], "size_mm": [3.0, 3.0, 3.0]},
            ],
            "visor": True,
            # Three ways on one helm: resin where it is smooth, putty by brush in edges and grooves, the nape left for the weather.
            "school": "resin",
            "schools": [{"region": "edge", "school": "brush"}, {"region": "groove", "school": "brush"}],
            "own_regions": [{"id": "own1", "name": "Nape", "places_mm": [[0.0, 118.0, 60.0]], "reach_mm": 60.0, "school": "leave"}],
        },
        note="Fits bare, but the signal board has no place at the nape.",
    ),
    DemoPiece(
        "nautilus-helm",
        "Nautilus helm, second watch",
        {"site": "head", "scale": [1.0, 1.0, 1.0]},
        note="At the file's own size, as it was first tried.",
        wearer="Ketil Sandspit",
    ),
    DemoPiece(
        "beacon-helm-dome",
        "Beacon helm",
        {"site": "head"},
        note="Came in three files with pockets for 6 × 3 mm magnets and holes for M3.",
        wearer="Ketil Sandspit",
        files=("beacon-helm-dome", "beacon-helm-face", "beacon-helm-nape"),
    ),
    DemoPiece("crest", "Crest", {}, note="Held by magnets later."),
    DemoPiece(
        "comb-helm",
        "Coxswain helm",
        {
            "site": "head",
            "cuts": [
                {"id": "c1", "point": [0.0, 0.0, 290.0], "normal": [0.0, 0.0, 1.0], "limits": []},
                {"id": "c2", "point": [0.0, -52.0, 100.0], "normal": [0.0, 1.0, 0.0], "limits": [["c1", -1]]},
            ],
            "joints": [{"seam": "", "kind": "magnet"}],
        },
        note="Comb and face band come off for the cart and for eating.",
    ),
    DemoPiece("wave-pauldron-left", "Wave pauldron left", {"site": "shoulder", "side": "left", "layers": SUIT}, mirror=True),
    DemoPiece("kelp-bracer-left", "Kelp bracer left", {"site": "forearm", "side": "left", "layers": SUIT}),
    DemoPiece(
        "kelp-bracer-right",
        "Kelp bracer right",
        {
            "site": "forearm",
            "side": "right",
            "layers": SUIT,
            "way_in": "split",
            "scale": [0.97, 0.97, 0.97],
            "joints": [{"seam": "", "kind": "insert", "thread": "M2"}],
        },
        note="The file came torn. Screwed together on lugs inside, to be taken apart.",
    ),
    DemoPiece(
        "breakwater-breastplate", "Breakwater breastplate", {"site": "chest", "layer_mm": 0.28, "layers": SUIT}, printers=("Gull", "Tern")
    ),
    DemoPiece(
        "harbour-breast",
        "Harbour half-cuirass",
        {"site": "chest", "layers": SUIT, "worn_apart": True},
        note="Breast and back, held by straps.",
        files=("harbour-breast", "harbour-back"),
    ),
    DemoPiece(
        "gauntlet-finger-root",
        "Gauntlet finger",
        {
            "site": "other",
            "worn_apart": True,
            "scale": [1.0, 1.0, 1.0],
            "moves": [{"parts": "A-B", "at_mm": [0.0, 36.0, 0.0], "axis": [1.0, 0.0, 0.0], "strip": "leather"}],
        },
        note="Two plates on loose rivets, a leather strip inside.",
        files=("gauntlet-finger-root", "gauntlet-finger-tip"),
    ),
    DemoPiece("spray-gorget", "Spray gorget", {"site": "neck", "layers": SUIT}, note="Goes on in two halves, before the helm."),
    DemoPiece("heron-shin-left", "Heron shin left", {"site": "shin", "side": "left", "way_in": "open", "layers": SUIT}, mirror=True),
    DemoPiece(
        "heron-greave-left",
        "Heron greave left",
        {"site": "shin", "side": "left", "layers": SUIT, "scale": [1.0, 1.0, 1.0]},
        note="Closed all round: the foot has to go through.",
    ),
    DemoPiece(
        "lantern-staff",
        "Lantern staff",
        {"site": "hand_held", "cuts": [], "wanted_length_mm": 1900.0, "material": "petg"},
        note="Kept in one piece, to see what that means.",
    ),
    DemoPiece(
        "hand-lantern",
        "Hand lantern",
        {
            "site": "hand_held",
            "scale": [1.0, 1.0, 1.0],
            "cuts": [{"id": "c1", "point": [0.0, 0.0, 52.0], "normal": [0.0, 0.0, 1.0], "limits": []}],
            "ballast": [{"part": "B", "fill": "sand", "grams": 220.0}],
            "grip_mm": 300.0,
        },
        note="Sand in the base, so that it hangs still.",
    ),
    DemoPiece(
        "channel-buoy",
        "Channel buoy",
        {
            "site": "hand_held",
            "scale": [1.0, 1.0, 1.0],
            "cuts": [{"id": "c1", "point": [0.0, 0.0, 78.0], "normal": [0.0, 0.0, 1.0], "limits": []}],
            "inside": "paint",
            "put_in": [
                {"name": "lamp", "kind": "light", "part": "A", "size_mm": [40.0, 40.0, 20.0], "at_mm": [0.0, 0.0, 170.0]},
                {"name": "battery", "kind": "battery", "part": "B", "size_mm": [62.0, 36.0, 9.0], "at_mm": [0.0, 0.0, 12.0]},
                {"name": "wire", "kind": "wire", "part": "battery", "to": "lamp", "size_mm": [3.0, 3.0, 3.0]},
            ],
        },
        note="Painted inside and wired before it is closed; the battery would be sealed in.",
    ),
    DemoPiece(
        "lantern-staff",
        "Lantern staff, parted",
        {
            "site": "hand_held",
            "material": "petg",
            "cuts": [
                {"id": f"c{k}", "point": [0.0, 0.0, z], "normal": [0.0, 0.0, 1.0], "limits": []}
                for k, z in enumerate((380.0, 760.0, 1140.0, 1520.0), 1)
            ],
            "grip_mm": 600.0,
            "rods": [{"axis": "long", "stock": "carbon-16x1.5", "from_mm": 300.0, "to_mm": 1300.0}],
        },
        note="A tube through three seams holds the lantern’s weight.",
        printers=("Albatross",),
    ),
)
