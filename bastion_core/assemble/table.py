"""What the hands do when a piece comes together, and how long each takes. Common practice, no source, unless a row says otherwise."""

from dataclasses import dataclass
from typing import Literal

WorkKind = Literal[
    "dry", "mock", "insert", "magnets", "sand", "fill", "glue", "screw", "close", "slide", "rivet", "rod", "paint", "line", "wire", "place",
    "visor", "pads", "test",
]  # fmt: skip


@dataclass(frozen=True)
class Minutes:
    """Minutes of hands: begun, and by each of what is counted."""

    begun: float
    each: float
    of: str
    """What is counted."""

    def of_so_many(self, count: float) -> float:
        """For so many."""
        return self.begun + self.each * count


TAKES: dict[WorkKind, Minutes] = {
    "dry": Minutes(6.0, 1.5, "part"),
    "mock": Minutes(10.0, 4.0, "thing inside"),
    "insert": Minutes(5.0, 1.5, "insert"),
    "magnets": Minutes(4.0, 4.0, "pair"),
    "sand": Minutes(1.5, 0.08, "cm² of face"),
    "fill": Minutes(6.0, 0.02, "cm³"),
    "glue": Minutes(2.0, 0.05, "cm² of face"),
    "screw": Minutes(2.0, 1.0, "screw"),
    "close": Minutes(0.5, 0.0, "seam"),
    "slide": Minutes(1.0, 0.0, "seam"),
    "rivet": Minutes(1.0, 2.0, "rivet"),
    "rod": Minutes(5.0, 0.02, "mm"),
    "paint": Minutes(6.0, 1.2, "dm²"),
    "line": Minutes(10.0, 3.0, "dm²"),
    "wire": Minutes(3.0, 1.0, "10 cm"),
    "place": Minutes(8.0, 0.0, "thing"),
    "visor": Minutes(10.0, 0.0, "visor"),
    "pads": Minutes(8.0, 2.0, "pad"),
    "test": Minutes(12.0, 0.0, "trial"),
}
TAPE_MIN, WELD_MIN_PER_CM, MASK_MIN = 0.4, 0.25, 1.5
"""A piece of tape; an inside strip melted in; a face or a magnet masked."""
FISHED = Minutes(20.0, 8.0, "10 cm")
"""A wire drawn through what is closed already: an overlong bit, two wires, two hours for a leg."""
HELD_BY_HAND_MIN = 3.0
"""What sets sooner is held and not taped."""
WIPED_MIN = 4.0
"""A seam that slides sideways into its place wipes its glue: put on twice."""
FLAT_MM = 0.15
"""What sanding a glued face flat takes off each part."""
SANDED_HOW = "Sand the faces flat on a board, 120 then 400"
TRIALS = {"dry": 0.08, "mock": 0.15, "test": 0.05}
"""How often a trial finds something that has to be made anew; of a worn piece the chance that it does not fit counts on top."""
SURE_COUPON = 0.4
"""Where a clearance coupon was printed, so much of the trouble of a dry fit is left."""
TRY_ON_MIN = 10.0
"""On the wearer, within a dry fit."""
PADS_A_LAYER = 6
"""Pads that a layer of padding is stuck in as."""
TOO_EARLY_MIN = 30.0
"""What closing something that comes off counts, while glue still follows: it would be in the way."""


@dataclass(frozen=True)
class Inside:
    """What an inside may be covered with."""

    key: str
    name: str
    gate_h: float
    full_h: float
    ml_per_dm2: float
    caution: str


INSIDES: dict[str, Inside] = {
    i.key: i
    for i in (
        Inside("paint", "spray paint", 1.0, 24.0, 2.5, "Spray drift harms lungs: outdoors or with an extractor, fitted mask for particles and organic vapour."),
        Inside("brush", "brushed acrylic", 0.7, 12.0, 2.0, "Water-based: fresh air is enough."),
        Inside("line", "fabric or foam lining", 0.5, 12.0, 1.5, "Contact adhesive: fresh air, no flame."),
    )
}  # fmt: skip
"""Waits and spread: common practice and makers' own sheets as remembered, no source; the product’s own sheet rules."""
CAUTIONS = {
    "insert": "Iron and insert stay hot for minutes; overheated plastic fumes: fresh air.",
    "magnets": "Magnets snap together and shatter: goggles, away from pacemakers and children.",
    "sand": "Dust: mask, damp cloth.",
    "rod": "Cut ends are sharp: file them. Dust of carbon is not breathed: wet, mask, gloves.",
    "place": "Lithium cells: never shorted, crushed or charged alone; the battery goes in last and unplugged.",
    "heat": "Heat gun and hot plastic burn: gloves; fresh air; try it on a failed print first.",
    "open": "Blades and burrs: away from the hand, goggles; dust mask.",
    "weld": "The iron burns and overheated plastic fumes: fresh air, gloves.",
}
"""Short, at the step: always as the product’s own sheet and local rules say."""
FORMS_STRAIN = 0.05
"""How much a rim stretches by heat before it thins and whitens."""
FORM_MIN, FORM_MIN_PER_CM = 6.0, 0.5
"""Heating and holding a rim; by its length."""
OPEN_MIN, OPEN_MIN_PER_CM_MM = 4.0, 0.6
"""Opening a hole or a rim by burr and sandpaper: by its length and the depth that goes."""
