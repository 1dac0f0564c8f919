"""Boxes cut out of a piece: what each costs printed in one, in the best lying on the best printer, and what the seams between them cost."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from bastion_core.cut.cost import Costs, risk_h, seam_h
from bastion_core.cut.parting import SLIVER_MM3, SLIVER_SHARE, Cut
from bastion_core.cut.visible import SHOWS, Sight
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.print.hands import hands_of
from bastion_core.print.orient import hardly_a_foot, pushed_mm
from bastion_core.print.profile import Profile
from bastion_core.print.quick import Probe
from bastion_core.shop import Printer, Weights

PITCH_MM = 4.0
_SLACK_MM = 1.5
"""By how much the grid may see a part smaller than it is."""
_ALIKE = 0.04
"""A piece no more lopsided than this is symmetric; read off helmets with relief."""

UNTURNED: Floats = np.eye(3)
Box = tuple[tuple[float, float, float], tuple[float, float, float]]


@dataclass(frozen=True)
class Leaf:
    """A box that is printed as it is."""

    box: Box
    costs: Costs
    hours_on: tuple[tuple[str, float], ...]
    """By printer that takes it; empty where none does."""

    @property
    def fits(self) -> bool:
        return bool(self.hours_on)


@dataclass(frozen=True)
class Node:
    """A box that is cut in two."""

    axis: int
    at_mm: float
    below: "Tree"
    above: "Tree"
    seam: Costs


Tree = Leaf | Node


def costs_of(tree: Tree) -> Costs:
    """All parts and seams."""
    return tree.costs if isinstance(tree, Leaf) else costs_of(tree.below) + costs_of(tree.above) + tree.seam


def leaves_of(tree: Tree) -> Iterator[Leaf]:
    """Its parts."""
    if isinstance(tree, Leaf):
        yield tree
    else:
        yield from leaves_of(tree.below)
        yield from leaves_of(tree.above)


def cuts_of(tree: Tree, scale: tuple[float, float, float], turn: Floats = UNTURNED) -> tuple[Cut, ...]:
    """Its planes in the piece's own millimetres at scale 1, each limited to the box it cuts. ``turn`` (3, 3) leads from the piece to the frame
    whose axes they cross."""
    found: list[Cut] = []
    stretch = np.array(scale)

    def walk(node: Tree, limits: tuple[tuple[str, int], ...]) -> None:
        if isinstance(node, Leaf):
            return
        cut_id = f"c{len(found) + 1}"
        point, normal = node.at_mm * turn[node.axis] / stretch, turn[node.axis] * stretch
        found.append(Cut(cut_id, three(point), three(normal / np.linalg.norm(normal)), limits))
        walk(node.below, (*limits, (cut_id, -1)))
        walk(node.above, (*limits, (cut_id, 1)))

    walk(tree, ())
    return tuple(found)


def nodes_of(tree: Tree) -> Iterator[Node]:
    """Its cuts, in the order in which they are made."""
    if isinstance(tree, Node):
        yield tree
        yield from nodes_of(tree.below)
        yield from nodes_of(tree.above)


class Field:
    """A piece made ready for the search: shot through, its surface with how much of it is seen, its printers.

    ``turn`` (3, 3) turns it into the frame whose axes its planes are to cross.
    """

    def __init__(
        self, mesh: Mesh, sight: Sight, printers: Sequence[Printer], profile: Profile, weights: Weights, price_per_kg: float,
        keep_out: Sequence[tuple[Floats, float]] = (), turn: Floats = UNTURNED,
    ) -> None:  # fmt: skip
        if turn is not UNTURNED:
            mesh = Mesh(mesh.vertices @ turn.T, mesh.faces)
            sight, keep_out = Sight(mesh, sight.share, sight.care), [(turn @ at, reach) for at, reach in keep_out]
        self.mesh, self.sight, self.printers, self.profile = mesh, sight, printers, profile
        self.weights, self.price_per_kg, self.keep_out = weights, price_per_kg, keep_out
        self.probe = Probe(mesh, PITCH_MM, sight.share > SHOWS)
        self.sliver_mm3 = max(SLIVER_MM3, SLIVER_SHARE * abs(mesh.volume))
        self._leaves: dict[Box, Leaf | None] = {}
        self._takes: dict[Box, bool] = {}
        self._near: tuple[Box, Probe] | None = None
        self._seams: dict[tuple[int, float], tuple[Floats, Floats, Floats, Floats]] = {}

    @cached_property
    def whole(self) -> Box:
        low, high = self.mesh.bounds
        return three(low - 1.0), three(high + 1.0)

    @cached_property
    def symmetric(self) -> bool:
        """Whether the left side is like the right one."""
        return self.probe.lopsided() < _ALIKE

    @property
    def judged(self) -> int:
        """How many boxes were looked at."""
        return len(self._leaves)

    def near(self, box: Box) -> None:
        """From now on boxes within this one are asked for."""
        self._near = box, self.probe.part(np.array(box[0]), np.array(box[1]))

    def _probe(self, box: Box) -> Probe:
        if self._near is not None:
            (low, high), probe = self._near
            if all(low[k] <= box[0][k] and box[1][k] <= high[k] for k in range(3)):
                return probe
        return self.probe

    def takes(self, box: Box) -> bool:
        """Whether any printer takes the box in one, by its size alone: a small part of the time that judging it takes."""
        if box in self._leaves:
            leaf = self._leaves[box]
            return leaf is not None and leaf.fits
        if box not in self._takes:
            sizes = self._probe(box).sizes_mm(np.array(box[0]), np.array(box[1]))
            lying = [] if sizes is None else [(*(sizes[k] for k in range(3) if k != axis), sizes[axis]) for axis in range(3)]
            self._takes[box] = any(_takes(three(size), printer) for size in lying for printer in self.printers)
        return self._takes[box]

    def leaf(self, box: Box) -> Leaf | None:
        """The box printed in one, the best way on the best printer; as if beds had no end where none takes it. None where hardly anything is in it."""
        if box not in self._leaves:
            self._leaves[box] = self._leaf(box)
        return self._leaves[box]

    def _leaf(self, box: Box) -> Leaf | None:
        best: dict[bool, tuple[float, Costs]] = {}
        on: dict[str, float] = {}
        for raw in self._probe(box).lyings(np.array(box[0]), np.array(box[1]), self.profile):
            if raw.volume_mm3 < self.sliver_mm3:
                return None
            for printer in self.printers:
                taken = _takes(raw.size_mm, printer)
                if not taken and True in best:
                    continue
                quick = raw.on(self.profile, printer)
                footless = hardly_a_foot(raw.foot_mm2, raw.size_mm[0] * raw.size_mm[1])
                # As if its weight were in its middle, over a foot as broad as it is.
                tipping = pushed_mm(raw.size_mm[2] / 2, printer) > min(raw.size_mm[:2]) / 2
                hands = hands_of(raw.scars_cm2, raw.steps_mm_cm2, raw.held_mm2)
                costs = Costs(1, quick.hours, quick.filament_g, quick.support_g, hands, risk_h=risk_h(quick.hours, footless, tipping))
                # A lying without a foot is no lying, unless there is no other.
                weighed = costs.weighed(self.weights, self.price_per_kg) + (100.0 if footless else 0.0)
                if taken:
                    on[printer.name] = min(on.get(printer.name, np.inf), quick.hours)
                if taken not in best or weighed < best[taken][0]:
                    best[taken] = weighed, costs
        if not best:
            return None
        _, costs = best[max(best)]
        return Leaf(box, costs, tuple(sorted(on.items())))

    def seam(self, box: Box, axis: int, at_mm: float) -> Costs | None:
        """The seam that a plane makes within a box; None where it runs through a place that is to be kept out of, or meets nothing."""
        middles, lengths, seen, care = self._crossing(axis, at_mm)
        within = ((middles > box[0]) & (middles < box[1])).all(axis=1)
        if not within.any():
            return None
        for at, reach in self.keep_out:
            if (np.linalg.norm(middles[within] - at, axis=1) < reach).any():
                return None
        length, shown = lengths[within] / 10, seen[within]
        cm, seen_cm, care_cm = (float(v) for v in (length[shown > SHOWS].sum(), length @ shown, length @ care[within]))
        return Costs(seams_h=seam_h(cm, seen_cm, care_cm), seam_cm=cm, seen_cm=seen_cm, care_cm=care_cm)

    def _crossing(self, axis: int, at_mm: float) -> tuple[Floats, Floats, Floats, Floats]:
        """Where a plane crosses the surface: middles (k, 3), lengths (k,), how much each is seen (k,), and how much care it takes (k,)."""
        key = axis, round(at_mm, 3)
        if key not in self._seams:
            height = self.mesh.vertices[:, axis][self.mesh.faces] - at_mm
            crossing = np.flatnonzero((height.min(axis=1) < 0) & (height.max(axis=1) >= 0))
            corners, h = self.mesh.triangles[crossing], height[crossing]
            above = h >= 0
            alone = np.where(above.sum(axis=1) == 1, above.argmax(axis=1), above.argmin(axis=1))
            rows = np.arange(len(h))
            ends = []
            for step in (1, 2):
                other = (alone + step) % 3
                t = (h[rows, alone] / (h[rows, alone] - h[rows, other]))[:, None]
                ends.append(corners[rows, alone] * (1 - t) + corners[rows, other] * t)
            found = (
                (ends[0] + ends[1]) / 2,
                np.linalg.norm(ends[1] - ends[0], axis=1),
                self.sight.share[crossing],
                self.sight.care[crossing],
            )
            self._seams[key] = found
        return self._seams[key]


def _takes(size: tuple[float, float, float], printer: Printer) -> bool:
    """Whether a printer takes a block of that size (two across, upright), turned on the bed if need be."""
    width, depth, height = printer.usable_mm
    a, b, tall = (v + _SLACK_MM for v in size)
    if tall > height:
        return False
    if (a <= width and b <= depth) or (b <= width and a <= depth):
        return True
    if min(a, b) > min(width, depth):
        return False
    turn = np.radians(np.arange(1.0, 90.0, 1.0))
    c, s = np.cos(turn), np.sin(turn)
    return bool(((a * c + b * s <= width) & (a * s + b * c <= depth)).any())
