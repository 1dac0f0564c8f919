"""Rods through a long piece: what it bears as it is swung, which rod holds it, where that has to begin and end, and its bore through all parts."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal, Protocol

import numpy as np
import shapely
from shapely import Point, Polygon, unary_union
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from bastion_core.cut.parting import Parting, Seam
from bastion_core.errors import RecipeProblem
from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import plane_frame
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.rod import RodIn
from bastion_core.join.held import letters_of
from bastion_core.join.loads import Printed
from bastion_core.statics.beam import Beam, Held, InBore, Joined, reach_of, seam_safety, with_rods
from bastion_core.statics.poses import ENOUGH
from bastion_core.statics.sections import NO_SECTION, printed_section, section_of
from bastion_core.statics.stock import BARS_MM, TUBES_MM, Stock, stock_of, usual_stock

Axis = Literal["long", "x", "y", "z"]
AXES: dict[Axis, str] = {"long": "its length", "x": "left to right", "y": "front to back", "z": "upright"}
SWING_G = 3.0
"""A staff that is planted or swung feels about three times its weight; common practice, no source."""
HAND_MM, GRIPS_MM = 90.0, 50.0
"""Breadth of a hand, and how thick it closes round; common practice (breadths of 76 to 99 mm in open data of hands), no source."""
_STATIONS = 140
_FACES = 0.5
"""Seams are crossed whose normals lie within 60 degrees of the rod."""
_SIMPLE_MM = 0.05
_IN_ONE_MM = 5.0
_BEARS_LITTLE = 10 * ENOUGH


@dataclass(frozen=True)
class Rod:
    """A rod the maker wants: along which axis, of which stock; where (a point on it) and from where to where along it, at scale 1 and counted
    from the piece's low end; None for what is found."""

    axis: Axis = "long"
    stock: str = "steel-10x1"
    at_mm: tuple[float, float, float] | None = None
    from_mm: float | None = None
    to_mm: float | None = None

    def __post_init__(self) -> None:
        if self.axis not in AXES:
            raise RecipeProblem(f"“{self.axis}” is no axis. There are: {', '.join(AXES)}.", "rods")
        stock_of(self.stock)
        if not all(v is None or abs(v) < 1e5 for v in (*(self.at_mm or ()), self.from_mm, self.to_mm)):
            raise RecipeProblem("A rod lies in its piece.", "rods")
        if self.from_mm is not None and self.to_mm is not None and self.to_mm - self.from_mm < 10:
            raise RecipeProblem("A rod has to end at least 10 mm after it begins.", "rods")

    def mirrored(self) -> "Rod":
        """The same for the other side of a pair."""
        if self.axis == "x" and (self.from_mm is not None or self.to_mm is not None):
            return replace(self, from_mm=None, to_mm=None)
        return self if self.at_mm is None else replace(self, at_mm=(-self.at_mm[0], *self.at_mm[1:]))


def read_rod(text: str) -> Rod:
    """``AXIS:DIAMETER`` for a steel tube or bar, or ``AXIS:STOCK``.

    >>> read_rod("z:10").stock
    'steel-10x1'
    """
    axis, _, what = text.partition(":")
    try:
        thick = float(what)
    except ValueError:
        return Rod(axis, what)  # type: ignore[arg-type]
    wall = next((w for d, w in TUBES_MM if d == thick), 0.0)
    return Rod(axis, Stock("steel", thick, wall).code)  # type: ignore[arg-type]


@dataclass(frozen=True)
class Carried:
    """How a long piece is handled: swung by how many g, gripped where (from its low end, at scale 1; None where it balances best), printed how."""

    swing_g: float = SWING_G
    grip_mm: float | None = None
    printed: Printed = field(default_factory=Printed)
    material: str = "pla"
    glue_mpa: float = 4.0
    rods: tuple[Rod, ...] = ()


class Weight(Protocol):
    """What weighs in a piece besides its print."""

    @property
    def grams(self) -> float: ...
    @property
    def balance(self) -> Floats:
        """(3,)."""

    @property
    def high_mm(self) -> float: ...


