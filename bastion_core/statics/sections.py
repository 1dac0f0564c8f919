"""Flat sections as a beam sees them: area, balance point, second moments, and the weakest way to bend them."""

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.mesh import Floats


@dataclass(frozen=True)
class Section:
    """Area (mm²), its middle (mm), second moments about that (mm⁴), and the least section modulus (mm³) over all ways to bend it,
    askew ones too."""

    area_mm2: float
    middle_mm: tuple[float, float]
    xx_mm4: float
    """Integral of y²."""
    yy_mm4: float
    """Integral of x²."""
    xy_mm4: float
    modulus_mm3: float
    least_mm4: float
    """Second moment the weakest way."""


NO_SECTION = Section(0.0, (0.0, 0.0), 0.0, 0.0, 0.0, 0.0, 0.0)


def section_of(shape: BaseGeometry, hollow: BaseGeometry | None = None, share: float = 0.0) -> Section:
    """The section of a flat (multi)polygon, by Green's theorem over its rings.

    ``hollow`` is what of it is filled only to a ``share`` (infill): that counts for its share.
    """
    moments = _moments(shape)
    if hollow is not None and not hollow.is_empty:
        moments = moments - (1 - share) * _moments(hollow)
    area, sx, sy, xx, yy, xy = (float(v) for v in moments)
    if area <= 1e-9:
        return NO_SECTION
    x, y = sx / area, sy / area
    xx, yy, xy = xx - area * y * y, yy - area * x * x, xy - area * x * y
    points = shapely.get_coordinates(shapely.convex_hull(shape)) - (x, y)
    # Bent any way d, a corner p is stressed by M p . J^-1 d: the worst way for it is along J^-1 p.
    inertia = np.array([[yy, xy], [xy, xx]])
    least = float(np.linalg.eigvalsh(inertia)[0])
    if least <= 1e-9:
        return NO_SECTION
    modulus = 1 / float(np.linalg.norm(points @ np.linalg.inv(inertia), axis=1).max())
    return Section(area, (x, y), xx, yy, xy, modulus, least)


def printed_section(shape: BaseGeometry, walls_mm: float, infill: float) -> Section:
    """The section of a print: walls so thick in all, and infill inside them for its share."""
    return section_of(shape, shape.buffer(-walls_mm), infill)


def _moments(shape: BaseGeometry) -> Floats:
    """(6,): area, first moments in x and y, integrals of y², x², xy about the origin."""
    total = np.zeros(6)
    for polygon in getattr(shape, "geoms", [shape]):
        if polygon.geom_type != "Polygon" or polygon.is_empty:
            continue
        for ring, sign in ((polygon.exterior, 1.0), *((r, -1.0) for r in polygon.interiors)):
            p = np.array(ring.coords)
            (x0, y0), (x1, y1) = p[:-1].T, p[1:].T
            cross = x0 * y1 - x1 * y0
            found = np.array([
                cross.sum() / 2,
                ((x0 + x1) * cross).sum() / 6,
                ((y0 + y1) * cross).sum() / 6,
                ((y0 * y0 + y0 * y1 + y1 * y1) * cross).sum() / 12,
                ((x0 * x0 + x0 * x1 + x1 * x1) * cross).sum() / 12,
                ((x0 * y1 + 2 * x0 * y0 + 2 * x1 * y1 + x1 * y0) * cross).sum() / 24,
            ])  # fmt: skip
            total += sign * np.sign(found[0] or 1.0) * found
    return total
