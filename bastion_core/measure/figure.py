"""Line drawings of where each measurement is taken: the stand-in body's own outline with the tape or caliper on it."""

from dataclasses import dataclass
from functools import cache

import numpy as np

from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import Plane
from bastion_core.geometry.solid import Solid
from bastion_core.measure.body import Body, Pose, stand_in
from bastion_core.measure.scan import Taken, measure_body
from bastion_core.measure.table import TABLE, Measurement, bare_key
from bastion_core.measure.wearer import Wearer
from bastion_core.pieces.silhouette import FRONT, SIDE, silhouette

VIEWS = ("front", "side", "head", "head_side", "hand")
_FINGERS = ("thumb", "index", "middle", "ring", "little")


@dataclass(frozen=True)
class Figure:
    """Where one measurement is taken, in a view's millimetres, y downward.

    ``front`` is the tape's near half, ``behind`` its far half, each a run of points; for straight measures ``front`` holds
    the two ends.
    """

    view: str
    front: tuple[tuple[float, float], ...]
    behind: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Drawings:
    """Outlines by view (SVG path and box) and figures by measurement key."""

    outlines: dict[str, str]
    boxes: dict[str, tuple[float, float, float, float]]
    figures: dict[str, Figure]


def _flat(points: Floats, side: bool) -> Floats:
    """(n, 2): drawn from the front (x, -z) or from the wearer's right (-y, -z)."""
    return np.column_stack([-points[:, 1] if side else points[:, 0], -points[:, 2]])


def ring_figure(points: Floats, side: bool, view: str) -> Figure:
    """A tape split into what is seen and what lies behind the body."""
    depth = points[:, 0] if side else points[:, 1]
    flat = _flat(points, side)
    near = depth <= np.median(depth)
    order = np.argsort(flat[:, 0])
    front = [(round(float(x), 1), round(float(y), 1)) for x, y in flat[order][near[order]]]
    behind = [(round(float(x), 1), round(float(y), 1)) for x, y in flat[order][~near[order]]]
    ends = flat[[flat[:, 0].argmin(), flat[:, 0].argmax()]]
    first, last = ((round(float(x), 1), round(float(y), 1)) for x, y in ends)
    return Figure(view, (first, *front, last), (first, *behind, last))


def _span(a: Floats, b: Floats, side: bool, view: str) -> Figure:
    flat = _flat(np.array([a, b]), side)
    return Figure(view, tuple((round(float(x), 1), round(float(y), 1)) for x, y in flat))


@cache
def drawings() -> Drawings:
    """The drawings of the whole sheet."""
    body = stand_in(Wearer(measurements={"stature_mm": 1720.0}), Pose())
    taken = measure_body(body.mesh)
    crown = float(body.mesh.bounds[1, 2])
    solid = Solid.from_mesh(body.mesh)
    head, _ = solid.split(Plane((0.0, 0.0, 1.0), body.chin_mm - 62))
    outlines = {
        "front": silhouette(solid, FRONT),
        "side": silhouette(solid, SIDE),
        "head": silhouette(head, FRONT),
        "head_side": silhouette(head, SIDE),
        "hand": _HAND,
    }
    boxes = {
        "front": (-640.0, -crown - 20, 1280.0, crown + 40),
        "side": (-330.0, -crown - 20, 660.0, crown + 40),
        "head": (-170.0, -crown - 25, 340.0, 330.0),
        "head_side": (-190.0, -crown - 25, 380.0, 330.0),
        "hand": (0.0, 0.0, 220.0, 260.0),
    }
    figures = {row.key: figure for row in TABLE if (figure := _figure(row, body, taken)) is not None}
    return Drawings(outlines, boxes, figures)


def _figure(row: Measurement, body: Body, taken: Taken) -> Figure | None:
    key = row.key
    if row.group in ("Hand", "Fingers"):
        return _hand_figure(key)
    head = row.group == "Head"
    tape = next((taken.tapes[k] for k in (key, f"left_{key}") if k in taken.tapes), None)
    base = bare_key(key).replace("_bent_mm", "_mm").replace("_seated_mm", "_mm")
    if tape is None:
        tape = next((taken.tapes[k] for k in (base, f"left_{base}") if k in taken.tapes), None)
    if tape is not None and ("girth" in key or key == "head_circumference_mm"):
        return ring_figure(tape, False, "head" if head else "front")
    return _straight(key, body, taken)


