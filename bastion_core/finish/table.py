"""What a surface is made smooth with, and what each way takes: products, grits, schools, targets.

Figures without a source are common practice. A product’s own sheet rules wherever it says otherwise.
"""

from dataclasses import dataclass
from typing import Literal

from bastion_core.errors import RecipeProblem

RegionKind = Literal["dome", "relief", "edge", "groove", "seam", "scar", "inside", "flexible"]
KINDS: tuple[RegionKind, ...] = ("dome", "relief", "edge", "groove", "seam", "scar", "inside", "flexible")
REGION_NAMES: dict[RegionKind, str] = {
    "dome": "Smooth", "relief": "Relief", "edge": "Edges", "groove": "Grooves", "seam": "Seams", "scar": "Support scars", "inside": "Inside", "flexible": "Flexible",
}  # fmt: skip
HandKind = Literal["clean", "sand", "fill", "spray"]
Pace = Literal["practised", "first"]
PACES: dict[Pace, str] = {"practised": "practised", "first": "first time"}
HAND_KINDS: dict[HandKind, str] = {"clean": "Cleaning up", "sand": "Sanding", "fill": "Filling", "spray": "Spraying"}
Role = Literal["filler", "primer", "base", "clear", "mask"]
Base = Literal["water", "lacquer", "acetone", "enamel", "epoxy", "uv", "two-part", "none"]

GRAIN_UM: dict[int, float] = {
    60: 269, 80: 201, 100: 162, 120: 125, 150: 100, 180: 82, 220: 68, 240: 58.5, 320: 46.2, 400: 35.0, 600: 25.8, 800: 21.8, 1000: 18.3,
    1200: 15.3, 1500: 12.6, 2000: 10.3,
}  # fmt: skip
"""Mean grain of each grit, µm: ISO 6344-2 (P60 to P220) and ISO 6344-3 (P240 to P2000), from memory."""
SCRATCH = 0.15
"""How deep a grit's scratches are, by its grain; common practice, no source."""
WET_FROM = 600
"""From this grit on it is sanded wet; common practice, no source."""
POWER_SPEED, HAND_SPEED = 0.3, 0.1
"""How fast plain PLA goes: mm of depth off a dm² in a minute, by mm of grain; by sander and by hand. Common practice, no source: P80 takes 0.1 mm
off a dm² in under two minutes by sander."""
PASS_MIN_PER_DM2 = {True: 0.25, False: 0.55}
"""The least a pass takes, by sander and by hand; common practice, no source."""
FIDDLY: dict[RegionKind, float] = {
    "dome": 1.0,
    "seam": 1.0,
    "scar": 1.0,
    "edge": 1.3,
    "groove": 2.2,
    "relief": 2.0,
    "inside": 1.2,
    "flexible": 1.5,
}
"""By how much hands are slower where files and folded paper are needed; common practice, no source."""
WIDER = 1.04
"""Each finer grit goes a little wider than the patch; common practice, no source."""
PAPER_MIN = {True: 8.0, False: 12.0}
"""How long a disc, and a quarter of a sheet, cuts; common practice, no source."""
BEGUN_SAND_MIN = 0.4
"""Changing paper and wiping off, for each region and grit; common practice, no source."""
STRINGS_MIN_PER_DM2, SCAR_MIN_PER_DM2 = 0.12, 60.0
"""Blobs and strings; what is left of supports, by the area they touched. Common practice, no source."""
SEAM_BAND_MM = 5.0
"""How far to each side a filled seam is feathered out; common practice, no source."""
SEAM_FILL_MM = 0.25
"""How deep the step and groove of a glued seam are in the mean, over its band; common practice, no source."""
FEEL_MIN_PER_CM = 0.8
"""Feeling for the step along a seam and working it from both sides; common practice, no source."""
FIRST_TIME = 2.6
"""A first-timer's hands by a practised maker's; common practice (“many times that” in the whole, as much is done twice), no source."""
LESS_SOLID: dict[str, float] = {"pla": 1.0, "pla-sand": 3.2, "petg": 0.7, "abs": 1.3, "asa": 1.3, "tpu": 0.2}
"""How much faster a material is sanded than PLA; common practice (a helmet of easy-sanding PLA: an hour of hands), no source."""
RESIN_SOLID = 0.8
"""The same of cured printing resin; common practice, no source."""
EASY = "pla-sand"
"""The material that is sanded most easily."""
MELTS_UNDER_DEG_C = 80.0
"""What softens below this melts under a sander that stays in one place; common practice, no source."""
FLEXIBLE = ("tpu",)
"""Materials that bend: no sandpaper cuts them, and what lies on them has to bend too."""
POWDER_FROM_MM = 0.3
"""Pits deeper than this take brushed resin thickened with powder; common practice, no source."""


