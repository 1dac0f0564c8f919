"""The decisions of the print."""

from dataclasses import dataclass

from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.errors import RecipeProblem
from bastion_core.findings import counted, say
from bastion_core.print.profile import MATERIALS, Profile
from bastion_core.print.supports import STYLES, Style


def _percent(text: str) -> float:
    return float(text) / 100


@dataclass(frozen=True)
class LiesOn:
    """A part (by its id, which stays while its cuts do) and the side of it that the maker laid down: unit direction in the scaled standing piece."""

    part: str
    down: tuple[float, float, float]

    def __post_init__(self) -> None:
        if not 0.9 < sum(v * v for v in self.down) < 1.1:
            raise RecipeProblem("The side a part lies on needs a direction of length 1. Choose one of the ways offered.", "lying")


SPOT_MM = 15.0
"""How far a place reaches where nothing is said."""


@dataclass(frozen=True)
class SupportPlace:
    """A place on a part (by its id) where the maker decides about support: a ball about it, in the scaled standing piece (mm)."""

    part: str
    at_mm: tuple[float, float, float]
    radius_mm: float = SPOT_MM

    def __post_init__(self) -> None:
        if not 1.0 <= self.radius_mm <= 200.0:
            raise RecipeProblem("A place with or without support reaches 1 to 200 mm round.")


@dataclass(frozen=True)
class PrintRecipe(Recipe):
    """How all parts of a piece are printed."""

    layer_mm: float = decision(
        0.2, "Layer height", because="the layer height", unit="mm", least=0.04, most=0.8, hint="0.12 to 0.28 is usual.",
        flag=Flag("--layer", "layer height in mm", float, hold="MM"),
    )  # fmt: skip
    walls: int = decision(3, "Walls", because="the walls", least=1, most=20, flag=Flag("--walls", "walls of each part", int, hold="N"))
    infill: float = decision(
        0.15,
        "Infill",
        because="the infill",
        unit="share",
        least=0.0,
        most=1.0,
        flag=Flag("--infill", "in percent", _percent, hold="PERCENT"),
    )
    material: str = decision(
        "pla",
        "Material",
        because="the material",
        choices=tuple(MATERIALS),
        shown=lambda key: say(MATERIALS[key].name),
        flag=Flag("--material", "filament"),
    )
    colour: str = decision("", "Colour", nothing="any", flag=Flag("--colour", "of the filament: parts of one colour share plates"))

    support: Style = decision(
        "branching", "Supports", because="the supports", choices=STYLES, flag=Flag("--support", "what holds up what hangs over air"),
    )  # fmt: skip
    support_bed_only: bool = decision(False, "Supports stand on the bed only", because="where supports stand")
    spared: tuple[SupportPlace, ...] = decision(
        (), "No support here", because="where no support goes", shown=lambda places: say(counted(len(places), "place"))
    )
    held: tuple[SupportPlace, ...] = decision(
        (), "Support here", because="where support is wanted", shown=lambda places: say(counted(len(places), "place"))
    )
    brim_mm: float = decision(
        0.0, "Brim", because="the brim", unit="mm", least=0.0, most=30.0,
        flag=Flag("--brim", "how far a brim reaches round each part's foot, in mm", float, hold="MM"),
    )  # fmt: skip
    raft: bool = decision(False, "Raft", because="the raft", flag=Flag("--raft", "three thick layers under each part"))
    slow_outer_wall: bool = decision(
        False,
        "Slow outer wall",
        because="the speed of the outer wall",
        flag=Flag("--slow-outer-wall", "print what shows at half its usual speed"),
    )
    adaptive_layers: bool = decision(
        False, "Layers follow the slope", because="the layers", flag=Flag("--adaptive-layers", "finer layers where the surface is shallow")
    )
    lying: tuple[LiesOn, ...] = decision(
        (), "Lying", because="how it lies", empty="the best way", shown=lambda ways: say(counted(len(ways), "part") + " laid by hand")
    )
    resin: tuple[str, ...] = decision(
        (), "Made of resin", because="what is made of resin", shown=lambda parts: say(counted(len(parts), "part"))
    )
    """Parts (by their ids) that a resin printer makes."""
    formed: tuple[str, ...] = decision(
        (), "Printed flat and formed", because="what is formed", shown=lambda parts: say(counted(len(parts), "part"))
    )
    """Thin plates (by their ids) that are printed flat and bent over a former with heat."""
    as_supplied: bool = decision(False, "Lie as supplied", because="how it lies")
    """Each file lies as its designer laid it, where it was not cut further."""

    def profile(self) -> Profile:
        """The same with all that goes without saying."""
        return Profile(
            self.layer_mm, self.walls, self.infill, self.material, support=self.support, support_bed_only=self.support_bed_only,
            brim_mm=self.brim_mm, raft=self.raft, slow_outer_wall=self.slow_outer_wall, adaptive_layers=self.adaptive_layers,
        )  # fmt: skip