def _straight(key: str, body: Body, taken: Taken) -> Figure | None:
    marks = taken.landmarks
    assert marks is not None
    arm, leg = body.joints["left_arm"], body.joints["left_leg"]
    crown = np.array([0.0, marks.neck[1], marks.stature_mm])
    chin = np.array([0.0, marks.neck[1] - 60, marks.chin_mm])
    nape = np.array([0.0, marks.neck[1] + 55, marks.chin_mm - 0.035 * marks.stature_mm])
    waist = marks.heights["waist_girth_mm"]
    shoulder = np.array([arm[0][0] + 18, arm[0][1], arm[0][2] + 40])
    spans: dict[str, tuple[Floats, Floats, bool]] = {
        "stature_mm": (np.array([330.0, 0, 0]), np.array([330.0, 0, marks.stature_mm]), False),
        "chin_to_crown_mm": (chin + np.array([0.0, -75, 0]), np.array([0, chin[1] - 75, crown[2]]), True),
        "face_height_mm": (chin + np.array([0.0, -60, 0]), np.array([0, chin[1] - 60, marks.chin_mm + 118]), True),
        "ear_height_mm": (np.array([0, marks.neck[1] - 6, crown[2] - 130]), np.array([0, marks.neck[1] - 6, crown[2]]), True),
        "shoulder_breadth_mm": (shoulder * [-1, 1, 1], shoulder, False),
        "bideltoid_breadth_mm": (shoulder * [-1.25, 1, 0.965], shoulder * [1.25, 1, 0.965], False),
        "back_length_mm": (nape, np.array([0, nape[1] + 5, waist]), True),
        "front_length_mm": (np.array([0, -70.0, nape[2] - 40]), np.array([0, -95.0, waist]), True),
        "torso_length_mm": (nape, np.array([0, 0, marks.crotch_mm]), True),
        "upper_arm_length_mm": (shoulder, arm[1], False),
        "forearm_length_mm": (arm[1], arm[2], False),
        "arm_length_mm": (shoulder, arm[2], False),
        "crotch_height_mm": (np.array([0, 0, 0.0]), np.array([0, 0, marks.crotch_mm]), False),
        "knee_height_mm": (np.array([leg[1][0] + 95, 0, 0.0]), np.array([leg[1][0] + 95, 0, leg[1][2]]), False),
        "thigh_length_mm": (leg[0] + [70, 0, 40], leg[1] + [60, 0, 0], False),
        "shank_length_mm": (leg[1] + [60, 0, 0], leg[2] + [45, 0, 0], False),
    }
    if key == "shoulder_girth_mm":
        x, z = 1.25 * shoulder[0], -0.955 * shoulder[2]
        bow = [(x * t, z + 26 * (1 - t * t)) for t in (-1.0, -0.6, 0.0, 0.6, 1.0)]
        return Figure("front", tuple(bow), tuple((px, 2 * z - py) for px, py in bow))
    if key in spans:
        a, b, side = spans[key]
        head = key in ("chin_to_crown_mm", "face_height_mm", "ear_height_mm")
        return _span(
            np.asarray(a, dtype=np.float64), np.asarray(b, dtype=np.float64), side, "head_side" if head else "side" if side else "front"
        )
    found = next((taken.spans[k] for k in (key, f"left_{key}") if k in taken.spans), None)
    if found is None:
        return None
    side = key.endswith("depth_mm") or key in ("head_length_mm", "foot_length_mm")
    view = {"head_breadth_mm": "head", "head_length_mm": "head_side"}.get(key, "side" if side else "front")
    return _span(found[0], found[1], side, view)


# A left hand seen from its back, fingers up, drawn by hand: (x, y) of each finger's root, joints and tip.
_FINGER_PLACES: dict[str, tuple[tuple[float, float], ...]] = {
    "thumb": ((168, 168), (190, 138), (204, 112)), "index": ((140, 116), (147, 76), (150, 48), (151, 26)),
    "middle": ((113, 108), (114, 62), (114, 32), (114, 8)), "ring": ((87, 114), (82, 72), (79, 44), (77, 22)),
    "little": ((64, 128), (53, 97), (47, 78), (43, 60)),
}  # fmt: skip
_HAND = (
    "M70,258 L66,206 Q54,170 54,134 L36,66 Q34,54 44,53 Q52,52 55,62 L72,112 L68,30 Q67,16 78,15 Q88,15 89,28 L99,106 L103,14 Q104,0 114,0 "
    "Q125,0 125,14 L127,106 L140,28 Q143,17 153,19 Q163,22 161,34 L156,122 L160,146 L192,104 Q201,94 210,101 Q217,108 211,120 L178,180 "
    "Q162,206 152,218 L152,258"
)


def _hand_figure(key: str) -> Figure:
    whole: dict[str, tuple[tuple[float, float], ...]] = {
        "hand_breadth_mm": ((50, 122), (158, 118)), "knuckle_girth_mm": ((52, 128), (104, 140), (158, 124)), "hand_length_mm": ((114, 226), (114, 0)),
    }  # fmt: skip
    if key in whole:
        behind = ((52, 128), (104, 116), (158, 124)) if "girth" in key else ()
        return Figure("hand", whole[key], behind)
    finger = next(f for f in _FINGERS if key.startswith(f))
    places = _FINGER_PLACES[finger]
    if "knuckle" in key:
        x, y = places[1]
        return Figure("hand", ((x - 12, y - 1), (x, y + 5), (x + 12, y - 1)), ((x - 12, y - 1), (x, y - 6), (x + 12, y - 1)))
    index = {"first": 0, "second": 1, "third": 2}[key.removeprefix(f"{finger}_").removesuffix("_mm")]
    return Figure("hand", (places[index], places[index + 1]))
