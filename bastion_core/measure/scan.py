"""Measurements off a mesh: a head or a whole body that stands upright and faces -y, in millimetres."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.spatial.distance import pdist

from bastion_core.errors import MeshProblem
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import Plane
from bastion_core.geometry.section import Loop, hull_of, level_loops, loops, perimeter
from bastion_core.measure.landmarks import SIDES, Landmarks, Limb, across, chin_height, find_landmarks, leg_at, nose_dip_height, trunk_at
from bastion_core.measure.readings import usual_sd_mm
from bastion_core.measure.table import bare_key, side_of

FINGERS = ("index", "middle", "ring", "little")
_ROUGH_MM = {
    "chin_to_crown_mm": 8.0, "face_height_mm": 8.0, "heel_instep_girth_mm": 10.0, "upper_arm_length_mm": 15.0, "forearm_length_mm": 15.0,
    "arm_length_mm": 20.0, "thigh_length_mm": 15.0, "shank_length_mm": 15.0, "shoulder_girth_mm": 35.0, "knuckle_girth_mm": 20.0,
    "hand_breadth_mm": 8.0, **{f"{finger}_knuckle_girth_mm": 5.0 for finger in FINGERS},
}  # fmt: skip
"""Doubt of what hangs on a chin, a heel, a joint or a hand's pose that a scan hides; as seen on the simulated scanner's heads and on turned bodies."""
_TIP_OVER_JOINT_SHARE = 0.033
"""How far the shoulder's bony tip lies above its joint, where the scan has a hole there; common practice, no source."""
_SIDE_SHOWN = 0.005
_FINGERS_AT = 0.66
"""How far along the hand its fingers are apart and at their ring joints."""
"""Left and right further apart than this share are told apart; nearer ones are one measurement."""


@dataclass(frozen=True, eq=False)
class Taken:
    """Measurements in mm by key, and the tape's way on the mesh of those that were taken round it."""

    values: dict[str, float]
    tapes: dict[str, Floats]
    """(m, 3) closed polylines."""
    spans: dict[str, Floats]
    """(2, 3): ends of what was taken straight."""
    landmarks: Landmarks | None = None

    def as_dict(self) -> dict[str, dict[str, float]]:
        """Value and doubt of each, as JSON tells it."""
        return {
            k: {"value": round(v, 1), "sd": round(max(usual_sd_mm(k, v, "scan"), _ROUGH_MM.get(bare_key(k), 0.0)), 2)}
            for k, v in self.values.items()
        }


def tape(mesh: Mesh, centre: Floats, direction: Floats, tilt_deg: float = 0.0) -> Loop | None:
    """The tape round a limb at ``centre`` square to ``direction``; with ``tilt_deg`` it settles on the shortest way within that tilt."""
    best = across(mesh, centre, direction)
    if best is None or tilt_deg <= 0:
        return best
    for angle in np.radians(np.arange(-tilt_deg, tilt_deg + 1, 5.0)):
        tilted = np.array(
            [
                direction[0],
                direction[1] * np.cos(angle) - direction[2] * np.sin(angle),
                direction[1] * np.sin(angle) + direction[2] * np.cos(angle),
            ]
        )
        run = across(mesh, centre, tilted)
        if run is not None and run.girth_mm < best.girth_mm:
            best = run
    return best


