"""What is decided about a file: where it is worn, its unit, how it stands, whether it is mirrored."""

from dataclasses import dataclass

from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.measure.table import SITES
from bastion_core.units import MM_PER_UNIT


@dataclass(frozen=True)
class PiecesRecipe(Recipe):
    """The decisions of the pieces' station."""

    site: str = decision("other", "Worn on", because="where it is worn", choices=SITES, flag=Flag("--site", "where it is worn"))
    side: str = decision("", "Side", because="the side", choices=("", "left", "right"), flag=Flag("--side", "left or right"))
    unit: str = decision(
        "",
        "Unit of the file",
        because="the unit",
        choices=("", *MM_PER_UNIT),
        nothing="as guessed",
        flag=Flag("--unit", "the file's unit; guessed when not given"),
    )
    turn_x: int = decision(0, "Quarter turns about x", because="the way it stands", least=0, most=3)
    turn_y: int = decision(0, "Quarter turns about y", because="the way it stands", least=0, most=3)
    turn_z: int = decision(0, "Quarter turns about z", because="the way it stands", least=0, most=3)
    mirrored: bool = decision(False, "Mirrored", because="its mirror image")

    @property
    def turns(self) -> tuple[int, int, int]:
        """Quarter turns about x, y and z."""
        return self.turn_x, self.turn_y, self.turn_z
