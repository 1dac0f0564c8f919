"""Joints moved with the pieces on: how far each goes before two pieces meet, or a rim presses into the limb beyond the crease."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import igl
import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from bastion_core.findings import NOTHING, Said, Verdict, deg, say
from bastion_core.fit.layers import GIVE_MM
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.walls import surface_sample
from bastion_core.measure.body import Body
from bastion_core.measure.landmarks import SIDES
from bastion_core.pieces.silhouette import cloud_outline
from bastion_core.progress import Progress, silent

TRIANGLES = 6000
"""A piece is moved as so many triangles: enough to find its rims within a millimetre."""
_STEP_DEG, _WITHIN_DEG = 4.0, 0.25
FLESH_MM = 10.0
"""How deep a rim sinks into a limb's flesh before it stops the joint; common practice, no source."""
_CREASE_MM = 35.0
"""Flesh nearer to the joint than this folds away in the crease; common practice, no source."""
_SAMPLE, _NEAREST = 3000, 800


@dataclass(frozen=True)
class JointKind:
    """A way of moving: which pieces stay, which go along, how far a bare body goes and how far a wearer has to get."""

    name: str
    stays: tuple[str, ...]
    goes: tuple[str, ...]
    usual_deg: float
    """What a bare body does."""
    needs_deg: float
    """What walking, sitting, touching the face or looking about takes."""
    sided: bool
    what_for: str


_CP = "common practice, no source"
JOINTS: tuple[JointKind, ...] = (
    JointKind("elbow bent", ("shoulder", "upper_arm"), ("forearm", "hand"), 145.0, 105.0, True, "touching the helmet"),
    JointKind("knee bent", ("thigh",), ("shin", "foot"), 135.0, 85.0, True, "sitting down"),
    JointKind("thigh lifted", ("belt", "hip", "chest", "back"), ("thigh",), 115.0, 80.0, True, "sitting down and climbing stairs"),
    JointKind("arm lifted forward", ("neck", "chest", "back"), ("shoulder", "upper_arm"), 160.0, 70.0, True, "reaching forward"),
    JointKind("head turned left", ("neck", "chest", "back", "shoulder"), ("head",), 75.0, 45.0, False, "looking to the side"),
    JointKind("head turned right", ("neck", "chest", "back", "shoulder"), ("head",), 75.0, 45.0, False, "looking to the side"),
    JointKind("head nodded", ("neck", "chest", "back", "shoulder"), ("head",), 50.0, 25.0, False, "seeing the step ahead"),
    JointKind("head laid back", ("neck", "chest", "back", "shoulder"), ("head",), 55.0, 20.0, False, "looking up"),
)
"""Ranges of a bare body rounded from goniometer tables (from memory); what is needed is common practice, no source."""
LEAST_DEG = 1.0


@dataclass(frozen=True, eq=False)
class Worn:
    """A piece where it is worn: its mesh (thinned) in the body's coordinates."""

    id: int
    name: str
    site: str
    side: str
    mesh: Mesh


@dataclass(frozen=True)
class Contact:
    """How far a joint goes before these two meet. ``stays_id`` or ``goes_id`` is 0 for the body itself."""

    joint: str
    side: str
    stays_id: int
    goes_id: int
    stays: str
    goes: str
    reaches_deg: float
    needs_deg: float
    usual_deg: float
    meets: bool
    """Whether they meet at all within what a bare body does."""
    gap_mm: float
    """Between the two at rest; 0 where they run into each other."""
    at_mm: tuple[float, float, float] | None
    """Where they meet, on the one that stays."""
    what_for: str
    verdict: Verdict = Verdict.HOLDS
    """holds, tight when it does not get as far as it has to, stops when it cannot move at all."""
    text: Said = NOTHING


def judged(contact: Contact) -> Contact:
    """The contact with its verdict and its sentence."""
    c = contact
    joint = f"{c.side} {c.joint}" if c.side else c.joint
    joint = joint[:1].upper() + joint[1:]
    if not c.meets:
        return replace(c, text=say("{}: free to {}, as far as a bare body goes.", joint, deg(c.usual_deg)))
    if c.reaches_deg < LEAST_DEG:
        words = "{}: {} and {} run into each other as they sit. Trim one of them, or move it in its seat."
        return replace(c, verdict=Verdict.STOPS, text=say(words, joint, c.goes, c.stays))
    how_far = say("{}: {} until {} meets {}", joint, deg(c.reaches_deg), c.goes, c.stays)
    if c.reaches_deg >= c.needs_deg:
        return replace(c, text=say("{}; {} takes {}.", how_far, c.what_for, deg(c.needs_deg)))
    words = "{}, and {} takes {}. Cut the rim back there, or leave more between the two."
    return replace(c, verdict=Verdict.TIGHT, text=say(words, how_far, c.what_for, deg(c.needs_deg)))


