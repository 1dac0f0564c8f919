"""Parts cut by another library (trimesh's plane slicer), then moved and turned anyhow, are put together again; gaps are told as they are."""

import unittest

import numpy as np
import trimesh
from manifold3d import Manifold
from scipy.spatial.transform import Rotation

from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.pieces.mating import Assembly, Mate, faces_of, mates_of, put_together
from bastion_core.tests.shapes import box, dome


def helmet() -> trimesh.Trimesh:
    """A dome with a keel on one side, so that it has no second way to go together, and wider in front."""
    shell = dome(156, 204, 240).manifold
    keel = Manifold.cube([8, 60, 140], True).translate([-70, -40, 90]) - dome(150, 198, 236, 1.0).manifold
    inside = Manifold.sphere(1.0, 96).scale([78, 102, 72]).translate([0, 0, 168])
    mesh = Solid(shell + (keel - inside)).mesh()
    return trimesh.Trimesh(mesh.vertices, mesh.faces)


def sliced(body: trimesh.Trimesh, normal: list[float], at: list[float]) -> tuple[trimesh.Trimesh, trimesh.Trimesh]:
    """What lies above a plane and what below it."""
    above, below = (
        trimesh.intersections.slice_mesh_plane(body, sign * np.array(normal), at, cap=True, engine="manifold") for sign in (1.0, -1.0)
    )
    return above, below


def mesh_of(body: trimesh.Trimesh) -> Mesh:
    return Solid.from_mesh(Mesh(np.asarray(body.vertices), np.asarray(body.faces))).mesh()


def three_files() -> list[Mesh]:
    top, rest = sliced(helmet(), [0, 0.1, 1], [0, 0, 150])
    back, face = sliced(rest, [0.1, 1, 0], [0, 10, 0])
    return [mesh_of(part) for part in (top, back, face)]


def shuffled(meshes: list[Mesh], seed: int = 4) -> tuple[list[Mesh], list[np.ndarray]]:
    """All but the first moved and turned anyhow, and what would bring each back."""
    rng, moved, back = np.random.default_rng(seed), [], []
    for k, mesh in enumerate(meshes):
        matrix = np.eye(4)
        if k:
            matrix[:3, :3] = Rotation.random(random_state=seed + k).as_matrix()
            matrix[:3, 3] = rng.uniform(-200, 200, 3) + np.array([500 * k, 0, 0])
        moved.append(mesh.transformed(matrix))
        back.append(np.linalg.inv(matrix))
    return moved, back


def mated(meshes: list[Mesh]) -> tuple[tuple[Mate, ...], Assembly]:
    faces = [faces_of(m) for m in meshes]
    mates = mates_of(meshes, faces)
    return mates, put_together(meshes, faces, mates)


