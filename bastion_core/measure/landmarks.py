"""Where the joints and the measuring places of an upright body lie, found on its mesh.

The body stands on z = 0 or near it, faces -y, arms away from the trunk. Legs and trunk
are read off horizontal sections; arms off rings of equal distance from the finger tips,
which follow a limb however it is bent.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from bastion_core.errors import MeshProblem
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import Plane
from bastion_core.geometry.section import Loop, level_loops, loops

# Shares of stature or of a limb's length; segment lengths after Drillis & Contini (from memory, high confidence).
KNEE_SHARE_OF_CROTCH = 0.598
WAIST_SHARE = 0.615
NIPPLE_SHARE = 0.725
WRIST_FROM_TIP, ELBOW_FROM_TIP = 0.108 / 0.44, 0.254 / 0.44
NECK_UNDER_CHIN_SHARE = 0.0115
"""The larynx lies about two centimetres under the chin; common practice, no source."""
_SHOULDER_OUT_SHARE = 0.1


@dataclass(frozen=True)
class Limb:
    """Joints of one arm (shoulder, elbow, wrist, tip) or leg (hip, knee, ankle, heel point on the floor), (3,) each."""

    joints: tuple[Floats, Floats, Floats, Floats]


@dataclass(frozen=True)
class Landmarks:
    """The joints of a body in its own millimetres. Sides are the wearer's: right is -x when the front is -y."""

    stature_mm: float
    floor_mm: float
    crotch_mm: float
    armpit_mm: float
    arms: dict[str, Limb]
    legs: dict[str, Limb]
    neck: Floats
    chin_mm: float
    heights: dict[str, float]
    """Heights at which trunk and leg girths are taken, by measurement key."""


SIDES = {"left": 1.0, "right": -1.0}
"""Sign of x on each side of a body that faces -y."""


def trunk_at(mesh: Mesh, height_mm: float) -> Loop | None:
    """The trunk's loop at a height: the largest one over the middle."""
    found = [run for run in level_loops(mesh, height_mm) if run.hull[:, 0].min() < 0 < run.hull[:, 0].max()]
    return found[0] if found else None


def leg_at(mesh: Mesh, side: str, height_mm: float) -> Loop | None:
    """One leg's loop at a height under the crotch."""
    sign = SIDES[side]
    found = [run for run in level_loops(mesh, height_mm) if sign * run.centre[0] > 0 and run.hull[:, 0].min() * run.hull[:, 0].max() >= 0]
    return found[0] if found else None


def across(mesh: Mesh, centre: Floats, direction: Floats) -> Loop | None:
    """The loop square to ``direction`` whose middle lies nearest to ``centre``."""
    found = [run for run in loops(mesh, Plane.through(centre, direction)) if run.girth_mm > 30]
    if not found:
        return None
    return min(found, key=lambda run: float(np.linalg.norm(run.centre_mm - centre)))


def find_landmarks(mesh: Mesh) -> Landmarks:
    """Joints and heights of a whole upright body; MeshProblem when it has no arms or legs that could be told apart."""
    floor, top = float(mesh.bounds[0, 2]), float(mesh.bounds[1, 2])
    stature = top - floor

    def at(share: float) -> float:
        return floor + share * stature

    crotch = _crotch(mesh, floor, stature)
    armpit = _armpit(mesh, at)
    if armpit is None:
        raise MeshProblem(
            "Arms and trunk cannot be told apart on this body. Scan it with the arms held away from the sides, or send the head alone."
        )
    legs = {side: _leg(mesh, side, floor, crotch, stature) for side in SIDES}
    arms = {side: _arm(mesh, side, stature, armpit) for side in SIDES}
    chin = chin_height(mesh, top, max(at(0.83), top - 290.0))
    neck_height = chin - NECK_UNDER_CHIN_SHARE * stature
    throat = trunk_at(mesh, neck_height)
    if throat is None:
        raise MeshProblem("No neck was found on this body. Is the scan cut off below the head?")
    chest_levels = np.arange(at(0.69), min(at(0.745), armpit - 0.012 * stature), 3.0)
    girths = [run.girth_mm if (run := trunk_at(mesh, z)) else 0.0 for z in chest_levels]
    best = int(np.argmax(girths)) if len(girths) else 0
    chest = float(chest_levels[best]) if 0 < best < len(girths) - 1 else at(NIPPLE_SHARE)
    hip_levels = np.arange(max(crotch + 0.01 * stature, at(0.46)), at(0.54), 3.0)
    hips = [run.girth_mm if (run := trunk_at(mesh, z)) else 0.0 for z in hip_levels]
    knee = floor + KNEE_SHARE_OF_CROTCH * (crotch - floor)
    heights = {
        "neck_girth_mm": neck_height,
        "chest_girth_mm": min(chest, armpit - 2.0),
        "waist_girth_mm": at(WAIST_SHARE),
        "abdomen_girth_mm": at(0.569),
        "hip_girth_mm": float(hip_levels[int(np.argmax(hips))]) if hips else at(0.5),
        "thigh_girth_mm": crotch - 0.0335 * stature,
        "mid_thigh_girth_mm": (crotch + knee) / 2,
        "knee_girth_mm": knee,
    }
    for key, low, high, most in (("calf_girth_mm", 0.15, 0.255, True), ("ankle_girth_mm", 0.05, 0.11, False)):
        levels = np.arange(at(low), at(high), 3.0)
        found = np.array([run.girth_mm if (run := leg_at(mesh, "left", z)) else np.nan for z in levels])
        if np.isnan(found).all():
            raise MeshProblem("The legs cannot be told apart on this body. Scan it with the feet a hand's breadth apart.")
        heights[key] = float(levels[int(np.nanargmax(found) if most else np.nanargmin(found))])
    return Landmarks(stature, floor, crotch, armpit, arms, legs, throat.centre_mm, chin, heights)