@dataclass(frozen=True)
class JointDrawing:
    """A joint from the side it is seen best from: SVG paths in mm."""

    stays: str
    rests: str
    reached: str
    pivot: tuple[float, float]
    box: tuple[float, float, float, float]


def crossing_at(a: Mesh, b: Mesh, turn: Floats) -> Floats | None:
    """(3,): a place where mesh ``b``, moved by the 4x4 ``turn``, runs through mesh ``a``; None where they are apart.

    Two surfaces that meet have an edge of one through a face of the other: the edges of each are cast as rays at the other.
    """
    low, high = _box(b.vertices @ turn[:3, :3].T + turn[:3, 3])
    if (low > a.bounds[1]).any() or (high < a.bounds[0]).any():
        return None
    back = np.linalg.inv(turn)
    for mesh, other, move, home in ((a, b, back, np.eye(4)), (b, a, turn, turn)):
        start, way, length = _edges(mesh)
        begin = start @ move[:3, :3].T + move[:3, 3]
        along = way @ move[:3, :3].T
        reach = other.bounds[[0, 1]] + np.array([[-1.0], [1.0]])
        end = begin + along * length[:, None]
        near = ((np.maximum(begin, end) > reach[0]) & (np.minimum(begin, end) < reach[1])).all(axis=1)
        if not near.any():
            continue
        distance, _ = other.rays.first_hits(begin[near], along[near])
        hit = distance <= length[near]
        if hit.any():
            k = int(np.flatnonzero(near)[np.flatnonzero(hit)[0]])
            point = start[k] + way[k] * float(distance[hit][0])
            return np.asarray(home[:3, :3] @ point + home[:3, 3])
    return None


def _box(points: Floats) -> tuple[Floats, Floats]:
    return points.min(axis=0), points.max(axis=0)


def _edges(mesh: Mesh) -> tuple[Floats, Floats, Floats]:
    """Start (n, 3), unit direction (n, 3) and length (n,) of every edge."""
    start, end = mesh.vertices[mesh.edges[:, 0]], mesh.vertices[mesh.edges[:, 1]]
    length = np.linalg.norm(end - start, axis=1)
    keep = length > 1e-9
    return start[keep], (end - start)[keep] / length[keep, None], length[keep]


def _turn_about(pivot: Floats, axis: Floats, angle_deg: float) -> Floats:
    """4x4: a turn by the right hand about an axis through a point."""
    turn = np.eye(4)
    turn[:3, :3] = Rotation.from_rotvec(np.radians(angle_deg) * axis / np.linalg.norm(axis)).as_matrix()
    turn[:3, 3] = pivot - turn[:3, :3] @ pivot
    return turn


def turned_until_they_meet(stays: Mesh, goes: Mesh, pivot: Floats, axis: Floats, most_deg: float) -> tuple[float, Floats | None]:
    """How far (degrees) ``goes`` turns about ``axis`` through ``pivot`` until it meets ``stays``, at most ``most_deg``, and where (3,)."""

    def at(angle: float) -> Floats | None:
        return crossing_at(stays, goes, _turn_about(pivot, axis, angle))

    found = at(0.0)
    if found is not None:
        return 0.0, found
    free = 0.0
    while free < most_deg:
        tried = min(free + _STEP_DEG, most_deg)
        found = at(tried)
        if found is None:
            free = tried
            continue
        while tried - free > _WITHIN_DEG:
            middle = (free + tried) / 2
            here = at(middle)
            free, tried, found = (middle, tried, found) if here is None else (free, middle, here)
        return free, found
    return most_deg, None


def gap_mm(a: Mesh, b: Mesh) -> float:
    """Least distance between two surfaces: 0 where they run through each other."""
    if crossing_at(a, b, np.eye(4)) is not None:
        return 0.0
    least = np.inf
    for mesh, other in ((a, b), (b, a)):
        points = np.concatenate([mesh.vertices[np.unique(mesh.faces)], surface_sample(mesh, _SAMPLE, seed=7).points])
        # Corners tell roughly where the two are nearest; only about there faces are asked.
        rough = other.corner_tree.query(points)[0]
        near = np.argsort(rough)[:_NEAREST]
        least = min(least, float(igl.point_mesh_squared_distance(points[near], other.vertices, other.faces)[0].min()))
    return float(np.sqrt(least))


