"""Strips as flat patterns at true size: SVG and PDF, with a square to measure after printing."""

from collections.abc import Sequence
from io import BytesIO
from xml.sax.saxutils import escape

import numpy as np
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm as MM
from reportlab.pdfgen.canvas import Canvas
from shapely import box
from shapely.affinity import translate
from shapely.geometry.base import BaseGeometry

from bastion_core.errors import RecipeProblem
from bastion_core.formats.paper import draw
from bastion_core.join.moving import MovedRecord, Strip
from bastion_core.pieces.silhouette import svg_path

SQUARE_MM = 50.0
_RIM_MM, _APART_MM, _LETTER_MM = 12.0, 14.0, 4.0


def laid_out(moves: Sequence[MovedRecord]) -> list[tuple[str, BaseGeometry]]:
    """Each strip with its words, one over another, in mm from the lower left; the test square first. RecipeProblem where there is none."""
    strips = [(m, m.strip) for m in moves if m.strip is not None for _ in range(m.strip.count)]
    if not strips:
        raise RecipeProblem("Nothing here has a strip: choose what one is cut of, beside what moves.", "moves")
    found: list[tuple[str, BaseGeometry]] = [(f"has to measure {SQUARE_MM:g} mm", box(0, 0, SQUARE_MM, SQUARE_MM))]
    y = SQUARE_MM + _APART_MM
    for move, strip in strips:
        found.append((words_of(move, strip), translate(strip.outline(), 0, y)))
        y += strip.wide_mm + _APART_MM
    return found


def words_of(move: MovedRecord, strip: Strip) -> str:
    """What stands beside a strip."""
    return f"{move.parts.replace('-', ' to ')}: {strip.material} {strip.thick_mm:g} mm, holes {strip.holes_mm[0][1]:g} mm, {strip.free_mm:g} mm between rivets"


def strips_svg(moves: Sequence[MovedRecord], title: str) -> str:
    """The strips as one SVG whose units are millimetres."""
    shapes = laid_out(moves)
    bounds = np.array([s.bounds for _, s in shapes])
    wide, high = max(float(bounds[:, 2].max()), 120.0) + 2 * _RIM_MM, float(bounds[:, 3].max()) + 2 * _RIM_MM
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:g}mm" height="{high:g}mm" viewBox="0 0 {wide:g} {high:g}">',
        f"<title>{escape(title)}</title>",
    ]
    for words, shape in shapes:
        lines.append(f'<path d="{svg_path(translate(shape, _RIM_MM, _RIM_MM - high), 3)}" fill="none" stroke="#000" stroke-width="0.2"/>')
        lines.append(
            f'<text x="{_RIM_MM:g}" y="{high - _RIM_MM - shape.bounds[1] + _LETTER_MM + 1:g}" font-size="{_LETTER_MM:g}">{words}</text>'
        )
    return "\n".join([*lines, "</svg>"])


def strips_pdf(moves: Sequence[MovedRecord], title: str) -> bytes:
    """The same as a PDF at true size, on as many sheets as they take."""
    shapes, out = laid_out(moves), BytesIO()
    page = Canvas(out, pagesize=A4, invariant=True)
    page.setTitle(title)
    high_mm = A4[1] / MM
    square, *strips = shapes
    top = 0.0
    for k, (words, shape) in enumerate([square, *strips]):
        low, high = shape.bounds[1], shape.bounds[3]
        if k == 0 or top + (high - low) + _APART_MM > high_mm - 2 * _RIM_MM:
            if k:
                page.showPage()
            page.setFont("Helvetica", 9)
            page.drawString(_RIM_MM * MM, A4[1] - 8 * MM, f"{title}, print at 100 %")
            top = 0.0
        at = high_mm - _RIM_MM - top - (high - low)
        draw(page, translate(shape, _RIM_MM, at - low))
        page.drawString(_RIM_MM * MM, (at - 4) * MM, words)
        top += (high - low) + _APART_MM
    page.save()
    return out.getvalue()
