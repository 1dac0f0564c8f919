"""Bodies in their places with known answers: boxes, bowls, bottles, and what holds them."""

from collections.abc import Sequence

import numpy as np
from manifold3d import Manifold

from bastion_core.assemble.bodies import Assembly, Body, Contact
from bastion_core.assemble.facts import Facts, SeamFacts
from bastion_core.geometry.solid import Solid
from bastion_core.join.glue import GlueRecord
from bastion_core.tests.shapes import box

UP, X, Y = (0.0, 0.0, 1.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0)


def glue(handle_h: float = 1.0, sets_min: float = 1.0, full_h: float = 24.0) -> GlueRecord:
    """A glue with these times."""
    return GlueRecord("ca", "thick cyanoacrylate", 0.2, 0.1, sets_min, handle_h, full_h, 2, 0.0, 10.0, "")


def seam(one: str, other: str, along=UP, kind: str = "glue", handle_h: float = 1.0) -> tuple[Contact, SeamFacts]:
    """A seam of 10 cm² between two bodies."""
    key, letters = f"{one}/{other}", "-".join(n.rsplit("-", 1)[-1] for n in (one, other))
    facts = SeamFacts(key, letters, kind, 10.0, 12.0, 2, glue=None if kind in ("magnet", "snap") else glue(handle_h))
    return Contact(key, (one, other), along, kind), facts


def facts_of(bodies: Sequence[tuple[str, Solid]], seams: Sequence[tuple[Contact, SeamFacts]], **more) -> Facts:
    """A piece of these bodies."""
    assembly = Assembly(tuple(Body(name, solid.mesh()) for name, solid in bodies), tuple(c for c, _ in seams))
    return Facts(assembly, {c.id: s for c, s in seams}, **more)


def stack(count: int, handle_h: float = 1.0) -> Facts:
    """Boxes one on the other: the first is on top."""
    bodies = [(f"p-{chr(65 + k)}", box(40, 40, 20, (0, 0, 20.0 * (count - 1 - k)))) for k in range(count)]
    return facts_of(bodies, [seam(bodies[k][0], bodies[k + 1][0], handle_h=handle_h) for k in range(count - 1)])


def hollow(radius: float, tall: float, wall: float, open_top: float = 0.0, open_side: float = 0.0) -> Solid:
    """A closed can, with a round hole of that radius in its lid, or a slit so wide in its side."""
    can = Manifold.cylinder(tall, radius, radius, 64) - Manifold.cylinder(tall - 2 * wall, radius - wall, radius - wall, 64).translate(
        [0, 0, wall]
    )
    if open_top:
        can -= Manifold.cylinder(2 * wall, open_top, open_top, 64).translate([0, 0, tall - 1.5 * wall])
    if open_side:
        can -= Manifold.cube([radius, open_side, tall - 4 * wall], True).translate([radius, 0, tall / 2])
    return Solid(can)


def turned(solid: Solid, degrees: Sequence[float]) -> Solid:
    """Turned about x, y and z."""
    return Solid(solid.manifold.rotate([float(d) for d in degrees]))


def random_ways(count: int, seed: int) -> np.ndarray:
    """(n, 3): unit directions at random."""
    ways = np.random.default_rng(seed).normal(size=(count, 3))
    return ways / np.linalg.norm(ways, axis=1)[:, None]