def _motion(kind: JointKind, body: Body, side: str) -> tuple[Floats, Floats]:
    """Pivot (3,) and axis (3,) of a joint; a turn about the axis by the right hand is the motion."""
    forward = np.array([0.0, -1.0, 0.0])
    if kind.name.startswith("elbow"):
        shoulder, elbow, _, _ = body.joints[f"{side}_arm"]
        upper = (elbow - shoulder) / np.linalg.norm(elbow - shoulder)
        level = forward - (forward @ upper) * upper
        return elbow, np.cross(upper, level / np.linalg.norm(level))
    if kind.name.startswith("knee"):
        return body.joints[f"{side}_leg"][1], np.array([1.0, 0.0, 0.0])
    if kind.name.startswith("thigh"):
        return body.joints[f"{side}_leg"][0], np.array([-1.0, 0.0, 0.0])
    if kind.name.startswith("arm"):
        return body.joints[f"{side}_arm"][0], np.array([-1.0, 0.0, 0.0])
    v = body.mesh.vertices
    neck = v[(np.abs(v[:, 2] - body.chin_mm) < 25) & (np.abs(v[:, 0]) < 90)]
    # The head turns about the spine, which runs in the rear half of the neck.
    back = float(neck[:, 1].max())
    pivot = np.array([0.0, back - 0.35 * (back - float(np.percentile(neck[:, 1], 5))), body.chin_mm - 20.0])
    axis = {"left": (0, 0, 1.0), "right": (0, 0, -1.0)}.get(kind.name.split()[-1])
    # Turned to the wearer's left the face goes toward +x; nodded it goes down.
    return pivot, np.array(axis if axis else (1.0, 0.0, 0.0) if kind.name.endswith("nodded") else (-1.0, 0.0, 0.0))


def _head_itself(body: Body) -> Mesh:
    """The bare head above the chin, its skin giving a little."""
    v = body.mesh.vertices
    arms = sum((body.arm_share[side] for side in SIDES), np.zeros(len(v)))
    return _shrunk(body.mesh, (v[:, 2] > body.chin_mm - 12.0) & (arms < 0.05), GIVE_MM)


def _shrunk(mesh: Mesh, keep: NDArray[np.bool_], by_mm: float) -> Mesh:
    """The faces whose corners are all kept, drawn in along their normals."""
    normals = np.zeros_like(mesh.vertices)
    for k in range(3):
        np.add.at(normals, mesh.faces[:, k], mesh.area_vectors)
    normals /= np.maximum(np.linalg.norm(normals, axis=1), 1e-12)[:, None]
    faces = mesh.faces[keep[mesh.faces].all(axis=1)]
    used, compact = np.unique(faces, return_inverse=True)
    return Mesh(mesh.vertices[used] - by_mm * normals[used], compact.reshape(-1, 3).astype(np.int64))


def segment(body: Body, limb: str, index: int) -> Mesh:
    """The flesh of one bone of a limb ("left_arm"), sunk in by FLESH_MM and without what folds away at its joints."""
    joints = body.joints[limb]
    side, part = limb.split("_")
    v = body.mesh.vertices
    mine = body.arm_share[side] > 0.9 if part == "arm" else (SIDES[side] * v[:, 0] > 0) & (v[:, 2] < joints[0][2])
    a, b = joints[index], joints[index + 1]
    bone = (b - a) / np.linalg.norm(b - a)
    along = (v - a) @ bone
    return _shrunk(body.mesh, mine & (along > _CREASE_MM) & (along < np.linalg.norm(b - a) - _CREASE_MM), FLESH_MM)


def contacts(worn: Sequence[Worn], body: Body, progress: Progress = silent) -> list[Contact]:
    """Every two pieces on both sides of a joint, and the chin in its collar, in the order of JOINTS."""
    head = Worn(0, "the chin", "head", "", _head_itself(body))
    met, gaps = [], {}
    for index, kind in enumerate(JOINTS):
        progress(index / len(JOINTS), kind.name)
        for side in SIDES if kind.sided else ("",):
            pivot, axis = _motion(kind, body, side)
            goes = [w for w in worn if w.site in kind.goes and w.side in (side, "")]
            stays = [w for w in worn if w.site in kind.stays and (w.side in (side, "") or not kind.sided)]
            if not kind.sided:
                goes = [*goes, head]
            for mover in goes:
                for other in stays:
                    if mover is head and other.site not in ("neck", "chest", "back"):
                        continue
                    if (other.id, mover.id) not in gaps:
                        gaps[other.id, mover.id] = gap_mm(other.mesh, mover.mesh)
                    reaches, at = turned_until_they_meet(other.mesh, mover.mesh, pivot, axis, kind.usual_deg)
                    met.append(
                        judged(
                            Contact(
                                kind.name, side, other.id, mover.id, other.name, mover.name, reaches, kind.needs_deg, kind.usual_deg,
                                at is not None, gaps[other.id, mover.id], _spot(at), kind.what_for,
                            )
                        )
                    )  # fmt: skip
    return met