def measure_head(mesh: Mesh, chin_mm: float | None = None) -> Taken:
    """Breadth, length, circumference and chin to crown of an upright head facing -y (bust or body below it is no matter).

    ``chin_mm`` is the chin's height where it is known. MeshProblem when no head outline is found.
    """
    top = float(mesh.bounds[1, 2])
    chin = chin_mm if chin_mm is not None else chin_height(mesh, top, max(float(mesh.bounds[0, 2]), top - 330.0))
    height = top - chin
    if not 120 <= height <= 340:
        height = 226.0
        chin = top - height
    # Breadth is widest above the ears, length and tape between brows and back of the head.
    wide = _widest(mesh, top, height, np.arange(0.18, 0.44, 0.02), lambda run: float(run.size[0]))
    long = _widest(mesh, top, height, np.arange(0.24, 0.5, 0.02), lambda run: float(run.size[1]))
    if wide is None or long is None:
        raise MeshProblem("No closed outline of a head was found. Is the crown missing from the scan, or does it stand upside down?")
    # The tape lies over the brows and the furthest back: tilt it to the fullest way round.
    round_it = long
    middle = long.centre_mm
    for angle in np.radians(np.arange(-16, 17, 4.0)):
        run = _largest(loops(mesh, Plane.through(middle, np.array([0.0, np.sin(angle), np.cos(angle)]))))
        if run is not None and run.girth_mm > round_it.girth_mm and run.size.max() < 1.06 * long.size[1]:
            round_it = run
    hull_w, hull_l = wide.solid_points(), long.solid_points()
    values = {
        "head_breadth_mm": float(np.ptp(hull_w[:, 0])),
        "head_length_mm": float(np.ptp(hull_l[:, 1])),
        "head_circumference_mm": round_it.girth_mm,
        "chin_to_crown_mm": height,
    }
    dip = nose_dip_height(mesh, chin, top)
    if dip is not None:
        values["face_height_mm"] = dip - chin
    x_at, y_at = float(hull_w[:, 1].mean()), float(hull_l[:, 0].mean())
    spans = {
        "head_breadth_mm": np.array([[hull_w[:, 0].min(), x_at, hull_w[0, 2]], [hull_w[:, 0].max(), x_at, hull_w[0, 2]]]),
        "head_length_mm": np.array([[y_at, hull_l[:, 1].min(), hull_l[0, 2]], [y_at, hull_l[:, 1].max(), hull_l[0, 2]]]),
        "chin_to_crown_mm": np.array([[0.0, hull_l[:, 1].min(), chin], [0.0, hull_l[:, 1].min(), top]]),
    }
    return Taken(values, {"head_circumference_mm": round_it.solid_points()}, spans)


def _largest(found: list[Loop]) -> Loop | None:
    return found[0] if found and found[0].girth_mm > 250 else None


def _widest(mesh: Mesh, top: float, height: float, shares: Floats, size: Callable[[Loop], float]) -> Loop | None:
    runs = [run for share in shares if (run := _largest(level_loops(mesh, top - share * height))) is not None]
    return max(runs, key=size, default=None)


def measure_body(mesh: Mesh) -> Taken:
    """Everything that can be measured on a whole upright body facing -y with arms held off; MeshProblem when limbs cannot be told apart."""
    marks = find_landmarks(mesh)
    head = measure_head(mesh, marks.chin_mm)
    values, tapes, spans = dict(head.values), dict(head.tapes), dict(head.spans)
    values["stature_mm"] = marks.stature_mm
    values["crotch_height_mm"] = marks.crotch_mm - marks.floor_mm
    sided: dict[str, dict[str, float]] = {}
    fingers = {f"{side}_{key}": run for side in SIDES for key, run in _finger_tapes(mesh, marks.arms[side]).items()}
    for key, run in {**tape_loops(mesh, marks), **fingers}.items():
        tapes[key] = run.solid_points()
        side = side_of(key)
        if side:
            sided.setdefault(bare_key(key), {})[side] = run.girth_mm
        else:
            values[key] = run.girth_mm
    for name in ("chest", "waist", "hip"):
        points = tapes.get(f"{name}_girth_mm")
        if points is not None:
            values[f"{name}_breadth_mm"], values[f"{name}_depth_mm"] = float(np.ptp(points[:, 0])), float(np.ptp(points[:, 1]))
            spans[f"{name}_breadth_mm"] = points[[points[:, 0].argmin(), points[:, 0].argmax()]]
            spans[f"{name}_depth_mm"] = points[[points[:, 1].argmin(), points[:, 1].argmax()]]
    for side in SIDES:
        hand = tapes.get(f"{side}_knuckle_girth_mm")
        if hand is not None:
            sided.setdefault("hand_breadth_mm", {})[side] = float(pdist(hand).max())
    shoulders = _shoulder_tape(mesh, marks, sided.get("upper_arm_girth_mm", {}))
    if shoulders is not None:
        values["shoulder_girth_mm"], tapes["shoulder_girth_mm"] = perimeter(shoulders), shoulders
    for side in SIDES:
        for key, ends in _limb_spans(mesh, marks, side).items():
            sided.setdefault(key, {})[side] = float(np.linalg.norm(ends[1] - ends[0]))
            spans[f"{side}_{key}"] = ends
        sided.setdefault("arm_length_mm", {})[side] = sided["upper_arm_length_mm"][side] + sided["forearm_length_mm"][side]
    for key, both in sided.items():
        if len(both) == 2 and abs(both["left"] - both["right"]) > _SIDE_SHOWN * max(both.values()):
            values |= {f"{side}_{key}": v for side, v in both.items()}
        else:
            values[key] = float(np.mean(list(both.values())))
    return Taken(values, tapes, spans, marks)