@dataclass(frozen=True)
class Product:
    """Something that is put on. Thicknesses in mm as it is when dry, hours at 20 °C."""

    key: str
    name: str
    role: Role
    base: Base
    levels_mm: float
    """What a coat of it levels."""
    coat_mm: float
    """What a coat leaves on the surface."""
    shrinks: float
    """Share of it that goes while it dries: what is filled sinks by as much."""
    loss: float
    """Share that never gets onto the piece."""
    sand_h: float
    """Until a thin coat of it can be sanded."""
    thick_h: float
    """The same where it lies as deep as it levels."""
    next_h: float
    """Until its next coat."""
    min_per_dm2: float
    begun_min: float
    soft: float
    """How much faster it is sanded than PLA."""
    off_mm: float
    """How much of it is sanded off again."""
    pack_ml: float
    pack: str
    latest_h: float | None = None
    """Until then the next coat goes on without sanding between."""
    pot_h: float | None = None
    """How long it lives once mixed or pressed."""
    flexible: bool = False
    sprayed: bool = False
    rounds_mm: float = 0.0
    """How far it rounds off sharp edges."""
    dry_only: bool = False
    """Swells when it is sanded wet."""
    caution: str = ""
    source: str = "common practice, no source"

    def __post_init__(self) -> None:
        if not 0 < len(self.name) <= 60:
            raise RecipeProblem("A product needs a name of up to 60 letters.", "products")
        if not self.sand_h > 0 or not self.thick_h > 0:
            raise RecipeProblem(f"{self.name} has no drying time. Give the hours until it can be sanded, as its sheet says.", "products")
        if not (
            self.pack_ml > 0
            and 0 <= self.shrinks < 1
            and 0 <= self.loss < 1
            and self.coat_mm > 0
            and self.levels_mm > 0
            and self.soft > 0
            and self.off_mm >= 0
        ):
            raise RecipeProblem(
                f"{self.name}: pack, coat and what it levels are more than 0, what shrinks and is lost less than all of it.", "products"
            )

    def ml(self, volume_mm3: float, area_mm2: float, coats: int) -> float:
        """How much of it is used: what it fills, and its film over the surface."""
        return (volume_mm3 + self.coat_mm * coats * area_mm2) / 1000 / (1 - self.shrinks) / (1 - self.loss)

    def dries_h(self, deep_mm: float) -> float:
        """Until it can be sanded where it lies so deep."""
        return self.sand_h + (self.thick_h - self.sand_h) * min(max(deep_mm / self.levels_mm, 0.0), 1.0)


