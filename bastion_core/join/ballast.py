"""Weight in a part: a cavity that keeps its wall and prints without support, what it holds, and what that does to balance, walls and seams."""

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType

import networkx as nx
import numpy as np
import shapely
from shapely import Point, Polygon
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import Part, Parting
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said, mm, say
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid, prism, united
from bastion_core.join.fasteners.rod import RodIn
from bastion_core.join.held import letter_of, letters_of
from bastion_core.join.loads import Printed
from bastion_core.statics.beam import ACROSS, ALONG_MPA
from bastion_core.statics.fills import FILLS, Fill, pressure_kpa, round_of, wall_mpa
from bastion_core.statics.poses import ENOUGH, G_M_S2, MOST
from bastion_core.statics.sections import section_of

BALLAST_WALL_MM = 3.0
FILL_HOLE_MM, MOUTH_MM = 12.0, 16.0
"""Wide enough for a funnel's spout, and the roof round it a short bridge; common practice, no source."""
LIFTED_G = 2.0
"""A thing that is snatched up weighs twice; common practice, no source."""
_LEVEL_MM = 1.0
_LEVEL = 0.7
"""Seams whose normals stand within 45 degrees of upright are level."""
_LEAST_CM3 = 2.0
_SIMPLE_MM = 0.1


@dataclass(frozen=True)
class Ballast:
    """What goes into a part (its id, or its letter), how much of it in g (None for as much as goes in), and the wall that stays."""

    part: str
    fill: str = "sand"
    grams: float | None = None
    wall_mm: float = BALLAST_WALL_MM

    def __post_init__(self) -> None:
        if self.fill not in FILLS:
            raise RecipeProblem(f"“{self.fill}” is no fill known here. There are: {', '.join(FILLS)}.", "ballast")
        if self.grams is not None and not 1 <= self.grams <= 50_000:
            raise RecipeProblem("A part takes 1 g to 50 kg of ballast.", "ballast")
        if not 1.2 <= self.wall_mm <= 30:
            raise RecipeProblem("Round ballast a wall of 1.2 to 30 mm stays.", "ballast")

    def means(self, part: Part) -> bool:
        """Whether it goes into this part."""
        return self.part == part.id or self.part == letter_of(part.name)


def read_ballast(text: str) -> Ballast:
    """``PART=FILL`` or ``PART=FILL:GRAMS``.

    >>> read_ballast("C=sand:400").grams
    400.0
    """
    part, _, what = text.partition("=")
    fill, _, grams = what.partition(":")
    return Ballast(part, fill, float(grams) if grams else None)


@dataclass(frozen=True, eq=False)
class Filled:
    """A part's cavity and what is in it."""

    part: str
    fill: Fill
    cavity: Solid
    hole: Solid
    grams: float
    full_g: float
    """When it is filled to the top."""
    balance: Floats
    """(3,): of the fill."""
    high_mm: float
    pressure_kpa: float
    stress_mpa: float
    safety: float
    """Of its wall while the fill is wet."""


@dataclass(frozen=True, eq=False)
class Cavity:
    """A cavity in a part: its body, where along the axis through it the filling hole goes in, its widest flat side and greatest round (radius)."""

    body: Solid
    mouth: Point
    flat_mm: float
    round_mm: float


def cavity_in(solid: Solid, wall_mm: float, up: bool = True) -> Cavity | None:
    """The largest cavity that keeps a wall all round and draws in at 45 degrees toward its mouth, above or below: printed mouth up, nothing has
    to stand in it. None where there is none."""
    (_, _, low), (_, _, high) = solid.bounds
    at = np.arange(low + _LEVEL_MM / 2, high, _LEVEL_MM)
    shapes = [shapely.simplify(solid.section(float(z)), _SIMPLE_MM, preserve_topology=False).buffer(0) for z in at]
    over = int(np.ceil(wall_mm / _LEVEL_MM))
    rooms: list[BaseGeometry] = [Polygon()] * len(at)
    before: BaseGeometry = Polygon()
    mouth: Point | None = None
    for k in range(len(at) - over - 1, over - 1, -1) if up else range(over, len(at) - over):
        # A wall over and under it as well: what all levels within the wall have.
        room = shapes[k].buffer(-wall_mm).intersection(shapely.intersection_all(shapes[k - over : k + over + 1]).buffer(-0.3 * wall_mm))
        room = shapely.simplify(room, _SIMPLE_MM, preserve_topology=False).buffer(0)
        if not before.is_empty:
            room = room.intersection(before.buffer(_LEVEL_MM, quad_segs=4))
        elif not room.is_empty:
            circle = shapely.maximum_inscribed_circle(room, 0.2)
            middle = Point(circle.coords[0])
            room = middle.buffer(min(circle.length, MOUTH_MM / 2))
            mouth = middle
        rooms[k] = before = room
    slabs = [
        prism(shapely.simplify(r, _SIMPLE_MM, preserve_topology=False).buffer(0), z - _LEVEL_MM / 2, z + _LEVEL_MM / 2 + 1e-3)
        for r, z in zip(rooms, at, strict=True)
        if r.area > 1
    ]
    if not slabs or mouth is None:
        return None
    body = next((b for b in united(slabs).bodies() if b.volume >= 1000 * _LEAST_CM3), None)
    if body is None:
        return None
    (_, _, low), (_, _, high) = body.bounds
    end = body.section(float(high - 1.5 if up else low + 1.5))
    mouth = mouth if end.contains(mouth) else end.representative_point()
    return Cavity(body, mouth, max(_flat_side(r) for r in rooms), max(round_of(r.area) for r in rooms))


