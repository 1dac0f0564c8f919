"""Which subassemblies become one: against every way to put small puzzles together, and puzzles whose answer is known."""

import unittest
from functools import cache

import numpy as np
from manifold3d import Manifold

from bastion_core.assemble.blocking import blocking, directions_for
from bastion_core.assemble.bodies import hangs_together
from bastion_core.assemble.tests.scenes import UP, X, facts_of, seam, stack
from bastion_core.assemble.tree import Node, Search
from bastion_core.geometry.solid import Solid
from bastion_core.tests.shapes import box


class Plain:
    """Minutes by how many bodies come together; an hour until the next work on them. Painting where ``painted`` says so."""

    def __init__(self, painted=None) -> None:
        self.painted = painted

    def join(self, contacts, way):
        return 10.0 + 3.0 * len(contacts[0].id), 1.0

    def early(self, together, contacts):
        return 7.0 * (together.bit_count() % 2)

    def paint(self, together):
        return (12.0, 0.5) if self.painted and self.painted(together) else None

    def cannot(self, together, one, other):
        return 0


def search_of(facts, costs=None, **more) -> Search:
    ways = blocking(facts.assembly, directions_for(facts.assembly))
    return Search(facts.assembly, ways, costs or Plain(), **more)


def hours_of(node: Node, costs: Plain) -> tuple[float, float]:
    """Hands and longest chain (h) of a tree, added up by itself."""
    if node.above is None:
        return 0.0, 0.0
    (a, pa), (b, pb) = hours_of(node.above, costs), hours_of(node.below, costs)
    minutes, gate = costs.join(node.contacts, np.array(node.way))
    minutes += costs.early(node.bodies, node.contacts)
    return a + b + minutes / 60, max(pa, pb) + minutes / 60 + gate


def best_of_all(search: Search) -> float:
    """The best of all trees, looked at one by one."""
    near, costs = search.assembly.neighbours(), search.costs

    @cache
    def trees(together: int) -> tuple[Node, ...]:
        if together.bit_count() == 1:
            return (Node(together),)
        found = []
        one = (together - 1) & together
        while one:
            other = together ^ one
            if one > other and hangs_together(one, near) and hangs_together(other, near):
                for a, b in ((one, other), (other, one)):
                    if search.blocking.free_ways(a, b):
                        found += [Node(together, x, y, contacts=search.assembly.between(a, b)) for x in trees(a) for y in trees(b)]
            one = (one - 1) & together
        return tuple(found)

    return min(sum(hours_of(t, costs)) for t in trees(search.assembly.all))


class AgainstAll(unittest.TestCase):
    def test_stacks_and_grids_are_the_best_of_all_trees(self):
        grid = facts_of(
            [(f"p-{chr(65 + 2 * i + k)}", box(30, 30, 30, (30.0 * i, 30.0 * k, 0))) for i in (0, 1) for k in (0, 1)],
            [seam("p-C", "p-A", X), seam("p-D", "p-B", X), seam("p-B", "p-A", (0, 1.0, 0)), seam("p-D", "p-C", (0, 1.0, 0))],
        )  # fmt: skip
        for facts in (stack(2), stack(4), stack(6), grid):
            search = search_of(facts)
            found = search.ways()[0]
            self.assertFalse(any(n.locked for n in found.nodes()))
            self.assertAlmostEqual(sum(hours_of(found, search.costs)), best_of_all(search), places=6)

    def test_every_node_is_two_others(self):
        tree = search_of(stack(7)).ways()[0]
        for node in tree.nodes():
            if node.above is not None:
                self.assertEqual(node.above.bodies | node.below.bodies, node.bodies)
                self.assertEqual(node.above.bodies & node.below.bodies, 0)
                self.assertTrue(node.contacts)
        self.assertEqual(tree.closing(0b1000001), tree)

    def test_more_than_a_dozen_come_together_too(self):
        tree = search_of(stack(16)).ways()[0]
        self.assertEqual(sum(n.above is None for n in tree.nodes()), 16)
        self.assertFalse(any(n.locked for n in tree.nodes()))


class Puzzles(unittest.TestCase):
    def test_a_core_goes_in_before_the_lid(self):
        can = Solid(Manifold.cube([60, 60, 50], True) - Manifold.cube([40, 40, 40], True).translate([0, 0, 5]))
        lid, core = box(60, 60, 10, (0, 0, 25)), box(38, 38, 38, (0, 0, -14.5))
        facts = facts_of([("p-A", lid), ("p-B", core), ("p-C", can)], [seam("p-A", "p-C"), seam("p-B", "p-C")])
        tree = search_of(facts).ways()[0]
        self.assertFalse(any(n.locked for n in tree.nodes()))
        self.assertEqual(tree.closing(0b110).bodies, 0b110, "core and can are one before the lid comes on")
        self.assertEqual({b.bodies for b in (tree.above, tree.below)}, {0b001, 0b110})

    def test_what_can_never_be_put_together_says_what_is_in_the_way(self):
        shell = Solid(Manifold.cube([60, 60, 60], True) - Manifold.cube([40, 40, 40], True))
        facts = facts_of([("p-A", box(38, 38, 38, (0, 0, -19))), ("p-B", shell)], [seam("p-A", "p-B")])
        tree = search_of(facts).ways()[0]
        self.assertEqual({(b.moves, b.by) for b in tree.locked}, {("p-A", "p-B")} if tree.above.bodies == 1 else {("p-B", "p-A")})

    def test_a_fixed_order_is_kept(self):
        facts = stack(4)
        for first, then in (("p-A/p-B", "p-C/p-D"), ("p-C/p-D", "p-A/p-B"), ("p-B/p-C", "p-A/p-B")):
            tree = search_of(facts, before=((first, then),)).ways()[0]
            closes = {c.id: n for n in tree.nodes() for c in n.contacts}
            # Nothing of the second is closed below the first.
            self.assertFalse(closes[first].bodies & closes[then].bodies == closes[then].bodies, f"{first} before {then}")

    def test_an_order_that_goes_round_has_no_tree(self):
        loop = (("p-A/p-B", "p-B/p-C"), ("p-B/p-C", "p-A/p-B"))
        self.assertEqual(search_of(stack(3), before=loop).ways(), [])

    def test_insides_are_painted_together_as_long_as_they_are_reached(self):
        facts = stack(4)
        # Up to two bodies are reached at once.
        tree = search_of(facts, Plain(lambda t: t.bit_count() <= 2), paints=True).ways()[0]
        painted = [n.bodies for n in tree.nodes() if n.painted]
        self.assertEqual(sum(painted), facts.assembly.all, "each once")
        self.assertEqual(sorted(b.bit_count() for b in painted), [2, 2], "two sessions, not four")
        whole = search_of(facts, Plain(lambda t: True), paints=True).ways()[0]
        self.assertEqual([n.bodies for n in whole.nodes() if n.painted], [facts.assembly.all])

    def test_what_nothing_holds_together_is_left_apart(self):
        halves = facts_of([("p-A", box(40, 40, 20, (0, 80, 0))), ("p-B", box(40, 40, 20)), ("p-C", box(40, 40, 20, (0, 0, 20)))], [seam("p-C", "p-B")])  # fmt: skip
        tree = search_of(halves).ways()[0]
        self.assertEqual((tree.bodies, tree.contacts, tree.locked), (0b111, (), ()))
        self.assertEqual(tree.closing(0b110).bodies, 0b110)

    def test_the_way_is_square_to_the_faces(self):
        tree = search_of(stack(2)).ways()[0]
        self.assertTrue(np.allclose(np.abs(tree.way), UP))
