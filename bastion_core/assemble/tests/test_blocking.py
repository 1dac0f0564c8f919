"""Who is in whose way: against known puzzles, and against moving the real solids step by step."""

import unittest

import numpy as np
from manifold3d import Manifold

from bastion_core.assemble.blocking import blocking, directions_for
from bastion_core.assemble.tests.scenes import UP, X, facts_of, random_ways, seam, stack, turned
from bastion_core.geometry.place import shifting
from bastion_core.geometry.solid import Solid
from bastion_core.tests.shapes import box


def hits_when_moved(moving: Solid, still: Solid, way: np.ndarray, reach_mm: float = 140.0) -> float:
    """The most (mm³) that two solids share while one is moved along a direction, looked at every 0.7 mm."""
    return max(moving.transformed(shifting(way * step)).common(still).volume for step in np.arange(0.7, reach_mm, 0.7))


def table_of(pairs, seams):
    facts = facts_of(pairs, seams)
    return facts.assembly, blocking(facts.assembly, directions_for(facts.assembly))


class Blocking(unittest.TestCase):
    def test_a_stack_comes_off_upward_and_sideways(self):
        assembly = stack(3).assembly
        found = blocking(assembly, directions_for(assembly))
        top, rest = assembly.set_of(["p-A"]), assembly.set_of(["p-B", "p-C"])
        ways = found.directions[found.free_ways(top, rest)]
        self.assertTrue((ways[:, 2] > -1e-9).all(), "downward the rest is in its way")
        self.assertTrue(any(np.allclose(w, UP) for w in ways))
        self.assertTrue(any(np.allclose(w, X) for w in ways), "a flat face slides")
        middle = assembly.set_of(["p-B"])
        for d in found.free_ways(middle, assembly.all ^ middle):
            self.assertAlmostEqual(found.directions[d][2], 0.0, msg="the middle one comes out level only")

    def test_a_peg_in_a_hole_comes_out_one_way(self):
        block = Solid(Manifold.cube([60, 60, 40], True) - Manifold.cylinder(45, 10, 10, 64).translate([0, 0, -10]))
        peg = Solid(Manifold.cylinder(60, 9.8, 9.8, 64).translate([0, 0, -9.9]))
        _, found = table_of([("p-A", peg), ("p-B", block)], [seam("p-A", "p-B")])
        ways = found.directions[found.free_ways(1, 2)]
        self.assertEqual(len(ways), 1)
        np.testing.assert_allclose(ways[0], UP, atol=1e-9)

    def test_what_is_closed_in_goes_no_way_and_says_what_locks_it(self):
        shell = Solid(Manifold.cube([60, 60, 60], True) - Manifold.cube([40, 40, 40], True))
        _, found = table_of([("p-A", box(38, 38, 38, (0, 0, -19))), ("p-B", shell)], [seam("p-A", "p-B")])
        self.assertEqual(found.free_ways(1, 2), [])
        up = next(d for d, way in enumerate(found.directions) if np.allclose(way, UP))
        (lock,) = found.blocks(1, 2, up)
        self.assertEqual((lock.moves, lock.by), ("p-A", "p-B"))
        self.assertAlmostEqual(lock.travel_mm, 1.0, delta=0.05)
        self.assertAlmostEqual(lock.at_mm[2], 20.0, delta=0.1)

    def test_printed_clearances_are_no_locks(self):
        # A tongue with 0.1 mm a side slides; one that is 2 mm wider below than above does not.
        def tongue(wide: float) -> tuple[Solid, Solid]:
            male = Manifold.hull_points(
                [[s * w / 2, y, z] for s in (-1, 1) for y in (-30, 30) for w, z in ((10.0, 20.0), (wide, 10.0))]
            )  # fmt: skip
            above = Solid(Manifold.cube([60, 60, 20], True).translate([0, 0, 30]) + male)
            slot = Manifold.hull_points(
                [[s * (w / 2 + 0.1), y, z] for s in (-1, 1) for y in (-31, 31) for w, z in ((10.0, 20.2), (wide, 9.8))]
            )  # fmt: skip
            return above, Solid(Manifold.cube([60, 60, 20], True).translate([0, 0, 9.9]) - slot)

        for wide, free in ((10.0, True), (14.0, False)):
            above, below = tongue(wide)
            _, found = table_of([("p-A", above), ("p-B", below)], [seam("p-A", "p-B")])
            ways = found.directions[found.free_ways(1, 2)]
            self.assertEqual(any(np.allclose(w, UP) for w in ways), free)
            self.assertTrue(any(abs(w[1]) > 0.99 for w in ways), "along the groove it slides either way")

    def test_random_pairs_agree_with_moving_the_solids(self):
        rng = np.random.default_rng(5)
        looked = blocked = 0
        for seed in range(14):
            one = turned(box(*(18 + 20 * rng.random(3))), 180 * rng.random(3))
            whole = turned(box(*(50 + 20 * rng.random(3))), 180 * rng.random(3))
            at = shifting(random_ways(1, 50 + seed)[0] * rng.uniform(15, 42))
            moving = one.transformed(at)
            still = Solid(whole.manifold - moving.manifold)
            if still.volume < 100 or len(still.bodies()) != 1:
                continue
            assembly = facts_of([("p-A", moving), ("p-B", still)], [seam("p-A", "p-B")]).assembly
            ways = random_ways(6, seed)
            found = blocking(assembly, np.vstack([ways, -ways]))
            for d in range(12):
                share = hits_when_moved(moving, still, found.directions[d])
                told = bool(found.ahead[d][0] & 2)
                looked += 1
                blocked += told
                # Between a scratch and a lock either answer is right: less than a printed clearance.
                if share > 12.0:
                    self.assertTrue(told, f"pair {seed} way {d}: {share:.1f} mm³ in its way")
                if share < 0.5:
                    self.assertFalse(told, f"pair {seed} way {d}: nothing in its way")
        self.assertGreater(looked, 80)
        self.assertTrue(20 < blocked < looked - 20, f"{blocked} of {looked}: both answers have to be seen")

    def test_the_opposite_way_is_the_other_ones(self):
        assembly = stack(4).assembly
        found = blocking(assembly, directions_for(assembly))
        half = len(found.directions) // 2
        for d in range(half):
            for p in range(4):
                for q in range(4):
                    self.assertEqual(bool(found.ahead[d][p] >> q & 1), bool(found.ahead[d + half][q] >> p & 1))

    def test_a_snap_gives_way(self):
        below = Solid(Manifold.cube([60, 60, 20], True).translate([0, 0, -10]) - Manifold.cube([20, 6, 12], True).translate([0, 0, -5])
                      - Manifold.cube([20, 10, 4], True).translate([0, 0, -9]))  # fmt: skip
        hook = Manifold.cube([18, 5, 10], True).translate([0, 0, -5]) + Manifold.cube([18, 8, 3], True).translate([0, 0, -9])
        above = Solid(Manifold.cube([60, 60, 10], True).translate([0, 0, 5]) + hook)
        contact, told = seam("p-A", "p-B", kind="snap")
        stiff = facts_of([("p-A", above), ("p-B", below)], [(contact, told)]).assembly
        found = blocking(stiff, directions_for(stiff))
        up = next(d for d, way in enumerate(found.directions) if np.allclose(way, UP))
        self.assertTrue(found.ahead[up][0] & 2)
        gives = type(contact)(contact.id, contact.between, contact.along, "snap", ((0.0, 0.0, -8.0),))
        springs = facts_of([("p-A", above), ("p-B", below)], [(gives, told)]).assembly
        self.assertFalse(blocking(springs, directions_for(springs)).ahead[up][0] & 2)