def _flat_side(room: BaseGeometry) -> float:
    longest = 0.0
    for polygon in getattr(room, "geoms", [room]):
        if polygon.geom_type == "Polygon" and not polygon.is_empty:
            corners = np.array(polygon.simplify(0.4).exterior.coords)
            longest = max(longest, float(np.linalg.norm(np.diff(corners, axis=0), axis=1).max()))
    return longest


def filled_part(part: Part, parting: Parting, wanted: Ballast, printed: Printed, material: str) -> Filled | Said:
    """What goes into a part; or why nothing does."""
    fill = FILLS[wanted.fill]
    up = _filled_from_above(part, parting)
    made = cavity_in(part.solid, wanted.wall_mm, up)
    if made is None:
        words = "{} has no room for ballast with a wall of {}: it is too thin, or hollow already."
        return say(words, letter_of(part.name), mm(wanted.wall_mm))
    cavity, flat, radius = made.body, made.flat_mm, made.round_mm
    hole = _fill_hole(part, made, up)
    full = cavity.volume * fill.density_g_cm3 / 1000
    grams = full if wanted.grams is None else min(wanted.grams, full)
    (_, _, low), (_, _, high) = cavity.bounds
    level, balance = _filled_to(cavity, grams / full, low, high)
    pressure = pressure_kpa(fill, level - low)
    stress = wall_mpa(pressure, min(flat, high - low), radius, min(wanted.wall_mm, printed.walls_mm))
    safety = min(ALONG_MPA[material] * ACROSS / max(stress, 1e-9), MOST)
    return Filled(part.name, fill, cavity, hole, grams, full, balance, float(level - low), pressure, stress, safety)


def _filled_to(cavity: Solid, share: float, low: float, high: float) -> tuple[float, Floats]:
    """How high a share of its volume stands, and the balance point of that."""
    if share >= 0.999:
        return float(high), cavity.mesh().balance
    below, above = float(low), float(high)
    for _ in range(24):
        middle = (below + above) / 2
        part = Solid(cavity.manifold.trim_by_plane((0.0, 0.0, -1.0), -middle))
        below, above = (middle, above) if part.volume < share * cavity.volume else (below, middle)
    return above, Solid(cavity.manifold.trim_by_plane((0.0, 0.0, -1.0), -above)).mesh().balance


def _filled_from_above(part: Part, parting: Parting) -> bool:
    """Whether a part is filled from above: from its largest level seam, which hides the hole once it is closed; from below where it has none."""
    level = [s for s in parting.seams if part.name in (s.above, s.below) and abs(s.surface.normal[2]) > _LEVEL]
    if not level:
        return False
    seam = max(level, key=lambda s: s.area_mm2)
    return (seam.below == part.name) == (seam.surface.normal[2] > 0)


def _fill_hole(part: Part, cavity: Cavity, up: bool) -> Solid:
    """A straight hole from outside the part into the cavity's mouth."""
    (_, _, low), (_, _, high) = cavity.body.bounds
    (_, _, bottom), (_, _, top) = part.solid.bounds
    ends = (high - 3, top + 2) if up else (bottom - 2, low + 3)
    return prism(cavity.mouth.buffer(FILL_HOLE_MM / 2, quad_segs=12), float(ends[0]), float(ends[1]))


def hollowed(parting: Parting, fills: Sequence[Filled]) -> Parting:
    """The parting with the cavities in its parts."""
    by_name = {f.part: f for f in fills}
    parts = [
        replace(p, solid=p.solid.minus([by_name[p.name].cavity, by_name[p.name].hole])) if p.name in by_name else p for p in parting.parts
    ]
    return replace(parting, parts=tuple(parts))


@dataclass(frozen=True)
class Lift:
    """A seam that tears when the thing is snatched up by the parts on one side of it."""

    by: tuple[str, ...]
    seam: str
    hangs_g: float
    lever_mm: float
    safety: float
    magnets: bool = False
    """Held by magnets, not by glue."""