class Mating(unittest.TestCase):
    def test_in_their_places_they_meet_as_they_were_cut(self):
        meshes = three_files()
        mates, assembly = mated(meshes)
        self.assertEqual({m.files for m in mates}, {(0, 1), (0, 2), (1, 2)})
        self.assertEqual((assembly.joints, assembly.strays), ((), ()))
        for mate in mates:
            self.assertTrue(mate.flat)
            self.assertAlmostEqual(mate.gap_mm, 0.0, delta=0.01)
            self.assertEqual(mate.overlap_mm3, 0.0)
        level = np.array([0, 0.1, 1]) / np.hypot(0.1, 1)
        self.assertAlmostEqual(abs(float(level @ next(m.normal for m in mates if m.files == (0, 1)))), 1.0, delta=1e-4)
        # The faces between the three, by the areas of trimesh's own sections.
        cut = helmet().section_multiplane([0, 0, 150], level, [0.0])[0].area
        self.assertAlmostEqual(sum(m.area_mm2 for m in mates if 0 in m.files) / cut, 1.0, delta=0.03)

    def test_shuffled_they_are_put_together_again(self):
        moved, back = shuffled(three_files())
        mates, assembly = mated(moved)
        self.assertEqual((mates, assembly.strays), ((), ()))
        self.assertEqual(len(assembly.joints), 2)
        for mesh, move, true in zip(moved, assembly.moves, back, strict=True):
            put, wanted = (mesh.vertices @ m[:3, :3].T + m[:3, 3] for m in (move, true))
            self.assertLess(float(np.linalg.norm(put - wanted, axis=1).max()), 0.15)

    def test_faces_with_pockets_match_too(self):
        """Pockets in one face and pegs in the other: their outlines still match."""
        body = Manifold.cube([90, 40, 60], True)
        lower, upper = body.trim_by_plane([0, 0, -1], 0), body.trim_by_plane([0.0, 0.0, 1.0], 0)
        upper = upper.trim_by_plane([0.3, 0, -1], -25)
        for x in (-30, 10, 30):
            lower = lower - Manifold.cylinder(8, 3.1, 3.1, 40).translate([x, 5, -8])
            upper = upper + Manifold.cylinder(9, 2.9, 2.9, 40).translate([x, 5, -7])
        moved, back = shuffled([Solid(lower).mesh(), Solid(upper).mesh()])
        _, assembly = mated(moved)
        self.assertEqual(len(assembly.joints), 1)
        put, wanted = (moved[1].vertices @ m[:3, :3].T + m[:3, 3] for m in (assembly.moves[1], back[1]))
        self.assertLess(float(np.linalg.norm(put - wanted, axis=1).max()), 0.1)

    def test_a_curved_face(self):
        """Two parts of a block parted along a cylinder."""
        block, knife = Manifold.cube([80, 50, 40], True), Manifold.cylinder(60, 70, 70, 160, True).translate([-60, 10, 0])
        inner, outer = Solid(block ^ knife).mesh(), Solid(block - knife).mesh()
        mates, _ = mated([inner, outer])
        self.assertEqual([m.flat for m in mates], [False])
        moved, back = shuffled([inner, outer])
        _, assembly = mated(moved)
        self.assertEqual(len(assembly.joints), 1)
        put, wanted = (moved[1].vertices @ m[:3, :3].T + m[:3, 3] for m in (assembly.moves[1], back[1]))
        self.assertLess(float(np.linalg.norm(put - wanted, axis=1).max()), 0.3)

    def test_gaps_and_overlaps_as_they_are(self):
        lower = box(60, 40, 20).mesh()
        for gap in (-0.4, 0.0, 0.3, 1.5):
            with self.subTest(gap):
                upper = box(60, 40, 20, (0, 0, 20 + gap)).mesh()
                mates, _ = mated([lower, upper])
                (one,) = [m for m in mates if m.flat]
                self.assertAlmostEqual(one.gap_mm, gap, delta=0.01)
                self.assertAlmostEqual(one.overlap_mm3, 60 * 40 * max(-gap, 0), delta=2)
                self.assertAlmostEqual(one.area_mm2, 2400, delta=60)
        self.assertEqual(mated([lower, box(60, 40, 20, (0, 0, 24)).mesh()])[0], (), "4 mm apart they do not touch")

    def test_what_does_not_belong_to_it(self):
        moved, _ = shuffled([*three_files(), Solid(Manifold.sphere(40, 64)).mesh()])
        _, assembly = mated(moved)
        self.assertEqual(assembly.strays, (3,))
        self.assertEqual(len(assembly.joints), 2)

    def test_a_tube_goes_together_in_more_than_one_way(self):
        ring = Manifold.cylinder(40, 30, 30, 90) - Manifold.cylinder(42, 26, 26, 90).translate([0, 0, -1])
        moved, _ = shuffled([Solid(ring).mesh(), Solid(ring).mesh()])
        _, assembly = mated(moved)
        self.assertEqual(len(assembly.joints), 1)
        self.assertGreater(assembly.joints[0].turns, 1)


if __name__ == "__main__":
    unittest.main()
