"""A piece's surface parted into regions that are worked alike: by their bend, by what is on them, and where the maker says so."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components, dijkstra
from scipy.spatial import cKDTree

from bastion_core.errors import RecipeProblem
from bastion_core.finish.recipe import Merge, OwnRegion, Split
from bastion_core.finish.surface import Skin
from bastion_core.finish.table import FLEXIBLE, KINDS, REGION_NAMES, RegionKind
from bastion_core.geometry.arrays import Floats, Ints, three
from bastion_core.geometry.creases import Bools
from bastion_core.print.sanding import PRIMER_FILLS_MM

EDGE_PER_MM, GROOVE_PER_MM = 0.12, 0.12
"""Bent outward or inward by more than this (a radius under 8 mm, or a fold of some 50 degrees) the hand follows an edge or a groove; common practice, no source."""
PAD_PER_MM = 1 / 60
"""Hollower than this no sander's pad lies flat; common practice, no source."""
_ROD_PER_MM = 1 / 12
"""Rounder outward than this a pad rides on a line and flattens it; common practice, no source."""
_RELIEF_CELL_MM, _RELIEF_SHARE, _RELIEF_EACH = 6.0, 0.5, 0.1
"""Where edges and grooves take so much of what lies within a cell and its neighbours, and some of each, it is relief."""
_MOST_CELLS = 4e6
_CREASE_DEG = 30.0
_REACHES_MM = 12.0
"""How far a place of the maker's may lie off the surface."""
_SPECK_MM2 = {"dome": 60.0, "relief": 60.0, "edge": 40.0, "groove": 30.0}
_OWN_SHARE, _OWN_MM2 = 0.08, 600.0
"""A smooth or relief region of so much of the outside, and no less than so much, has a name of its own; the rest is taken together."""
_CRUMBS_SHARE = 0.02
"""Less than this beside a large region goes with it."""
_PLACES = (
    ("front", (0.0, -1.0, 0.0)), ("back", (0.0, 1.0, 0.0)), ("left", (1.0, 0.0, 0.0)), ("right", (-1.0, 0.0, 0.0)), ("top", (0.0, 0.0, 1.0)),
    ("bottom", (0.0, 0.0, -1.0)),
)  # fmt: skip


Add = Callable[[Bools, RegionKind, str], None]


@dataclass(frozen=True)
class StepDepth:
    """Depth of the stair-steps, square to the surface, over a region's area."""

    mean: float
    p95: float


@dataclass(frozen=True)
class Region:
    """A region: what it is and what is on it. Lengths in mm, areas in mm², in the scaled piece."""

    id: str
    name: str
    kind: RegionKind
    area_mm2: float
    step_mm: StepDepth
    stair_mm3: float
    rough_mm3: float
    """What would fill steps, backs of lines and scars of it."""
    deep_mm: float
    """The depth to be levelled that only a twentieth of it exceeds."""
    mean_mm: float
    """The same in the mean."""
    scar_mm2: float
    seam_mm: float
    by_hand: float
    """Share of it that no sander reaches."""
    material: str
    resin: bool
    middle_mm: tuple[float, float, float]
    """A place on it near its middle."""
    parts: tuple[str, ...]
    own: bool = False
    """Whether the maker made it."""
    school: str = ""
    """The maker's, for a region of their own."""
    again: bool = False
    left_mm: float = 0.0
    """Of what is mended or done again: how deep."""


@dataclass(frozen=True, eq=False)
class Regions:
    """Regions, and the number of each face's (m,), or -1 for what is glued."""

    regions: tuple[Region, ...]
    of_face: Ints
    missed: tuple[str, ...] = ()
    """The maker's places that lie on nothing any more."""


