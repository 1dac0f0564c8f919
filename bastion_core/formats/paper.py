"""Shapes on paper: what every PDF of ours draws with."""

import numpy as np
from reportlab.lib.units import mm as MM
from reportlab.pdfgen.canvas import Canvas
from shapely.geometry.base import BaseGeometry


def draw(page: Canvas, shape: BaseGeometry, line_mm: float = 0.2) -> None:
    """The outline of a shapely (multi)polygon in millimetres from the lower left of the page, holes included."""
    page.setLineWidth(line_mm * MM)
    for polygon in getattr(shape, "geoms", [shape]):
        for ring in (polygon.exterior, *polygon.interiors):
            path = page.beginPath()
            points = np.array(ring.coords) * MM
            path.moveTo(*points[0])
            for point in points[1:]:
                path.lineTo(*point)
            path.close()
            page.drawPath(path)
