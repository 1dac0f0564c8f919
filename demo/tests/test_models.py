"""The demo's models are what they are said to be, and fail where they are meant to."""

import re
import tempfile
import unittest
from datetime import date
from pathlib import Path

import numpy as np

from bastion_core.cut.beds import fits, hull_points
from bastion_core.errors import MeshProblem
from bastion_core.fit.head import fit_head
from bastion_core.geometry.solid import Solid
from bastion_core.geometry.walls import thinnest_wall_mm
from bastion_core.measure.doubts import doubts
from bastion_core.measure.wearer import wearer_from_dict
from bastion_core.pieces.mend import make_sound
from bastion_core.shop import Printer
from demo import models, story


class Models(unittest.TestCase):
    def test_sound_but_for_the_torn_one(self):
        for model in models.MODELS:
            with self.subTest(model.file):
                mesh = model.make(0.05)
                if model.make is models.torn_bracer:
                    with self.assertRaises(MeshProblem):
                        Solid.from_mesh(mesh)
                    self.assertFalse(make_sound(mesh).faults.closed)
                else:
                    self.assertEqual(len(Solid.from_mesh(mesh).bodies()), 1)
                    self.assertGreater(mesh.volume, 0)

    def test_same_every_time(self):
        np.testing.assert_array_equal(models.crest(0.05).vertices, models.crest(0.05).vertices)

    def test_the_helm_is_a_real_load_with_its_wall(self):
        mesh = models.nautilus_helm()
        self.assertTrue(280_000 < mesh.triangle_count < 330_000)
        self.assertAlmostEqual(thinnest_wall_mm(mesh), 3.2, delta=0.3)

    def test_staff_is_long_and_heavy_headed(self):
        staff = Solid.from_mesh(models.lantern_staff(0.1))
        self.assertAlmostEqual(staff.size[2], 1900, delta=1)
        head = Solid(staff.manifold.trim_by_plane((0, 0, 1), 1400))
        self.assertGreater(head.volume / staff.volume, 0.4)

    def test_written_as_files(self):
        with tempfile.TemporaryDirectory() as folder:
            written = models.write_models(Path(folder), 0.03)
            self.assertEqual(set(written), {file for p in story.PIECES for file in (p.file, *p.files)})


class Story(unittest.TestCase):
    def setUp(self):
        self.oda, self.ketil = (wearer_from_dict(w) for w in story.WEARERS)
        self.printers = [Printer(p["name"], p["x_mm"], p["y_mm"], p["z_mm"]) for p in story.PRINTERS]

    def test_wearers_are_plausible_and_of_different_build(self):
        for wearer in (self.oda, self.ketil):
            self.assertEqual(doubts(wearer.measurements), {})
        self.assertGreater(self.ketil.get("stature_mm") - self.oda.get("stature_mm"), 200)

    def test_the_helm_fits_one_and_stops_the_other(self):
        helm = models.nautilus_helm(0.1)
        self.assertEqual(fit_head(helm, self.oda).verdict, "holds")
        self.assertEqual(fit_head(helm, self.ketil, scale=(1.0, 1.0, 1.0)).verdict, "stops")

    def test_the_staff_fits_no_bed_and_the_breastplate_no_common_one(self):
        staff = hull_points(models.lantern_staff(0.05).vertices)
        plate = hull_points(models.breakwater_breastplate(0.05).vertices)
        self.assertFalse(any(fits(staff, p) for p in self.printers))
        self.assertFalse(any(fits(plate, p) for p in self.printers[:2]))

    def test_shop_and_date(self):
        self.assertEqual(sorted(p.get("kind", "filament") for p in story.PRINTERS), ["filament"] * 3 + ["resin"])
        self.assertTrue(any(p["bed_moves"] for p in story.PRINTERS) and any(p["speed_mm_s"] > 150 for p in story.PRINTERS))
        self.assertEqual(len({s["material"] for s in story.SPOOLS}), 2)
        self.assertGreater((story.due(date(2027, 1, 1)) - date(2027, 1, 1)).days, 20)

    def test_the_demo_needs_no_word_of_another_world(self):
        words = " ".join(p.name + str(p.recipe.get("note", "")) for p in story.PIECES)
        self.assertTrue(re.fullmatch(r"[\w ,.:'’-]+", words))