def regions_of(
    skin: Skin,
    marks: Sequence[OwnRegion] = (),
    merges: Sequence[Merge] = (),
    splits: Sequence[Split] = (),
    scale: Sequence[float] = (1.0, 1.0, 1.0),
    shapes: Ints | None = None,
) -> Regions:
    """The regions of a skin; places of the maker are at scale 1. RecipeProblem where a region of theirs has no area.

    ``shapes`` is what ``shapes_of`` gave for the same skin however it lies, where that is known already.
    """
    kinds = kinds_of(skin, shapes_of(skin) if shapes is None else shapes)
    label, names = _first(skin, kinds)
    tree, s = cKDTree(skin.middles), np.array(scale)
    missed = list[str]()

    def face_at(at: Sequence[float], name: str) -> int | None:
        far, face = tree.query(np.array(at) * s)
        if far > _REACHES_MM:
            missed.append(name)
            return None
        return int(face)

    for split in splits:
        face = face_at(split.at_mm, "a split")
        if face is None or label[face] < 0:
            continue
        old = label[face]
        beyond = (label == old) & (
            skin.middles[:, "xyz".index(split.axis)] > split.at_mm["xyz".index(split.axis)] * s["xyz".index(split.axis)]
        )
        if 0 < beyond.sum() < (label == old).sum():
            label[beyond] = len(names)
            names.append(names[old])
    for merge in merges:
        one, other = face_at(merge.at_mm, "a merge"), face_at(merge.into_mm, "a merge")
        if one is not None and other is not None and min(label[one], label[other]) >= 0:
            label[label == label[one]] = label[other]
    own: dict[int, OwnRegion] = {}
    for mark in marks:
        places = (*mark.places_mm, *((-x, y, z) for x, y, z in mark.places_mm if mark.mirrored))
        seeds = [face for at in places if (face := face_at(at, mark.name)) is not None]
        faces = grown(skin, seeds, mark.grow, mark.reach_mm) & (label >= 0)
        if skin.areas[faces].sum() < 1.0:
            if mark.name not in missed:
                raise RecipeProblem(
                    f"“{mark.name}” covers nothing: its place lies on a glued face. Set it on the outside, or delete it.", "own_regions"
                )
            continue
        label[faces] = len(names)
        own[len(names)] = mark
        names.append((mark.kind or _mostly(kinds[faces], skin.areas[faces]), mark.name))
    return Regions(*_told(skin, label, names, own), tuple(dict.fromkeys(missed)))


def shapes_of(skin: Skin) -> Ints:
    """(m,): the number in ``KINDS`` of what each face is by its shape alone, however it was printed."""
    number = {k: i for i, k in enumerate(KINDS)}
    most, least = skin.bends.max(axis=1), skin.bends.min(axis=1)
    edge, groove = skin.outside & (most > EDGE_PER_MM), skin.outside & (least < -GROOVE_PER_MM)
    kind = np.full(len(skin.part), number["dome"])
    kind[edge], kind[groove] = number["edge"], number["groove"]
    kind[_in_relief(skin, edge, groove)] = number["relief"]
    kind = _evened(skin, kind)
    for one in ("groove", "edge", "relief", "dome"):
        kind = _without_specks(skin, kind, number[one], _SPECK_MM2[one])
    return kind


def kinds_of(skin: Skin, shapes: Ints) -> Ints:
    """(m,): the number in ``KINDS`` of what each face of these shapes is, or -1 for what is glued."""
    number, kind = {k: i for i, k in enumerate(KINDS)}, shapes.copy()
    kind[skin.held & skin.outside] = number["scar"]
    kind = _without_specks(skin, kind, number["scar"], 20.0)
    kind[skin.seam >= 0] = number["seam"]
    kind[np.isin(skin.part, [k for k, m in enumerate(skin.materials) if m in FLEXIBLE])] = number["flexible"]
    kind[~skin.outside] = number["inside"]
    kind[skin.glued] = -1
    return kind


def grown(skin: Skin, seeds: Sequence[int], grow: str, reach_mm: float) -> Bools:
    """(m,): the faces that hang together with any of these: up to creases of more than ``_CREASE_DEG``, or as far over the surface as it reaches."""
    if not seeds:
        return np.zeros(len(skin.part), np.bool_)
    if grow == "crease":
        label = skin.surface.regions(_CREASE_DEG)
        return np.asarray(np.isin(label, label[seeds]))
    return np.asarray(dijkstra(skin.surface.ways, indices=seeds, limit=reach_mm, min_only=True) <= reach_mm)


