"""What of a piece seams are to keep out of for its wearer's sake: the openings they look through, the walls round what goes inside."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bastion_core.fit.answer import Answer
from bastion_core.fit.movement import eye_openings
from bastion_core.geometry.arrays import corners, three
from bastion_core.geometry.mesh import Floats, Mesh

_STEP_MM = 5.0
"""Rounded outward to this, so that a seat that moves by a hair changes no plan."""
_ROUND_A_BAY_MM = 6.0
"""Of the wall beyond what goes inside: it is fixed there; common practice, no source."""


@dataclass(frozen=True)
class Clear:
    """A box in the piece's own upright millimetres at scale 1, and what is there."""

    what: str
    low_mm: tuple[float, float, float]
    high_mm: tuple[float, float, float]

    def mirrored(self) -> "Clear":
        """Of the other side of a pair."""
        return Clear(self.what, (-self.high_mm[0], *self.low_mm[1:]), (-self.low_mm[0], *self.high_mm[1:]))


def clear_of(piece: Mesh, answer: Answer, chin_to_crown_mm: float) -> tuple[Clear, ...]:
    """Where seams would be in the wearer's way."""
    found: list[Clear] = []
    if answer.sight is not None:
        openings = eye_openings(piece, answer.placed, answer.body, chin_to_crown_mm)
        found += [_box("eye opening", ends) for ends in _united(openings)]
    for bay in answer.bays:
        half = np.array(bay.size_mm) / 2 + _ROUND_A_BAY_MM
        ends = answer.placed.to_piece(np.array(bay.centre_mm) + corners(-half, half) @ np.array(bay.axes))
        found.append(_box(bay.name, np.array([ends.min(axis=0), ends.max(axis=0)])))
    return tuple(found)


def _united(boxes: Sequence[Floats]) -> list[Floats]:
    """Boxes (2, 3), those that overlap as one: both eyes look through one slit."""
    left: list[Floats] = []
    for box in boxes:
        for k, other in enumerate(left):
            if (box[0] <= other[1]).all() and (other[0] <= box[1]).all():
                left[k] = np.array([np.minimum(box[0], other[0]), np.maximum(box[1], other[1])])
                break
        else:
            left.append(box)
    return left


def _box(what: str, ends: Floats) -> Clear:
    return Clear(what, three(np.floor(ends[0] / _STEP_MM) * _STEP_MM), three(np.ceil(ends[1] / _STEP_MM) * _STEP_MM))