@dataclass(frozen=True, eq=False)
class Along:
    """A piece along one of its axes: its frame, its filled sections, the beam it is, the seams across it."""

    frame: Floats
    """4x4 into it: z along the axis."""
    beam: Beam
    filled: tuple[BaseGeometry, ...]
    seams: tuple[Joined, ...]
    crossed: tuple[Seam, ...]
    low_mm: float
    """Its ends."""
    high_mm: float

    def span(self, rod: RodIn) -> InBore:
        """A rod along it."""
        low, high = (float(self.frame[2, :3] @ np.array(e) + self.frame[2, 3]) for e in (rod.low, rod.high))
        return InBore(rod.stock, low, high)


@dataclass(frozen=True)
class Offer:
    """A rod that would hold: which, from where to where, how surely, and what it weighs."""

    stock: str
    name: str
    low_mm: float
    high_mm: float
    safety: float
    weighs_g: float


@dataclass(frozen=True, eq=False)
class Loaded:
    """What a long piece bears: without rods, with them, and what else would hold."""

    along: Along
    bare: Held
    held: Held | None
    rods: tuple[RodIn, ...]
    offers: tuple[Offer, ...]
    said: tuple[Said, ...]


def axis_of(axis: Axis, whole: Solid) -> Floats:
    """(3,): the direction of an axis; the long one by the spread of the piece's surface."""
    if axis != "long":
        return np.eye(3)["xyz".index(axis)]
    mesh = whole.mesh()
    areas = np.linalg.norm(mesh.area_vectors, axis=1)
    middles = mesh.triangles.mean(axis=1)
    off = middles - np.average(middles, axis=0, weights=areas)
    _, ways = np.linalg.eigh((off * areas[:, None]).T @ off)
    long = ways[:, 2]
    # Nearly along an axis it is that axis, and it always points up, back or right.
    near = int(np.argmax(np.abs(long)))
    long = np.eye(3)[near] if abs(long[near]) > 0.9998 else long * np.sign(long[near])
    return np.asarray(long)


def along_axis(whole: Solid, parting: Parting, carried: Carried, axis: Axis, scale: Floats, weights: Sequence[Weight] = ()) -> Along:
    """The piece along an axis, with what weighs in it besides."""
    printed = carried.printed
    frame = np.eye(4)
    frame[:3, :3] = plane_frame(axis_of(axis, whole)).T
    standing = whole.transformed(frame)
    (_, _, low), (_, _, high) = standing.bounds
    step = (high - low) / _STATIONS
    at = low + step * (np.arange(_STATIONS) + 0.5)
    shapes = [shapely.simplify(standing.section(float(z)), _SIMPLE_MM) for z in at]
    sections = tuple(printed_section(s, printed.walls_mm, printed.infill) if not s.is_empty else NO_SECTION for s in shapes)
    mass = np.array([s.area_mm2 for s in sections]) * step
    mass *= sum(printed.mass_g(p.solid) for p in parting.parts) / max(mass.sum(), 1e-9)
    for weight in weights:
        z = float(frame[2, :3] @ weight.balance + frame[2, 3])
        near = np.abs(at - z) <= max(weight.high_mm / 2, step)
        mass[near] += weight.grams / near.sum()
    filled = tuple(_filled(s) for s in shapes)
    seams, crossed = [], []
    for seam in parting.seams:
        if abs(float(np.array(seam.surface.normal) @ frame[2, :3])) < _FACES:
            continue
        middle = seam.surface.to_space(np.array([seam.face.representative_point().coords[0]]))[0]
        z = float(frame[2, :3] @ middle + frame[2, 3])
        seams.append(Joined(letters_of(seam), z, section_of(seam.face), carried.glue_mpa))
        crossed.append(seam)
    stretch = float(np.linalg.norm(frame[2, :3] * scale))
    beam = Beam(
        at,
        sections,
        mass,
        _grip(at, mass, filled, None if carried.grip_mm is None else low + carried.grip_mm * stretch),
        carried.swing_g,
        carried.material,
        printed.infill,
    )
    return Along(frame, beam, filled, tuple(seams), tuple(crossed), float(low), float(high))


