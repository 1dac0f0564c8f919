"""What a worn or carried thing is put through: the pull that each pose and knock has on it."""

from dataclasses import dataclass

import numpy as np

from bastion_core.geometry.mesh import Floats

G_M_S2 = 9.81
MOST = 99.0
"""Safeties beyond this are told as this."""
ENOUGH = 2.0
"""A closure or a rod holds twice what it has to; common practice, no source."""


@dataclass(frozen=True)
class Pose:
    """What is felt, in g, along the axes of the upright piece (front at -y, up at +z): standing still it is (0, 0, -1)."""

    key: str
    name: str
    felt_g: tuple[float, float, float]

    @property
    def felt(self) -> Floats:
        """(3,)."""
        return np.array(self.felt_g)


def _bent(degrees: float, times: float) -> tuple[float, float, float]:
    """Bent forward so far, and moved so that it weighs so many times as much."""
    turn = np.radians(degrees)
    return 0.0, round(-times * float(np.sin(turn)), 4), round(-times * float(np.cos(turn)), 4)


WORN = (
    Pose("stand", "standing", (0.0, 0.0, -1.0)),
    Pose("nod", "a nod", _bent(45, 1.5)),
    Pose("bow", "bending over", _bent(100, 1.2)),
    Pose("up", "looking up", _bent(-45, 1.2)),
    Pose("run", "landing when running", (0.0, -0.5, -2.5)),
    Pose("rise", "rising when running", (0.0, 0.5, 0.5)),
    Pose("left", "a knock from the left", (2.0, 0.0, -1.0)),
    Pose("right", "a knock from the right", (-2.0, 0.0, -1.0)),
    Pose("front", "a knock from in front", (0.0, 2.0, -1.0)),
    Pose("back", "a knock from behind", (0.0, -2.0, -1.0)),
)
"""Common practice, no source; that a runner's trunk feels two to three g at each step is from memory of published measurements."""
CARRIED = (
    Pose("stand", "standing", (0.0, 0.0, -1.0)),
    Pose("down", "held upside down", (0.0, 0.0, 1.5)),
    Pose("left", "laid on its left side, hard", (2.0, 0.0, 0.0)),
    Pose("right", "laid on its right side, hard", (-2.0, 0.0, 0.0)),
    Pose("front", "laid on its face, hard", (0.0, -2.0, 0.0)),
    Pose("back", "laid on its back, hard", (0.0, 2.0, 0.0)),
)
"""Of a thing that nobody wears; common practice, no source."""
