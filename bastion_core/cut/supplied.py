"""The parts a set came in: kept, printed as one across some of their faces, or cut further; and the seams between those that are kept."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from shapely import Point
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.beds import fits_any
from bastion_core.cut.parting import BESIDE_MM, OF_FILE, Cut, Part, Seam
from bastion_core.cut.propose import propose_cuts
from bastion_core.findings import Quantity, Said, mm, say
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import Plane
from bastion_core.geometry.solid import Solid, prism, united
from bastion_core.pieces.features import Feature
from bastion_core.pieces.mating import Mate
from bastion_core.progress import Progress, span
from bastion_core.shop import Printer

SHOWN_GAP_MM = 0.15
"""A gap as wide as this is seen and has to be filled; common practice, no source."""
STANDS_IN_MM3 = 20.0
"""What two files may both fill before they do not go together as printed; common practice, no source."""
_OVERLAP_MM = 0.05
_AT_FACE_MM = 2.0


@dataclass(frozen=True)
class MateRecord:
    """Where two files of a set meet, at the scale in force (mm)."""

    id: str
    files: tuple[int, int]
    flat: bool
    area_mm2: float
    gap_mm: float
    gap_high_mm: float
    overlap_mm3: float
    at_mm: tuple[float, float, float]
    as_one: bool
    """Printed as one across it."""


def mates_at(mates: Sequence[Mate], as_one: Sequence[str], matrix: Floats) -> tuple[MateRecord, ...]:
    """The mates of a set brought to the scaled standing piece by a 4x4 matrix. Those of one pair in several planes have numbers after their id."""
    found, seen = [], dict[str, int]()
    stretch = float(np.linalg.det(matrix[:3, :3]))
    for mate in mates:
        seen[mate.id] = seen.get(mate.id, 0) + 1
        name = mate.id if seen[mate.id] == 1 else f"{mate.id}.{seen[mate.id]}"
        _, apart = _across(mate, matrix)
        at = _moved(mate.at_mm, matrix)
        area = mate.area_mm2 * abs(stretch) / apart
        gap, high = round(mate.gap_mm * apart, 3), round(mate.gap_high_mm * apart, 3)
        shared = round(mate.overlap_mm3 * abs(stretch), 1)
        found.append(MateRecord(name, mate.files, mate.flat, round(area, 1), gap, high, shared, three(at, 4), name in as_one))
    return tuple(found)


def _moved(point: tuple[float, float, float], matrix: Floats) -> Floats:
    return np.asarray(matrix[:3, :3] @ np.array(point) + matrix[:3, 3])


def _across(mate: Mate, matrix: Floats) -> tuple[Floats, float]:
    """The unit normal of a mate's face in the scaled piece, and by how much gaps across it grow."""
    normal = np.linalg.inv(matrix[:3, :3]).T @ np.array(mate.normal)
    length = float(np.linalg.norm(normal))
    return normal / length, 1.0 / length


def _lies_in(feature: Feature, mate: Mate) -> bool:
    off = np.subtract(feature.at_mm, mate.at_mm) @ np.array(mate.normal)
    return feature.file in mate.files and abs(float(np.dot(feature.axis, mate.normal))) > 0.98 and abs(float(off)) < _AT_FACE_MM


@dataclass(frozen=True)
class Face:
    """A mate's face in the scaled piece: its plane, on the face of one of both, and how far either may lie from it."""

    record: MateRecord
    plane: Plane
    reach_mm: float
    own: tuple[tuple[Floats, float], ...]
    """Pockets, holes and pegs of both files whose mouths lie in this plane: where (3,), and how wide."""


def faces_at(mates: Sequence[Mate], records: Sequence[MateRecord], features: Sequence[Feature], matrix: Floats) -> tuple[Face, ...]:
    """The planes of the flat mates."""
    found = []
    for mate, record in zip(mates, records, strict=True):
        if mate.flat:
            normal, _ = _across(mate, matrix)
            # The place lies on the face of one of both, the other a gap away on one side or the other.
            plane = Plane.through(np.array(record.at_mm), normal)
            own = tuple((_moved(f.at_mm, matrix), f.width_mm) for f in features if _lies_in(f, mate))
            found.append(Face(record, plane, abs(record.gap_mm) + _OVERLAP_MM, own))
    return tuple(found)


@dataclass(frozen=True, eq=False)
class Supplied:
    """What a set begins with: its parts, the faces between them, and what is to be said."""

    parts: tuple[Part, ...]
    faces: tuple[Face, ...]
    said: tuple[Said, ...]


def begin(solids: Sequence[Solid], faces: Sequence[Face]) -> Supplied:
    """The parts a set begins with: its files, those to be printed as one united across their common face; and what could not be."""
    group = list(range(len(solids)))
    bridges: dict[int, list[Solid]] = {}
    said = []
    for face in faces:
        if not face.record.as_one:
            continue
        a, b = face.record.files
        bridge = _bridge(solids[a], solids[b], face)
        if bridge is None:
            said.append(say("Files {} and {} cannot be printed as one: they do not meet at this scale.", str(a + 1), str(b + 1)))
            continue
        old, new = group[b], group[a]
        group = [new if g == old else g for g in group]
        bridges.setdefault(a, []).append(bridge)
    parts = []
    for own in dict.fromkeys(group):
        members = [k for k, g in enumerate(group) if g == own]
        sides = {f"{OF_FILE}{k + 1}": 1 for k in members}
        label = "files " + "+".join(str(k + 1) for k in members)
        whole = (
            solids[own] if len(members) == 1 else united([*(solids[k] for k in members), *(s for k in members for s in bridges.get(k, []))])
        )
        bodies = [b for b in whole.bodies() if b.volume > 0]
        parts += [Part("", body, dict(sides), (label, *([f"body {i}"] if len(bodies) > 1 else []))) for i, body in enumerate(bodies)]
    return Supplied(tuple(parts), tuple(faces), tuple(said))


