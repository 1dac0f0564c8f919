"""What moves: ranges by geometry, holes at true size, gaping, strips at true size read back, hinges by formula."""

import re
import unittest
from dataclasses import replace
from functools import cache
from unittest.mock import patch

import numpy as np
from lxml import etree
from manifold3d import Manifold

from bastion_core.cut.parting import Part, Parting
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.joining import JoinRule, hardware, join
from bastion_core.join.moving import LAP_MM, STRETCHED, Moved, MovedRecord, Moving, moved, moved_record, told_of
from bastion_core.join.patterns import SQUARE_MM, strips_pdf, strips_svg
from bastion_core.statics.hinges import (
    KNUCKLE_MM,
    MOST_STRAIN,
    SLEW_MM,
    STRIP_STRAIN,
    fold_length,
    fold_strain,
    hinges_for,
    slew_mm,
    width_for,
)
from bastion_core.tests.shapes import box

ONE = np.ones(3)
UP = (0.0, 0.0, 1.0)


@cache
def arm_and_stop() -> tuple[Part, ...]:
    """A plate with two posts, and an arm 12 wide over it that turns about the origin until its edge meets one of them."""
    plate = box(120, 120, 3, (0, 0, -1.5)).manifold
    posts = Manifold.cube([4.0, 4.0, 10.0]).translate([30, 20, 0]) + Manifold.cube([4.0, 4.0, 10.0]).translate([30, -40, 0])
    arm = Manifold.cube([58.0, 12.0, 3.0]).translate([-8, -6, 2.0])
    return Part("p-A", Solid(plate.translate([0, 0, 0]) + posts)), Part("p-B", Solid(arm))


def meets_at(corners, half: float = 6.0) -> float:
    """The least turn at which an edge so far beside the line through the pivot meets one of some points."""
    return min(np.degrees(np.arctan2(y, x) - np.arcsin(half / np.hypot(x, y))) for x, y in corners)