def tape_loops(mesh: Mesh, marks: Landmarks) -> dict[str, Loop]:
    """Every tape of a whole body that lies in one plane, fingers' apart, by key; limbs' with their side's prefix. What was not found is left out."""
    found: dict[str, Loop | None] = {
        k: trunk_at(mesh, marks.heights[k]) for k in ("chest_girth_mm", "waist_girth_mm", "abdomen_girth_mm", "hip_girth_mm")
    }
    found["neck_girth_mm"] = tape(mesh, marks.neck, np.array([0.0, 0.0, 1.0]), 10.0)
    for side in SIDES:
        limb = _arm_tapes(mesh, marks.arms[side]) | _leg_tapes(mesh, marks, side)
        found |= {f"{side}_{key}": run for key, run in limb.items()}
    return {key: run for key, run in found.items() if run is not None}


def _shoulder_tape(mesh: Mesh, marks: Landmarks, upper_arms_mm: dict[str, float]) -> Floats | None:
    """(m, 3): the tape round chest and both arms as they would hang, at the armpits' height.

    A scan holds its arms off, so a section would be too wide: the arms are laid in as circles of their own girth under
    the shoulder joints.
    """
    run = trunk_at(mesh, marks.armpit_mm - 0.004 * marks.stature_mm)
    if run is None or len(upper_arms_mm) < 2:
        return None
    angle = np.arange(60) * (2 * np.pi / 60)
    circle = np.column_stack([np.cos(angle), np.sin(angle)])
    arms = [marks.arms[side].joints[0][:2] + circle * girth / (2 * np.pi) for side, girth in upper_arms_mm.items()]
    flat = hull_of(np.concatenate([run.hull, *arms]))
    return np.column_stack([flat, np.full(len(flat), marks.armpit_mm)])


def _along(a: Floats, b: Floats, share: float) -> Floats:
    return np.asarray(a + share * (b - a))


def _extreme(mesh: Mesh, a: Floats, b: Floats, shares: Floats, most: bool) -> Loop | None:
    """The fullest (or thinnest) tape between two joints."""
    runs = [run for s in shares if (run := across(mesh, _along(a, b, s), b - a)) is not None]
    if not runs:
        return None
    return (max if most else min)(runs, key=lambda run: run.girth_mm)


def _arm_tapes(mesh: Mesh, arm: Limb) -> dict[str, Loop | None]:
    shoulder, elbow, wrist, tip = arm.joints
    return {
        "knuckle_girth_mm": across(mesh, _along(wrist, tip, 0.5), tip - wrist),
        "upper_arm_girth_mm": _extreme(mesh, shoulder, elbow, np.arange(0.42, 0.62, 0.03), True),
        "elbow_girth_mm": tape(mesh, elbow, wrist - shoulder),
        "forearm_girth_mm": _extreme(mesh, elbow, wrist, np.arange(0.1, 0.5, 0.04), True),
        "wrist_girth_mm": _extreme(mesh, elbow, wrist, np.arange(0.88, 1.05, 0.02), False),
    }


def _finger_tapes(mesh: Mesh, arm: Limb) -> dict[str, Loop]:
    """Tapes round the four fingers where the scan shows them apart; nothing otherwise."""
    _, _, wrist, tip = arm.joints
    centre, reach = _along(wrist, tip, _FINGERS_AT), float(np.linalg.norm(tip - wrist))
    near = [run for run in loops(mesh, Plane.through(centre, tip - wrist)) if np.linalg.norm(run.centre_mm - centre) < 0.5 * reach]
    fingers = [run for run in near if 30 < run.girth_mm < 110]
    if len(fingers) != 4:
        return {}
    middles = np.array([run.centre for run in fingers])
    _, _, axes = np.linalg.svd(middles - middles.mean(axis=0))
    row = [fingers[i] for i in np.argsort(middles @ axes[0])]
    # The little finger is the thinner end.
    row = row if row[0].girth_mm > row[-1].girth_mm else row[::-1]
    return {f"{finger}_knuckle_girth_mm": run for finger, run in zip(FINGERS, row, strict=True)}


