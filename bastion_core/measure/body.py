"""The stand-in body: a closed mesh whose tapes read what the wearer's do.

A template body is stretched along its bones to the wearer's lengths and swelled round them to
the wearer's girths. Swelling is smooth between the measured places (monotone in between), and
is corrected a few times until every tape on the shaped body reads its target. What was not
measured is predicted first.
"""

from dataclasses import dataclass, field
from functools import cache, cached_property
from itertools import pairwise

import numpy as np
from scipy.interpolate import PchipInterpolator

from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.section import hull_of, perimeter
from bastion_core.measure.landmarks import SIDES, trunk_at
from bastion_core.measure.predict import Guess, completed
from bastion_core.measure.table import side_of
from bastion_core.measure.template import Ring, Template, smooth, template_of
from bastion_core.measure.wearer import Wearer

_ROUNDS = 7
_FRONT = np.array([0.0, -1.0, 0.0])
ARM_PLACES = {"upper_arm_girth_mm": 0.5, "elbow_girth_mm": 1.0, "forearm_girth_mm": 1.3, "wrist_girth_mm": 2.0, "knuckle_girth_mm": 2.5}
"""Where along the arm a girth is taken: 0 shoulder, 1 elbow, 2 wrist, 3 finger tips."""
BENT = {"elbow_girth_mm": "elbow_girth_bent_mm", "upper_arm_girth_mm": "upper_arm_girth_bent_mm", "knee_girth_mm": "knee_girth_bent_mm"}
_BENT_FROM_DEG = 60.0


@dataclass(frozen=True)
class Pose:
    """How the limbs are held, in degrees from straight; None leaves the template's own arms."""

    elbow_deg: float | None = 0.0
    knee_deg: float = 0.0


@dataclass(frozen=True, eq=False)
class Body:
    """A person's shape in millimetres: floor at z = 0, front toward -y, the wearer's right at -x."""

    mesh: Mesh
    wearer: Wearer
    """With every missing measurement filled in."""
    guesses: dict[str, Guess] = field(default_factory=dict)
    rings: dict[str, Floats] = field(default_factory=dict)
    """(k, 3): where each tape lies; sided ones with their side's prefix."""
    joints: dict[str, Floats] = field(default_factory=dict)
    """(4, 3) for left_arm (shoulder, elbow, wrist, tip), left_leg (hip, knee, ankle, floor), and so on."""
    chin_mm: float = 0.0
    arm_share: dict[str, Floats] = field(default_factory=dict)
    """(n,) a side: how far a corner belongs to that arm."""

    both_alike: bool = False
    """Whether nothing tells its left from its right."""

    @cached_property
    def girths(self) -> dict[str, float]:
        """What each tape on the shaped body reads, in mm."""
        return {k: ring_girth(points) for k, points in self.rings.items()}


def ring_girth(points: Floats) -> float:
    """Way of a tape round points (k, 3) that lie in or near one plane."""
    centred = points - points.mean(axis=0)
    _, _, axes = np.linalg.svd(centred, full_matrices=False)
    return perimeter(hull_of(centred @ axes[:2].T))


def stand_in(wearer: Wearer, pose: Pose = Pose()) -> Body:
    """The body of a wearer; missing measurements are predicted and listed in ``guesses``."""
    whole, guesses = completed(wearer)
    shaper = _Shaper(template_of(wearer.sex), whole, pose)
    shaper.solve()
    template = shaper.template
    vertices = shaper.shape(np.arange(len(template.mesh.vertices)))
    vertices[:, 2] -= vertices[:, 2].min()
    rings = {k: ring.points(vertices) for k, ring in template.rings.items()}
    alike = not any(side_of(key) for key in whole.measurements)
    return Body(Mesh(vertices, template.mesh.faces), whole, guesses, rings, shaper.joints(), shaper.chin, template.arm_share, alike)


