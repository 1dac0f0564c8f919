"""The decisions of the joints."""

from dataclasses import dataclass
from typing import Any

from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said, counted, say
from bastion_core.join.ballast import Ballast, read_ballast
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.held import Held, read_held
from bastion_core.join.moving import Moving
from bastion_core.join.rods import SWING_G, Rod, read_rod
from bastion_core.join.table import GLUES, KINDS
from bastion_core.shop import LEAST_GAP_MM, Shop
from bastion_core.statics.fills import FILLS
from bastion_core.statics.stock import stock_of

MARKS = ("engraved", "raised", "none")


def _told(held: tuple[Held, ...]) -> Said:
    every = next((h for h in held if not h.seam), None)
    named = sum(bool(h.seam) for h in held)
    first = KINDS[every.kind] if every else KINDS["auto"]
    return say(first + (f", {counted(named, 'seam')} otherwise" if named else ""))


@dataclass(frozen=True)
class JoinRecipe(Recipe):
    """How seams are held."""

    joints: tuple[Held, ...] = decision(
        (), "Seams", because="how the seams are held", empty=KINDS["auto"], shown=_told,
        flag=Flag("--join", f"how seams are held ({', '.join(KINDS)}; insert:M4 for another screw than M3, magnet:6x3 for such discs); once for each seam that is held otherwise",
                  read_held, True, hold="[SEAM=]KIND"),
    )  # fmt: skip
    pin_diameters_mm: tuple[float, ...] | None = decision(
        None, "Pins", because="the pins", nothing="as usual", unit="mm", least=0.5, most=30.0,
        flag=Flag("--pin", "thickness of a pin to try, in mm; once for each", float, True, hold="MM"),
    )  # fmt: skip
    """Thicknesses to try; None for the usual ones."""
    pin_clearance_mm: float | None = decision(
        None, "Clearance per side", because="the clearance", nothing="the shop's", unit="mm", least=LEAST_GAP_MM, most=2.0,
        hint="With less, printed parts never go together: print a clearance coupon and enter what fitted.",
        flag=Flag("--pin-clearance", "mm per side between pin or key and its hole", float, hold="MM"),
    )  # fmt: skip
    """None for what fitted on the printers' coupons, else the shop's."""
    rods: tuple[Rod, ...] = decision(
        (), "Rods", because="the rods", shown=lambda rods: say(", ".join(stock_of(r.stock).name for r in rods)),
        flag=Flag("--rod", "a rod through the parts: AXIS:DIAMETER for a steel tube, AXIS:STOCK for another (long:carbon-8x1); once for each", read_rod,
                  True, hold="AXIS:DIAMETER"),
    )  # fmt: skip
    ballast: tuple[Ballast, ...] = decision(
        (), "Ballast", because="the ballast", shown=lambda all: say(counted(len(all), "part")),
        flag=Flag("--ballast", f"weight in a part: PART=FILL[:GRAMS], FILL one of {', '.join(FILLS)}; once for each", read_ballast, True,
                  hold="PART=FILL[:G]"),
    )  # fmt: skip
    moves: tuple[Moving, ...] = decision(
        (), "What moves", because="what moves", shown=lambda all: say(", ".join(m.parts for m in all)),
    )  # fmt: skip
    swing_g: float = decision(
        SWING_G, "Swung with", because="how it is swung", least=1.0, most=20.0, hint="In g: 1 is held still, 3 is usual, 5 is a blow.",
        flag=Flag("--swing", "g with which a thing held in the hand is swung", float, hold="G"),
    )  # fmt: skip
    grip_mm: float | None = decision(
        None, "Held at", because="where it is held", nothing="where it balances", unit="mm", least=0.0, most=1e5,
        flag=Flag("--grip", "mm from its low end to where a hand holds it, in the file's own size", float, hold="MM"),
    )  # fmt: skip
    """Along its length from its low end, at scale 1."""
    marks: str = decision(
        "engraved", "Marks inside", because="the marks", choices=MARKS, flag=Flag("--marks", "letters on the inside of each part"),
    )  # fmt: skip
    glue: str = decision(
        "auto", "Glue", because="", choices=("auto", *GLUES), shown=lambda key: say("as suits the material" if key == "auto" else GLUES[key].name),
        flag=Flag("--glue", "which glue"),
    )  # fmt: skip

    def __post_init__(self) -> None:
        super().__post_init__()
        named = [h.seam for h in self.joints]
        if len(set(named)) < len(named):
            raise RecipeProblem("A seam is held in two ways. Leave one of them out.", "joints")
        if len({b.part for b in self.ballast}) < len(self.ballast):
            raise RecipeProblem("A part is filled with two things. Leave one of them out.", "ballast")
        if len(self.moves) > 24:
            raise RecipeProblem("A piece takes up to 24 places that move.", "moves")
        if len(self.rods) > 6:
            raise RecipeProblem("A piece takes up to 6 rods.", "rods")

    def mirrored(self) -> dict[str, Any]:
        """What of it has a place, for the other side of a pair."""
        return {
            "joints": tuple(h.mirrored() for h in self.joints),
            "rods": tuple(r.mirrored() for r in self.rods),
            "moves": tuple(m.mirrored() for m in self.moves),
        }

    def rule(self, shop: Shop, printers: tuple[int, ...] = (), material: str = "pla") -> PinRule:
        """What holds for the pins of this piece."""
        given = {"diameters_mm": self.pin_diameters_mm} if self.pin_diameters_mm else {}
        return PinRule(clearance_mm=self.gap(shop, printers, material), least_wall_mm=shop.pin_wall_mm, **given)

    def gap(self, shop: Shop, printers: tuple[int, ...] = (), material: str = "pla", key: bool = False) -> float:
        """Clearance per side of pins, or of keys: the maker's, else what fitted on the coupons, else the shop's."""
        if self.pin_clearance_mm is not None:
            return self.pin_clearance_mm
        fitted = shop.fitted("key" if key else "pin", printers, material)
        return shop.pin_clearance_mm if fitted is None else fitted
