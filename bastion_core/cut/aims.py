"""What a plan to part a piece may be best for."""

from typing import Literal

Aim = Literal["least", "hours", "parts", "clean", "soon"]
AIMS: dict[Aim, str] = {
    "least": "least work and cost",
    "hours": "fewest printer hours",
    "parts": "fewest parts",
    "clean": "cleanest front",
    "soon": "done soonest",
}
