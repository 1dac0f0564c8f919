"""The section tool against a measured body, the stand-in body against its own measurements and against real shapes."""

import csv
import unittest

import igl
import numpy as np
from scipy.spatial.transform import Rotation

from bastion_core.errors import MeshProblem
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.geometry.walls import overlap_share
from bastion_core.measure.body import BENT, Pose, stand_in
from bastion_core.measure.landmarks import SIDES
from bastion_core.measure.scan import measure_body
from bastion_core.measure.upright import measure_scan, take_scan
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import DATA, FEMALE, MALE, reference

# Measurements that came with the body: clad-body 0.6.1's ISO 8559-1 measurements of anny's average female (Apache-2.0, CC0 body data).
with (DATA / "anny_clad_female_average.csv").open(encoding="utf-8") as opened:
    TABLE = {row["measurement"]: row["value"] for row in csv.DictReader(opened)}
SAME = {
    "neck_girth_mm": "neck_cm", "chest_girth_mm": "bust_cm", "waist_girth_mm": "waist_cm", "hip_girth_mm": "hip_cm", "thigh_girth_mm": "thigh_cm",
    "knee_girth_mm": "knee_cm", "calf_girth_mm": "calf_cm", "upper_arm_girth_mm": "upperarm_cm", "wrist_girth_mm": "wrist_cm",
    "abdomen_girth_mm": "stomach_cm", "crotch_height_mm": "inseam_cm", "stature_mm": "height_cm",
}  # fmt: skip