def _grip(at: Floats, mass: Floats, filled: Sequence[BaseGeometry], chosen: float | None) -> tuple[float, float]:
    if chosen is not None:
        middle = chosen
    else:
        balance = float((at * mass).sum() / mass.sum())
        thick = np.array([max(np.ptp(np.array(f.bounds).reshape(2, 2), axis=0)) if not f.is_empty else np.inf for f in filled])
        fits = thick <= GRIPS_MM
        # Where it balances best among the places a hand closes round.
        middle = float(at[fits][np.argmin(np.abs(at[fits] - balance))]) if fits.any() else balance
    half = HAND_MM / 2
    middle = float(np.clip(middle, at[0] + half, at[-1] - half)) if at[-1] - at[0] > HAND_MM else float(at.mean())
    return middle - half, middle + half


def _filled(shape: BaseGeometry) -> BaseGeometry:
    return unary_union([Polygon(p.exterior) for p in getattr(shape, "geoms", [shape]) if p.geom_type == "Polygon"])


def _way(along: Along, low: float, high: float, reach_mm: float) -> BaseGeometry:
    """Where a straight thing of a radius may run between two heights and keep within the piece's outline."""
    room: BaseGeometry | None = None
    for z, shape in zip(along.beam.at_mm, along.filled, strict=True):
        if low - 1e-6 <= z <= high + 1e-6:
            inner = shape.buffer(-reach_mm)
            room = inner if room is None else room.intersection(inner)
            if room.is_empty:
                break
    return room if room is not None else Polygon()


def _extent(along: Along, stock: Stock, low: float, high: float) -> tuple[float, float]:
    """A rod that lies within a single part has to come out at an end, or it could never be put in: to the nearer one."""
    if any(low < s.at_mm < high for s in along.seams):
        return low, high
    if low - along.low_mm <= along.high_mm - high:
        return along.low_mm - _IN_ONE_MM, high
    return low, along.high_mm + _IN_ONE_MM


def place_rod(along: Along, wanted: Rod, wall_mm: float, gap_mm: float, scale: Floats) -> tuple[RodIn | None, Said]:
    """A rod in its place, or why it has none."""
    stock, beam = stock_of(wanted.stock), along.beam
    radius = stock.diameter_mm / 2 + gap_mm + wall_mm
    stretch = float(np.linalg.norm(along.frame[2, :3] * scale))
    reach = reach_of(beam, along.seams, stock)
    said = NOTHING
    if reach is None:
        safe = seam_safety(beam, along.seams)
        # Nothing needs it: it passes the seams that bear most, else all of them.
        places = [s.at_mm for s, v in zip(along.seams, safe, strict=True) if v < _BEARS_LITTLE] or [s.at_mm for s in along.seams]
        low, high = (min(places), max(places)) if places else (along.low_mm, along.high_mm)
        low, high = low - 3 * stock.diameter_mm, high + 3 * stock.diameter_mm
    else:
        low, high = reach.low_mm, reach.high_mm
    low = along.low_mm + wanted.from_mm * stretch if wanted.from_mm is not None else low
    high = along.low_mm + wanted.to_mm * stretch if wanted.to_mm is not None else high
    if high - low > along.high_mm - along.low_mm + 2 * _IN_ONE_MM or low < along.low_mm - 50 or high > along.high_mm + 50:
        words = "The rod would be {} long, and the piece is {}. Let it begin and end within the piece."
        return None, say(words, mm(high - low), mm(along.high_mm - along.low_mm))
    low, high = max(low, along.low_mm), min(high, along.high_mm)
    low, high = _extent(along, stock, low, high)
    room = _way(along, low, high, radius)
    if room.is_empty:
        return None, _no_way(along, stock, low, high, gap_mm, wall_mm)
    if wanted.at_mm is not None:
        place = along.frame[:3, :3] @ (np.array(wanted.at_mm) * scale) + along.frame[:3, 3]
        there, _ = nearest_points(room, Point(*place[:2]))
        off = float(np.hypot(there.x - place[0], there.y - place[1]))
        if off > 0.1:
            said = say("The rod has no wall where it was set: it went {} aside.", mm(off, digits=1))
    else:
        inside = [(s.middle_mm, s.area_mm2) for z, s in zip(beam.at_mm, beam.sections, strict=True) if low <= z <= high and s.area_mm2 > 0]
        middle = np.average([m for m, _ in inside], axis=0, weights=[a for _, a in inside])
        there, _ = nearest_points(room, Point(*middle))
    back = np.linalg.inv(along.frame)
    ends = [back[:3, :3] @ [there.x, there.y, z] + back[:3, 3] for z in (low, high)]
    crossed = tuple(seam for seam, joined in zip(along.crossed, along.seams, strict=True) if low < joined.at_mm < high)
    rod = RodIn(
        stock, three(ends[0], 3), three(ends[1], 3), position_mm=three((ends[0] + ends[1]) / 2, 3), axis=three(along.frame[2, :3]), flat_mm=(0.0, 0.0),
        seams=tuple(s.id for s in crossed), clearance_mm=gap_mm,
    )  # fmt: skip
    return (replace(rod.on(crossed[0]), seams=rod.seams) if crossed else rod), said


