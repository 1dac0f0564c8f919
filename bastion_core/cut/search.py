"""The plans that part a piece at the least cost: boxes of it, cut by axis planes, each judged as it would lie on each printer.

A box is printed as it is, or cut in two by one of a few planes: what it costs is the least of these, so that the best plan of all its boxes
is found by recursion with memory. Costs of parts and seams add up. The planes are then shifted a little, one after the other, for as long
as that helps. What wins is carried out on the real solid (see ``plans``).
"""

from collections.abc import Sequence
from dataclasses import replace
from math import ceil, log2

import numpy as np

from bastion_core.cut.aims import Aim
from bastion_core.cut.beds import hull_points
from bastion_core.cut.cost import Costs
from bastion_core.cut.field import Box, Field, Leaf, Node, Tree, leaves_of, nodes_of
from bastion_core.cut.propose import least_parts
from bastion_core.progress import Progress, silent

_LEAST_STEP_MM, _MOST_SPOTS = 12.0, 7
_EDGE_MM = 12.0
"""No plane so near an end of what it cuts."""
_MOST_BOXES = 3000
_TRIED = ((10, (1, 4, 4, 6)), (10**6, (1, 2, 2, 3)))
"""Of all planes, so many of the most promising are followed, by how many cuts may still come after; the last counts for more. Up to so many
parts at the least: what takes many is not searched so broadly. A helm for a bed of 110 mm (17 parts) is found in a third of the time, at 1 %
more hours."""
_MIDDLE_MM = 6.0
"""A plane no further off the middle parts a symmetric piece into like halves."""
_WORTH_H = 1.0
"""What fits is cut further only where its supports, scars and steps weigh more than this."""
_CLEAN, _FEW, _LONGEST = 25.0, 1000.0, 3.0


def spots(low: float, high: float, rooms: Sequence[float]) -> list[float]:
    """Heights worth a plane between two ends: even shares, the middle, and a full bed from either end."""
    extent = high - low
    count = int(np.clip(extent / _LEAST_STEP_MM, 1, _MOST_SPOTS))
    found = {low + extent * k / (count + 1) for k in range(1, count + 1)} | {(low + high) / 2}
    for room in rooms:
        if room < extent:
            found |= {low + room - 2.0, high - room + 2.0}
    return sorted(round(s, 1) for s in found if low + _EDGE_MM < s < high - _EDGE_MM)


