"""Hands and tools: how thick they are, how far they reach in, what they are for. Each row with its source."""

from dataclasses import dataclass
from typing import Literal

ToolKey = Literal["hand", "tweezers", "iron"]


@dataclass(frozen=True)
class Tool:
    """What reaches in: a body that stays where it is wide enough, and a tip that goes on from it."""

    key: ToolKey
    name: str
    body_mm: float
    """Radius of what has to pass first."""
    tip_mm: float
    """Radius of what goes on."""
    reach_mm: float
    """How far the tip goes on."""
    source: str
    straight: bool = True
    """It does not bend round corners, as fingers do."""


_HAND_MM = 38.0
_CP = "common practice, no source"
TOOLS: dict[ToolKey, Tool] = {
    t.key: t
    for t in (
        Tool(
            "hand", "a hand", _HAND_MM, 11.0, 85.0, "a closed hand through a round hole of about 80 mm, its fingers 85 mm on; " + _CP, False
        ),
        Tool("tweezers", "long tweezers", _HAND_MM, 4.0, 180.0, _CP),
        Tool("iron", "the iron", _HAND_MM, 4.0, 120.0, _CP),
    )
}
"""What holds a tool goes in with it, where it finds room."""
SPRAY_LEAN_DEG = 60.0
"""A spray lands on faces that lean away from it by up to that; common practice, no source."""
SPRAYED_SHARE = 0.95
"""Of an inside that has to be reached so that it counts as painted: the rest is touched up; common practice, no source."""
