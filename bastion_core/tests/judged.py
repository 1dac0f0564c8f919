"""Boxes cut out of helmets, domes, tubes and a rabbit, lying anyhow: the quick judge beside the full estimate."""

import time

import numpy as np

from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import turn_to_down
from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import Estimate, estimate
from bastion_core.print.profile import Profile
from bastion_core.print.quick import Probe, Quick
from bastion_core.print.shape import shape_of
from bastion_core.shop import Printer
from bastion_core.tests.shapes import BUNNY, dome, plain_helm, reference, tube


def bodies() -> list[Mesh]:
    """What the boxes are cut from."""
    return [dome(156, 204, 240, 3.4).mesh(), plain_helm(), tube(58, 3, 180).mesh(), reference(BUNNY), dome(120, 150, 170, 6).mesh()]


def judged(boxes: int, lyings: int, profile: Profile, printer: Printer, seed: int = 5) -> tuple[list[tuple[Quick, Estimate]], float]:
    """So many boxes of each body in so many lyings, judged both ways; and the quick judge's seconds for one."""
    rng = np.random.default_rng(seed)
    found, spent = [], 0.0
    for body in bodies():
        solid, probe = Solid.from_mesh(body), Probe(body)
        low, high = body.bounds
        for _ in range(boxes):
            a = low + rng.uniform(0, 0.45, 3) * (high - low) * (rng.random(3) < 0.6)
            b = high - rng.uniform(0, 0.45, 3) * (high - low) * (rng.random(3) < 0.6)
            cut = solid.manifold
            for axis in np.eye(3):
                cut = cut.trim_by_plane(tuple(axis), float(axis @ a)).trim_by_plane(tuple(-axis), -float(axis @ b))
            if cut.volume() < 2000:
                continue
            for _ in range(lyings):
                axis, upside_down = int(rng.integers(3)), bool(rng.integers(2))
                begin = time.perf_counter()
                quick = probe.judge(a, b, axis, upside_down, profile, printer)
                spent += time.perf_counter() - begin
                laid = Solid(cut).transformed(turn_to_down(np.eye(3)[axis] * (1 if upside_down else -1)))
                found.append((quick, estimate(shape_of(laid, profile), profile, printer)))
    return found, spent / len(found)
