"""Heads of others, cut off at the neck and lying anyhow: stood up rightly, or asked about, and never measured upside down."""

import unittest

import numpy as np
import trimesh
from scipy.spatial.transform import Rotation

from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.measure.landmarks import find_landmarks
from bastion_core.measure.scan import measure_head
from bastion_core.measure.upright import measure_scan, take_scan
from bastion_core.tests.shapes import FEMALE, MALE, reference

BREADTH_MM, ROUND_MM = 3.0, 8.0
"""A silent error beyond these makes another helmet."""


def turned(mesh: Mesh, turn: Rotation) -> Mesh:
    move = np.eye(4)
    move[:3, :3] = turn.as_matrix()
    return mesh.transformed(move)


def head_of(path, below_chin_mm: float) -> Mesh:
    """An averaged real head, cut level through the neck: open there, without shoulders."""
    body = reference(path)
    cut = trimesh.Trimesh(body.vertices, body.faces, process=False)
    cut = cut.slice_plane([0, 0, find_landmarks(body).chin_mm - below_chin_mm], [0, 0, 1])
    largest = max(cut.split(only_watertight=False), key=lambda part: part.area)
    return Mesh(np.asarray(largest.vertices), np.asarray(largest.faces, dtype=np.int64))


def noisy(mesh: Mesh, sd_mm: float) -> Mesh:
    return Mesh(mesh.vertices + np.random.default_rng(1).normal(0, sd_mm, mesh.vertices.shape), mesh.faces)


class Heads(unittest.TestCase):
    def silent_errors(self, head: Mesh, turns: list[Rotation]) -> tuple[list[Floats], int]:
        """What was measured wrongly without a word, and how often was asked."""
        truth = measure_head(head).values
        wrong, asked = [], 0
        for turn in turns:
            scan = take_scan(turned(head, turn), "head", "mm")
            if not scan.sure:
                asked += 1
                continue
            got = measure_scan(scan).values
            off = np.array([got[key] - truth[key] for key in ("head_breadth_mm", "head_circumference_mm")])
            if (np.abs(off) > [BREADTH_MM, ROUND_MM]).any():
                wrong.append(off)
        return wrong, asked

    def test_about_its_vertical(self):
        yaws = [Rotation.from_euler("z", angle, degrees=True) for angle in range(0, 360, 30)]
        for path, drop in ((MALE, 60), (FEMALE, 90)):
            with self.subTest(path.stem, drop=drop):
                wrong, asked = self.silent_errors(head_of(path, drop), yaws)
                self.assertEqual((wrong, asked), ([], 0), "it stands in its file: there is nothing to ask")

    def test_lying_anyhow(self):
        for path, drop, sd in ((MALE, 90, 0.0), (FEMALE, 20, 0.0), (MALE, 20, 0.8)):
            with self.subTest(path.stem, drop=drop, sd=sd):
                head = head_of(path, drop)
                wrong, asked = self.silent_errors(noisy(head, sd) if sd else head, list(Rotation.random(6, random_state=3)))
                self.assertEqual(wrong, [])
                self.assertLessEqual(asked, 2)

    def test_a_ball_is_asked_about(self):
        """Nothing says where its neck is: many ways to stand come as near."""
        ball = trimesh.creation.icosphere(4, 90.0)
        scan = take_scan(Mesh(ball.vertices, ball.faces.astype(np.int64)), "head", "mm")
        self.assertFalse(scan.sure)
        shown = take_scan(Mesh(ball.vertices, ball.faces.astype(np.int64)), "head", "mm", [[0, -90, 0], [90, 0, 0], [-90, 0, 0]])
        self.assertTrue(shown.sure)
