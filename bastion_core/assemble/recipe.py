"""The decisions of the assembly."""

from dataclasses import dataclass
from typing import Literal

from bastion_core.assemble.table import INSIDES
from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.errors import RecipeProblem
from bastion_core.findings import counted, say

PutKind = Literal["board", "battery", "light", "wire", "other"]
PUT_KINDS: tuple[PutKind, ...] = ("board", "battery", "light", "wire", "other")
_MOST = 30


@dataclass(frozen=True)
class PutIn:
    """Something that goes inside and that Fit knows nothing of. ``part`` is a part's id or letter; ``at_mm`` a place in the piece at scale 1 (None
    for the middle of the part's inside); of a wire ``to`` names the part, or the thing, at its other end."""

    name: str
    part: str
    kind: PutKind = "other"
    size_mm: tuple[float, float, float] = (40.0, 30.0, 15.0)
    at_mm: tuple[float, float, float] | None = None
    to: str = ""

    def __post_init__(self) -> None:
        if not 0 < len(self.name) <= 60:
            raise RecipeProblem("What goes inside needs a name of up to 60 letters.", "put_in")
        if self.kind not in PUT_KINDS:
            raise RecipeProblem(f"“{self.kind}” is nothing that goes inside. There are: {', '.join(PUT_KINDS)}.", "put_in")
        if not all(1 <= v <= 600 for v in self.size_mm):
            raise RecipeProblem(f"{self.name}: 1 to 600 mm a side.", "put_in")
        if self.kind == "wire" and not self.to:
            raise RecipeProblem(f"{self.name}: a wire needs two ends. Name the part or the thing it goes to.", "put_in")


@dataclass(frozen=True)
class Before:
    """One step of the maker's before another; both by their keys."""

    first: str
    then: str

    def __post_init__(self) -> None:
        if self.first == self.then:
            raise RecipeProblem("A step cannot come before itself.", "fixed")


def read_before(text: str) -> Before:
    """``FIRST<THEN``.

    >>> read_before("join A-B<join C-D").then
    'join C-D'
    """
    first, found, then = text.partition("<")
    if not found:
        raise RecipeProblem(f"“{text}” names no two steps. Write FIRST<THEN, like “join A-B<join C-D”.", "fixed")
    return Before(first.strip(), then.strip())


def read_put_in(text: str) -> PutIn:
    """``NAME@PART=XxYxZ``, or ``wire NAME@PART:TO``.

    >>> read_put_in("battery@B=62x36x9").kind
    'battery'
    """
    name, _, rest = text.partition("@")
    if name.startswith("wire"):
        part, _, to = rest.partition(":")
        return PutIn(name, part, "wire", (3.0, 3.0, 3.0), None, to)
    part, _, size = rest.partition("=")
    try:
        x, y, z = (float(v) for v in size.lower().split("x"))
    except ValueError:
        raise RecipeProblem(f"“{text}” cannot be read. Write NAME@PART=XxYxZ in mm.", "put_in") from None
    return PutIn(name, part, kind_of(name), (x, y, z))


def kind_of(name: str) -> PutKind:
    """What a thing is by its name."""
    words = name.lower()
    known: dict[str, PutKind] = {
        "battery": "battery",
        "cell": "battery",
        "board": "board",
        "led": "light",
        "light": "light",
        "lamp": "light",
    }
    return next((kind for word, kind in known.items() if word in words), "other")


@dataclass(frozen=True)
class AssembleRecipe(Recipe):
    """How a piece comes together."""

    inside: str = decision(
        "", "Inside", because="the inside", nothing="left as printed", choices=("", *INSIDES),
        shown=lambda key: say(INSIDES[key].name), flag=Flag("--inside", "what its inside is covered with before it closes"),
    )  # fmt: skip
    put_in: tuple[PutIn, ...] = decision(
        (), "What else goes inside", because="what goes inside", shown=lambda all: say(", ".join(p.name for p in all)),
        flag=Flag("--put-in", "what goes inside: NAME@PART=XxYxZ in mm, or wire NAME@PART:TO; once for each", read_put_in, True, hold="THING"),
    )  # fmt: skip
    visor: bool = decision(
        False, "A visor goes in", because="the visor", flag=Flag("--visor", "a visor goes in, last but one")
    )  # fmt: skip
    unglued: tuple[str, ...] = decision(
        (), "Left unglued", because="what is left unglued", shown=lambda all: say(counted(len(all), "seam")),
        flag=Flag("--unglued", "a seam that is left unglued on purpose, taped; once for each", str, True, hold="SEAM"),
    )  # fmt: skip
    """Seams by their ids or letters (A-B)."""
    fixed: tuple[Before, ...] = decision(
        (), "Fixed by you", because="the order", shown=lambda all: say(counted(len(all), "step")),
        flag=Flag("--first", "one step before another: FIRST<THEN; once for each", read_before, True, hold="FIRST<THEN"),
    )  # fmt: skip
    bench_h: float = decision(
        3.0, "Hours at the bench a day", because="the hours at the bench", least=0.5, most=14.0, hint="In hours.",
        flag=Flag("--bench", "hours at the bench a day", float, hold="H"),
    )  # fmt: skip
    rim_mm: float | None = decision(
        None, "The tightest rim wider by", because="", nothing="what it lacks", unit="mm", least=0.1, most=30.0,
        flag=Flag("--rim", "mm by which the tightest rim is to be made wider, in what mending costs", float, hold="MM"),
    )  # fmt: skip

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.put_in) > _MOST or len(self.fixed) > _MOST:
            raise RecipeProblem(f"Up to {_MOST} of each.", "put_in")
        if len({p.name for p in self.put_in}) < len(self.put_in):
            raise RecipeProblem("Two things that go inside have the same name. Give each its own.", "put_in")
