"""How the maker wants each seam held."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from bastion_core.cut.parting import Seam
from bastion_core.errors import RecipeProblem
from bastion_core.join.table import KINDS, Kind
from bastion_core.statics.magnets import STEEL, disc_of
from bastion_core.threads import THREADS


@dataclass(frozen=True)
class Held:
    """How a seam is held: by its id, or by its parts' letters (A-B); empty for every seam that is not named."""

    seam: str = ""
    kind: Kind = "auto"
    at_mm: tuple[tuple[float, float, float], ...] | None = None
    """Where the fasteners sit, in the piece's own upright mm at scale 1; None for places found by themselves."""
    turned: bool = False
    """The part above gets what the one below would get, and the other way round."""
    thread: str = "M3"
    magnet: str = ""
    """The smaller disc of each pair, like 6x3 or 6x3:N52; empty for what holds what hangs."""

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise RecipeProblem(f"“{self.kind}” is no way to hold a seam. There are: {', '.join(KINDS)}.", "joints")
        if self.thread not in THREADS:
            raise RecipeProblem(f"“{self.thread}” is no screw known here. There are: {', '.join(THREADS)}.", "joints")
        if self.magnet and disc_of(self.magnet).grade == STEEL:
            raise RecipeProblem("Name the magnet of a pair, not its steel.", "joints")
        if len(self.at_mm or ()) > 24 or not all(abs(v) < 1e5 for p in self.at_mm or () for v in p):
            raise RecipeProblem("A seam takes up to 24 fasteners, on the piece.", "joints")

    def mirrored(self) -> "Held":
        """The same for the other side of a pair."""
        return self if self.at_mm is None else replace(self, at_mm=tuple((-x, y, z) for x, y, z in self.at_mm))

    def means(self, seam: Seam) -> bool:
        """Whether it names this seam."""
        return self.seam == seam.id or self.seam == letters_of(seam)


def letter_of(name: str) -> str:
    """What a part is called by people: the last of its name.

    >>> letter_of("helm-B")
    'B'
    """
    return name.rsplit("-", 1)[-1]


def letters_of(seam: Seam) -> str:
    """What a seam is called by its parts: A-B."""
    return "-".join(letter_of(name) for name in (seam.above, seam.below))


def held_of(seam: Seam, wanted: Sequence[Held]) -> Held:
    """What is wanted of a seam: what names it, else what is said of all."""
    for one in wanted:
        if one.seam and one.means(seam):
            return one
    return next((one for one in wanted if not one.seam), Held(""))


def read_held(text: str) -> Held:
    """``KIND`` for every seam, or ``SEAM=KIND`` for one; ``insert:M4`` takes another screw than M3, ``magnet:6x3`` discs of that size.

    >>> read_held("A-B=insert:M4").thread
    'M4'
    """
    seam, _, kind = text.rpartition("=")
    name, _, screw = kind.partition(":")
    more = {"magnet": screw} if name == "magnet" else {"thread": screw or "M3"}
    return Held(seam, name, **more)  # type: ignore[arg-type]
