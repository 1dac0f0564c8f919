"""A scan laid over the template: every way it could lie is tried, the nearest is settled on; of a head the one whose anatomy is right."""

import itertools
from collections.abc import Sequence
from functools import cache

import numpy as np
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import shifting
from bastion_core.geometry.walls import surface_sample
from bastion_core.measure.template import template_of

POINTS = {"head": ("nose tip", "left ear", "right ear"), "body": ("crown", "left heel", "right heel")}
"""What a maker shows on a scan to stand it up for sure."""
_SAMPLE = 900
_TRIM = 0.75
_MOST_WAYS, _ANOTHER_WAY_DEG, _CLOSE = 6, 30.0, 1.1
"""How many ways to stand are looked at closely; how far apart they are; how near in misfit another one leaves the question open."""
_NODS_DEG = (-20.0, -10.0, 10.0, 20.0)
_OWN_UP_DEG, _ASKEW_COSTS = 15.0, 1.05
"""A head that stands in its file is a little likelier to have been stood up there; common practice, no source."""


@cache
def _target(kind: str) -> tuple[Floats, cKDTree, Floats]:
    """Points of the template to lay a scan over, their tree, and its three shown points."""
    template = template_of("male")
    marks = template.marks
    cloud = surface_sample(template.mesh, 9000, seed=3).points
    v = template.mesh.vertices
    if kind == "head":
        cloud = cloud[cloud[:, 2] > marks.chin_mm - 200]
        head = Mesh(v, template.mesh.faces[(v[template.mesh.faces][:, :, 2] > marks.chin_mm - 120).all(axis=1)])
        cloud = np.concatenate([cloud, surface_sample(head, 6000, seed=4).points])
        height = marks.stature_mm - marks.chin_mm
        middle = v[(np.abs(v[:, 0]) < 6) & (v[:, 2] > marks.chin_mm)]
        nose = middle[middle[:, 1].argmin()]
        band = v[(v[:, 2] > marks.chin_mm + 0.35 * height) & (v[:, 2] < marks.chin_mm + 0.62 * height)]
        shown = np.array([nose, band[band[:, 0].argmax()], band[band[:, 0].argmin()]])
    else:
        heels = [v[(v[:, 2] < 60) & (s * v[:, 0] > 0)] for s in (1, -1)]
        shown = np.array([v[v[:, 2].argmax()], *(h[h[:, 1].argmax()] for h in heels)])
    return cloud, cKDTree(cloud), shown


def _kabsch(a: Floats, b: Floats) -> Floats:
    """4x4: the rigid move that brings points a (n, 3) nearest to b (n, 3)."""
    ca, cb = a.mean(axis=0), b.mean(axis=0)
    u, _, vt = np.linalg.svd((a - ca).T @ (b - cb))
    flip = np.diag([1.0, 1.0, np.sign(np.linalg.det(vt.T @ u.T))])
    move = np.eye(4)
    move[:3, :3] = vt.T @ flip @ u.T
    move[:3, 3] = cb - move[:3, :3] @ ca
    return move


def by_points(points_mm: Floats, kind: str) -> Floats:
    """The move (4x4) that brings three shown points (3, 3) onto the template's; RecipeProblem where they are none or lie on a line."""
    if points_mm.shape != (3, 3) or not np.isfinite(points_mm).all():
        raise RecipeProblem(f"Show three points: {', '.join(POINTS[kind])}.")
    if np.linalg.norm(np.cross(points_mm[1] - points_mm[0], points_mm[2] - points_mm[0])) < 100:
        raise RecipeProblem(f"The three points lie on one line. Show {', '.join(POINTS[kind])}.")
    return _kabsch(points_mm, _target(kind)[2])