def too_large(supplied: Supplied, printers: Sequence[Printer]) -> list[Part]:
    """Those parts of a set that fit no printer as they are."""
    return [p for p in supplied.parts if not fits_any(p.solid, printers)]


def proposed_for(
    supplied: Supplied, printers: Sequence[Printer], scale: tuple[float, float, float], name: str, site: str, progress: Progress,
    planned: Mapping[str, Sequence[Cut]],
) -> tuple[Cut, ...]:  # fmt: skip
    """Planes for those parts of a set that fit no printer as they are; each cuts its own part only. ``planned`` are the planes that were found for a
    part, by its id; for others they are looked for by size alone."""
    cuts: list[Cut] = []
    large = too_large(supplied, printers)
    for k, part in enumerate(large):
        own = next(iter(part.sides))
        step = span(progress, k / len(large), (k + 1) / len(large))
        found = planned.get(part.id) or propose_cuts(part.solid, printers, scale, name, site, step).cuts
        ids = {c.id: f"{own.removeprefix(OF_FILE)}{c.id}" for c in found}
        cuts += [replace(c, id=ids[c.id], limits=((own, 1), *((ids[i], side) for i, side in c.limits))) for c in found]
    return tuple(cuts)


def _sections(a: Solid, b: Solid, face: Face) -> BaseGeometry:
    """What of a face both files fill just beside it, in its own frame: the first lies below it, the second above."""
    flat = face.plane.to_flat()
    beside = face.reach_mm + BESIDE_MM
    return a.transformed(flat).section(-beside).intersection(b.transformed(flat).section(beside))


def _bridge(a: Solid, b: Solid, face: Face) -> Solid | None:
    """What fills the gap between two files' common face and reaches a little into both."""
    shared = _sections(a, b, face).buffer(-0.01)
    if shared.is_empty:
        return None
    reach = face.reach_mm + _OVERLAP_MM
    body = prism(shared, -reach, reach)
    return body.transformed(np.asarray(np.linalg.inv(face.plane.to_flat()), dtype=np.float64))


def supplied_seams(parts: Sequence[Part], faces: Sequence[Face]) -> list[Seam]:
    """Where kept files meet in a plane: a seam for every two parts of them."""
    found = []
    for face in faces:
        if face.record.as_one:
            continue
        first, second = (f"{OF_FILE}{k + 1}" for k in face.record.files)
        for below in (p for p in parts if p.sides.get(first) == 1):
            for above in (p for p in parts if p.sides.get(second) == 1):
                if not _boxes_meet(below.solid, above.solid):
                    continue
                shared = _sections(below.solid, above.solid, face)
                if shared.area > 1.0:
                    key = f"set {face.record.id}"
                    found.append(Seam(key, above.name, below.name, face.plane, shared, (above.id, below.id), _own_in(face, shared)))
    return found


def _own_in(face: Face, shared: BaseGeometry) -> int:
    """How many places of a seam's face hold something the set came with; a pocket on either side is one place."""
    flat = face.plane.to_flat()
    places: list[Floats] = []
    for at, width in face.own:
        u, v, _ = flat[:3, :3] @ at + flat[:3, 3]
        near = shared.distance(Point(u, v)) <= width
        if near and all(np.hypot(u - x, v - y) > width / 2 for x, y in places):
            places.append(np.array([u, v]))
    return len(places)


def files_of(part: Part) -> tuple[int, ...]:
    """Numbers of the files of a set that a part is made of, from 0."""
    return tuple(int(side.removeprefix(OF_FILE)) - 1 for side in part.sides if side.startswith(OF_FILE))


def _boxes_meet(a: Solid, b: Solid) -> bool:
    one, other = a.bounds, b.bounds
    return bool((one[0] - 5 <= other[1]).all() and (other[0] - 5 <= one[1]).all())


def told(records: Sequence[MateRecord], names: Sequence[str]) -> list[Said]:
    """Gaps and overlaps between the files at this scale, where they matter."""
    said = []
    for record in records:
        if record.as_one:
            continue
        a, b = (names[k] if k < len(names) else f"file {k + 1}" for k in record.files)
        if record.overlap_mm3 > STANDS_IN_MM3:
            words = "{} and {} stand in each other by {}: file one down, or print them as one."
            said.append(say(words, a, b, Quantity((record.overlap_mm3,), "mm3")))
        elif record.gap_high_mm > SHOWN_GAP_MM:
            words = "{} and {} leave a gap of {}, up to {}, at this scale: fill it, or print them as one."
            said.append(say(words, a, b, mm(max(record.gap_mm, 0.0), digits=2), mm(record.gap_high_mm, digits=2)))
    return said
