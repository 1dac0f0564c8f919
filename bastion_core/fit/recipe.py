"""The decisions of the fit."""

from collections.abc import Sequence
from dataclasses import dataclass

from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Quantity, Said, joined, mm, say
from bastion_core.fit.bays import KINDS, Bay, parse_bay
from bastion_core.fit.layers import GIVE_MM, Layer, parse_layer
from bastion_core.fit.scale import LEAST_SCALE, MOST_SCALE, WRONG_UNIT, Scale
from bastion_core.fit.sites import WAYS_IN
from bastion_core.shop import MADE_FOR_MM

MOST_SHIFT_MM, MOST_TURN_DEG = 300.0, 45.0


def read_scale(text: str) -> Scale:
    """One number for all axes, or three like 1.1x1.1x1; ValueError when it is neither."""
    parts = [float(p) for p in text.lower().replace("×", "x").split("x")]
    if len(parts) not in (1, 3):
        raise ValueError(text)
    x, y, z = parts * 3 if len(parts) == 1 else parts
    return x, y, z


def _shown_scale(scale: Scale) -> Said:
    """One figure where the axes are scaled alike, else three."""
    return say("{}", Quantity(scale if len(set(scale)) > 1 else scale[:1], "share", 1))


def _shown_layers(layers: Sequence[Layer]) -> Said:
    return joined([say("{} {}", layer.name, mm(layer.thickness_mm, digits=1)) for layer in layers], ", ")


def _shown_bays(bays: Sequence[Bay]) -> Said:
    return say(", ".join(bay.name for bay in bays))


def _three(typed: Sequence[str]) -> tuple[float, float, float]:
    x, y, z = (float(t) for t in typed)
    return x, y, z


@dataclass(frozen=True)
class FitRecipe(Recipe):
    """How a piece is made to fit."""

    made_for_mm: float = decision(
        MADE_FOR_MM, "Made for a height of", because="the height it was made for", unit="mm", least=500.0, most=2600.0, shop="made_for_mm",
        flag=Flag("--made-for", "stature the model was made for, in mm", float, hold="MM"),
    )  # fmt: skip
    wanted_length_mm: float | None = decision(
        None, "Or longest side", because="the wanted length", unit="mm", least=1.0, most=10_000.0,
        flag=Flag("--length", "length its longest side is to get, in mm", float, hold="MM"),
    )  # fmt: skip
    scale: Scale | None = decision(
        None, "Scale", because="the scale", nothing="as suggested", shown=_shown_scale, least=LEAST_SCALE, most=MOST_SCALE, hint=WRONG_UNIT,
        flag=Flag("--scale", "scale to use instead of the computed one; 1.1x1.1x1 for axes apart", read_scale, hold="SCALE"),
    )  # fmt: skip
    way_in: str = decision(
        "", "Goes on", because="the way in", nothing="as usual", choices=("", *WAYS_IN), flag=Flag("--way-in", "how it goes on")
    )
    layers: tuple[Layer, ...] | None = decision(
        None, "Between body and piece", because="the layers", nothing="as usual", shown=_shown_layers,
        flag=Flag("--between", "NAME=MM or NAME@WHERE=MM between body and piece, like pad=8 or pad@top=12", parse_layer, True, hold="LAYER"),
    )  # fmt: skip
    """None for what is usual there: padding in a helmet, nothing elsewhere."""
    bays: tuple[Bay, ...] = decision(
        (), "What goes inside", because="what goes inside", shown=_shown_bays,
        flag=Flag("--bay", f"NAME=XxYxZ or NAME@PLACE=XxYxZ in mm, or one of: {', '.join(KINDS)}", parse_bay, True, hold="BAY"),
    )  # fmt: skip
    shift_mm: Scale = decision(
        (0.0, 0.0, 0.0), "Moved", because="the seat", unit="mm", least=-MOST_SHIFT_MM, most=MOST_SHIFT_MM,
        hint="Look at its site and side instead.", flag=Flag("--shift", "move it from its seat to the left, to the back and up, in mm", _three, hold="MM", takes=3),
    )  # fmt: skip
    """By which the maker moved it from where it seats itself."""
    turn_deg: Scale = decision(
        (0.0, 0.0, 0.0), "Turned", because="the seat", unit="deg", least=-MOST_TURN_DEG, most=MOST_TURN_DEG,
        hint="Stand it up otherwise under Pieces instead.", flag=Flag("--turn", "turn it in its seat about x, y and z, in degrees", _three, hold="DEG", takes=3),
    )  # fmt: skip
    """By which the maker turned it in its seat."""
    give_mm: float = decision(
        GIVE_MM, "Skin gives", because="how far skin gives", unit="mm", least=0.0, most=15.0,
        flag=Flag("--give", "mm that skin gives way, each side", float, hold="MM"),
    )  # fmt: skip

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.layers or ()) > 20 or len(self.bays) > 40:
            raise RecipeProblem("That is more than anybody wears: at most 20 layers and 40 things inside.", "layers")