def starts_of(mesh: Mesh) -> list[Floats]:
    """The 24 ways to lie along the file's axes, and along the scan's own."""
    turns = [
        np.array(p)
        for q in itertools.permutations(np.eye(3))
        for signs in itertools.product((1.0, -1.0), repeat=3)
        if np.linalg.det(p := np.array(q) * np.array(signs)[:, None]) > 0
    ]
    centred = mesh.vertices - mesh.vertices.mean(axis=0)
    _, own = np.linalg.eigh(centred.T @ centred)
    if np.linalg.det(own) < 0:
        own[:, 0] *= -1
    starts = []
    for frame in (np.eye(3), own.T):
        for turn in turns:
            move = np.eye(4)
            move[:3, :3] = turn @ frame
            starts.append(move)
    return starts


def laid_over(mesh: Mesh, kind: str, starts: list[Floats]) -> tuple[Floats, float, bool]:
    """The move (4x4) under which the scan lies nearest to the template, how near (mm, middle value), and whether no other way is about as good."""
    cloud, tree, _ = _target(kind)
    sample = surface_sample(mesh, _SAMPLE, seed=5).points
    top, centre = cloud[:, 2].max(), (cloud.max(axis=0) + cloud.min(axis=0)) / 2
    tried: list[tuple[float, Floats]] = []
    for start in starts:
        move = start.copy()
        if len(starts) > 1:
            turned = sample @ start[:3, :3].T
            middle = (turned.max(axis=0) + turned.min(axis=0)) / 2
            move[:3, 3] = [centre[0] - middle[0], centre[1] - middle[1], top - turned[:, 2].max()]
        tried.append(_icp(sample[::3], move, tree, cloud, 8))
    tried.sort(key=lambda t: t[0])
    finished = [_icp(sample, move, tree, cloud, 40) for _, move in (tried[:3] if kind == "body" else _unlike(tried))]
    sure = True
    if kind == "head":
        off, move, sure = _likeliest_head(mesh, sample, finished)
    else:
        off, move = min(finished, key=lambda t: t[0])
    if off > (45 if kind == "head" else 120):
        names = ", ".join(POINTS[kind])
        raise MeshProblem(
            f"This does not look like a {kind}, however it is turned. Show three points on it ({names}), or look whether it is the right file."
        )
    return move, off, sure


def _apart_deg(one: Floats, other: Floats) -> float:
    """Angle between the turns of two moves (4x4)."""
    cosine = (np.trace(one[:3, :3].T @ other[:3, :3]) - 1) / 2
    return float(np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))))


def _unlike(tried: Sequence[tuple[float, Floats]]) -> list[tuple[float, Floats]]:
    """The nearest few that stand each another way."""
    kept: list[tuple[float, Floats]] = []
    for one in tried:
        if len(kept) < _MOST_WAYS and all(_apart_deg(one[1], k[1]) > _ANOTHER_WAY_DEG for k in kept):
            kept.append(one)
    return kept


