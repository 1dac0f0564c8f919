"""The stretch of body a piece is worn on, in the piece's own way of standing: upright along z, front toward -y.

A limb is turned so that it hangs straight down; a head and a trunk stand as they are.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bastion_core.errors import RecipeProblem
from bastion_core.fit.layers import Layer, thickness
from bastion_core.fit.sites import Site
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import scaling, shifting
from bastion_core.geometry.section import Loop, hull_of, level_loops
from bastion_core.geometry.walls import surface_sample
from bastion_core.measure.body import Body
from bastion_core.measure.landmarks import SIDES

_SECTION_STEP_MM = 8.0
_FACES_UP = 0.3
"""Skin whose unit normal points up by more than this carries what lies on it; common practice, no source."""
NECK_SHOWN_MM = 30.0
"""Neck under the chin that counts as the head's: what lies below belongs to the shoulders."""
CAP_MM = 58.0
"""How far below the crown the skull carries a helmet; common practice, no source."""
FACE_FROM = 0.36
"""The face, which is not padded, begins so far down the head from the crown; common practice, no source."""
EARS_FOLDED_MM = 7.0
"""What a folded ear adds to half the head's breadth; common practice, no source."""
HAND_TUCKED = 1.12
"""Way round the hand with the thumb tucked in, against that over the knuckles; common practice, no source."""
INSTEP_OVER_ANKLE_SHARE = 0.018
"""How far above the ankle's joint the instep begins, as a share of stature; common practice, no source."""
_HAND_FLATNESS, _HEEL_FLATNESS = 0.5, 0.62
"""Breadth over length of what has to pass: the tucked hand, the heel with its instep; common practice, no source."""


@dataclass(frozen=True, eq=False)
class Skin:
    """Points on the body (n, 3), outward normals (n, 3), and how deep the body is behind each (n,)."""

    points: Floats
    normals: Floats
    depth_mm: Floats
    bare: NDArray[np.bool_]
    """(n,): where no padding lies: the face."""
    cap: NDArray[np.bool_]
    """(n,): the top of the skull, on which a helmet rests."""

    def take(self, which: Any) -> "Skin":
        """Some of the points, by mask, index or slice."""
        return Skin(self.points[which], self.normals[which], self.depth_mm[which], self.bare[which], self.cap[which])

    def layers_mm(self, layers: Sequence[Layer]) -> Floats:
        """(n,): mm of layers over each point."""
        return thickness(layers, self.normals, self.bare)


@dataclass(frozen=True, eq=False)
class Crossing:
    """A body section that has to pass: its outline (m, 2) about the axis, where it is (mm along z), what it is called."""

    outline: Floats
    at_mm: float
    name: str


