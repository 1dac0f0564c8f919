"""Body in piece along a stretch, as outlines for drawings."""

from dataclasses import dataclass

import numpy as np

from bastion_core.fit.room import Placed
from bastion_core.fit.seated import Seated
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.section import hull_of, level_loops

Rows = tuple[tuple[float, ...], ...]


@dataclass(frozen=True)
class Section:
    """Both outlines at one height above the piece's lower edge (mm), about the body's middle there."""

    at_mm: float
    shell: tuple[Rows, ...]
    """Runs of segments [x1, y1, x2, y2]."""
    body: Rows
    """Corners [x, y]."""


def sections(fitting: Seated, placed: Placed, count: int = 6) -> tuple[Section, ...]:
    """The piece and the body at some heights, lowest first."""
    low, high = (float(v) for v in placed.to_body(fitting.piece.bounds)[:, 2])
    s, offset = np.array(placed.scale[:2]), np.array(placed.offset_mm[:2])
    cuts = []
    for z in np.linspace(low + 0.06 * (high - low), high - 0.06 * (high - low), count):
        shell = level_loops(fitting.piece, float((z - placed.offset_mm[2]) / placed.scale[2]))
        if not shell:
            continue
        skin = level_loops(fitting.body.mesh, float(z))
        middle = fitting.body.centre[:2]
        centre = skin[0].centre if skin else middle
        keep = [run for run in skin if np.linalg.norm(run.centre - middle) < 250][:1]
        runs = tuple(_rows((run.flat * s + offset - centre).reshape(-1, 4)) for run in shell[:6])
        cuts.append(Section(float(z - low), runs, _rows(hull_of(keep[0].points) - centre) if keep else ()))
    return tuple(cuts)


def _rows(values: Floats) -> Rows:
    return tuple(tuple(round(float(v), 1) for v in row) for row in values)
