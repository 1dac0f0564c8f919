"""What stations are asked about: a piece with everything decided about it, or a build with its pieces as they are worn."""

from dataclasses import dataclass, field
from typing import TypeVar

from bastion_core.engine.recipe import Recipe
from bastion_core.engine.store import Ref
from bastion_core.measure.wearer import Wearer
from bastion_core.plates.beds import FAILS_PER_H, Gantry
from bastion_core.shop import Shop

R = TypeVar("R", bound=Recipe)


@dataclass(frozen=True)
class ScanBody:
    """A stood-up scan that stands for the wearer's body: where its files lie, its kind, what was measured on it."""

    ref: Ref
    kind: str
    """head or body."""
    values: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Case:
    """A piece: its file, its decisions, who wears it, and the shop as it is today."""

    name: str
    sha256: str
    decided: tuple[Recipe, ...]
    wearer: Wearer | None = None
    scan: ScanBody | None = None
    shop: Shop = field(default_factory=Shop)
    as_placed: bool = False
    """The piece already lies in the coordinates of the scan, which stands for the body as it came."""

    def of(self, kind: type[R]) -> R:
        """The decisions of one recipe."""
        return next(r for r in self.decided if isinstance(r, kind))


@dataclass(frozen=True)
class WornPiece:
    """A piece of a build that was judged on its wearer."""

    id: int
    name: str
    site: str
    side: str
    fit: Ref


@dataclass(frozen=True)
class PrintedPiece:
    """A piece of a build that is computed to the end: where its prints lie, and what decides which parts may share a plate."""

    id: int
    name: str
    print: Ref
    material: str
    colour: str = ""
    layer_mm: float = 0.2
    again: tuple[str, ...] = ()
    """Parts (by their ids) that failed and are printed once more: laid for themselves, so that plates that stand stay as they are."""


@dataclass(frozen=True)
class BuildCase:
    """A build: who wears it, its pieces as they are worn and as they are printed, and the shop as it is today."""

    wearer: Wearer | None = None
    scan: ScanBody | None = None
    pieces: tuple[WornPiece, ...] = ()
    decided: tuple[Recipe, ...] = ()
    printed: tuple[PrintedPiece, ...] = ()
    shop: Shop = field(default_factory=Shop)
    gantries: tuple[Gantry, ...] = ()
    fails_per_h: float = FAILS_PER_H
    """What the shop's log says of prints under way."""

    def of(self, kind: type[R]) -> R:
        """The decisions of one recipe."""
        return next(r for r in self.decided if isinstance(r, kind))