class Ranges(unittest.TestCase):
    def test_a_turn_by_geometry(self):
        found = moved(arm_and_stop(), Moving("A-B", axis=UP), ONE)
        assert isinstance(found, Moved)
        up = meets_at([(30, 20), (34, 20), (34, 24), (30, 24)])
        down = meets_at([(30, 36), (34, 36), (34, 40), (30, 40)])
        self.assertAlmostEqual(found.high, up, delta=0.3)
        self.assertAlmostEqual(found.low, -down, delta=0.3)
        self.assertTrue(found.held_low and found.held_high)
        self.assertEqual(found.rivets, 1)

    def test_a_slide_by_geometry(self):
        """The arm's end at 50 slides toward a wall at 61.5, or as far as its slot lets it."""
        plate = Part("p-A", Solid(box(160, 60, 3, (0, 0, -1.5)).manifold + Manifold.cube([4.0, 40.0, 10.0]).translate([61.5, -20, 0])))
        arm = arm_and_stop()[1]
        for slot, far, held in ((20.0, 11.5, True), (8.0, 8.0, False)):
            found = moved((plate, arm), Moving("A-B", "slot", axis=UP, along=(1.0, 0, 0), slot_mm=slot), ONE)
            assert isinstance(found, Moved)
            self.assertAlmostEqual(found.high, far, delta=0.3)
            self.assertEqual((found.low, found.held_high), (0.0, held))
            long = found.tools["p-B"][0].size
            np.testing.assert_allclose(sorted(long[:2]), [3.3, 3.3 + slot], atol=0.06)

    def test_plates_that_cannot_move(self):
        boxed = Part(
            "p-A",
            Solid(
                box(120, 40, 3, (0, 0, -1.5)).manifold
                + (
                    Manifold.cube([70.0, 40.0, 8.0]).translate([-14, -20, 0])
                    - Manifold.cube([58.4, 12.4, 9.0]).translate([-8.2, -6.2, -0.5])
                )
            ),
        )
        said = moved((boxed, arm_and_stop()[1]), Moving("A-B", axis=UP), ONE)
        self.assertIn("cannot turn against A at all", str(said))

    def test_rivets_that_hold_nothing(self):
        parts = arm_and_stop()
        for wanted, words in (
            (Moving("A-B", axis=UP, at_mm=(-40.0, 0, 0)), "nowhere side by side"),
            (Moving("A-B", axis=UP, at_mm=(0.0, 4.0, 0)), "too near an edge of B"),
            (Moving("A-C", axis=UP), "no parts A and C"),
        ):
            self.assertIn(words, str(moved(parts, wanted, ONE)))

    def test_at_another_scale_the_rivet_stays(self):
        half = tuple(Part(p.name, p.solid.transformed(np.diag([1.5, 1.5, 1.5, 1.0]))) for p in arm_and_stop())
        found = moved(half, Moving("A-B", axis=UP), 1.5 * ONE)
        assert isinstance(found, Moved)
        self.assertAlmostEqual(found.tools["p-A"][0].size[0], 3.3, delta=0.05)
        self.assertAlmostEqual(found.high, meets_at([(30, 20), (34, 20)]), delta=0.3)
        self.assertAlmostEqual(moved_record(found, 0).half_hole_mm, 1.65)

    def test_holes_in_the_parts_and_rivets_on_the_list(self):
        parting = Parting(arm_and_stop(), (), ())
        made = join(parting, JoinRule(PinRule(), moves=(Moving("A-B", axis=UP, strip=""),)))
        for part in made.parts:
            z = -1.5 if part.name == "p-A" else 3.5
            section = part.solid.section(z)
            (hole,) = section.interiors
            self.assertAlmostEqual(np.ptp(np.array(hole.coords)[:, 0]), 3.3, delta=0.05)
        (line,) = hardware(made.joints, made.moves)
        self.assertEqual((line.kind, line.count, line.diameter_mm), ("rivet", 1, 3.0))
        self.assertEqual(line.length_mm, 10)  # 6.5 through both walls and what lies between, 3 to set its head, the next millimetre

    def test_gaping(self):
        """Two plates, 20 mm one over the other: the upper one lifted about its near end leaves the lower one's edge 20 mm away; its strip stops it."""
        under = Part("p-A", Solid(Manifold.cube([60.0, 40.0, 2.0]).translate([-50, -20, -2.2])))
        over = Part("p-B", Solid(Manifold.cube([60.0, 40.0, 2.0]).translate([-10, -20, 0.0])))
        strip, bare = (
            moved((under, over), Moving("A-B", "hinge", axis=(0, 1.0, 0), at_mm=(-10.0, 0.0, 0.0), strip=s), ONE) for s in ("tpu", "")
        )
        assert isinstance(strip, Moved) and isinstance(bare, Moved) and strip.strip
        self.assertAlmostEqual(strip.overlap_mm, 20, delta=3)
        self.assertAlmostEqual(strip.gape_mm, 19.8, delta=1.0)
        self.assertLess(strip.strip.free_mm, 20 + 19.8)
        self.assertAlmostEqual(bare.gape_mm, strip.gape_mm, delta=0.5)
        self.assertEqual((bare.tools, bare.hardware()), ({}, ()), "hinges are bought, nothing is drilled for them")
        self.assertIsNone(told_of(strip))

    def test_bad_ones(self):
        for more in ({"kind": "slide"}, {"rivet_mm": 0.2}, {"play_mm": 9}, {"slot_mm": 0.5}, {"strip": "silk"}, {"axis": (0, 0, 0)}):
            with self.subTest(**more), self.assertRaises(RecipeProblem) as failed:
                Moving("A-B", **more)
            self.assertEqual(failed.exception.field, "moves")