def _in_relief(skin: Skin, edge: Bools, groove: Bools) -> Bools:
    """(m,): outside faces among many edges and grooves."""
    # Of what is very large the cells grow, so that they stay countable.
    pitch = max(_RELIEF_CELL_MM, float((np.prod(np.ptp(skin.middles, axis=0) + _RELIEF_CELL_MM) / _MOST_CELLS) ** (1 / 3)))
    cell = np.floor((skin.middles - skin.middles.min(axis=0)) / pitch).astype(np.int64) + 1
    shape = tuple(cell.max(axis=0) + 2)
    at = np.ravel_multi_index(tuple(cell.T), shape)
    size = int(np.prod(shape))

    def about(which: Bools) -> Floats:
        grid = np.bincount(at, skin.areas * which, minlength=size).reshape(shape)
        for axis in range(3):
            grid = grid + np.roll(grid, 1, axis) + np.roll(grid, -1, axis)
        return np.asarray(grid.ravel()[at])

    there = np.maximum(about(skin.outside), 1e-9)
    share = [about(w) / there for w in (edge, groove)]
    return np.asarray(skin.outside & (share[0] + share[1] > _RELIEF_SHARE) & (np.minimum(share[0], share[1]) > _RELIEF_EACH))


def _evened(skin: Skin, kind: Ints, kinds: int = len(KINDS), rounds: int = 2) -> Ints:
    """Single faces go with most of their neighbours, some rounds over, so that borders run even."""
    (a, b), faces = skin.surface.pairs.T, np.arange(len(kind))
    for _ in range(rounds):
        at = np.concatenate([a * kinds + kind[b], b * kinds + kind[a]])
        votes = np.bincount(at, np.tile(skin.surface.lengths, 2), minlength=len(kind) * kinds).reshape(-1, kinds)
        votes[faces, kind] += 0.45 * votes.sum(axis=1)
        kind = votes.argmax(axis=1)
    return kind


def _hanging(skin: Skin, kind: Ints) -> Ints:
    """(m,): a label for faces of one kind that hang together, over seams of parts too where these touch."""
    a, b = skin.surface.pairs.T
    same = kind[a] == kind[b]
    count = len(kind)
    links = coo_matrix((np.ones(int(same.sum()), np.int8), (a[same], b[same])), (count, count))
    return np.asarray(connected_components(links, directed=False)[1])


def _without_specks(skin: Skin, kind: Ints, which: int, least_mm2: float) -> Ints:
    """The same with small places of one kind gone over into what surrounds them most."""
    label = _hanging(skin, kind)
    area = np.bincount(label, skin.areas)
    speck = (kind == which) & (area[label] < least_mm2)
    if not speck.any():
        return kind
    a, b = skin.surface.pairs.T
    votes = np.zeros((int(label.max()) + 1, len(KINDS)))
    for one, other in ((a, b), (b, a)):
        rim = speck[one] & (kind[other] != which) & (kind[other] >= 0)
        np.add.at(votes, (label[one[rim]], kind[other[rim]]), skin.surface.lengths[rim])
    into = votes.argmax(axis=1)
    changes = speck & (votes.sum(axis=1)[label] > 0)
    return np.where(changes, into[label], kind)


def _first(skin: Skin, kinds: Ints) -> tuple[Ints, list[tuple[RegionKind, str]]]:
    """(m,) the region of each face before the maker's, and kind and name of each."""
    label, names = np.full(len(kinds), -1), list[tuple[RegionKind, str]]()
    outside = max(float(skin.areas[skin.outside].sum()), 1e-9)

    def add(faces: Bools, kind: RegionKind, name: str) -> None:
        if faces.any():
            label[faces] = len(names)
            names.append((kind, name))

    for number, kind in enumerate(KINDS):
        mine = kinds == number
        if kind == "seam":
            for k, letters in enumerate(skin.seams):
                add(mine & (skin.seam == k), kind, f"Seam {letters}")
        elif kind in ("dome", "relief"):
            _by_place(skin, mine, kind, outside, add)
        else:
            add(mine, kind, REGION_NAMES[kind])
    return label, names


def _by_place(skin: Skin, mine: Bools, kind: RegionKind, outside: float, add: Add) -> None:
    """Faces of a kind by where they hang together, each by its place; of smooth ones those whose steps are deeper than primer fills for themselves:
    where it lay shallow."""
    if not mine.any():
        return
    title, least = REGION_NAMES[kind], max(_OWN_MM2, _OWN_SHARE * outside)
    hangs = _hanging(skin, np.where(mine, 0, -1))
    area = np.bincount(hangs[mine], skin.areas[mine], minlength=int(hangs.max()) + 1)
    large = [c for c in np.argsort(-area) if area[c] >= least]
    rest = mine & ~np.isin(hangs, large)
    if large and skin.areas[rest].sum() < _CRUMBS_SHARE * outside:
        hangs, rest = np.where(rest, large[0], hangs), np.zeros(len(rest), np.bool_)
    deep = _evened(skin, np.where(skin.depth_mm > PRIMER_FILLS_MM, 1, 0), 2, 6) == 1
    for c in large:
        of = mine & (hangs == c)
        name = f"{title}, {_where(skin, of)}" if len(large) > 1 else title
        shallow = float(skin.areas[of & deep].sum())
        if kind == "dome" and least <= shallow <= area[c] - least:
            add(of & deep, kind, f"{name}, shallow")
            add(of & ~deep, kind, f"{name}, steep")
        else:
            add(of, kind, name)
    add(rest, kind, f"{title}, rest" if large else title)


