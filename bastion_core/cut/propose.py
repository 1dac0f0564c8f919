"""Where to part a piece so that every part fits a printer: few parts, balanced, no crumbs, seams off the face.

A search over planes. Each state is a set of bodies; the first body that fits no printer is cut by the
most promising planes, the best few states are carried on. Promise is judged cheaply on the convex
hull and on section profiles; only the best planes are carried out, on a simplified copy. The
winning set of planes is checked on the real solid.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from bastion_core.cut.beds import fits, fits_any, hull_points
from bastion_core.cut.parting import SLIVER_MM3, SLIVER_SHARE, Cut, Parting, part_solid, without_cut
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.arrays import three
from bastion_core.geometry.layers import sections_at
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import Plane, turn_to_up
from bastion_core.geometry.solid import Solid
from bastion_core.progress import Progress, silent, span
from bastion_core.shop import Printer

_BEAM, _TRIED = 3, 5
_MANY_PARTS = 8
"""From here on one state with few tries is carried on: the time would grow with the square of the parts."""
_MOST_CUTS = 40
_PROXY_TOLERANCE_MM = 0.35
# What a plane costs, in parts: a whole seam across the face weighs as much as most of a further part.
_FACE_COST, _IMBALANCE_COST, _SEAM_COST, _SAME_PLANE_GAIN, _SYMMETRY_GAIN, _SCRAP_COST = 0.9, 0.25, 0.3, 0.12, 0.08, 1.0


@dataclass(frozen=True)
class Proposal:
    """Planes that part the piece, what they give on the real solid, and what remains to be said."""

    cuts: tuple[Cut, ...]
    parting: Parting
    complete: bool
    """Whether every part fits some printer."""


@dataclass(frozen=True)
class _Body:
    solid: Solid
    mesh: Mesh
    hull: Floats
    sides: tuple[tuple[str, int], ...]
    least_parts: int


@dataclass(frozen=True)
class _State:
    open: tuple[_Body, ...]
    done: int
    cuts: tuple[tuple[Plane, tuple[tuple[str, int], ...]], ...]
    cost: float

    @property
    def promise(self) -> float:
        return self.cost + self.done + sum(b.least_parts for b in self.open)


def propose_cuts(
    solid: Solid,
    printers: Sequence[Printer],
    scale: tuple[float, float, float],
    name: str,
    site: str = "other",
    progress: Progress = silent,
) -> Proposal:
    """Planes after which every part of ``solid`` (at ``scale``, upright, front at -y) fits one of ``printers``.

    Raises RecipeProblem when there is no printer.
    """
    if not printers:
        raise RecipeProblem("There is no printer to cut for. Add one in the shop.")
    proxy = Solid(solid.manifold.simplify(_PROXY_TOLERANCE_MM))
    total = solid.volume
    face = _face_zone(solid) if site == "head" else None
    # A proxy may be a little smaller than the piece: what just fits a bed so, would not in the end.
    less = 2 * _PROXY_TOLERANCE_MM if proxy.triangle_count < solid.triangle_count else 0.0
    beds = [replace(p, x_mm=p.x_mm - less, y_mm=p.y_mm - less, z_mm=p.z_mm - less) for p in printers]
    start_bodies = [_body(b, (), beds) for b in proxy.bodies()]
    beam = [_State(tuple(b for b in start_bodies if b.least_parts > 1), sum(b.least_parts == 1 for b in start_bodies), (), 0.0)]
    finished: list[_State] = []
    for depth in range(_MOST_CUTS):
        progress(min(0.05 + 0.12 * depth, 0.7), f"looking for planes ({depth} found)")
        following: list[_State] = []
        for state in beam:
            if not state.open:
                finished.append(state)
                continue
            following += _continued(state, beds, total, face)
        many = bool(following) and following[0].done + sum(b.least_parts for b in following[0].open) > _MANY_PARTS
        beam = sorted(following, key=lambda s: s.promise)[: 1 if many else _BEAM]
        if not beam:
            break
        if finished and min(f.promise for f in finished) <= beam[0].promise:
            break
    finished.sort(key=lambda s: s.promise)
    best: Proposal | None = None
    for index, state in enumerate((finished or beam)[:3]):
        cuts = _as_cuts(state, scale)
        parting = part_solid(solid, cuts, scale, name, span(progress, 0.7 + 0.1 * index, 0.8 + 0.1 * index))
        if parting.idle_cuts:
            # Two bodies on the same side of all earlier cuts share a plane: the second one finds nothing left to do.
            for idle in parting.idle_cuts:
                cuts = without_cut(cuts, idle)
            parting = part_solid(solid, cuts, scale, name)
        complete = all(fits_any(p.solid, printers) for p in parting.parts)
        proposal = Proposal(cuts, parting, complete)
        if complete and not parting.findings:
            return proposal
        if best is None or (complete and not best.complete):
            best = proposal
    if best is None:
        parting = part_solid(solid, (), scale, name)
        best = Proposal((), parting, False)
    return best


def _as_cuts(state: _State, scale: tuple[float, float, float]) -> tuple[Cut, ...]:
    """Planes back in the piece's own millimetres at scale 1."""
    s = np.array(scale)
    cuts = []
    for index, (plane, limits) in enumerate(state.cuts):
        normal = np.array(plane.normal)
        point = normal * plane.offset_mm
        own = normal * s
        own /= np.linalg.norm(own)
        cuts.append(Cut(f"c{index + 1}", three(point / s), three(own), limits))
    return tuple(cuts)