def _no_way(along: Along, stock: Stock, low: float, high: float, gap_mm: float, wall_mm: float) -> Said:
    thinner = [d for d in BARS_MM if d < stock.diameter_mm and not _way(along, low, high, d / 2 + gap_mm + wall_mm).is_empty]
    within = [(f.area, float(z)) for z, f in zip(along.beam.at_mm, along.filled, strict=True) if low <= z <= high]
    at = min(within)[1] - along.low_mm if within else 0.0
    what = (
        f"A rod of {thinner[-1]:g} mm passes."
        if thinner
        else "No rod passes straight: move the seams to where the piece is straight, or let the rod end before."
    )
    return say("No straight way for a rod of {}: the piece is narrowest {} from its low end. " + what, mm(stock.diameter_mm), mm(at))


def loaded(
    whole: Solid, parting: Parting, carried: Carried, wall_mm: float, gap_mm: float, scale: Floats, weights: Sequence[Weight] = ()
) -> Loaded:  # fmt: skip
    """What a long piece bears as it is carried, and its rods."""
    along = along_axis(whole, parting, carried, carried.rods[0].axis if carried.rods else "long", scale, weights)
    bare = with_rods(along.beam, along.seams)
    rods, spans, said = list[RodIn](), list[InBore](), list[Said]()
    for wanted in carried.rods:
        same = wanted.axis == carried.rods[0].axis
        own = along if same else along_axis(whole, parting, carried, wanted.axis, scale, weights)
        rod, words = place_rod(own, wanted, wall_mm, gap_mm, scale)
        if words:
            said.append(words)
        if rod is not None:
            rods.append(rod)
            # What lies across holds nothing of what bends it along its length.
            spans += [own.span(rod)] if same else []
    held = with_rods(along.beam, along.seams, spans) if spans else None
    offers = _offers(along, wall_mm, gap_mm, scale) if (held or bare).safety < ENOUGH else ()
    return Loaded(along, bare, held, tuple(rods), offers, tuple(said))


def _offers(along: Along, wall_mm: float, gap_mm: float, scale: Floats) -> tuple[Offer, ...]:
    """The lightest rod of each material that holds it."""
    found: list[Offer] = []
    too_thick = np.inf
    for stock in usual_stock():
        # What a thinner rod finds no way for, a thicker one does not either.
        if stock.material in {stock_of(o.stock).material for o in found} or stock.diameter_mm >= too_thick:
            continue
        rod, _ = place_rod(along, Rod("long", stock.code), wall_mm, gap_mm, scale)
        if rod is None:
            too_thick = stock.diameter_mm
            continue
        span = along.span(rod)
        held = with_rods(along.beam, along.seams, [span])
        if held.safety >= ENOUGH:
            found.append(Offer(
                stock.code, stock.name, round(span.low_mm - along.low_mm, 1), round(span.high_mm - along.low_mm, 1), round(held.safety, 2),
                round(stock.grams_per_mm * rod.length_mm, 0),
            ))  # fmt: skip
    return tuple(found)
