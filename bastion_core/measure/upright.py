"""A scan as a phone gives it, made usable: unit found, bits dropped, noise calmed, stood upright and facing -y.

The scan is laid over the template in all the ways it could lie and settles on the nearest;
three points shown by the maker are the sure way when that fails.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import log

import numpy as np
from scipy.sparse import coo_matrix, diags

from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.findings import Said, mm, say
from bastion_core.geometry.facets import bodies_of
from bastion_core.geometry.mesh import Floats, Mesh, some_of
from bastion_core.geometry.place import scaling, shifting
from bastion_core.measure.laid_over import POINTS, by_points, laid_over, starts_of
from bastion_core.measure.scan import Taken, measure_body, measure_head
from bastion_core.units import MM_PER_UNIT

KINDS = ("head", "body")
_USUAL_LONGEST_MM = {"head": 300.0, "body": 1680.0}
_PLAUSIBLE_MM = {"head": (170.0, 700.0), "body": (700.0, 2400.0)}
_KEEP_SHARE = 0.03
_OWN_AXES_DEG = 6.0
"""A body that its file stands up no further off than this was stood up there on purpose; common practice, no source."""


@dataclass(frozen=True, eq=False)
class Scan:
    """A scan in millimetres, upright, front at -y, lowest point at z = 0, and what was done to it."""

    mesh: Mesh
    kind: str
    unit: str
    mm_per_unit: float
    turned: Floats
    """4x4 from the file's own coordinates to the upright millimetres."""
    done: tuple[Said, ...]
    off_mm: float
    """How far it lies from the template at the best, as a middle value: large where the pose is doubtful."""
    sure: bool = True
    """False where it could stand another way about as well: then nothing is to be measured before its three points are shown."""


def take_scan(
    mesh: Mesh, kind: str, unit: str | None = None, points: Sequence[Sequence[float]] | None = None, mm_per_unit: float | None = None
) -> Scan:
    """Make a raw scan (in its file's units) usable.

    ``points`` are three places (file units) as in ``points_wanted``. Raises MeshProblem when no unit or pose makes it a
    person, RecipeProblem for an unknown kind or unit.
    """
    if kind not in KINDS:
        raise RecipeProblem(f"“{kind}” is no kind of scan. Use head or body.")
    if not np.isfinite(mesh.size).all() or float(mesh.size.max()) <= 0:
        raise MeshProblem("The scan has no size. Export it again.")
    kept = _largest_parts(mesh)
    tries: list[Scan] = []
    last = MeshProblem("The scan could not be stood up.")
    for candidate, factor, why in _units(float(kept.size.max()), kind, unit, mm_per_unit):
        try:
            tries.append(_stood(kept, kind, candidate, factor, points))
        except MeshProblem as problem:
            last = problem
            continue
        tries[-1] = replace(tries[-1], done=(why, *tries[-1].done))
    if not tries:
        raise last
    scan = min(tries, key=_unlikely) if len(tries) > 1 else tries[0]
    if kept.triangle_count < mesh.triangle_count:
        bits = say(f"{mesh.triangle_count - kept.triangle_count:,} triangles of loose bits were left out")
        scan = replace(scan, done=(*scan.done, bits))
    return scan


def _stood(kept: Mesh, kind: str, unit: str, factor: float, points: Sequence[Sequence[float]] | None) -> Scan:
    raw = kept.transformed(scaling(factor, factor, factor))
    calm = _calmed(raw)
    done = [] if calm is raw else [say("the surface was noisy and was smoothed")]
    if points is not None:
        move, off, sure = laid_over(calm, kind, [by_points(np.asarray(points, dtype=np.float64) * factor, kind)])
        done.append(say("stood up by the three points shown"))
    else:
        move, off, sure = laid_over(calm, kind, starts_of(calm))
        done.append(say("turned upright and to the front by laying it over the stand-in body"))
        own = _along_own_axes(calm, move) if kind == "body" else None
        if own is not None:
            move = own
            done.append(say("its file stood it up already within a few degrees, and that was kept"))
    stood = calm.transformed(move)
    drop = shifting(np.array([0.0, 0.0, -stood.bounds[0, 2]]))
    return Scan(stood.transformed(drop), kind, unit, factor, drop @ move @ scaling(factor, factor, factor), tuple(done), off, sure)


def _along_own_axes(mesh: Mesh, move: Floats) -> Floats | None:
    """The move with whole quarter turns instead, where it nearly is one: a file's own upright is truer than one found over another body.

    None where the file lies askew.
    """
    turn = move[:3, :3]
    straight = np.round(turn)
    if not np.allclose(straight @ straight.T, np.eye(3)) or np.linalg.det(straight) < 0:
        return None
    angle = np.degrees(np.arccos(np.clip((np.trace(straight @ turn.T) - 1) / 2, -1.0, 1.0)))
    if angle > _OWN_AXES_DEG:
        return None
    middle = mesh.vertices.mean(axis=0)
    kept = np.eye(4)
    kept[:3, :3] = straight
    kept[:3, 3] = turn @ middle + move[:3, 3] - straight @ middle
    return kept