def _body(solid: Solid, sides: tuple[tuple[str, int], ...], printers: Sequence[Printer]) -> _Body:
    mesh = solid.mesh()
    hull = hull_points(mesh.vertices)
    return _Body(solid, mesh, hull, sides, least_parts(hull, printers))


def least_parts(hull: Floats, printers: Sequence[Printer]) -> int:
    """1 when ``hull`` fits a printer, else the least number of boxes of a printer's usable size that could hold it."""
    if any(fits(hull, p) for p in printers):
        return 1
    size = np.sort(np.ptp(hull, axis=0))
    fewest = min(int(np.prod(np.ceil(size / np.sort(np.array(p.usable_mm)) - 1e-6))) for p in printers)
    return max(2, fewest)


def _continued(state: _State, printers: Sequence[Printer], total: float, face: tuple[Floats, Floats] | None) -> list[_State]:
    """The states after one more cut of the largest open body."""
    body = max(state.open, key=lambda b: b.solid.volume)
    rest = tuple(b for b in state.open if b is not body)
    used = [plane for plane, _ in state.cuts]
    judged = sorted(((_cheap_cost(body, p, printers, face, p in used), i, p) for i, p in enumerate(_candidates(body, printers, used))))
    made: list[_State] = []
    per_axis: dict[tuple[float, ...], int] = {}
    passed_over = 0
    tries = 3 if state.done + sum(b.least_parts for b in state.open) > _MANY_PARTS else _TRIED
    for cost, _, plane in judged:
        axis = tuple(abs(round(c, 3)) for c in plane.normal)
        if per_axis.get(axis, 0) >= 4:
            continue
        above, below = body.solid.split(plane)
        if above.is_empty or below.is_empty:
            continue
        halves = [(half, side) for whole, side in ((above, 1), (below, -1)) for half in whole.bodies()]
        crumbs = [h for h, _ in halves if h.volume < max(SLIVER_MM3, SLIVER_SHARE * total)]
        if crumbs and passed_over < 3 * _TRIED:
            passed_over += 1
            continue
        per_axis[axis] = per_axis.get(axis, 0) + 1
        cut_id = f"c{len(state.cuts) + 1}"
        bodies = [_body(h, (*body.sides, (cut_id, side)), printers) for h, side in halves]
        extra = (_SCRAP_COST * (len(halves) - 2)) + 3.0 * len(crumbs)
        made.append(
            _State(
                (*rest, *(b for b in bodies if b.least_parts > 1)),
                state.done + sum(b.least_parts == 1 for b in bodies),
                (*state.cuts, (plane, body.sides)),
                state.cost + cost + extra,
            )
        )
        if len(made) >= tries:
            break
    return made


