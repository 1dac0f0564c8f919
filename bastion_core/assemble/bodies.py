"""What comes together: bodies in their places, and where they touch and are held."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.join.held import letter_of

MOST_BODIES = 50
"""Sets of bodies are bits of one number, with room for rods; more is no piece that anybody puts together in one go."""
Direction = tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class Body:
    """A part or a rod in its place."""

    name: str
    mesh: Mesh
    rod: bool = False

    @property
    def letter(self) -> str:
        """What people call it by."""
        return letter_of(self.name)


@dataclass(frozen=True)
class Contact:
    """Where two bodies meet and are held together."""

    id: str
    between: tuple[str, str]
    """Names of the body above and the body below."""
    along: Direction
    """The direction in which the one above comes off."""
    kind: str = "glue"
    """How it is held: see the fasteners of Join; ``rod`` for a rod in its bore, ``moves`` for what turns on rivets."""
    gives_at: tuple[tuple[float, float, float], ...] = ()
    """Places where what holds it springs aside as it goes in (snaps)."""


@dataclass(frozen=True, eq=False)
class Assembly:
    """All of a piece. A set of bodies is a number: bit ``k`` stands for ``bodies[k]``."""

    bodies: tuple[Body, ...]
    contacts: tuple[Contact, ...]
    index: dict[str, int] = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "index", {b.name: k for k, b in enumerate(self.bodies)})

    @property
    def all(self) -> int:
        """The set of all bodies."""
        return (1 << len(self.bodies)) - 1

    def set_of(self, names: Sequence[str]) -> int:
        """The set of these bodies; KeyError for one that is not there."""
        return sum(1 << self.index[n] for n in dict.fromkeys(names))

    def names(self, bits: int) -> tuple[str, ...]:
        """The names of a set, in order."""
        return tuple(b.name for k, b in enumerate(self.bodies) if bits >> k & 1)

    def between(self, one: int, other: int) -> tuple[Contact, ...]:
        """The contacts that hold two sets together."""
        found = []
        for c in self.contacts:
            a, b = (1 << self.index[n] for n in c.between)
            if (a & one and b & other) or (b & one and a & other):
                found.append(c)
        return tuple(found)

    def neighbours(self, counts: Callable[[Contact], bool] = lambda contact: True) -> tuple[int, ...]:
        """Of each body, the set of those it is held to, by the contacts that count."""
        near = [0] * len(self.bodies)
        for c in filter(counts, self.contacts):
            a, b = (self.index[n] for n in c.between)
            near[a] |= 1 << b
            near[b] |= 1 << a
        return tuple(near)

    def bounds(self) -> Floats:
        """(2, 3): of all of it."""
        boxes = np.array([b.mesh.bounds for b in self.bodies])
        return np.array([boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)])

    def core(self, points: Floats) -> Floats:
        """(n, 3): of places (n, 3) the nearest on the core of the whole: a stretch along its longest side, so that tubes look at their axis and
        domes at their middle."""
        low, high = self.bounds()
        size, middle = high - low, (low + high) / 2
        axis = int(np.argmax(size))
        half = max((float(size[axis]) - float(np.delete(size, axis).max())) / 2, 0.0)
        near = np.tile(middle, (len(points), 1))
        near[:, axis] = np.clip(points[:, axis], middle[axis] - half, middle[axis] + half)
        return near


def held_with(seed: int, of: int, near: Sequence[int]) -> int:
    """All of a set that hangs together with a part of it, ``seed``."""
    reached = todo = seed
    while todo:
        k = (todo & -todo).bit_length() - 1
        todo &= todo - 1
        fresh = near[k] & of & ~reached
        reached |= fresh
        todo |= fresh
    return reached


def hangs_together(bits: int, near: Sequence[int]) -> bool:
    """Whether a set is one by what holds it."""
    return held_with(bits & -bits, bits, near) == bits


def members(bits: int) -> list[int]:
    """The numbers of the bodies in a set."""
    return [k for k in range(bits.bit_length()) if bits >> k & 1]