_SPRAY = "Spray only with a fitted mask for particles and organic vapour, outdoors or extracted; no flame."
_SOLVENT = "Solvent vapour: fresh air or a mask for organic vapour; gloves; no flame."
_RESIN = "Uncured resin: gloves, goggles; sanded only once cured, wet or with a particle mask; the lamp is not looked into."
_SHEETS = "waits and shrinkage: makers' own sheets as remembered; coats: common practice, no source"
PRODUCTS: dict[str, Product] = {
    p.key: p
    for p in (
        Product("putty", "solvent spot putty", "filler", "lacquer", 0.5, 0.2, 0.3, 0.2, 0.5, 4.0, 0.5, 1.0, 3.0, 4.0, 0.12, 75, "tube",
                caution=_SOLVENT, source="15 to 60 min thin, about 4 h thick; common practice, no source"),
        Product("putty-thin", "spot putty thinned with acetone", "filler", "acetone", 0.15, 0.07, 0.45, 0.2, 0.4, 1.2, 0.3, 0.6, 4.0, 4.0, 0.06, 75, "tube",
                caution=_SOLVENT),
        Product("wood", "water-based wood filler", "filler", "water", 0.4, 0.12, 0.15, 0.15, 0.35, 2.0, 0.35, 1.1, 2.0, 5.0, 0.07, 250, "tub",
                dry_only=True, source="15 to 20 min; common practice, no source"),
        Product("paste", "acrylic modelling paste", "filler", "water", 0.5, 0.15, 0.25, 0.15, 3.0, 12.0, 3.0, 1.1, 2.0, 2.5, 0.09, 250, "tub"),
        Product("uv", "brushed UV resin", "filler", "uv", 0.15, 0.14, 0.05, 0.25, 0.25, 0.5, 0.15, 0.7, 5.0, 1.3, 0.05, 1000, "litre",
                caution=_RESIN, source="two light coats, about 12 helmets a litre; common practice, no source"),
        Product("epoxy", "brushed epoxy coat", "filler", "epoxy", 0.3, 0.25, 0.02, 0.2, 12.0, 24.0, 4.0, 0.7, 8.0, 1.0, 0.06, 250, "kit",
                latest_h=12.0, pot_h=0.5, rounds_mm=0.3, caution="Uncured epoxy: gloves, fresh air; its dust is not breathed.", source=_SHEETS),
        Product("filler-2k", "catalysed filler primer", "filler", "two-part", 0.06, 0.06, 0.75, 0.35, 3.0, 12.0, 0.3, 0.35, 5.0, 3.0, 0.03, 400, "can",
                pot_h=96.0, sprayed=True, source="lives about 4 days once pressed; common practice, no source",
                caution="Isocyanates: only with supplied air, in an equipped shop, as its sheet and local rules say."),
        Product("primer", "filler primer", "primer", "lacquer", 0.012, 0.03, 0.88, 0.4, 1.0, 4.0, 0.25, 0.3, 4.0, 5.0, 0.012, 400, "can",
                sprayed=True, caution=_SPRAY, source="sanded after 1 to 4 h, 2 to 4 thin coats; common practice, no source"),
        Product("primer-water", "water-based primer", "primer", "water", 0.01, 0.03, 0.6, 0.2, 2.0, 6.0, 1.0, 0.5, 4.0, 4.0, 0.012, 250, "bottle",
                caution="Water-based: fresh air; where sprayed, a particle mask."),
        Product("primer-enamel", "enamel primer", "primer", "enamel", 0.012, 0.035, 0.7, 0.4, 24.0, 48.0, 24.0, 0.3, 4.0, 3.0, 0.012, 400, "can",
                sprayed=True, caution=_SPRAY, source=_SHEETS),
        Product("primer-flex", "flexible primer", "primer", "water", 0.01, 0.03, 0.6, 0.3, 2.0, 6.0, 0.5, 0.4, 4.0, 4.0, 0.0, 250, "bottle",
                flexible=True, caution="Water-based: fresh air; where sprayed, a particle mask."),
        Product("mist", "mist of matt black", "primer", "lacquer", 0.001, 0.003, 0.9, 0.5, 0.2, 0.3, 0.2, 0.12, 1.5, 5.0, 0.0, 400, "can",
                sprayed=True, caution=_SPRAY),
        Product("acetone", "acetone vapour", "filler", "acetone", 0.3, 0.03, 0.9, 0.5, 12.0, 24.0, 12.0, 0.1, 15.0, 1.3, 0.0, 1000, "litre", rounds_mm=0.3,
                caution="Acetone vapour explodes: cold, closed box, outdoors, no flame or spark; follow its sheet."),
    )
}  # fmt: skip
PRIMERS = ("primer", "primer-water", "primer-enamel", "filler-2k", "primer-flex")


@dataclass(frozen=True)
class School:
    """A way to make a region smooth."""

    key: str
    name: str
    knock: float
    """Share of the depth that is sanded away first."""
    filler: str = ""
    coats: int = 1
    back: int = 150
    """The grit it is sanded back with."""
    where: tuple[RegionKind, ...] = KINDS
    elsewhere: str = "brush"
    """What is done where it does not go."""
    materials: tuple[str, ...] = ()
    """Those it works on; any where none is named."""
    takes: float = 0.0
    """Share of the depth that it melts level by itself."""
    how: str = ""
    caution: str = ""
    source: str = "common practice, no source"


_WIDE: tuple[RegionKind, ...] = ("dome", "seam", "scar", "inside")
SCHOOLS: dict[str, School] = {
    s.key: s
    for s in (
        School("putty", "Sand, spot putty, prime", 0.5, "putty", 1, 150, _WIDE, "brush", how="Spread thin with a card, along the lines and then across"),
        School("resin", "Brushed UV resin", 0.0, "uv", 2, 120, _WIDE, "brush", how="Two light coats, each cured; out of grooves and off sharp edges",
               source="one pass of 120 takes 80 to 90 % of the lines after it; common practice, no source"),
        School("epoxy", "Brushed epoxy coat", 0.3, "epoxy", 1, 150, ("dome", "seam", "scar", "inside", "relief"), "brush", how="Brush it out and turn the piece while it sets"),
        School("brush", "Thinned spot putty, brushed", 0.5, "putty-thin", 2, 180, elsewhere="sand", how="Two brushed coats, the second across the first"),
        School("wood", "Water-based wood filler, wiped lean", 0.5, "wood", 1, 180, _WIDE, "sand", how="Wipe it lean into the lines, and off again"),
        School("wood-spread", "Water-based wood filler, spread", 0.2, "wood", 2, 150, _WIDE, "sand", how="Spread it over the lines, twice, and leave it on"),
        School("paste", "Acrylic paste", 0.5, "paste", 1, 150, _WIDE, "sand", how="Spread with a wet card"),
        School("2k", "Catalysed filler primer", 0.7, "filler-2k", 2, 320, elsewhere="sand", how="Two coats; fine edges stay"),
        School("sand", "Sand and prime", 1.0, how="Down to the bottom of the steps"),
        School("heat", "Heat tool", 0.2, "", 0, 180, ("dome", "seam", "scar"), "sand", ("pla", "pla-sand", "petg", "abs", "asa"), 0.5,
               "Pass over quickly; never stay in one place", "Heat gun and hot plastic burn: gloves, fresh air; thin walls warp: try it on a failed print."),
        School("vapour", "Acetone vapour", 0.2, "acetone", 1, 320, ("dome", "relief", "edge", "seam", "scar"), "sand", ("abs", "asa"), 0.8,
               "In a closed box until it shines, then out for half a day"),
        School("leave", "Leave it, weather over it", 0.0, how="Cleaned up and primed; the lines become part of the wear"),
    )
}  # fmt: skip