def _candidates(body: _Body, printers: Sequence[Printer], used: Sequence[Plane]) -> list[Plane]:
    """Planes worth a look: across each axis, at even shares and at full beds, and those already cut elsewhere."""
    planes = [p for p in used if p.heights(body.hull).min() < -1 and p.heights(body.hull).max() > 1]
    for axis in _axes(body):
        along = body.hull @ axis
        low, high = float(along.min()), float(along.max())
        extent = high - low
        spots: set[float] = set()
        usable = sorted({round(u, 1) for p in printers for u in p.usable_mm})
        for room in usable:
            pieces = int(np.ceil(extent / room - 1e-6))
            for n in {2, max(2, pieces)}:
                for i in {1, n // 2, n - 1} - {0}:
                    spots |= {low + extent * (i / n + shift) for shift in (-0.09, -0.06, -0.03, 0.0, 0.03, 0.06, 0.09)}
            if room < extent:
                spots |= {low + room - 1.0, high - room + 1.0}
        planes += [Plane(three(axis), round(s, 2)) for s in sorted(spots) if low + 8 < s < high - 8]
    return planes


def _axes(body: _Body) -> list[Floats]:
    """The piece's own axes, and the body's long axis where it is slender and lies askew."""
    axes = [np.eye(3)[i] for i in range(3)]
    spread = body.hull - body.hull.mean(axis=0)
    values, vectors = np.linalg.eigh(spread.T @ spread)
    if values[2] > 6 * values[1]:
        long = vectors[:, 2] * np.sign(vectors[np.argmax(np.abs(vectors[:, 2])), 2])
        if np.abs(long).max() < 0.985:
            axes.append(long)
    return axes


def _cheap_cost(body: _Body, plane: Plane, printers: Sequence[Printer], face: tuple[Floats, Floats] | None, again: bool) -> float:
    """What a plane would cost in parts: by hulls, section, balance, and how much of the seam is on the face."""
    heights = plane.heights(body.mesh.vertices)
    seam_points, share = _parted(body.mesh, heights)
    if not len(seam_points):
        return 99.0
    parts = 0
    for keep in (heights > 0, heights <= 0):
        parts += least_parts(_sparse(np.concatenate([body.mesh.vertices[keep], seam_points])), printers)
    flat = body.mesh.vertices @ turn_to_up(np.array(plane.normal))[:3, :3].T
    area, _ = sections_at(Mesh(flat, body.mesh.faces), np.array([plane.offset_mm + 1e-4]))
    typical = body.solid.volume / max(float(np.ptp(heights)), 1.0)
    cost = parts - body.least_parts + _IMBALANCE_COST * abs(2 * share - 1)
    cost += _SEAM_COST * min(float(area[0]) / max(typical, 1e-9), 3.0) / 3.0
    if face is not None:
        low, high = face
        cost += _FACE_COST * float(((seam_points > low) & (seam_points < high)).all(axis=1).mean()) ** 0.5
    middle = body.mesh.bounds.mean(axis=0)
    if abs(float(plane.heights(middle[None, :])[0])) < 0.5:
        cost -= _SYMMETRY_GAIN
    return cost - (_SAME_PLANE_GAIN if again else 0.0)


def _parted(mesh: Mesh, heights: Floats) -> tuple[Floats, float]:
    """(k, 3): where the edges of a closed mesh meet the plane above which its corners have these ``heights`` (n,); and the share of its volume above."""
    h = heights[mesh.faces]
    above = h > 0
    crossing = above.any(axis=1) & ~above.all(axis=1)
    met = []
    for a, b in ((0, 1), (1, 2), (2, 0)):
        k = np.flatnonzero(above[:, a] != above[:, b])
        t = (h[k, a] / (h[k, a] - h[k, b]))[:, None]
        met.append(mesh.triangles[k, a] * (1 - t) + mesh.triangles[k, b] * t)
    seam = np.concatenate(met)
    if not len(seam):
        return seam, float(above.all())
    # Seen from a point of the plane the cut face has no volume; of a crossing triangle counts the share that lies above.
    part = np.asarray(above.all(axis=1), dtype=np.float64)
    k = np.flatnonzero(crossing)
    alone = np.where(above[k].sum(axis=1) == 1, above[k].argmax(axis=1), above[k].argmin(axis=1))
    tip = h[k, alone]
    corner = tip / (tip - h[k, (alone + 1) % 3]) * (tip / (tip - h[k, (alone + 2) % 3]))
    part[k] = np.where(tip > 0, corner, 1 - corner)
    volume = np.einsum("ij,ij->i", mesh.triangles[:, 0] - seam[0], mesh.area_vectors) / 3.0
    return seam, float(np.clip((volume * part).sum() / max(volume.sum(), 1e-9), 0.0, 1.0))


def _sparse(points: Floats) -> Floats:
    """Few points with nearly the same extents: the extreme ones along many directions."""
    if len(points) < 400:
        return points
    turns = np.radians(np.arange(0, 180, 4.0))
    c, s, zero = np.cos(turns), np.sin(turns), np.zeros_like(turns)
    directions = np.concatenate([np.column_stack(r) for r in ((c, s, zero), (c, zero, s), (zero, c, s))])
    along = points @ directions.T
    return np.asarray(points[np.unique(np.concatenate([along.argmax(axis=0), along.argmin(axis=0)]))])


def _face_zone(solid: Solid) -> tuple[Floats, Floats]:
    """The box in front of a helmet where a seam is seen first: the middle two thirds of its front third."""
    low, high = solid.bounds
    size = high - low
    return (
        np.array([low[0] + size[0] / 6, low[1] - 1, low[2] + size[2] * 0.08]),
        np.array([high[0] - size[0] / 6, low[1] + size[1] / 3, low[2] + size[2] * 0.8]),
    )