def _unlikely(scan: Scan) -> float:
    """How far a head's breadth and way round are from a grown person's, in logarithms: what tells centimetres from inches."""
    if scan.kind == "body":
        return abs(log(float(scan.mesh.size[2]) / _USUAL_LONGEST_MM["body"]))
    try:
        taken = measure_head(scan.mesh).values
    except MeshProblem:
        return np.inf
    return abs(log(taken["head_breadth_mm"] / 152)) + abs(log(taken["head_circumference_mm"] / 568))


def measure_scan(scan: Scan, hair_mm: float = 0.0) -> Taken:
    """Measurements of a scan; ``hair_mm`` of hair all round the skull is taken off."""
    taken = measure_head(scan.mesh) if scan.kind == "head" else measure_body(scan.mesh)
    if hair_mm <= 0:
        return taken
    less = {
        "head_breadth_mm": 2 * hair_mm,
        "head_length_mm": hair_mm,
        "head_circumference_mm": 1.6 * np.pi * hair_mm,
        "chin_to_crown_mm": hair_mm,
        "stature_mm": hair_mm,
    }
    values = {k: v - less.get(k, 0.0) for k, v in taken.values.items()}
    return Taken(values, taken.tapes, taken.spans, taken.landmarks)


def points_wanted(kind: str) -> tuple[str, str, str]:
    """Names of the three points that stand a scan up for sure."""
    return POINTS[kind]


def _units(longest: float, kind: str, unit: str | None, mm_per_unit: float | None) -> list[tuple[str, float, Said]]:
    """Units worth trying, each with its mm and why."""
    if unit is not None:
        if unit not in MM_PER_UNIT:
            raise RecipeProblem(f"“{unit}” is no unit known here. Use one of {', '.join(MM_PER_UNIT)}.")
        return [(unit, MM_PER_UNIT[unit], say(f"read in {unit}, as set"))]
    if mm_per_unit is not None:
        return [("file", mm_per_unit, say(f"the file declares its unit: 1 is {mm_per_unit:g} mm"))]
    low, high = _PLAUSIBLE_MM[kind]
    fitting = [(u, f) for u, f in MM_PER_UNIT.items() if low <= longest * f <= high]
    if not fitting:
        raise MeshProblem(
            f"The scan's longest side is {longest:,.4g} in the file: in no unit is that a {kind} ({low:.0f} to {high:.0f} mm). Set its unit, or look whether it is the right file."
        )
    return [(u, f, say("unit found as {}: the longest side is then {}", u, mm(longest * f))) for u, f in fitting]


def _largest_parts(mesh: Mesh) -> Mesh:
    """Without the bits that hold less than a small share of the surface, and without corners of no face: they would count in its size."""
    of_face = bodies_of(mesh.faces)
    count = int(of_face.max()) + 1
    area = np.linalg.norm(mesh.area_vectors, axis=1)
    share = np.bincount(of_face, weights=area, minlength=count) / area.sum()
    keep = share[of_face] >= _KEEP_SHARE
    return some_of(mesh, keep)


def _is_noisy(mesh: Mesh) -> bool:
    """Whether neighbouring faces lean more than a smooth skin's do."""
    normals = mesh.area_vectors / np.maximum(np.linalg.norm(mesh.area_vectors, axis=1), 1e-12)[:, None]
    n = len(mesh.vertices)
    at_corner = np.zeros((n, 3))
    for k in range(3):
        np.add.at(at_corner, mesh.faces[:, k], normals)
    at_corner /= np.maximum(np.linalg.norm(at_corner, axis=1), 1e-12)[:, None]
    lean = np.einsum("ijk,ik->ij", at_corner[mesh.faces], normals)
    return float(np.median(lean)) <= 0.975


def _calmed(mesh: Mesh) -> Mesh:
    """A noisy mesh after Taubin's smoothing, which does not shrink; another one as it is."""
    if not _is_noisy(mesh):
        return mesh
    n = len(mesh.vertices)
    a, b = mesh.faces[:, [0, 1, 2]].ravel(), mesh.faces[:, [1, 2, 0]].ravel()
    link = coo_matrix((np.ones(len(a) * 2), (np.r_[a, b], np.r_[b, a])), (n, n)).tocsr()
    link.data[:] = 1.0
    mean = diags(1.0 / np.maximum(np.asarray(link.sum(axis=1)).ravel(), 1.0)) @ link
    v = mesh.vertices.copy()
    for step in itertools.islice(itertools.cycle((0.5, -0.52)), 16):
        v = v + step * (mean @ v - v)
    return Mesh(np.asarray(v), mesh.faces)
