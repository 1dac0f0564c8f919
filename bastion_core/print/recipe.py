"""The decisions of the print."""

from dataclasses import dataclass

from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.findings import say
from bastion_core.print.profile import MATERIALS, Profile


def _percent(text: str) -> float:
    return float(text) / 100


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

    as_supplied: bool = decision(False, "Lie as supplied", because="how it lies")
    """Each file lies as its designer laid it, where it was not cut further."""

    def profile(self) -> Profile:
        """The same with all that goes without saying."""
        return Profile(self.layer_mm, self.walls, self.infill, self.material)