def lifts(
    parting: Parting, printed: Printed, glue_mpa: float, rods: Sequence[RodIn], fills: Mapping[str, Filled],
    pulls_n: Mapping[str, float] = MappingProxyType({}), apart: Container[str] = (),
) -> tuple[Lift, ...]:  # fmt: skip
    """For each seam that alone holds two sides together: how surely it does when either is lifted by the other.

    What hangs pulls on the glued face, and bends it about the way from the face to its balance point, whichever way it is held: F / A + M / W. At seams (ids) that magnets close, all of them pull (``pulls_n``); those held by screws or snaps
    (``apart``) are not judged.
    """
    graph: nx.Graph[str] = nx.Graph()
    graph.add_nodes_from(p.name for p in parting.parts)
    graph.add_edges_from((s.above, s.below) for s in parting.seams)
    masses = {p.name: printed.mass_g(p.solid) + (fills[p.name].grams if p.name in fills else 0.0) for p in parting.parts}
    balances = {p.name: _balance(p, printed, fills.get(p.name)) for p in parting.parts}
    held = {seam for rod in rods for seam in rod.seams}
    found = []
    bridges = {frozenset(edge) for edge in nx.bridges(graph)}
    for pair in sorted(bridges, key=sorted):
        between = [s for s in parting.seams if {s.above, s.below} == pair]
        if len(between) != 1 or between[0].id in held or between[0].id in apart:
            continue
        seam = between[0]
        cut = graph.copy()
        cut.remove_edge(seam.above, seam.below)
        face = section_of(seam.face)
        middle = seam.surface.to_space(np.array([face.middle_mm]))[0]
        for hanging in (seam.above, seam.below):
            names = nx.node_connected_component(cut, hanging)
            mass = sum(masses[n] for n in names)
            balance = sum(masses[n] * balances[n] for n in names) / mass
            lever = float(np.linalg.norm(balance - middle))
            force = mass / 1000 * G_M_S2 * LIFTED_G
            stress = force / face.area_mm2 + force * lever / max(face.modulus_mm3, 1e-9)
            by = tuple(sorted(set(masses) - names))
            safety = pulls_n[seam.id] / force if seam.id in pulls_n else glue_mpa / stress
            found.append(Lift(by, letters_of(seam), round(mass, 0), round(lever, 0), round(min(safety, MOST), 2), seam.id in pulls_n))
    return tuple(sorted(found, key=lambda f: f.safety))


def _balance(part: Part, printed: Printed, fill: Filled | None) -> Floats:
    own = part.solid.mesh().balance
    if fill is None:
        return own
    mass = printed.mass_g(part.solid)
    return np.asarray((mass * own + fill.grams * fill.balance) / (mass + fill.grams))


@dataclass(frozen=True)
class BallastRecord:
    """Ballast as it is told."""

    part: str
    id: str
    fill: str
    name: str
    grams: float
    full_g: float
    litres: float
    high_mm: float
    pressure_kpa: float
    stress_mpa: float
    safety: float
    warms_deg_c: float
    sets_h: float
    caution: str
    at_mm: tuple[float, float, float]


@dataclass(frozen=True)
class WeightRecord:
    """What a piece weighs and where it balances, without and with its ballast; what it may not be lifted by."""

    bare_g: float
    mass_g: float
    bare_at_mm: tuple[float, float, float]
    at_mm: tuple[float, float, float]
    ballast: tuple[BallastRecord, ...]
    lifts: tuple[Lift, ...]
    wanted: float
    """The safety under which a wall or a lift is too weak."""
    said: tuple[Said, ...] = ()


def weighed(parting: Parting, printed: Printed, fills: Sequence[Filled], lifted: tuple[Lift, ...], said: tuple[Said, ...]) -> WeightRecord:
    """A piece's weight as it is told. ``parting`` is hollowed already."""
    by = {f.part: f for f in fills}
    masses = np.array([printed.mass_g(p.solid) for p in parting.parts])
    balances = np.array([p.solid.mesh().balance for p in parting.parts])
    bare = masses @ balances / masses.sum()
    heavy = masses.sum() + sum(f.grams for f in fills)
    at = (masses @ balances + sum((f.grams * f.balance for f in fills), np.zeros(3))) / heavy
    records = tuple(
        BallastRecord(
            f.part, p.id, f.fill.key, f.fill.name, round(f.grams, 0), round(f.full_g, 0), round(f.grams / f.fill.density_g_cm3 / 1000, 3),
            round(f.high_mm, 1), round(f.pressure_kpa, 2), round(f.stress_mpa, 2), round(f.safety, 2), f.fill.warms_deg_c, f.fill.sets_h,
            f.fill.caution, three(f.balance, 1),
        )
        for p in parting.parts if (f := by.get(p.name)) is not None
    )  # fmt: skip
    return WeightRecord(round(float(masses.sum()), 0), round(float(heavy), 0), three(bare, 1), three(at, 1), records, lifted, ENOUGH, said)