class Strips(unittest.TestCase):
    def record(self, strip: str = "leather") -> MovedRecord:
        found = moved(arm_and_stop(), Moving("A-B", axis=UP, strip=strip), ONE)
        assert isinstance(found, Moved)
        return moved_record(found, 0)

    def test_svg_at_true_size(self):
        """Read back by lxml: millimetres on the page are millimetres of the drawing; the square measures 50."""
        record = self.record()
        assert record.strip is not None
        root = etree.fromstring(strips_svg([record], "Arm & <plate>").encode())
        wide, high = (float(root.get(k).removesuffix("mm")) for k in ("width", "height"))
        self.assertEqual([float(v) for v in root.get("viewBox").split()], [0, 0, wide, high])
        paths = [np.array(re.findall(r"(-?[\d.]+),(-?[\d.]+)", p.get("d")), float) for p in root.iter("{*}path")]
        np.testing.assert_allclose(np.ptp(paths[0], axis=0), SQUARE_MM, atol=1e-3)
        self.assertAlmostEqual(np.ptp(paths[1], axis=0)[0], record.strip.long_mm, delta=0.01)
        for points in paths:
            self.assertTrue((points > 0).all() and (points < (wide, high)).all(), "on the sheet")
        rings = [np.array(re.findall(r"(-?[\d.]+),(-?[\d.]+)", r), float) for r in list(root.iter("{*}path"))[1].get("d").split("M")[2:]]
        self.assertEqual(len(rings), 2)
        for ring in rings:
            self.assertAlmostEqual(np.ptp(ring[:, 0]), 3.3, delta=0.02)
        self.assertAlmostEqual(rings[1][:, 0].mean() - rings[0][:, 0].mean(), record.strip.free_mm, delta=0.2)

    def test_pdf_at_true_size(self):
        """Its drawing read back, in points of 1/72 inch: the square is 50 mm wide, the strip as long as it is told, on as many sheets as it takes."""
        record = self.record()
        assert record.strip is not None
        with patch("reportlab.rl_config.pageCompression", 0), patch("reportlab.rl_config.useA85", 0):
            data = strips_pdf([record] * 14, "Arm")
        pages = data.count(b"/Type /Page") - data.count(b"/Type /Pages")
        self.assertEqual(pages, 2)
        paths = [np.array(re.findall(rb"(-?[\d.]+) (-?[\d.]+) [ml]", p), float) for p in re.findall(rb"n (.*?) h\s+S", data, re.S)]
        sizes = [np.ptp(p, axis=0) * 25.4 / 72 for p in paths]
        np.testing.assert_allclose(sizes[0], SQUARE_MM, atol=0.02)
        long = [s for s in sizes if abs(s[0] - record.strip.long_mm) < 0.05 and abs(s[1] - record.strip.wide_mm) < 0.05]
        self.assertEqual(len(long), 14)

    def test_bent_too_hard(self):
        """A strip far too thick for what is free between its rivets: t / 2 r."""
        found = moved(arm_and_stop(), Moving("A-B", axis=UP, strip="leather"), ONE)
        assert isinstance(found, Moved) and found.strip
        self.assertIsNone(told_of(found))
        hard = replace(found, strip=replace(found.strip, thick_mm=80.0, strain=fold_strain(80.0, 60.0, found.strip.free_mm)))
        self.assertIn("bent too hard", str(told_of(hard)))

    def test_elastic_is_cut_shorter(self):
        leather, elastic = self.record().strip, self.record("elastic").strip
        assert leather and elastic
        self.assertEqual((leather.count, elastic.count), (1, 2), "in pairs")
        self.assertAlmostEqual((leather.long_mm - 2 * LAP_MM) / (elastic.long_mm - 2 * LAP_MM), 1 + STRETCHED, delta=0.02)

    def test_none(self):
        with self.assertRaises(RecipeProblem):
            strips_svg([self.record("")], "x")


class Hinges(unittest.TestCase):
    def test_slew(self):
        """A plate reaching 120 mm from hinges 40 mm apart whose pins have 0.3 mm of play: 0.9 mm aside."""
        self.assertAlmostEqual(slew_mm(0.3, 120, 40), 0.9)
        self.assertAlmostEqual(width_for(0.5, 100), 25.0)
        self.assertEqual(width_for(0.01, 10), KNUCKLE_MM)
        needs = hinges_for(0.6, 200, 160)
        assert needs is not None
        self.assertLessEqual(needs.slew_mm, SLEW_MM)
        self.assertGreaterEqual(needs.count, 2)
        self.assertIsNone(hinges_for(2.0, 300, 100))

    def test_living(self):
        """t / 2 r: 1 mm folded by 90 degrees over 5 mm has a radius of 3.18 mm and 15.7 % of strain (plain bending, handbooks)."""
        self.assertAlmostEqual(fold_strain(1.0, 90, 5.0), 1.0 / (2 * 5.0 / (np.pi / 2)), places=9)
        for material, most in (MOST_STRAIN | STRIP_STRAIN).items():
            self.assertAlmostEqual(fold_strain(1.2, 120, fold_length(1.2, 120, material)), most)