@dataclass(frozen=True)
class Target:
    """How smooth it is to be: the unevenness that may stay (mm), the last grit before paint, the primer rounds at least."""

    key: str
    name: str
    leaves_mm: float
    grit: int
    rounds: int
    checked: bool = True
    """Whether the last coat of primer is looked at under a mist of black too."""
    source: str = "common practice, no source"


TARGETS: dict[str, Target] = {
    t.key: t
    for t in (
        Target("display", "Display gloss", 0.014, 600, 2),
        Target("worn", "Worn and weathered", 0.035, 400, 1),
        Target("mirror", "Mirror metal", 0.007, 2000, 2),
        Target("distance", "Good from two metres", 0.09, 240, 1, checked=False),
    )
}
PRIMED_GRIT = 320
"""What each coat of primer is sanded with before the next; common practice, no source."""
COATS_A_ROUND, MOST_ROUNDS = 2, 5
Jumps = Literal["small", "wide"]
JUMPS: dict[Jumps, str] = {"small": "small", "wide": "wide"}
STRIDE: dict[Jumps, float] = {"small": 0.58, "wide": 0.36}
"""The finest grain that follows another, by that one's: 80, 120, 180, 320 in small jumps; 80, 220, 600 in wide ones; common practice, no source."""
LEFT_MM = 0.1
"""How deep what a check coat shows is; common practice, no source."""
HEAT_MIN_PER_DM2 = 1.0
"""Passing a heat tool over; common practice, no source."""
FAULTS: dict[str, tuple[str, float, str]] = {
    "run": ("Run", 0.15, "The coat was too heavy, or too near: thinner coats, can at room temperature, a hand's length more away."),
    "pit": ("Pit", 0.4, "Air under the filler: press it in with a card, thicken resin with powder for pits."),
    "sand-through": ("Sanded through", 0.08, "Edges go first: keep the block off them, take a finer grit, one more coat before sanding."),
    "melted": ("Melted by the sander", 0.4, "It got too warm: slower, coarser, never stay in one place; below its softening point it cuts."),
}  # fmt: skip
"""What goes wrong: name, how deep it has to be mended (mm), and what stops it; common practice, no source."""


@dataclass(frozen=True)
class Clash:
    """What must not lie on what, and what happens."""

    upper: tuple[Base, ...]
    lower: tuple[Base, ...]
    happens: str


CLASHES = (
    Clash(("lacquer", "acetone"), ("enamel",), "its solvent lifts the enamel, which wrinkles"),
    Clash(("two-part",), ("lacquer", "acetone", "enamel"), "its hot solvent swells what lies under it; it wrinkles or sinks for weeks"),
    Clash(("uv",), ("enamel",), "it does not hold on enamel and peels in sheets"),
    Clash(("enamel",), ("water",), "moisture that is left under it makes it blister"),
)
"""Bases of coats that are put onto each other; common practice and makers' own sheets as remembered, no source."""
SOFTENED_BY: dict[str, tuple[Base, ...]] = {"abs": ("acetone",), "asa": ("acetone",)}
"""Materials that a base softens: thinned putty on them stays soft for days. Common practice, no source."""


def product(key: str, own: tuple[Product, ...] = ()) -> Product:
    """A product by its key, the maker's own first; RecipeProblem naming those there are."""
    for p in own:
        if p.key == key:
            return p
    try:
        return PRODUCTS[key]
    except KeyError:
        raise RecipeProblem(f"“{key}” is no product known here. There are: {', '.join(PRODUCTS)}.", "products") from None


def clash_of(upper: Product, lower: Product) -> str:
    """What happens where one lies on the other; nothing where it holds."""
    if lower.flexible and not upper.flexible:
        return "it is stiff on what bends, and cracks off"
    return next((c.happens for c in CLASHES if upper.base in c.upper and lower.base in c.lower), "")


def on_material(upper: Product, material: str) -> str:
    """What happens where a product lies on a print; nothing where it holds."""
    if material in FLEXIBLE and not upper.flexible:
        return "it is stiff on what bends, and cracks off"
    if upper.base in SOFTENED_BY.get(material, ()) and upper.key != "acetone":
        return "it softens the print, which stays tacky"
    return ""