def leg_axis(marks: Landmarks, side: str, key: str) -> tuple[Floats, Floats]:
    """Where a leg's tape lies and what it is square to: (centre (3,), direction (3,))."""
    hip, knee, ankle, _ = marks.legs[side].joints
    height = marks.heights[key]
    if key == "knee_girth_mm":
        # Between the two bones' own lines.
        return knee, ((knee - hip) / np.linalg.norm(knee - hip) + (ankle - knee) / np.linalg.norm(ankle - knee)) / 2
    a, b = (hip, knee) if height > knee[2] else (knee, ankle)
    return _along(a, b, (height - a[2]) / (b[2] - a[2])), np.array([0.0, 0.0, -1.0])


def _leg_tapes(mesh: Mesh, marks: Landmarks, side: str) -> dict[str, Loop | None]:
    loops: dict[str, Loop | None] = {
        key: leg_at(mesh, side, marks.heights[key]) for key in ("thigh_girth_mm", "mid_thigh_girth_mm", "calf_girth_mm", "ankle_girth_mm")
    }
    loops["knee_girth_mm"] = across(mesh, *leg_axis(marks, side, "knee_girth_mm"))
    heel, instep = heel_and_instep(mesh, marks, side)
    run = across(mesh, (heel + instep) / 2, np.cross(instep - heel, np.array([1.0, 0.0, 0.0])))
    loops["heel_instep_girth_mm"] = run
    return loops


def _foot(mesh: Mesh, marks: Landmarks, side: str) -> Floats:
    """(n, 3): corners of one foot, below the ankle."""
    v = mesh.vertices
    return np.asarray(v[(v[:, 2] < marks.floor_mm + 0.05 * marks.stature_mm) & (SIDES[side] * v[:, 0] > 0)])


def heel_and_instep(mesh: Mesh, marks: Landmarks, side: str) -> tuple[Floats, Floats]:
    """The heel's lower back and the instep's bend, between which the pointed foot's tape lies."""
    foot = _foot(mesh, marks, side)
    ankle = marks.legs[side].joints[2]
    low = foot[foot[:, 2] < marks.floor_mm + 0.02 * marks.stature_mm]
    heel = low[low[:, 1].argmax()] + np.array([0.0, 0.0, 0.004 * marks.stature_mm])
    front = foot[(foot[:, 1] < ankle[1]) & (np.abs(foot[:, 2] - marks.floor_mm - 0.047 * marks.stature_mm) < 8)]
    instep = front[front[:, 1].argmin()] if len(front) else ankle
    return heel, instep


def _limb_spans(mesh: Mesh, marks: Landmarks, side: str) -> dict[str, Floats]:
    shoulder, elbow, wrist, tip = marks.arms[side].joints
    hip, knee, ankle, _heel = marks.legs[side].joints
    foot = _foot(mesh, marks, side)
    back, front = foot[foot[:, 1].argmax()], foot[foot[:, 1].argmin()]
    left, right = foot[foot[:, 0].argmin()], foot[foot[:, 0].argmax()]
    floor = np.array([knee[0], knee[1], marks.floor_mm])
    # The bony tip lies under the skin right above the joint.
    up, _ = mesh.rays.first_hits(shoulder[None], np.array([[0.0, 0.0, 1.0]]))
    rise = float(up[0]) if up[0] < 0.06 * marks.stature_mm else _TIP_OVER_JOINT_SHARE * marks.stature_mm
    return {
        "upper_arm_length_mm": np.array([shoulder + np.array([0.0, 0.0, rise]), elbow]),
        "forearm_length_mm": np.array([elbow, wrist]),
        "hand_length_mm": np.array([wrist, tip]),
        "knee_height_mm": np.array([knee, floor]),
        "thigh_length_mm": np.array([hip, knee]),
        "shank_length_mm": np.array([knee, ankle]),
        "foot_length_mm": np.array([[back[0], back[1], back[2]], [back[0], front[1], back[2]]]),
        "foot_breadth_mm": np.array([[left[0], left[1], left[2]], [right[0], left[1], left[2]]]),
    }