@dataclass(frozen=True, eq=False)
class OnBody:
    """A stretch of body standing as the piece does."""

    mesh: Mesh
    low_mm: float
    high_mm: float
    """The stretch the piece covers, along z."""
    crown_mm: float | None
    """Top of the head for a head piece."""
    special: tuple[Crossing, ...]
    """Sections that stand for what a plain slice would tell wrongly: the hand with its thumb tucked, the pointed foot."""
    special_below_mm: float
    """Below this the special sections replace the plain ones."""
    to_body: Floats
    """4x4 back into the body's own coordinates."""
    touch_mm: tuple[float, float] = (-np.inf, np.inf)
    """Between these heights the piece may touch; beyond lie a neighbour's stretch, hand or foot."""
    widest_mm: float = np.inf
    """Half breadth beyond which a section gives way: ears fold."""
    around: Mesh | None = None
    """All of the body in the same place, to be shown."""
    whole: bool = False
    """Whether this is a body as it came (a scan), nothing known of its joints."""
    piece_at: Floats | None = None
    """(3,): the middle of the piece in a body as it came; only what goes on from what lies in it there can pass it."""
    carries: bool = False
    """Whether the piece lies on what faces up, as a collar does on the shoulders: there it is meant to touch."""

    def skin(self, count: int, beyond: bool = False) -> Skin:
        """``count`` points over the stretch that may be touched, the mesh's own corners among them; ``beyond`` takes what lies outside it."""
        low, high = self.touch_mm
        z = self.mesh.vertices[:, 2]
        inside = (z >= low) & (z <= high)
        mesh = self.mesh
        if not inside.all() or beyond:
            mesh = Mesh(mesh.vertices, mesh.faces[(inside != beyond)[mesh.faces].all(axis=1)])
        skin = skin_of(mesh, count, self.mesh)
        if np.isfinite(self.widest_mm):
            folded = skin.points.copy()
            folded[:, 0] = np.clip(folded[:, 0], -self.widest_mm, self.widest_mm)
            skin = replace(skin, points=folded)
        if self.carries and not beyond:
            skin = skin.take(skin.normals[:, 2] < _FACES_UP)
        if self.crown_mm is not None:
            face = (skin.points[:, 2] < self.crown_mm - FACE_FROM * (self.crown_mm - self.low_mm)) & (skin.normals[:, 1] < 0.25)
            cap = skin.points[:, 2] > self.crown_mm - CAP_MM
            # What faces up below the chin is shoulder, however short the neck.
            shoulder = (skin.points[:, 2] < self.low_mm) & (skin.normals[:, 2] > _FACES_UP)
            skin = replace(skin, bare=face & (skin.points[:, 1] < self.centre[1]), cap=cap)
            skin = skin if beyond else skin.take(~shoulder)
        return skin

    @cached_property
    def centre(self) -> Floats:
        """(3,): the middle of the stretch."""
        middle = (self.low_mm + self.high_mm) / 2
        found = level_loops(self.mesh, middle)
        if not found:
            return np.array([0.0, 0.0, middle])
        return np.array([*found[0].centre, middle])

    def crossings(self, tilt_deg: float = 0.0) -> list[Crossing]:
        """Outlines of the body at many heights, lowest first; ``tilt_deg`` nods the head forward."""
        mesh = self.mesh
        if tilt_deg:
            angle = np.radians(tilt_deg)
            turn = np.eye(4)
            turn[1:3, 1:3] = [[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]
            middle = np.array([0.0, float(np.median(mesh.vertices[:, 1])), (self.low_mm + self.high_mm) / 2])
            mesh = mesh.transformed(shifting(middle) @ turn @ shifting(-middle))
        low, high = float(mesh.bounds[0, 2]), float(mesh.bounds[1, 2])
        met = list(self.special)
        start = max(low, self.special_below_mm)
        levels = [(float(z), level_loops(mesh, float(z))) for z in np.arange(start + 1.0, high, _SECTION_STEP_MM)]
        if self.piece_at is not None:
            levels = _surrounded(levels, self.piece_at)
        for z, found in levels:
            if not found:
                continue
            # A trunk's arms, hair in pieces: what passes is all of them.
            outline = hull_of(np.concatenate([run.hull for run in found]))
            outline = np.column_stack([np.clip(outline[:, 0], -self.widest_mm, self.widest_mm), outline[:, 1]])
            if len(outline) >= 3:
                met.append(Crossing(outline, z, self._called(z)))
        return sorted(met, key=lambda c: c.at_mm)

    def _called(self, z: float) -> str:
        if self.crown_mm is not None:
            below = self.crown_mm - z
            return "crown" if below < 60 else "head at the ears" if below < 150 else "jaw" if below < 240 else "neck"
        if self.special and z < self.special_below_mm + 60:
            return "wrist" if "hand" in self.special[0].name else "ankle"
        return "body"


def _surrounded(levels: list[tuple[float, list[Loop]]], middle: Floats) -> list[tuple[float, list[Loop]]]:
    """Of the loops at each height those that go on, level by level, from the one in the middle of a piece: one leg of two."""
    if not any(found for _, found in levels):
        return levels
    nearest = min((k for k, (_, found) in enumerate(levels) if found), key=lambda k: abs(levels[k][0] - middle[2]))
    own = min(levels[nearest][1], key=lambda run: float(np.linalg.norm(run.hull.mean(axis=0) - middle[:2])))
    kept: dict[int, list[Loop]] = {nearest: [own]}
    for rest in (range(nearest + 1, len(levels)), range(nearest - 1, -1, -1)):
        last = [own]
        for k in rest:
            low = np.min([run.hull.min(axis=0) for run in last], axis=0)
            high = np.max([run.hull.max(axis=0) for run in last], axis=0)
            kept[k] = [r for r in levels[k][1] if (r.hull.max(axis=0) >= low).all() and (r.hull.min(axis=0) <= high).all()]
            last = kept[k] or last
    return [(z, kept[k]) for k, (z, _) in enumerate(levels)]


def skin_of(mesh: Mesh, count: int, whole: Mesh | None = None) -> Skin:
    """Points over a mesh with the depth of body behind each; ``whole`` is the body it is a stretch of."""
    if not len(mesh.faces):
        return Skin(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0), np.zeros(0, bool), np.zeros(0, bool))
    whole = whole or mesh
    vertices = np.unique(mesh.faces)
    if len(vertices) > count // 2:
        vertices = vertices[np.linspace(0, len(vertices) - 1, count // 2).astype(int)]
    normals = np.zeros_like(mesh.vertices)
    for k in range(3):
        np.add.at(normals, mesh.faces[:, k], mesh.area_vectors)
    sample = surface_sample(mesh, max(count - len(vertices), 1), seed=2)
    points = np.concatenate([mesh.vertices[vertices], sample.points])
    normal = np.concatenate([normals[vertices], sample.normals])
    normal = normal / np.maximum(np.linalg.norm(normal, axis=1), 1e-12)[:, None]
    distance, _ = whole.rays.first_hits(points - normal * 1e-3, -normal)
    depth = np.where(np.isfinite(distance), distance, 20.0)
    return Skin(points, normal, depth, np.zeros(len(points), bool), np.zeros(len(points), bool))


def _turn_to(direction: Floats) -> Floats:
    """4x4 rotation that brings ``direction`` to +z, keeping the front as nearly as it can toward -y."""
    up = direction / np.linalg.norm(direction)
    front = np.array([0.0, -1.0, 0.0])
    back = -(front - (front @ up) * up)
    back /= np.linalg.norm(back)
    matrix = np.eye(4)
    matrix[:3, :3] = np.array([np.cross(back, up), back, up])
    return matrix


def _cut_out(mesh: Mesh, keep: NDArray[np.bool_]) -> Mesh:
    faces = mesh.faces[keep[mesh.faces].all(axis=1)]
    used, compact = np.unique(faces, return_inverse=True)
    if not len(used):
        raise RecipeProblem("Nothing of the body lies where the piece is worn. Look at its site and side.")
    return Mesh(mesh.vertices[used], compact.reshape(-1, 3).astype(np.int64))


def on_body(body: Body, worn_at: Site, side: str = "") -> OnBody:
    """The stretch of a stand-in body for a site; ``side`` left or right for arms and legs (left when not said)."""
    side = side if side in SIDES else "left"
    if side == "right" and worn_at.part in ("arm", "leg") and body.both_alike:
        # So that what is worn on both sides alike is judged alike to the last digit.
        return _mirrored(on_body(body, worn_at, "left"))
    v = body.mesh.vertices
    arms = body.arm_share.get("left", np.zeros(len(v))) + body.arm_share.get("right", np.zeros(len(v)))
    stature = float(body.mesh.bounds[1, 2])
    if worn_at.part == "head":
        keep = (v[:, 2] > body.chin_mm - 110) & (arms < 0.3)
        mesh = _cut_out(body.mesh, keep)
        return replace(_head(mesh, body.chin_mm, stature, body.wearer.get("head_breadth_mm") or 152.0), around=body.mesh)
    if worn_at.part == "trunk":
        low, high = (share * stature for share in worn_at.stretch)
        keep = arms < 0.55
        neck = worn_at.name == "neck"
        touch = (low if neck else low - 0.06 * stature, body.chin_mm if neck else high + 0.02 * stature)
        return OnBody(_cut_out(body.mesh, keep), low, high, None, (), -np.inf, np.eye(4), touch, around=body.mesh, carries=neck)
    joints = body.joints[f"{side}_{worn_at.part}"]
    upper, lower = worn_at.stretch

    def along(place: float) -> Floats:
        i = int(np.clip(np.floor(place), 0, 2))
        return np.asarray(joints[i] + (place - i) * (joints[i + 1] - joints[i]))

    top, bottom = along(upper), along(lower)
    axis = top - bottom if worn_at.name not in ("foot",) else np.array([0.0, 0.0, 1.0])
    turn = _turn_to(axis)
    # The joint the piece hangs on becomes the origin.
    origin = joints[1] if upper < 1.5 else joints[2]
    move = turn @ shifting(-origin)
    if worn_at.part == "arm":
        keep = body.arm_share[side] > (0.35 if upper >= 0.1 else 0.02)
    else:
        keep = (SIDES[side] * v[:, 0] > 0) & (v[:, 2] < body.joints[f"{side}_leg"][0, 2] + 20) & (arms < 0.3)
    mesh, around = _cut_out(body.mesh, keep).transformed(move), body.mesh.transformed(move)
    high, low = (float((move @ np.append(p, 1.0))[2]) for p in (top, bottom))
    end = joints[2]
    end_z = float((move @ np.append(end, 1.0))[2])
    if worn_at.part == "arm":
        centre = (move @ np.append(joints[2] + 0.5 * (joints[3] - joints[2]), 1.0))[:2]
        girth = (body.wearer.get("knuckle_girth_mm", side) or 200.0) * HAND_TUCKED
        special: tuple[Crossing, ...] = (Crossing(_oval(girth, _HAND_FLATNESS, centre), end_z - 60, "hand, thumb tucked in"),)
    else:
        ring, girth = body.rings.get(f"{side}_heel_instep_girth_mm"), body.wearer.get("heel_instep_girth_mm", side) or 330.0
        # A scan may end above the heel: then an oval of the girth stands for it.
        outline = _oval(girth, _HEEL_FLATNESS, np.zeros(2)) if ring is None else _flattened(ring, girth)
        special = (Crossing(outline, end_z - 60, "heel and instep"),)
    below = end_z - 4 if worn_at.part == "arm" else end_z + 10
    if worn_at.name in ("hand", "foot", "finger"):
        special, below = (), -np.inf
    # What may be touched ends at the joints the piece does not cover; at the ankle already where the instep begins.
    ends = [float((move @ np.append(along(float(p)), 1.0))[2]) for p in (np.ceil(lower - 0.02), np.floor(upper + 0.02))]
    if worn_at.part == "leg" and np.ceil(lower - 0.02) == 2:
        ends[0] += INSTEP_OVER_ANKLE_SHARE * stature
    touch = (-np.inf if lower > 2.2 else ends[0], np.inf if upper < 0.1 else ends[1])
    return OnBody(mesh, low, high, None, special, below, np.asarray(np.linalg.inv(move), dtype=np.float64), touch, around=around)


def _mirrored(left: OnBody) -> OnBody:
    """The same stretch on the other side of a body whose sides are alike."""
    turn = scaling(-1.0, 1.0, 1.0)
    special = tuple(replace(c, outline=hull_of(c.outline * [-1.0, 1.0])) for c in left.special)
    around = left.around.transformed(turn) if left.around is not None else None
    return replace(left, mesh=left.mesh.transformed(turn), special=special, to_body=turn @ left.to_body @ turn, around=around)


def _head(mesh: Mesh, chin: float, crown: float, breadth: float) -> OnBody:
    return OnBody(mesh, chin, crown, crown, (), -np.inf, np.eye(4), (chin - NECK_SHOWN_MM, np.inf), breadth / 2 + EARS_FOLDED_MM)


def _oval(girth_mm: float, flatness: float, centre: Floats, count: int = 60) -> Floats:
    """(count, 2): an ellipse with this way round."""
    angle = np.arange(count) * (2 * np.pi / count)
    shape = np.column_stack([flatness * np.cos(angle), np.sin(angle)])
    length = np.linalg.norm(np.roll(shape, -1, axis=0) - shape, axis=1).sum()
    return np.asarray(shape * girth_mm / length + centre)


def _flattened(ring: Floats, girth_mm: float) -> Floats:
    """(m, 2): a ring in space laid flat in its own plane about its middle, brought to a way round; the foot's length along y."""
    centred = ring - ring.mean(axis=0)
    across = centred[:, 0]
    _, _, axes = np.linalg.svd(centred, full_matrices=False)
    long = axes[0] if abs(axes[0][0]) < abs(axes[1][0]) else axes[1]
    flat = hull_of(np.column_stack([across, centred @ long]))
    length = np.linalg.norm(np.roll(flat, -1, axis=0) - flat, axis=1).sum()
    return np.asarray(flat * (girth_mm / length))


def as_it_came(mesh: Mesh, worn_at: Site, piece_bounds: Floats) -> OnBody:
    """A body in whose coordinates the piece already lies; the stretch is what the piece covers along z."""
    low, high = float(piece_bounds[0, 2]), float(piece_bounds[1, 2])
    crown = float(mesh.bounds[1, 2]) if worn_at.part == "head" else None
    return OnBody(mesh, low, high, crown, (), -np.inf, np.eye(4), whole=True, piece_at=np.asarray(piece_bounds).mean(axis=0))
