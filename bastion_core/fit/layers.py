"""What lies between body and piece: pads, liner, suit, hair; and skin that gives a little."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from bastion_core.errors import RecipeProblem
from bastion_core.geometry.mesh import Floats

WHERES = ("all", "top", "sides", "front", "back")
LAYERS: dict[str, tuple[float, bool, str]] = {
    "pad": (8.0, False, "foam pads, 5 to 15 mm; common practice"),
    "liner": (3.0, True, "padded cap or lining; common practice"),
    "suit": (1.5, True, "knitted under-suit; common practice"),
    "hair": (6.0, False, "short to middling hair under a cap; common practice"),
    "cap": (2.0, True, "cloth cap; common practice"),
    "glasses": (6.0, False, "temples beside the head; common practice"),
}
"""Usual thickness (mm), whether it is on while the piece is pulled over, and source."""
GIVE_MM = 2.0
"""How far skin and flesh give way to a rigid ring pulled over, each side; common practice, no source."""
_PATTERN = re.compile(r"^(?P<name>[a-z_ ]+?)(?:@(?P<where>[a-z]+))?=(?P<mm>\d+(?:\.\d+)?)$")


@dataclass(frozen=True)
class Layer:
    """A layer of even thickness over all of the body or one side of it."""

    name: str
    thickness_mm: float
    where: Literal["all", "top", "sides", "front", "back"] = "all"

    def __post_init__(self) -> None:
        if len(self.name) > 40:
            raise RecipeProblem("The name of a layer has to be under 40 letters.", "layers")
        if not 0 <= self.thickness_mm <= 80:
            raise RecipeProblem(f"A layer of {self.thickness_mm:g} mm ({self.name}) is out of bounds (0 to 80 mm).", "layers")
        if self.where not in WHERES:
            raise RecipeProblem(f"“{self.where}” is no place for a layer. Use one of {', '.join(WHERES)}.", "layers")

    @property
    def worn_on_the_way(self) -> bool:
        """Whether it is between body and piece while that is pulled over; pads give way or go in afterwards."""
        return LAYERS.get(self.name, (0.0, True, ""))[1]


def parse_layer(text: str) -> Layer:
    """A layer from NAME=MM or NAME@WHERE=MM; RecipeProblem when it cannot be read.

    >>> parse_layer("pad@top=12")
    Layer(name='pad', thickness_mm=12.0, where='top')
    """
    found = _PATTERN.match(text.strip().lower())
    if found is None or (found["where"] or "all") not in WHERES:
        raise RecipeProblem(f"“{text}” is no layer. Write NAME=MM or NAME@WHERE=MM, like pad=8 or pad@top=12 ({', '.join(WHERES)}).")
    return Layer(found["name"], float(found["mm"]), found["where"] or "all")  # type: ignore[arg-type]


def usual_layers(site: str, pad_mm: float) -> tuple[Layer, ...]:
    """What lies between where nobody has said anything: padding in a helmet."""
    return (Layer("pad", pad_mm),) if site == "head" and pad_mm > 0 else ()


def pad_of(layers: Sequence[Layer]) -> float:
    """mm of padding all round; 0 without any."""
    return next((layer.thickness_mm for layer in layers if layer.name == "pad"), 0.0)


def with_pad(layers: Sequence[Layer], pad_mm: float) -> tuple[Layer, ...]:
    """The layers with another thickness of padding, which is put first where there was none."""
    if not any(layer.name == "pad" for layer in layers):
        return (Layer("pad", pad_mm), *layers) if pad_mm > 0 else tuple(layers)
    return tuple(replace(layer, thickness_mm=pad_mm) if layer.name == "pad" else layer for layer in layers)


def thickness(layers: Sequence[Layer], normals: Floats, bare: NDArray[np.bool_] | None = None) -> Floats:
    """(n,): mm of layers where the body faces along unit ``normals`` (n, 3); front is -y, up is +z.

    Where ``bare`` (n,) is set, as on the face, nothing is padded: only what is worn like a cloth lies there.
    """
    total = np.zeros(len(normals))
    level = np.hypot(normals[:, 0], normals[:, 1])
    up = normals[:, 2] > 0.7
    masks = {
        "all": np.ones(len(normals), bool),
        "top": up,
        "sides": ~up & (np.abs(normals[:, 0]) >= 0.7 * level),
        "front": ~up & (-normals[:, 1] > 0.7 * level),
        "back": ~up & (normals[:, 1] > 0.7 * level),
    }
    for layer in layers:
        mask = masks[layer.where]
        if bare is not None and not layer.worn_on_the_way:
            mask = mask & ~bare
        total += mask * layer.thickness_mm
    return total


def on_the_way(layers: Sequence[Layer]) -> float:
    """mm each side of what is worn while a piece is pulled over."""
    return sum(layer.thickness_mm for layer in layers if layer.worn_on_the_way)
