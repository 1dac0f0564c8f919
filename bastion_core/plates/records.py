"""What is told of each plate."""

from collections.abc import Container, Mapping
from dataclasses import dataclass, replace

from shapely.geometry.base import BaseGeometry

from bastion_core.pieces.silhouette import svg_path
from bastion_core.plates.nest import Spot
from bastion_core.print.estimate import Estimate
from bastion_core.print.ground import read

_DRAWN_MM = 0.4


@dataclass(frozen=True)
class Taken:
    """What a plate takes on a printer."""

    hours: float
    filament_g: float
    support_g: float


@dataclass(frozen=True)
class PlatePart:
    """A part on a plate: whose, its files in the print's folder, and how it lies: turned about its file's origin, then moved from the bed's middle."""

    piece: int
    part: str
    name: str
    piece_name: str
    print_hash: str
    file_3mf: str
    file_stl: str
    size_mm: tuple[float, float, float]
    turn_deg: float
    x_mm: float
    y_mm: float
    ground: str
    hours: float
    """Alone, on the plate's printer."""

    @property
    def key(self) -> str:
        return f"{self.piece}/{self.part}"

    @property
    def spot(self) -> Spot:
        """Where it lies."""
        return Spot(self.turn_deg, self.x_mm, self.y_mm)

    @property
    def lain(self) -> BaseGeometry:
        """Its ground where it lies (mm from the bed's middle)."""
        return self.spot.place(read(self.ground))

    @property
    def drawing(self) -> str:
        """The same as an SVG path, y down."""
        return svg_path(self.lain.simplify(_DRAWN_MM))


@dataclass(frozen=True)
class Plate:
    """Parts that are printed together. ``on`` has every printer that takes them as they lie."""

    id: str
    name: str
    printer: str
    """That it is laid for."""
    material: str
    colour: str
    layer_mm: float
    resin: bool
    parts: tuple[PlatePart, ...]
    on: dict[str, Taken]
    must: bool
    held: bool
    in_turn: bool
    beyond: bool
    """Supports or brim of its part reach over the margin."""
    wrong: tuple[str, ...] = ()
    """Parts that meet another or lie over the edge."""
    filled: float = 0.0
    """Share of the usable ground."""
    again: bool = False
    """Of parts that failed."""

    @property
    def hours(self) -> float:
        return self.on[self.printer].hours

    @property
    def grams(self) -> float:
        return self.on[self.printer].filament_g

    def left(self, gone: Mapping[int, Container[str]]) -> "Plate | None":
        """The plate without parts (ids by piece) that are printed already; None where none is left. Hours and grams in proportion."""
        parts = tuple(p for p in self.parts if p.part not in gone.get(p.piece, ()))
        if not parts:
            return None
        share = sum(p.hours for p in parts) / max(sum(p.hours for p in self.parts), 1e-9)
        on = {n: Taken(t.hours * share, t.filament_g * share, t.support_g * share) for n, t in self.on.items()}
        return self if len(parts) == len(self.parts) else replace(self, parts=parts, on=on)


@dataclass(frozen=True)
class Lying:
    """A part as it lies for some printers."""

    file_3mf: str
    file_stl: str
    size_mm: tuple[float, float, float]
    ground: str
    on: dict[str, Estimate]
