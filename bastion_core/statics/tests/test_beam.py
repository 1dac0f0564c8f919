"""Sections against trimesh's polygon moments, beams against sympy's beam and handbook formulas."""

import unittest

import numpy as np
import shapely
import sympy
from shapely import Point, Polygon, box
from sympy.physics.continuum_mechanics.beam import Beam as SymbolicBeam
from trimesh.path.polygons import second_moments

from bastion_core.errors import RecipeProblem
from bastion_core.statics.beam import (
    ACROSS,
    ALONG_MPA,
    BEARS_MPA,
    STIFF_MPA,
    Beam,
    InBore,
    Joined,
    bending,
    print_safety,
    reach_of,
    rod_bears,
    sag,
    seam_safety,
    shear,
    with_rods,
)
from bastion_core.statics.poses import ENOUGH, G_M_S2
from bastion_core.statics.sections import printed_section, section_of
from bastion_core.statics.stock import ROD_MATERIALS, Stock, stock_of, usual_stock


class Sections(unittest.TestCase):
    def test_trimesh_agrees(self):
        rng = np.random.default_rng(3)
        for _ in range(60):
            points = rng.normal(0, 10, (int(rng.integers(5, 14)), 2)) + rng.uniform(-50, 50, 2)
            shape = shapely.convex_hull(shapely.multipoints(points)).difference(Point(*points.mean(axis=0)).buffer(1.5))
            if shape.geom_type != "Polygon":
                continue
            ours, moments = section_of(shape), second_moments(shape)
            middle = np.array(shape.centroid.coords[0])
            self.assertAlmostEqual(ours.area_mm2, shape.area, places=6)
            np.testing.assert_allclose(ours.middle_mm, middle, atol=1e-6)
            about = np.array(moments) - shape.area * np.array([middle[1] ** 2, middle[0] ** 2, middle[0] * middle[1]])
            np.testing.assert_allclose([ours.xx_mm4, ours.yy_mm4, ours.xy_mm4], about, rtol=1e-6, atol=1e-3)

    def test_handbook(self):
        """b h³ / 12 and b h² / 6; pi (D⁴ - d⁴) / 64: engineers' handbooks."""
        flat = section_of(box(-20, -5, 20, 5))
        self.assertAlmostEqual(flat.xx_mm4, 40 * 10**3 / 12, places=6)
        # Bent askew its corners bear less than b h² / 6: both parts of the moment stress them (skew bending, the same handbooks).
        askew = max(np.cos(t) / (10 * 40**2 / 6) + np.sin(t) / (40 * 10**2 / 6) for t in np.linspace(0, np.pi / 2, 2001))
        self.assertAlmostEqual(flat.modulus_mm3 * askew, 1, delta=1e-5)
        self.assertAlmostEqual(section_of(box(-5, -5, 5, 5)).modulus_mm3, 10**3 / 6 / np.sqrt(2), places=6)
        ring = section_of(Point(3, 4).buffer(10, quad_segs=256).difference(Point(3, 4).buffer(8, quad_segs=256)))
        self.assertAlmostEqual(ring.least_mm4 / (np.pi * (20**4 - 16**4) / 64), 1, delta=1e-4)
        self.assertAlmostEqual(Stock("steel", 20, 2).least_mm4, np.pi * (20**4 - 16**4) / 64, places=6)

    def test_hollow_print_is_weaker(self):
        disc = Point(0, 0).buffer(15)
        full, hollow = section_of(disc), printed_section(disc, 1.35, 0.15)
        self.assertLess(hollow.modulus_mm3, 0.55 * full.modulus_mm3)
        self.assertGreater(hollow.modulus_mm3, section_of(disc.difference(Point(0, 0).buffer(13.65))).modulus_mm3)
        self.assertEqual(section_of(Polygon()).area_mm2, 0)