def _crotch(mesh: Mesh, floor: float, stature: float) -> float:
    """Where the mid-plane first meets the body from below; 0.47 of stature when the thighs touch."""
    found = loops(mesh, Plane((1.0, 0.0, 0.0), 0.3))
    if found:
        height = float(min(run.solid_points()[:, 2].min() for run in found))
        if 0.38 < (height - floor) / stature < 0.55:
            return height
    return floor + 0.47 * stature


def _armpit(mesh: Mesh, at: Callable[[float], float]) -> float | None:
    """The highest level at which trunk and both arms are three loops."""
    for share in np.arange(0.82, 0.60, -0.0025):
        found = [run for run in level_loops(mesh, at(share)) if run.girth_mm > 120]
        trunk = [run for run in found if run.hull[:, 0].min() < 0 < run.hull[:, 0].max()]
        if not trunk:
            continue
        edge = np.abs(trunk[0].hull[:, 0]).max()
        out = [run for run in found if abs(run.centre[0]) > edge]
        if any(run.centre[0] > 0 for run in out) and any(run.centre[0] < 0 for run in out):
            return float(at(share))
    return None


def _leg(mesh: Mesh, side: str, floor: float, crotch: float, stature: float) -> Limb:
    def centre(height: float) -> Floats:
        run = leg_at(mesh, side, height)
        if run is None:
            raise MeshProblem("The legs cannot be told apart on this body. Scan it with the feet a hand's breadth apart.")
        return run.centre_mm

    top, knee = centre(crotch - 0.03 * stature), centre(floor + KNEE_SHARE_OF_CROTCH * (crotch - floor))
    ankle = centre(floor + 0.045 * stature)
    hip = top + (top - knee) * ((crotch + 0.05 * stature - top[2]) / (top[2] - knee[2]))
    heel = np.array([ankle[0], ankle[1], floor])
    return Limb((hip, knee, ankle, heel))


def _arm(mesh: Mesh, side: str, stature: float, armpit: float) -> Limb:
    """Shoulder, elbow, wrist and finger tip, along the middle of rings of equal way from the tip."""
    sign = SIDES[side]
    outer = sign * mesh.vertices[:, 0]
    tip_index = int(np.argmax(outer))
    way = way_from(mesh, tip_index)
    reach = 0.46 * stature
    centres, at = [], []
    for low in np.arange(0.0, reach, 6.0):
        ring = mesh.vertices[(way >= low) & (way < low + 10.0) & (outer > 0)]
        if len(ring) < 3:
            continue
        centres.append((ring.max(axis=0) + ring.min(axis=0)) / 2)
        at.append(low + 5.0)
    path, places = np.array(centres), np.array(at)
    below = path[:, 2] < armpit - 0.02 * stature
    if below.sum() < 8:
        raise MeshProblem("The arms are too short on this body to be measured. Is the scan cut off at the wrists or the shoulders?")

    def point(way_mm: float) -> Floats:
        return np.array([np.interp(way_mm, places, path[:, k]) for k in range(3)])

    length = 0.44 * stature
    # The wrist is the thinnest place near where it should be.
    tries = np.arange(0.19, 0.31, 0.005) * length
    girths = []
    for way_mm in tries:
        run = across(mesh, point(way_mm), point(way_mm + 25) - point(way_mm - 25))
        girths.append(run.girth_mm if run else np.inf)
    wrist_way = float(tries[int(np.argmin(girths))])
    # Into the shoulder along the upper arm's own line: the middles of two level sections lie on it.
    upper, lower = (_arm_loop(mesh, sign, armpit - share * stature) for share in (0.006, 0.05))
    if upper is None or lower is None:
        raise MeshProblem("An arm was lost right below the armpit on this body. Scan it with the arms held further away from the sides.")
    direction = (upper - lower) / np.linalg.norm(upper - lower)
    rest = (sign * _SHOULDER_OUT_SHARE * stature - upper[0]) / (sign * min(sign * direction[0], -0.2))
    shoulder = upper + direction * float(np.clip(rest, 0.02 * stature, 0.12 * stature))
    top_way = float(places[np.argmin(np.linalg.norm(path - lower, axis=1))])
    upper = lower
    whole = top_way - wrist_way + float(np.linalg.norm(shoulder - upper))
    elbow_way = wrist_way + whole * (ELBOW_FROM_TIP - WRIST_FROM_TIP) / (1 - WRIST_FROM_TIP)
    return Limb((shoulder, point(elbow_way), point(wrist_way), mesh.vertices[tip_index].copy()))


