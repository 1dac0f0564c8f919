"""The ground a lying part takes on a bed: its shadow with its supports, and its brim or raft."""

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import RAFT_MARGIN_MM
from bastion_core.print.profile import Profile
from bastion_core.print.shape import Shape

_FOOT_MM, _SIMPLER_MM, _GRID_MM = 0.3, 0.3, 0.01


def ground_of(solid: Solid, shape: Shape, profile: Profile) -> BaseGeometry:
    """What may not be shared with another part: a shapely (multi)polygon (mm, in the lying part's frame). It may be 0.3 mm wide of the truth.

    Nothing else is laid under what leans out further up: a head passes there with everything it carries.
    """
    held = shape.support
    shadow = [solid.outline()]
    if len(held.segments):
        low, high = held.segments[:, :4], held.segments[:, 4:]
        ends = np.concatenate([low, high])
        shadow.append(shapely.union_all(shapely.buffer(shapely.points(ends[:, :2]), np.maximum(ends[:, 3], 0.5), quad_segs=3)))
        leans = np.hypot(*(low[:, :2] - high[:, :2]).T) > 1e-3
        low, high = low[leans], high[leans]
        shadow.append(
            shapely.union_all(
                shapely.buffer(
                    shapely.linestrings(np.stack([low[:, :2], high[:, :2]], 1)),
                    np.maximum(np.minimum(low[:, 3], high[:, 3]), 0.3),
                    quad_segs=2,
                )
            )
        )
    beside = max(profile.brim_mm, RAFT_MARGIN_MM if profile.raft else 0.0)
    if beside:
        foot = solid.section(shape.bottom_mm + _FOOT_MM)
        on_bed = (
            held.segments[np.minimum(held.segments[:, 2], held.segments[:, 6]) < shape.bottom_mm + 1.0]
            if len(held.segments)
            else held.segments
        )
        trunks = shapely.points(np.concatenate([on_bed[:, :2], on_bed[:, 4:6]])) if profile.raft and len(on_bed) else []
        shadow.append(shapely.union_all([foot, *trunks]).buffer(beside, quad_segs=4))
    # On a grid of hundredths, as it is kept: no hair and no corner twice.
    return shapely.set_precision(shapely.union_all(shadow).simplify(_SIMPLER_MM), _GRID_MM)


def written(ground: BaseGeometry) -> str:
    """As it is kept: well-known text (OGC 06-103r4), hundredths of a millimetre."""
    return str(shapely.to_wkt(ground, rounding_precision=2))


def read(text: str) -> BaseGeometry:
    """What ``written`` made."""
    return shapely.from_wkt(text)
