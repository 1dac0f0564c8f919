"""Ballast: cavities that keep their wall and print, what they hold, hydrostatics and plates by hand; what a thing may not be lifted by."""

import unittest
from functools import cache

import igl
import numpy as np
from manifold3d import Manifold

from bastion_core.cut.parting import Cut, part_solid
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.solid import Solid
from bastion_core.geometry.walls import surface_sample
from bastion_core.join.ballast import FILL_HOLE_MM, Ballast, Filled, cavity_in, filled_part, hollowed, lifts, read_ballast
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.fasteners.rod import RodIn
from bastion_core.join.joining import JoinRule, join
from bastion_core.join.loads import Printed
from bastion_core.join.rods import Carried, Rod
from bastion_core.statics.beam import ACROSS, ALONG_MPA
from bastion_core.statics.fills import FILLS, pressure_kpa, wall_mpa
from bastion_core.statics.poses import G_M_S2, MOST
from bastion_core.statics.stock import stock_of
from bastion_core.tests.shapes import BUNNY, box, reference, tube

ONE = (1.0, 1.0, 1.0)
FULL = Printed(infill=1.0)


@cache
def lantern():
    """A heavy base of 100 mm across under a stem of 30, parted between them."""
    solid = Solid(Manifold.cylinder(80, 50, 50, 96) + Manifold.cylinder(300, 15, 15, 48).translate([0, 0, 80]))
    return solid, part_solid(solid, [Cut("c1", (0, 0, 80.0), (0, 0, 1.0))], ONE, "p")


def base():
    return max(lantern()[1].parts, key=lambda p: p.solid.volume)


class Cavities(unittest.TestCase):
    def test_its_wall_stays(self):
        for solid in (base().solid, Solid.from_mesh(reference(BUNNY)), box(60, 80, 70)):
            for wall in (2.4, 4.0):
                cavity = cavity_in(solid, wall)
                assert cavity is not None
                mesh, points = solid.mesh(), surface_sample(cavity.body.mesh(), 800).points
                distance = np.sqrt(igl.point_mesh_squared_distance(points, mesh.vertices, mesh.faces)[0])
                # Sections a millimetre apart; a wall that leans between them is met a little nearer.
                self.assertGreater(float(np.percentile(distance, 2)), 0.8 * wall)
                self.assertGreater(float(distance.min()), 0.55 * wall)

    def test_nothing_hangs_in_it(self):
        """Toward its mouth it never narrows faster than 45 degrees: what lies below each level covers it but for a level's step."""
        for up in (True, False):
            cavity = cavity_in(base().solid, 3.0, up)
            assert cavity is not None
            for z in np.arange(5.2, 73, 2.0):
                low, high = cavity.body.section(float(z)), cavity.body.section(float(z + 1))
                wide, narrow = (low, high) if up else (high, low)
                if not wide.is_empty:
                    self.assertTrue(narrow.buffer(1.15).covers(wide), f"at {z}")

    def test_volume_of_a_cylinder_by_hand(self):
        """80 high and 100 across with walls of 3 mm: 74 high and 94 across, its upper 39 mm a cone that ends 16 across."""
        cavity = cavity_in(base().solid, 3.0)
        assert cavity is not None
        self.assertAlmostEqual(cavity.round_mm, 47.0, delta=0.5)
        by_hand = np.pi * 47**2 * (74 - 39) + np.pi * 39 / 3 * (47**2 + 47 * 8 + 8**2)
        self.assertAlmostEqual(cavity.body.volume / by_hand, 1, delta=0.04)

    def test_thin_or_hollow_has_no_room(self):
        solid = tube(40, 3, 90)
        parting = part_solid(solid, [], ONE, "p")
        said = filled_part(parting.parts[0], parting, Ballast("p"), FULL, "pla")
        self.assertNotIsInstance(said, Filled)
        self.assertIn("no room for ballast", str(said))