def tightest_of(met: Sequence[Contact]) -> list[Contact]:
    """Of each joint the contact that stops it first; where nothing meets, the nearest two."""
    best: dict[tuple[str, str], Contact] = {}
    for m in met:
        other = best.get((m.joint, m.side))
        if other is None or (m.reaches_deg, m.gap_mm) < (other.reaches_deg, other.gap_mm):
            best[m.joint, m.side] = m
    return list(best.values())


CREASES = {"upper_arm": ("elbow bent", 1, True), "forearm": ("elbow bent", 0, False), "thigh": ("knee bent", 1, True), "shin": ("knee bent", 0, False)}  # fmt: skip
"""Site -> the joint in whose crease its rim comes, the bone across it, and whether that bone is the one that goes."""


def crease_meshes(piece: Mesh, site: str, side: str, body: Body) -> tuple[Mesh, Mesh] | None:
    """The two that meet in the crease beside a piece (thinned, in the body's coordinates): what stays and what goes, one of them the limb's flesh."""
    if site not in CREASES:
        return None
    name, bone, bone_goes = CREASES[site]
    flesh = segment(body, f"{side or 'left'}_{'arm' if name.startswith('elbow') else 'leg'}", bone)
    return (piece, flesh) if bone_goes else (flesh, piece)


def crease(piece: Mesh, site: str, side: str, body: Body) -> Contact | None:
    """How far the joint next to a piece (thinned, in the body's coordinates) bends until its rim presses into the limb across the crease; None where there is no such joint."""
    pair = crease_meshes(piece, site, side, body)
    if pair is None:
        return None
    name, bone, bone_goes = CREASES[site]
    side = side or "left"
    kind = next(k for k in JOINTS if k.name == name)
    pivot, axis = _motion(kind, body, side)
    words = ("the upper arm", "the forearm") if name.startswith("elbow") else ("the thigh", "the lower leg")
    reaches, at = turned_until_they_meet(*pair, pivot, axis, kind.usual_deg)
    names = ("its rim", words[bone]) if bone_goes else (words[bone], "its rim")
    return judged(
        Contact(
            kind.name, side, 0, 0, *names, reaches, kind.needs_deg, kind.usual_deg, at is not None, gap_mm(*pair), _spot(at), kind.what_for
        )
    )


def _spot(at: Floats | None) -> tuple[float, float, float] | None:
    return None if at is None else (float(at[0]), float(at[1]), float(at[2]))


def meshes_of(contact: Contact, worn: Sequence[Worn], body: Body) -> tuple[Mesh, Mesh]:
    """What stays and what goes in one of ``contacts``."""
    by_id = {w.id: w.mesh for w in worn} | {0: _head_itself(body)}
    return by_id[contact.stays_id], by_id[contact.goes_id]


def drawn(contact: Contact, stays: Mesh, goes: Mesh, body: Body) -> JointDrawing:
    """A contact to be drawn, seen along the joint's axis (from above for a head that turns): outlines as SVG paths in mm.

    ``stays``, ``rests`` and ``reached`` are the piece that stays, the other at rest, and the other as far as it got.
    """
    kind = next(k for k in JOINTS if k.name == contact.joint)
    pivot, axis = _motion(kind, body, contact.side)
    view = _view_along(axis)
    seen = {"stays": stays, "rests": goes, "reached": goes.transformed(_turn_about(pivot, axis, contact.reaches_deg))}
    flat = {name: mesh.transformed(view) for name, mesh in seen.items()}
    low = np.min([m.bounds[0] for m in flat.values()], axis=0) - 12
    high = np.max([m.bounds[1] for m in flat.values()], axis=0) + 12
    at = view[:3, :3] @ pivot
    # As cloud_outline draws from the front: x to the right, z upward, y down in SVG.
    paths = {name: cloud_outline(mesh, False) for name, mesh in flat.items()}
    box = (float(low[0]), float(-high[2]), float(high[0] - low[0]), float(high[2] - low[2]))
    return JointDrawing(paths["stays"], paths["rests"], paths["reached"], (float(at[0]), float(-at[2])), box)


def _view_along(axis: Floats) -> Floats:
    """4x4: turns the world so that ``axis`` points away along y and what was up stays up; seen from above, the front points down."""
    y = axis / np.linalg.norm(axis)
    up = np.array([0.0, 0.0, 1.0]) if abs(y[2]) < 0.9 else np.array([0.0, 1.0, 0.0])
    # Always from the wearer's right or from above, whichever way the joint turns.
    y = y * (1.0 if y[0] > 0.3 else -1.0 if abs(y[2]) < 0.9 or y[2] > 0 else 1.0)
    x = np.cross(y, up)
    x /= np.linalg.norm(x)
    view = np.eye(4)
    view[:3, :3] = np.array([x, y, np.cross(x, y)])
    return view