def plain(
    length: float = 1000.0, side: float = 30.0, mass_g: float = 600.0, grip: tuple[float, float] = (0.0, 0.0), swing: float = 3.0
) -> Beam:
    at = np.linspace(0, length, 401)
    mass = np.full(401, mass_g / 400)
    mass[[0, -1]] /= 2
    return Beam(at, (section_of(box(-side / 2, -side / 2, side / 2, side / 2)),) * 401, mass, grip, swing)


class Beams(unittest.TestCase):
    def test_cantilever_against_sympy(self):
        """Held at its end, evenly heavy: moment, force and sag of sympy's beam; w L² / 2 and w L⁴ / 8 E I of every handbook."""
        beam = plain()
        w = 0.6 * G_M_S2 * 3 / 1000
        x, free = sympy.Symbol("x"), SymbolicBeam(1000, STIFF_MPA["pla"], 30**4 / 12)
        r, m = sympy.symbols("R M")
        free.apply_load(r, 0, -1)
        free.apply_load(m, 0, -2)
        free.apply_load(w, 0, 0)
        free.bc_deflection, free.bc_slope = [(0, 0)], [(0, 0)]
        free.solve_for_reaction_loads(r, m)
        places = np.array([1.0, 200.0, 500.0, 900.0])
        moment, across = free.bending_moment(), free.shear_force()
        expected = [abs(float(moment.subs(x, p))) for p in places]
        np.testing.assert_allclose(bending(beam, places), expected, rtol=0.01)
        np.testing.assert_allclose(shear(beam, places), [abs(float(across.subs(x, p))) for p in places], rtol=0.015)
        self.assertAlmostEqual(sag(beam) / abs(float(free.deflection().subs(x, 1000))), 1, delta=0.01)

    def test_safety_of_a_print_by_hand(self):
        beam = plain()
        held = with_rods(beam, [])
        root = 0.6 * G_M_S2 * 3 * 500
        self.assertAlmostEqual(held.safety / (30**3 / 6 / np.sqrt(2) * ALONG_MPA["pla"] * ACROSS / root), 1, delta=0.01)
        self.assertEqual(held.at_mm, 0.0)

    def test_a_glued_seam_breaks_first_and_a_tube_holds_it(self):
        face = section_of(box(-15, -15, 15, 15).difference(box(-13, -13, 13, 13)))
        beam, seam = plain(mass_g=900), Joined("B-C", 300.0, face, 4.0)
        bare = with_rods(beam, [seam])
        moment = float(bending(beam, np.array([300.0]))[0])
        self.assertEqual(bare.seam, "B-C")
        self.assertAlmostEqual(bare.safety, face.modulus_mm3 * 4.0 / moment, places=4)
        tube = stock_of("steel-12x1")
        held = with_rods(beam, [seam], [InBore(tube, -1e4, 1e4)])
        heavier = moment + tube.grams_per_mm / 1000 * G_M_S2 * 3 * 700**2 / 2
        self.assertGreater(held.safety, 2 * bare.safety)
        self.assertAlmostEqual(tube.bears_nmm, 235 * np.pi * (12**4 - 10**4) / 64 / 6, places=6)
        self.assertAlmostEqual(
            float(bending(beam.heavier(np.gradient(beam.at_mm) * tube.grams_per_mm), np.array([300.0]))[0]) / heavier, 1, delta=0.01
        )

    def test_where_a_rod_ends(self):
        """Held in the middle: it has to reach over the weak seam on either side and sit so deep past them that 6 M / (d L²) is half of 15 MPa."""
        face = section_of(box(-12, -12, 12, 12).difference(box(-11, -11, 11, 11)))
        beam = plain(mass_g=4000, grip=(450.0, 550.0))
        seams = [Joined("A-B", 350.0, face, 4.0), Joined("B-C", 640.0, face, 4.0)]
        self.assertTrue((seam_safety(beam, seams) < ENOUGH).all())
        stock = Stock("steel", 12)
        reach = reach_of(beam, seams, stock)
        assert reach is not None
        moment = float(bending(beam, np.array([350.0, 640.0])).max())
        self.assertAlmostEqual(reach.sits_mm, max(np.sqrt(6 * ENOUGH * moment / (12 * BEARS_MPA)), 24.0), places=6)
        self.assertLessEqual(reach.low_mm, 350 - reach.sits_mm + 1e-6)
        self.assertGreaterEqual(reach.high_mm, 640 + reach.sits_mm - 1e-6)
        held = with_rods(beam, seams, [InBore(stock, reach.low_mm, reach.high_mm)])
        self.assertGreater(held.safety, ENOUGH)
        self.assertIsNone(reach_of(plain(mass_g=20), [], stock))

    def test_ends_too_short(self):
        """5 mm past the seam a bore of 8 mm bears 15 x 8 x 5² / 6 = 500 N mm, whatever its rod would: the glue alone holds more."""
        face = section_of(box(-12, -12, 12, 12).difference(box(-11, -11, 11, 11)))
        beam, seams = plain(mass_g=1500, grip=(450.0, 550.0)), [Joined("A-B", 350.0, face, 4.0)]
        stock = Stock("steel", 8)
        np.testing.assert_allclose(rod_bears(stock, np.array([0.0, 5.0, 1e3])), [0.0, 500.0, stock.bears_nmm])
        bare, short, long = (with_rods(beam, seams, rods) for rods in ([], [InBore(stock, 345.0, 700.0)], [InBore(stock, 200.0, 700.0)]))
        self.assertLessEqual(short.seams[0], bare.seams[0], "its bore weakens the face, and it carries nothing")
        self.assertGreater(long.seams[0], 2 * bare.seams[0])

    def test_two_rods(self):
        """Two short ones with a weak seam between: neither holds it, each its own."""
        face = section_of(box(-12, -12, 12, 12).difference(box(-11, -11, 11, 11)))
        beam = plain(mass_g=3000, grip=(480.0, 520.0))
        seams = [Joined(n, at, face, 4.0) for n, at in (("A-B", 300.0), ("B-C", 400.0), ("C-D", 700.0))]
        stock = Stock("steel", 12)
        one = with_rods(beam, seams, [InBore(stock, 200.0, 350.0)])
        both = with_rods(beam, seams, [InBore(stock, 200.0, 350.0), InBore(stock, 600.0, 800.0)])
        self.assertGreater(both.seams[2], 2 * one.seams[2])
        self.assertAlmostEqual(both.seams[0], one.seams[0], delta=0.3)
        self.assertEqual(both.seam, "B-C")

    def test_a_stub_shears(self):
        """A short thick beam under much weight: 4 / 3 V / A against 0.6 of what holds across layers."""
        beam = plain(length=10.0, side=30.0, mass_g=90_000, swing=10.0)
        force = float(shear(beam, np.array([0.0]))[0])
        by_hand = 900 * ALONG_MPA["pla"] * ACROSS * 0.6 / (4 / 3 * force)
        self.assertAlmostEqual(float(print_safety(beam)[0]) / by_hand, 1, delta=0.01)
        self.assertLess(by_hand, 30**3 / 6 / np.sqrt(2) * ALONG_MPA["pla"] * ACROSS / float(bending(beam, np.array([0.0]))[0]))


class Rods(unittest.TestCase):
    def test_sold_rods(self):
        self.assertEqual(sorted({s.material for s in usual_stock()}), sorted(ROD_MATERIALS))
        weights = [s.grams_per_mm for s in usual_stock()]
        self.assertEqual(weights, sorted(weights))
        # A metre of 10 mm round steel weighs 617 g: tables of steel stockholders.
        self.assertAlmostEqual(Stock("steel", 10).grams_per_mm, 0.617, places=3)
        for stock in usual_stock():
            self.assertEqual(stock_of(stock.code), stock)

    def test_no_rods(self):
        for text in ("steel", "steel-", "gold-8", "steel-8x4", "steel-100", "8"):
            with self.subTest(text=text), self.assertRaises(RecipeProblem) as failed:
                stock_of(text)
            self.assertEqual(failed.exception.field, "rods")