def _likeliest_head(mesh: Mesh, sample: Floats, ways: list[tuple[float, Floats]]) -> tuple[float, Floats, bool]:
    """Of several ways for a head to stand the one whose anatomy is right, how near it lies (mm), and whether no other comes close.

    A head upside down lies as near to the template's neck and jaw as an upright one to its skull. What tells them apart is what the
    template has and the scan lacks: crown, brow, nose and chin have to be found where they belong, not only the scan's skin somewhere.
    """
    cloud, tree, _ = _target("head")
    chin = template_of("male").marks.chin_mm
    anatomy = cloud[cloud[:, 2] > chin - 5]
    theirs, middle = cKDTree(surface_sample(mesh, 4 * _SAMPLE, seed=6).points), cloud.mean(axis=0)

    def judged_from(off: float, move: Floats) -> tuple[float, float, Floats]:
        # Shoulders differ more than skulls and would tip the head: settle once more by the skull alone.
        skull = sample[sample @ move[2, :3] + move[2, 3] > chin - 5]
        if len(skull) > 150:
            off, move = _icp(skull, move, tree, cloud, 40)
        lacking, _ = theirs.query((anatomy - move[:3, 3]) @ move[:3, :3])
        misfit = float(np.sqrt((lacking**2).mean() + off**2))
        return misfit if _stands_in_file(move) else misfit * _ASKEW_COSTS, off, move

    def looked_up_and_down(one: tuple[float, float, Floats]) -> tuple[float, float, Floats]:
        # A skull is so round that it can come to rest nodding.
        nodded = [one]
        for angle in _NODS_DEG:
            nod = np.eye(4)
            nod[:3, :3] = Rotation.from_euler("x", angle, degrees=True).as_matrix()
            nodded.append(judged_from(np.inf, shifting(middle) @ nod @ shifting(-middle) @ one[2]))
        return min(nodded, key=lambda j: j[0])

    def close(rivals: Sequence[tuple[float, float, Floats]], best: tuple[float, float, Floats]) -> list[tuple[float, float, Floats]]:
        return [j for j in rivals if j[0] < best[0] * _CLOSE and _apart_deg(j[2], best[2]) > _ANOTHER_WAY_DEG]

    judged = sorted((judged_from(off, move) for off, move in ways), key=lambda j: j[0])
    ways_left = [looked_up_and_down(j) for j in (judged[0], *close(judged[1:], judged[0]))]
    best = min(ways_left, key=lambda j: j[0])
    rivals = close(ways_left, best)
    return best[1], _levelled(best[2], sample, theirs, chin), not rivals


def _levelled(move: Floats, sample: Floats, theirs: cKDTree, chin_mm: float) -> Floats:
    """The move with the head's own plane of symmetry upright and to the front: ears level, nose ahead.

    Another head's shape leaves a few degrees open that a tape across the skull feels; a head and its mirror image do not. A head without
    such a plane near the middle is left as it lies.
    """
    here = sample @ move[:3, :3].T + move[:3, 3]
    mirror = np.diag([-1.0, 1.0, 1.0, 1.0])
    skull = here[here[:, 2] > chin_mm - 5]
    if len(skull) < 150:
        return move
    own = np.asarray(theirs.data) @ move[:3, :3].T + move[:3, 3]
    _, onto = _icp(skull * [-1.0, 1.0, 1.0], np.eye(4), cKDTree(own), own, 40)
    values, vectors = np.linalg.eig((onto @ mirror)[:3, :3])
    across = np.real(vectors[:, int(np.argmin(np.abs(values + 1)))])
    across = across / np.linalg.norm(across) * (1.0 if across[0] > 0 else -1.0)
    if across[0] < np.cos(np.radians(_OWN_UP_DEG)):
        return move
    axis = np.cross(across, [1.0, 0.0, 0.0])
    turn = np.eye(4)
    turn[:3, :3] = Rotation.from_rotvec(axis / max(float(np.linalg.norm(axis)), 1e-12) * np.arccos(min(across[0], 1.0))).as_matrix()
    middle = skull.mean(axis=0)
    return np.asarray(shifting(middle) @ turn @ shifting(-middle) @ move)


def _stands_in_file(move: Floats) -> bool:
    """Whether a move leaves the file's own upright (its z, or its y as some programs have it) nearly upright."""
    up = move[2, :3]
    return bool(max(up[1], up[2]) > np.cos(np.radians(_OWN_UP_DEG)))


def _icp(sample: Floats, move: Floats, tree: cKDTree, cloud: Floats, rounds: int) -> tuple[float, Floats]:
    off = np.inf
    for _ in range(rounds):
        before = off
        here = sample @ move[:3, :3].T + move[:3, 3]
        distance, index = tree.query(here)
        keep = distance <= np.quantile(distance, _TRIM)
        off = float(np.sqrt((distance[keep] ** 2).mean()))
        move = _kabsch(here[keep], cloud[index[keep]]) @ move
        if before - off < 1e-4 * off:
            break
    return off, move