def _where(skin: Skin, faces: Bools) -> str:
    """Where a region lies on the piece, in a word: what way it mostly looks, or where its middle is."""
    looks = (skin.surface.normals[faces] * skin.areas[faces][:, None]).sum(axis=0) / skin.areas[faces].sum()
    if np.linalg.norm(looks) < 0.35:
        low, high = skin.mesh.bounds
        looks = (np.average(skin.middles[faces], axis=0, weights=skin.areas[faces]) - (low + high) / 2) / np.maximum(high - low, 1e-9)
    return max(_PLACES, key=lambda p: float(np.dot(looks, p[1])))[0]


def _mostly(kinds: Ints, areas: Floats) -> RegionKind:
    return KINDS[int(np.argmax(np.bincount(np.maximum(kinds, 0), areas, minlength=len(KINDS))))]


def _told(
    skin: Skin, label: Ints, names: Sequence[tuple[RegionKind, str]], own: Mapping[int, OwnRegion]
) -> tuple[tuple[Region, ...], Ints]:
    """Every region that has any area, with what is on it; numbers follow their order."""
    found, of_face, said = list[Region](), np.full(len(label), -1), dict[str, int]()
    for k, (kind, name) in enumerate(names):
        faces = label == k
        if not faces.any():
            continue
        said[name] = said.get(name, 0) + 1
        title = name if said[name] == 1 else f"{name} {said[name]}"
        mark = own.get(k)
        found.append(_region(skin, faces, kind, title, mark))
        of_face[faces] = len(found) - 1
    return tuple(found), of_face


def _region(skin: Skin, faces: Bools, kind: RegionKind, name: str, mark: OwnRegion | None) -> Region:
    area, depth = skin.areas[faces], skin.depth_mm[faces]
    total = float(area.sum())
    torn = skin.held[faces] & skin.outside[faces]
    stairs = skin.stairs_mm[faces]
    most, least = skin.bends[faces].max(axis=1), skin.bends[faces].min(axis=1)
    hard = (least < -PAD_PER_MM) | (most > _ROD_PER_MM)
    middle = np.average(skin.middles[faces], axis=0, weights=area)
    nearest = skin.middles[faces][int(np.argmin(np.linalg.norm(skin.middles[faces] - middle, axis=1)))]
    parts, each = np.unique(skin.part[faces], return_counts=True)
    material = skin.materials[int(parts[int(np.argmax(each))])]
    # Of a seam that is shared out each region has its part, by area.
    bands = [(k, float(area[skin.seam[faces] == k].sum())) for k in np.unique(skin.seam[faces]) if k >= 0] if kind == "seam" else []
    seams = [skin.closed_mm[k] * mine / max(float(skin.areas[skin.seam == k].sum()), 1e-9) for k, mine in bands]
    region = Region(
        mark.id if mark else name, name, kind, round(total, 1), StepDepth(round(float((area * stairs).sum() / total), 4), round(_p95(stairs, area), 4)),
        round(float((0.5 * stairs * area)[skin.outside[faces]].sum()), 1), round(float((0.5 * depth * area).sum()), 1),
        round(_p95(depth, area), 4), round(float((area * depth).sum() / total), 4), round(float(area[torn].sum()), 1), round(sum(seams), 1),
        round(float(area[hard].sum() / total), 3), material, skin.resin[int(parts[int(np.argmax(each))])], three(nearest, 1),
        tuple(skin.names[p] for p in parts),
    )  # fmt: skip
    return replace(region, own=True, school=mark.school, again=mark.again, left_mm=mark.left_mm) if mark else region


def _p95(values: Floats, weights: Floats) -> float:
    order = np.argsort(values)
    at = np.searchsorted(np.cumsum(weights[order]), 0.95 * weights.sum())
    return float(values[order][min(int(at), len(values) - 1)])