class SectionTool(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.female, cls.male = measure_body(reference(FEMALE)), measure_body(reference(MALE))

    def test_girths_within_a_percent_of_the_table(self):
        for key, column in SAME.items():
            with self.subTest(key):
                wanted = 10 * float(TABLE[column])
                self.assertAlmostEqual(self.female.values[key], wanted, delta=0.01 * wanted)

    def test_the_same_body_in_metres_and_upside_down(self):
        turn = np.eye(4)
        turn[:3, :3] = Rotation.from_euler("xyz", [170, 20, 65], degrees=True).as_matrix() * 0.001
        scan = take_scan(reference(FEMALE).transformed(turn), "body")
        self.assertEqual(scan.unit, "m")
        told = measure_scan(scan).values
        for key in ("chest_girth_mm", "waist_girth_mm", "hip_girth_mm", "thigh_girth_mm", "calf_girth_mm", "wrist_girth_mm"):
            with self.subTest(key):
                self.assertAlmostEqual(told[key], self.female.values[key], delta=0.01 * told[key])

    def test_heights_of_the_table(self):
        # The heights (m) at which the table's girths were taken.
        for key, column in (
            ("chest_girth_mm", "_bust_z"),
            ("waist_girth_mm", "_waist_z"),
            ("thigh_girth_mm", "_thigh_z"),
            ("calf_girth_mm", "_calf_z"),
            ("knee_girth_mm", "_knee_z"),
        ):
            with self.subTest(key):
                self.assertAlmostEqual(self.female.landmarks.heights[key], 1000 * float(TABLE[column]), delta=8)

    def test_what_is_no_body(self):
        with self.assertRaises(MeshProblem):
            measure_body(Solid.cylinder(200, 1700).mesh())


class StandIn(unittest.TestCase):
    def check(self, wearer, pose=Pose()):  # noqa: B008
        body = stand_in(wearer, pose)
        for name, reads in body.girths.items():
            side, _, key = name.partition("_")
            key, side = (key, side) if side in SIDES else (name, "")
            if "heel" in key:
                continue
            bent = (pose.knee_deg if "knee" in key else pose.elbow_deg or 0) >= 60
            wanted = body.wearer.get(BENT.get(key, key) if side and bent else key, side)
            with self.subTest(name):
                self.assertAlmostEqual(reads, wanted, delta=1.0)
        return body

    def test_tapes_read_the_measurements_from_a_child_to_a_giant(self):
        for wearer in (
            Wearer(sex="male", measurements={"stature_mm": 1200.0}),
            Wearer(
                sex="female", mass_kg=110, measurements={"stature_mm": 1600.0, "left_calf_girth_mm": 430.0, "right_calf_girth_mm": 400.0}
            ),
            Wearer(sex="male", mass_kg=130, measurements={"stature_mm": 2050.0}),
        ):
            with self.subTest(wearer):
                body = self.check(wearer)
                self.assertAlmostEqual(body.mesh.size[2], wearer.measurements["stature_mm"], delta=1.0)
                self.assertGreater(Solid.from_mesh(body.mesh).volume, 1e7)
                self.assertLess(overlap_share(body.mesh), 0.01)

    def test_bent_limbs_have_their_bent_girths(self):
        body = self.check(Wearer(measurements={"stature_mm": 1750.0, "knee_girth_bent_mm": 402.0}), Pose(90, 90))
        self.assertAlmostEqual(body.girths["left_knee_girth_mm"], 402, delta=1)

    def test_the_head_is_an_oval_of_all_three(self):
        taken = {
            "stature_mm": 1750.0,
            "head_breadth_mm": 158.0,
            "head_length_mm": 196.0,
            "head_circumference_mm": 578.0,
            "chin_to_crown_mm": 236.0,
        }
        told = measure_body(stand_in(Wearer(sex="male", measurements=taken)).mesh).values
        for key, slack in (("head_breadth_mm", 1.0), ("head_length_mm", 1.5), ("head_circumference_mm", 4.0), ("chin_to_crown_mm", 4.0)):
            self.assertAlmostEqual(told[key], taken[key], delta=slack, msg=key)


def nearest(points: np.ndarray, mesh: Mesh, rounds: int = 25) -> np.ndarray:
    """Distances after laying points rigidly over a mesh: the pose is nobody's measurement."""
    for _ in range(rounds):
        squared, _, closest = igl.point_mesh_squared_distance(points, mesh.vertices, mesh.faces)[:3]
        keep = squared <= np.percentile(squared, 90)
        a, b = points[keep].mean(0), closest[keep].mean(0)
        rotation, _ = Rotation.align_vectors(closest[keep] - b, points[keep] - a)
        points = rotation.apply(points - a) + b
    return np.sqrt(igl.point_mesh_squared_distance(points, mesh.vertices, mesh.faces)[0])


class AgainstRealShapes(unittest.TestCase):
    """The stand-in made of one sex's template and the other body's measurements: nothing of the measured mesh is in it."""

    def compare(self, file, template):
        mesh = reference(file)
        taken = measure_body(mesh)
        body = stand_in(Wearer(sex=template, measurements=taken.values), Pose(elbow_deg=None))
        v, marks = body.mesh.vertices, taken.landmarks
        arms = body.arm_share["left"] + body.arm_share["right"]
        leg, real = body.joints["left_leg"], marks.legs["left"].joints
        drop = np.array([0, mesh.vertices[:, 1].mean() - v[:, 1].mean(), 0])
        share = (v[:, 2] - leg[2][2]) / (leg[0][2] - leg[2][2])
        parts = {
            "head": v[v[:, 2] > body.chin_mm] + drop,
            "trunk": v[(v[:, 2] > leg[0][2]) & (v[:, 2] < body.chin_mm - 40) & (arms < 0.05)] + drop,
            "leg": v[(v[:, 0] > 0) & (arms < 0.1) & (share > 0.05) & (share < 0.85)] + (np.array(real[1]) - leg[1]),
        }
        return {name: nearest(points, mesh) for name, points in parts.items()}

    def test_the_other_sex_within_12_mm(self):
        for file, template in ((FEMALE, "male"), (MALE, "female")):
            told = self.compare(file, template)
            for name, off in told.items():
                with self.subTest(file=file.name, part=name):
                    self.assertLess(float(np.sqrt((off**2).mean())), 12.0)