class Search:
    """The best plans of a field for one aim after the other; boxes that were judged once are not judged again. ``broad``: many planes are followed."""

    def __init__(self, field: Field, progress: Progress = silent, broad: bool = True) -> None:
        self.field, self.progress = field, progress
        low, high = (np.array(v) for v in field.whole)
        rooms = [round(max(edge), 1) for edge in zip(*(sorted(p.usable_mm) for p in field.printers), strict=True)][1:]
        self.at = [spots(float(low[k]) + 1, float(high[k]) - 1, rooms) for k in range(3)]
        half = (float(high[0]) - float(low[0])) / 2
        if field.symmetric and rooms and half + 2 < rooms[-1]:
            # Whatever parts the left from the right of a symmetric piece does so in its middle.
            self.at[0] = [round(float(low[0] + high[0]) / 2, 1)]
        self.least = least_parts(hull_points(field.mesh.vertices), field.printers)
        self.tried = next(tried for least, tried in _TRIED if self.least <= least) if broad else _TRIED[-1][1]
        self.depth = ceil(log2(self.least)) + 1

    def best(self, aim: Aim, lengthwise: bool = False) -> Tree | None:
        """The best plan for an aim, or None where there is none. ``lengthwise``: it has to open along its length, to be put on."""
        self._aim = aim
        self._known: dict[tuple[Box, int], tuple[float, Tree] | None] = {}
        for depth in range(self.depth, self.depth + 3):
            found = self._opened(depth) if lengthwise else self._plan(self.field.whole, depth)
            if found is not None:
                tree = self._shifted(found[1])
                return self._alike(tree) if self.field.symmetric else tree
        return None

    def _opened(self, depth: int) -> tuple[float, Tree] | None:
        """The best of the plans that begin with a plane down the middle, from front to back or from side to side."""
        best: tuple[float, Tree] | None = None
        low, high = (np.array(v) for v in self.field.whole)
        for axis in (0, 1):
            middle = round(float(low[axis] + high[axis]) / 2, 1)
            seam = self.field.seam(self.field.whole, axis, middle)
            if seam is not None:
                best = self._split(self.field.whole, depth + 1, axis, middle, seam, best)
        return best

    def weighed(self, tree: Tree) -> float:
        """What a plan costs by the aim in force."""
        return sum(self._weight(leaf.costs) for leaf in leaves_of(tree)) + sum(self._weight(n.seam) for n in nodes_of(tree))

    def _weight(self, costs: Costs) -> float:
        least = costs.weighed(self.field.weights, self.field.price_per_kg)
        if self._aim == "hours":
            return costs.hours + 0.02 * least
        if self._aim == "parts":
            return _FEW * costs.parts + least
        if self._aim == "clean":
            return least + _CLEAN / 10 * costs.seen_cm
        if self._aim == "soon":
            # Long prints keep the others waiting: their squares count.
            return costs.hours + costs.hours**2 / _LONGEST / 10 + 0.1 * least
        return least

    def _plan(self, box: Box, depth: int) -> tuple[float, Tree] | None:
        key = box, depth
        if key in self._known:
            return self._known[key]
        self.progress(min(0.05 + 0.9 * self.field.judged / _MOST_BOXES, 0.95), f"looking for planes ({self.field.judged} parts judged)")
        leaf = self.field.leaf(box)
        if leaf is None:
            self._known[key] = None
            return None
        best: tuple[float, Tree] | None = (self._weight(leaf.costs), leaf) if leaf.fits else None
        if depth and (not leaf.fits or self._worth(leaf)):
            for promise, axis, at, seam in self._promising(box, depth == 1, self.tried[min(depth, len(self.tried)) - 1]):
                if best is not None and promise > 1.3 * best[0]:
                    break
                best = self._split(box, depth, axis, at, seam, best)
        self._known[key] = best
        return best

    def _promising(self, box: Box, last: bool, most: int) -> list[tuple[float, int, float, Costs]]:
        """Planes across a box, the most promising first: what both sides would cost if any bed took them; of the ``last`` only what fits."""
        self.field.near(box)
        found: list[tuple[float, int, float, Costs]] = []
        for axis in range(3):
            for at in self.at[axis]:
                if not box[0][axis] + _EDGE_MM < at < box[1][axis] - _EDGE_MM:
                    continue
                halves = (box[0], _with(box[1], axis, at)), (_with(box[0], axis, at), box[1])
                seam = self.field.seam(box, axis, at)
                if seam is None or (last and not all(self.field.takes(half) for half in halves)):
                    continue
                promise = self._weight(seam)
                for half in halves:
                    leaf = self.field.leaf(half) if promise < np.inf else None
                    promise += np.inf if leaf is None else self._weight(leaf.costs)
                    if leaf is not None and not leaf.fits:
                        # What does not fit yet will take a further part, and a seam.
                        promise += 0.05 * self._weight(leaf.costs) + (_FEW if self._aim == "parts" else 0.0)
                    if len(found) == most and promise > found[-1][0]:
                        promise = np.inf
                if promise < np.inf:
                    found = sorted([*found, (float(promise), axis, at, seam)], key=lambda f: f[:3])[:most]
        return found

    def _worth(self, leaf: Leaf) -> bool:
        """Whether cutting what fits can buy anything: what is not its bare walls weighs enough."""
        if self.field.judged > _MOST_BOXES or self._aim == "parts":
            return False
        c, w = leaf.costs, self.field.weights
        support_h = c.hours * c.support_g / max(c.filament_g, 1e-9)
        soft = support_h + w.scars * c.hands.scars_h + w.supports * c.hands.supports_h + w.steps * c.hands.steps_h + c.risk_h
        return soft > _WORTH_H

    def _split(self, box: Box, depth: int, axis: int, at: float, seam: Costs, best: tuple[float, Tree] | None) -> tuple[float, Tree] | None:
        so_far = self._weight(seam)
        below = self._plan((box[0], _with(box[1], axis, at)), depth - 1)
        if below is None or (best is not None and so_far + below[0] >= best[0]):
            return best
        above = self._plan((_with(box[0], axis, at), box[1]), depth - 1)
        if above is None:
            return best
        total = so_far + below[0] + above[0]
        return (total, Node(axis, at, below[1], above[1], seam)) if best is None or total < best[0] else best

    def _shifted(self, tree: Tree) -> Tree:
        """The planes moved one after the other, for as long as that helps."""
        for step in (5.0, 2.0):
            for _ in range(3):
                better = tree
                for index in range(len(list(nodes_of(tree)))):
                    for by in (-step, step):
                        tried = self._moved(better, index, by)
                        if tried is not None and self.weighed(tried) < self.weighed(better) - 0.02:
                            better = tried
                if better is tree:
                    break
                tree = better
        return tree

    def _moved(self, tree: Tree, index: int, by: float) -> Tree | None:
        """The plan with one plane moved, all its boxes judged anew; None where a part no longer fits."""
        place = [0.0] * len(list(nodes_of(tree)))
        place[index] = by
        by_node = iter(place)

        def moved(node: Tree) -> Tree:
            if isinstance(node, Leaf):
                return node
            at = node.at_mm + next(by_node)
            below = moved(node.below)
            return replace(node, at_mm=at, below=below, above=moved(node.above))

        return self._judged(moved(tree), self.field.whole)

    def _judged(self, tree: Tree, box: Box) -> Tree | None:
        """A plan of these planes in a box; None where a part does not fit, or a plane meets nothing."""
        if isinstance(tree, Leaf):
            leaf = self.field.leaf(box)
            return leaf if leaf is not None and leaf.fits else None
        inside = box[0][tree.axis] + _EDGE_MM / 2 < tree.at_mm < box[1][tree.axis] - _EDGE_MM / 2
        seam = self.field.seam(box, tree.axis, tree.at_mm) if inside else None
        if seam is None:
            return None
        below = self._judged(tree.below, (box[0], _with(box[1], tree.axis, tree.at_mm)))
        above = self._judged(tree.above, (_with(box[0], tree.axis, tree.at_mm), box[1])) if below is not None else None
        return None if below is None or above is None else replace(tree, below=below, above=above, seam=seam)

    def _alike(self, tree: Tree) -> Tree:
        """The same with like cuts on either side of a plane down the middle: the better side is taken for both."""
        middle = (self.field.whole[0][0] + self.field.whole[1][0]) / 2
        return self._balanced(tree, self.field.whole, middle) or tree

    def _balanced(self, tree: Tree, box: Box, middle: float) -> Tree | None:
        if isinstance(tree, Leaf):
            return tree
        if tree.axis != 0 or abs(tree.at_mm - middle) > _MIDDLE_MM:
            below = self._balanced(tree.below, (box[0], _with(box[1], tree.axis, tree.at_mm)), middle)
            above = self._balanced(tree.above, (_with(box[0], tree.axis, tree.at_mm), box[1]), middle)
            return None if below is None or above is None else replace(tree, below=below, above=above)
        halves = (tree.below, tree.above)
        tried = [
            self._judged(replace(tree, at_mm=middle, below=a, above=b), box)
            for a, b in ((halves[0], _mirrored(halves[0], middle)), (_mirrored(halves[1], middle), halves[1]))
        ]
        return min((t for t in tried if t is not None), key=self.weighed, default=None)


def _mirrored(tree: Tree, middle: float) -> Tree:
    """The planes of a plan on the other side of a middle (x)."""
    if isinstance(tree, Leaf):
        return tree
    below, above = _mirrored(tree.below, middle), _mirrored(tree.above, middle)
    if tree.axis == 0:
        return replace(tree, at_mm=2 * middle - tree.at_mm, below=above, above=below)
    return replace(tree, below=below, above=above)


def _with(corner: tuple[float, float, float], axis: int, value: float) -> tuple[float, float, float]:
    changed = list(corner)
    changed[axis] = value
    return changed[0], changed[1], changed[2]