class Weights(unittest.TestCase):
    def test_pressure_and_walls_by_hand(self):
        """200 mm of plaster: 1.6 x 9.81 x 0.2 = 3.14 kPa. On a side 40 wide and 1.35 thick 0.5 x 3.14e-3 x 1600 / 1.82 = 1.38 MPa; round it with
        30 mm 0.07 MPa."""
        p = pressure_kpa(FILLS["plaster"], 200)
        self.assertAlmostEqual(p, 3.139, places=3)
        self.assertAlmostEqual(wall_mpa(p, 40, 30, 1.35), 0.5 * 3.139e-3 * 1600 / 1.35**2, places=3)
        self.assertAlmostEqual(wall_mpa(p, 0, 30, 1.35), 3.139e-3 * 30 / 1.35, places=4)

    def test_what_goes_in(self):
        _, parting = lantern()
        found = filled_part(base(), parting, Ballast("B" if base().name.endswith("B") else "A", "sand"), FULL, "pla")
        assert isinstance(found, Filled)
        self.assertAlmostEqual(found.grams, found.cavity.volume * 1.6e-3, delta=0.1)
        # Whatever bears too much to be told is told as the most.
        self.assertAlmostEqual(found.safety, min(ALONG_MPA["pla"] * ACROSS / found.stress_mpa, MOST), places=6)
        some = filled_part(base(), parting, Ballast("x", "sand", grams=100.0), FULL, "pla")
        assert isinstance(some, Filled)
        self.assertEqual(some.grams, 100.0)
        self.assertLess(some.balance[2], found.balance[2])
        level = found.cavity.bounds[0][2] + some.high_mm
        below = Solid(found.cavity.manifold.trim_by_plane((0, 0, -1), -float(level)))
        self.assertAlmostEqual(below.volume * 1.6e-3, 100, delta=0.5)
        # The hole comes out at the seam, where it is hidden.
        done = hollowed(parting, [found])
        part = next(p for p in done.parts if p.name == base().name)
        top = part.solid.section(79.5)
        hole = min(top.interiors, key=lambda r: r.centroid.distance(top.centroid))
        self.assertAlmostEqual(np.ptp(np.array(hole.coords)[:, 0]), FILL_HOLE_MM, delta=0.3)
        self.assertEqual(len(part.solid.bodies()), 1)
        self.assertLess(part.solid.volume, base().solid.volume - 0.98 * found.cavity.volume)

    def test_it_moves_the_balance(self):
        whole, parting = lantern()
        letter = base().name.rsplit("-", 1)[-1]
        rule = JoinRule(PinRule(), carried=Carried(printed=Printed(), grip_mm=250.0), ballast=(Ballast(letter, "shot"),))
        made = join(parting, rule, whole=whole, cuts=("c1",))
        weight = made.weight
        assert weight is not None and made.load is not None
        self.assertLess(weight.at_mm[2], weight.bare_at_mm[2])
        by_hand = (weight.bare_g * weight.bare_at_mm[2] + weight.ballast[0].grams * weight.ballast[0].at_mm[2]) / weight.mass_g
        self.assertAlmostEqual(weight.at_mm[2], by_hand, delta=0.5)
        bare = join(parting, JoinRule(PinRule(), carried=rule.carried), whole=whole, cuts=("c1",))
        assert bare.load is not None
        self.assertLess(made.load.bare.safety, bare.load.bare.safety, "more weight bends it more")

    def test_a_rod_through_it_is_told(self):
        whole, parting = lantern()
        letter = base().name.rsplit("-", 1)[-1]
        rod = Rod("z", "steel-8", from_mm=10, to_mm=300)
        made = join(parting, JoinRule(PinRule(), carried=Carried(rods=(rod,)), ballast=(Ballast(letter),)), whole=whole, cuts=("c1",))
        assert made.weight is not None
        self.assertIn("runs through the ballast", str(made.weight.said[0]))

    def test_who_is_not_there(self):
        whole, parting = lantern()
        made = join(parting, JoinRule(PinRule(), ballast=(Ballast("Q"),)), whole=whole, cuts=("c1",))
        assert made.weight is not None
        self.assertIn("no part Q", str(made.weight.said[0]))


class Lifting(unittest.TestCase):
    def test_by_hand(self):
        """The base of a lantern hangs off the stem's face: snatched with 2 g, F / A + M / W of a disc of 15 mm radius."""
        _, parting = lantern()
        found = lifts(parting, FULL, 4.0, (), {})
        mass = np.pi * 50**2 * 80 * 1.24e-3
        force = mass / 1000 * G_M_S2 * 2
        stress = force / (np.pi * 15**2) + force * 40 / (np.pi * 15**3 / 4)
        heavy = max(found, key=lambda f: f.hangs_g)
        self.assertAlmostEqual(heavy.hangs_g / mass, 1, delta=0.01)
        self.assertAlmostEqual(heavy.lever_mm, 40, delta=1)
        self.assertAlmostEqual(heavy.safety / (4.0 / stress), 1, delta=0.03)
        self.assertEqual(found[0].safety, min(f.safety for f in found), "the worst first")

    def test_magnets_carry_their_pull(self):
        _, parting = lantern()
        (seam,) = parting.seams
        found = lifts(parting, FULL, 4.0, (), {}, {seam.id: 12.0})
        heavy = max(found, key=lambda f: f.hangs_g)
        self.assertAlmostEqual(heavy.safety, 12.0 / (heavy.hangs_g / 1000 * G_M_S2 * 2), delta=0.02)
        self.assertTrue(heavy.magnets)
        self.assertEqual(lifts(parting, FULL, 4.0, (), {}, {}, {seam.id}), ())

    def test_a_rod_carries(self):
        _, parting = lantern()
        seam = parting.seams[0]
        rod = RodIn(
            stock_of("steel-8"), (0, 0, 20), (0, 0, 200), position_mm=(0, 0, 80), axis=(0, 0, 1.0), flat_mm=(0, 0), seams=(seam.id,)
        )
        self.assertEqual(lifts(parting, FULL, 4.0, (rod,), {}), ())

    def test_read(self):
        self.assertEqual(read_ballast("B=plaster"), Ballast("B", "plaster"))
        for text in ("B=lead", "B=sand:-3"):
            with self.subTest(text=text), self.assertRaises(RecipeProblem) as failed:
                read_ballast(text)
            self.assertEqual(failed.exception.field, "ballast")
        with self.assertRaises(ValueError):
            read_ballast("B=sand:much")