@cache
def _spine(template_name: str) -> tuple[Floats, Floats]:
    """Heights and the trunk's middle (y) there, on the template."""
    template = template_of(template_name)
    marks = template.marks
    levels = np.linspace(marks.crotch_mm + 5, marks.chin_mm - 25, 24)
    middles = []
    for z in levels:
        run = trunk_at(template.mesh, float(z))
        points = run.points[np.abs(run.points[:, 0]) < 0.03 * marks.stature_mm] if run else np.zeros((1, 2))
        middles.append((points[:, 1].min() + points[:, 1].max()) / 2)
    return levels, np.array(middles)


def _turn(a: Floats, b: Floats) -> Floats:
    """(3, 3): the shortest rotation from unit a to unit b."""
    v, c = np.cross(a, b), float(a @ b)
    if c < -0.999999:
        return np.diag([1.0, -1.0, -1.0])
    k = np.array([[0, -v[2], v[1]], [v[2], 0, -v[0]], [-v[1], v[0], 0]])
    return np.asarray(np.eye(3) + k + k @ k / (1 + c))


def _unit(v: Floats) -> Floats:
    return np.asarray(v / np.linalg.norm(v))


class _Shaper:
    """The deformation: factors at the measured places, and how corners follow them."""

    def __init__(self, template: Template, wearer: Wearer, pose: Pose) -> None:
        self.template, self.wearer, self.pose = template, wearer, pose
        marks, old = template.marks, template.values
        self.k = self._want("stature_mm") / old["stature_mm"]
        # Heights: crotch, waist, nape, chin and crown go to their measured places.
        nape = marks.crotch_mm + old["torso_length_mm"]
        waist = marks.heights["waist_girth_mm"]
        self.top = self._want("stature_mm")
        self.chin = self.top - (marks.stature_mm - marks.chin_mm) * self._factor("chin_to_crown_mm")
        crotch = self._want("crotch_height_mm")
        new_nape = min(crotch + self._want("torso_length_mm"), self.chin - 0.6 * (marks.chin_mm - nape) * self.k)
        new_waist = new_nape - (nape - waist) * self._factor("back_length_mm")
        new_waist = float(np.clip(new_waist, crotch + 0.35 * (new_nape - crotch), crotch + 0.6 * (new_nape - crotch)))
        self.trunk_z = PchipInterpolator(
            [marks.crotch_mm * 0.5, marks.crotch_mm, waist, nape, marks.chin_mm, marks.stature_mm],
            [crotch * 0.5, crotch, new_waist, new_nape, self.chin, self.top],
            extrapolate=True,
        )
        self.spine = _spine(template.sex)
        # Factors that are corrected until the tapes read right: trunk stations, and each limb's.
        self.trunk = {k: self._factor(k) for k in ("hip_girth_mm", "abdomen_girth_mm", "waist_girth_mm", "chest_girth_mm", "neck_girth_mm")}
        self.aspect = {
            name: float(np.clip(self._factor(f"{name}_breadth_mm") / self._factor(f"{name}_depth_mm"), 0.75, 1.33)) ** 0.5
            for name in ("hip", "waist", "chest")
        }
        self.limb = {f"{side}_{k}": self._factor(k, side) for side in SIDES for k in (*ARM_PLACES, "thigh_girth_mm", "mid_thigh_girth_mm", "knee_girth_mm", "calf_girth_mm", "ankle_girth_mm")}  # fmt: skip
        self.bulge = 0.0
        self._make_maps()

    def _want(self, key: str, side: str = "") -> float:
        if side and key in BENT:
            bent = self.pose.knee_deg if "knee" in key else (self.pose.elbow_deg or 0.0)
            key = BENT[key] if bent >= _BENT_FROM_DEG else key
        value = self.wearer.get(key, side)
        assert value is not None  # the wearer is complete
        return value

    def _factor(self, key: str, side: str = "") -> float:
        old = self.template.values.get(key, self.template.values.get(f"{side or 'left'}_{key}", 0.0))
        return self._want(key, side) / old

    def _make_maps(self) -> None:
        """Smooth factors along trunk and limbs from those at the stations."""
        marks, t = self.template.marks, self.trunk
        shoulder_z = marks.arms["left"].joints[0][2]
        # Where a station is taken, and its factors across and deep.
        hip, waist, chest = ((t[f"{n}_girth_mm"] * self.aspect[n], t[f"{n}_girth_mm"] / self.aspect[n]) for n in ("hip", "waist", "chest"))
        belly = t["abdomen_girth_mm"] * (self.aspect["hip"] * self.aspect["waist"]) ** 0.5, t["abdomen_girth_mm"] / (self.aspect["hip"] * self.aspect["waist"]) ** 0.5  # fmt: skip
        stations = [
            (marks.crotch_mm - 20, *hip), (marks.heights["hip_girth_mm"], *hip), (marks.heights["abdomen_girth_mm"], *belly),
            (marks.heights["waist_girth_mm"], *waist), (marks.heights["chest_girth_mm"], *chest),
            (shoulder_z, self._factor("shoulder_breadth_mm"), chest[1]),
            (marks.heights["neck_girth_mm"], t["neck_girth_mm"], t["neck_girth_mm"]),
        ]  # fmt: skip
        z, x, y = np.array(sorted(stations)).T
        self._across, self._deep = PchipInterpolator(z, np.log(x)), PchipInterpolator(z, np.log(y))
        self._range = z[0], z[-1]
        self._arm_maps, self._leg_maps = {}, {}
        for side in SIDES:
            near = self.limb[f"{side}_upper_arm_girth_mm"] ** 0.5 * (chest[1] ** 0.5)
            places = [0.0, *ARM_PLACES.values(), 3.0]
            values = [near, *(self.limb[f"{side}_{k}"] for k in ARM_PLACES), self.limb[f"{side}_knuckle_girth_mm"]]
            self._arm_maps[side] = PchipInterpolator(places, np.log(values))
            keys = ("ankle_girth_mm", "calf_girth_mm", "knee_girth_mm", "mid_thigh_girth_mm", "thigh_girth_mm")
            heights = [marks.heights[k] for k in keys]
            factors = [self.limb[f"{side}_{k}"] for k in keys]
            self._leg_maps[side] = PchipInterpolator([*heights, heights[-1] + 60], np.log([*factors, factors[-1]]))

    # Each of these carries template points (n, 3) to where one bone takes them.

    def _trunk_at(self, v: Floats) -> Floats:
        z = np.clip(v[:, 2], *self._range)
        middle = np.interp(z, *self.spine)
        y = middle * self.k + (v[:, 1] - middle) * np.exp(self._deep(z))
        return np.column_stack([v[:, 0] * np.exp(self._across(z)), y, self.trunk_z(v[:, 2])])

    def _head_at(self, v: Floats) -> Floats:
        marks = self.template.marks
        kx, ky, kz = (self._factor(k) for k in ("head_breadth_mm", "head_length_mm", "chin_to_crown_mm"))
        ring = self.template.rings["head_circumference_mm"].points(self.template.mesh.vertices)
        middle = (ring[:, 1].min() + ring[:, 1].max()) / 2
        a, b = np.ptp(ring[:, 0]) / 2, np.ptp(ring[:, 1]) / 2
        neck = float(np.interp(marks.heights["neck_girth_mm"], *self.spine))
        angle = np.arctan2((v[:, 1] - middle) / b, v[:, 0] / a)
        fade = smooth((v[:, 2] - marks.chin_mm - 0.3 * (marks.stature_mm - marks.chin_mm)) / 40)
        swell = 1 + self.bulge * np.sin(2 * angle) ** 2 * fade
        y = neck * self.k + (middle - neck) * ky + (v[:, 1] - middle) * ky * swell
        return np.column_stack([v[:, 0] * kx * swell, y, self.top - (marks.stature_mm - v[:, 2]) * kz])

    def _arm_joints(self, side: str) -> tuple[list[Floats], list[Floats], list[Floats]]:
        """Old joints, new joints, and each bone's rotation."""
        old = list(self.template.marks.arms[side].joints)
        bones = [_unit(b - a) for a, b in pairwise(old)]
        upper = bones[0]
        if self.pose.elbow_deg is None:
            turned = bones
        else:
            e = np.radians(self.pose.elbow_deg)
            forward = _unit(_FRONT - (_FRONT @ upper) * upper)
            fore = np.cos(e) * upper + np.sin(e) * forward
            turned = [upper, fore, _turn(bones[1], fore) @ bones[2]]
        new = [self._trunk_at(old[0][None])[0]]
        for key, a, b, bone in zip(("upper_arm_length_mm", "forearm_length_mm", "hand_length_mm"), old, old[1:], turned, strict=False):
            new.append(new[-1] + bone * np.linalg.norm(b - a) * self._factor(key, side))
        rotations = [np.eye(3) if self.pose.elbow_deg is None or i == 0 else _turn(bones[1], turned[1]) for i in range(3)]
        return old, new, rotations

    def _arm_at(self, v: Floats, side: str) -> Floats:
        old, new, rotations = self._arm_joints(side)
        lengths = [float(np.linalg.norm(b - a)) for a, b in pairwise(old)]
        bones = [_unit(b - a) for a, b in pairwise(old)]
        moved = []
        for i, key in enumerate(("upper_arm_length_mm", "forearm_length_mm", "hand_length_mm")):
            along = (v - old[i]) @ bones[i]
            round_it = v - old[i] - along[:, None] * bones[i]
            factor = np.exp(self._arm_maps[side](np.clip(i + along / lengths[i], 0, 3)))
            moved.append(new[i] + (along[:, None] * bones[i] * self._factor(key, side) + round_it * factor[:, None]) @ rotations[i].T)
        # Which bone has a corner: by its place before or behind the plane that halves each joint.
        shares = [smooth((v - old[j]) @ _unit(bones[j - 1] + bones[j]) / (0.16 * min(lengths[j - 1], lengths[j]))) for j in (1, 2)]
        fore, hand = shares[0], shares[1] * (shares[0] > 0.5)
        return moved[0] * (1 - fore)[:, None] + (moved[1] * (1 - hand)[:, None] + moved[2] * hand[:, None]) * fore[:, None]

    def _leg_joints(self, side: str) -> tuple[Floats, Floats]:
        """(4, 3) each: hip, knee, ankle, floor on the template, and where they go."""
        old = np.array(self.template.marks.legs[side].joints)
        hip, knee, ankle, _ = old
        up = self._want("knee_height_mm", side) / knee[2]
        # Swelled thighs move apart instead of into each other.
        out = float(np.exp(self._leg_maps[side](self.template.marks.heights["thigh_girth_mm"])))
        new_hip = self._trunk_at(hip[None])[0]
        new_hip[0] = hip[0] * out
        spread = (self._want("crotch_height_mm")) / self.template.marks.crotch_mm
        new_knee = np.array([new_hip[0] + (knee[0] - hip[0]) * spread, new_hip[1] + (knee[1] - hip[1]) * spread, knee[2] * up])
        new_ankle = np.array([new_knee[0] + (ankle[0] - knee[0]) * up, new_knee[1] + (ankle[1] - knee[1]) * up, ankle[2] * up])
        return old, np.array([new_hip, new_knee, new_ankle, [new_ankle[0], new_ankle[1], 0.0]])

    def _leg_at(self, v: Floats, side: str) -> Floats:
        old, new = self._leg_joints(side)
        order = np.argsort(old[:, 2])
        knots = old[order, 2], new[order, 2]
        z_new = np.interp(v[:, 2], *knots) + np.where(v[:, 2] > knots[0][-1], (v[:, 2] - knots[0][-1]) * self.k, 0)
        c_old = np.column_stack([np.interp(v[:, 2], old[order, 2], old[order, i]) for i in (0, 1)])
        c_new = np.column_stack([np.interp(v[:, 2], old[order, 2], new[order, i]) for i in (0, 1)])
        ankle = self.template.marks.heights["ankle_girth_mm"]
        ring = np.exp(self._leg_maps[side](np.maximum(v[:, 2], ankle)))
        foot = smooth((0.55 * ankle - v[:, 2]) / (0.4 * ankle))
        fx = ring * (1 - foot) + self._factor("foot_breadth_mm", side) * foot
        fy = ring * (1 - foot) + self._factor("foot_length_mm", side) * foot
        moved = np.column_stack([c_new[:, 0] + (v[:, 0] - c_old[:, 0]) * fx, c_new[:, 1] + (v[:, 1] - c_old[:, 1]) * fy, z_new])
        if self.pose.knee_deg:
            share = smooth((old[1, 2] - v[:, 2]) / (0.12 * (old[1, 2] - old[2, 2])))
            angle = np.radians(self.pose.knee_deg)
            turn = np.array([[1, 0, 0], [0, np.cos(angle), -np.sin(angle)], [0, np.sin(angle), np.cos(angle)]])
            bent = new[1] + (moved - new[1]) @ turn.T
            moved = moved * (1 - share)[:, None] + bent * share[:, None]
        return moved

    def shape(self, index: Ints) -> Floats:
        """(k, 3): the template's corners ``index`` (k,) on the shaped body."""
        template, marks = self.template, self.template.marks
        v = template.mesh.vertices[index]
        head = smooth((v[:, 2] - marks.chin_mm + 0.002 * marks.stature_mm) / (0.012 * marks.stature_mm))
        bent = self._trunk_at(v) * (1 - head)[:, None] + self._head_at(v) * head[:, None]
        for side, sign in SIDES.items():
            leg = smooth((marks.crotch_mm + 0.012 * marks.stature_mm - v[:, 2]) / (0.035 * marks.stature_mm)) * (sign * v[:, 0] > 0)
            arm = template.arm_share[side][index]
            leg = leg * (1 - np.minimum(arm * 4, 1))
            if leg.any():
                bent = bent * (1 - leg)[:, None] + self._leg_at(v, side) * leg[:, None]
            if arm.any():
                bent = bent * (1 - arm)[:, None] + self._arm_at(v, side) * arm[:, None]
        return bent

    def joints(self) -> dict[str, Floats]:
        """New joints of all limbs."""
        bends = {f"{side}_arm": np.array(self._arm_joints(side)[1]) for side in SIDES}
        bends |= {f"{side}_leg": self._leg_joints(side)[1] for side in SIDES}
        return bends

    def solve(self) -> None:
        """Correct the factors until every tape reads its target."""
        rings = self.template.rings
        used, place = np.unique(np.concatenate([r.edges.ravel() for r in rings.values()]), return_inverse=True)
        local: dict[str, Ring] = {}
        start = 0
        for key, ring in rings.items():
            size = ring.edges.size
            local[key] = Ring(place[start : start + size].reshape(-1, 2), ring.shares)
            start += size
        for _ in range(_ROUNDS):
            here = self.shape(used)
            for key in self.trunk:
                self.trunk[key] *= self._want(key) / ring_girth(local[key].points(here))
            for name in self.limb:
                side, key = name.split("_", 1)
                if name in local:
                    self.limb[name] *= self._want(key, side) / ring_girth(local[name].points(here))
            reads = ring_girth(local["head_circumference_mm"].points(here))
            # Swelling the diagonals by one part lengthens the tape by about half a part.
            self.bulge = float(np.clip(self.bulge + 2.0 * (self._want("head_circumference_mm") / reads - 1), -0.09, 0.12))
            self._make_maps()