def _arm_loop(mesh: Mesh, sign: float, height: float) -> Floats | None:
    found = [run for run in level_loops(mesh, height) if run.girth_mm > 100 and (sign * run.hull[:, 0]).min() > 20]
    return max(found, key=lambda run: float(sign * run.centre[0])).centre_mm if found else None


def way_from(mesh: Mesh, start: int) -> Floats:
    """(n,): shortest way along the edges from one corner to each."""
    a = mesh.faces.ravel()
    b = np.roll(mesh.faces, -1, axis=1).ravel()
    length = np.linalg.norm(mesh.vertices[a] - mesh.vertices[b], axis=1)
    n = len(mesh.vertices)
    graph = coo_matrix((np.maximum(length, 1e-6), (a, b)), (n, n)).tocsr()
    # Doubled entries would be added up: keep the graph of one direction each and treat it as two-way.
    return np.asarray(dijkstra(graph, directed=False, indices=start))


def profile(mesh: Mesh, levels: Floats, half_width_mm: float = 18.0) -> Floats:
    """(n,): how far forward (y, least) the face reaches at each level, within a strip about the mid-plane; nan where empty."""
    strip = np.abs(mesh.vertices[:, 0]) < half_width_mm
    points = mesh.vertices[strip]
    lows = np.full(len(levels), np.nan)
    step = levels[1] - levels[0]
    index = np.round((points[:, 2] - levels[0]) / step).astype(int)
    for k in range(len(levels)):
        here = points[np.abs(index - k) <= 1, 1]
        if len(here):
            lows[k] = here.min()
    return lows


def chin_height(mesh: Mesh, top: float, low: float) -> float:
    """Height of the chin's underside: below the nose, where the profile falls back toward the neck."""
    levels = np.arange(low, top, 3.0)
    reach = profile(mesh, levels)
    known = ~np.isnan(reach)
    if known.sum() < 10:
        return top - 0.13 * (top - float(mesh.bounds[0, 2]))
    reach = np.interp(levels, levels[known], reach[known])
    span = top - low
    nose_zone = (levels > top - 0.75 * min(span, 260)) & (levels < top - 0.35 * min(span, 260))
    nose = int(np.flatnonzero(nose_zone)[np.argmin(reach[nose_zone])]) if nose_zone.any() else len(levels) // 2
    below = np.arange(max(nose - int(90 / 3), 0), max(nose - int(30 / 3), 1))
    chin = int(below[np.argmin(reach[below])])
    for k in range(chin, -1, -1):
        if reach[k] > reach[chin] + 14:
            return float(levels[min(k + 1, len(levels) - 1)])
    return float(levels[0])


def nose_dip_height(mesh: Mesh, chin: float, top: float) -> float | None:
    """Height of the dip between the eyes: where the profile lies furthest back between nose tip and brow; None where there is none."""
    height = top - chin
    levels = np.arange(chin + 0.2 * height, chin + 0.72 * height, 2.0)
    reach = profile(mesh, levels, 7.0)
    if np.isnan(reach).mean() > 0.3:
        return None
    known = ~np.isnan(reach)
    reach = np.interp(levels, levels[known], reach[known])
    nose = int(np.argmin(reach[: int(0.6 * len(reach))]))
    above = reach[nose:]
    dip = int(np.argmax(above[: int(0.27 * height / 2.0)]))
    # A dip has the nose's rise below it and the brow's above.
    if above[dip] - above[0] < 6 or dip + 2 >= len(above) or above[dip:].min() > above[dip] - 0.5:
        return None
    return float(levels[nose + dip])
