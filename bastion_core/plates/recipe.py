"""The decisions about a build's plates."""

from dataclasses import dataclass
from typing import Literal

from bastion_core.engine.recipe import Recipe, decision
from bastion_core.errors import RecipeProblem
from bastion_core.findings import counted, say
from bastion_core.plates.nest import GAP_MM, Spot

Together = Literal["risk", "fewest", "alone"]
TOGETHER: tuple[Together, ...] = ("risk", "fewest", "alone")


@dataclass(frozen=True)
class HeldSpot:
    """A part (its piece's number and its own id) held where the maker laid it: turned about its file's origin, then moved from the bed's middle."""

    piece: int
    part: str
    turn_deg: float
    x_mm: float
    y_mm: float

    @property
    def key(self) -> str:
        return f"{self.piece}/{self.part}"

    @property
    def spot(self) -> Spot:
        """Where it is held."""
        return Spot(self.turn_deg, self.x_mm, self.y_mm)


@dataclass(frozen=True)
class HeldPlate:
    """A plate whose parts stay where they lie: the printer it is laid for, and what lies there."""

    printer: str
    spots: tuple[HeldSpot, ...]

    def __post_init__(self) -> None:
        if not self.spots:
            raise RecipeProblem("A held plate needs a part. Free the plate instead.", "held_plates")


@dataclass(frozen=True)
class PlatesRecipe(Recipe):
    """How parts of all pieces share beds."""

    gap_mm: float = decision(GAP_MM, "Gap between parts", because="the gap between parts", unit="mm", least=0.5, most=40.0)
    together: Together = decision(
        "risk", "What goes together", because="the sharing of plates", choices=TOGETHER,
        shown=lambda how: say({"risk": "as the risk allows", "fewest": "as few plates as can be", "alone": "each part alone"}[how]),
    )  # fmt: skip
    in_turn: bool = decision(False, "One after the other", because="the order on a plate")
    """Where the gantry has room: each part whole before the next is begun."""
    must_have: tuple[int, ...] = decision(
        (), "Must be ready", because="the list of what must be ready", shown=lambda pieces: say(counted(len(pieces), "piece"))
    )
    """Pieces (by number) that go before the others."""
    left_out: tuple[int, ...] = decision(
        (), "Not printed now", because="the list of what waits", shown=lambda pieces: say(counted(len(pieces), "piece"))
    )
    """Pieces (by number) that wait: neither laid nor planned."""
    held_plates: tuple[HeldPlate, ...] = decision(
        (), "Laid by hand", because="a plate laid by hand", shown=lambda plates: say(counted(len(plates), "plate"))
    )

    def __post_init__(self) -> None:
        super().__post_init__()
        keys = [s.key for p in self.held_plates for s in p.spots]
        if len(set(keys)) < len(keys):
            raise RecipeProblem("A part lies on two plates. Leave it on one.", "held_plates")
