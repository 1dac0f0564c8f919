"""Labels for printed parts: its letter large, whose it is, and a code to scan; and a sheet for each plate, drawn from above. PDF, A4."""

from collections.abc import Sequence
from io import BytesIO

import segno
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm as MM
from reportlab.pdfgen.canvas import Canvas
from shapely import affinity
from shapely.geometry.base import BaseGeometry

from bastion_core.formats.paper import draw
from bastion_core.plates.beds import Gantry, usable
from bastion_core.plates.records import Plate, PlatePart
from bastion_core.shop import Printer

LABEL_MM = (63.0, 34.0)
_MARGIN_MM, _COLUMNS, _ROWS = 10.0, 3, 8
_CODE_MM = 24.0


def code_of(part: PlatePart) -> str:
    """What the code on a label says."""
    return f"part {part.piece}/{part.part} {part.name}"


def letter_of(part: PlatePart) -> str:
    """The letter people call it by."""
    return part.name.rsplit("-", 1)[-1].upper()[:8]


def labels_pdf(plates: Sequence[Plate], printers: Sequence[Printer], gantries: Sequence[Gantry], title: str) -> bytes:
    """A page for each plate, then all labels."""
    out = BytesIO()
    page = Canvas(out, pagesize=A4, invariant=True)
    page.setTitle(title)
    by_name = {p.name: p for p in printers}
    for number, plate in enumerate(plates, 1):
        if plate.printer in by_name:
            gantry = next((g for g in gantries if g.printer == plate.printer), None)
            _sheet(page, plate, by_name[plate.printer], gantry, f"{title}, {number} of {len(plates)}")
            page.showPage()
    parts = [(plate, part) for plate in plates for part in plate.parts]
    for number, (plate, part) in enumerate(parts):
        at = number % (_COLUMNS * _ROWS)
        if number and at == 0:
            page.showPage()
        _label(page, plate, part, at % _COLUMNS, at // _COLUMNS)
    page.save()
    return out.getvalue()


def _label(page: Canvas, plate: Plate, part: PlatePart, column: int, row: int) -> None:
    wide, high = LABEL_MM
    x, y = _MARGIN_MM + column * wide, A4[1] / MM - _MARGIN_MM - (row + 1) * high
    page.setLineWidth(0.1 * MM)
    page.rect(x * MM, y * MM, wide * MM, high * MM)
    page.setFont("Helvetica-Bold", 26)
    page.drawString((x + 3) * MM, (y + high - 12) * MM, letter_of(part)[:4])
    page.setFont("Helvetica", 7)
    for line, words in enumerate((part.piece_name[:28], part.name[:30], plate.name, " x ".join(f"{v:.0f}" for v in part.size_mm) + " mm")):
        page.drawString((x + 3) * MM, (y + high - 17 - 3.6 * line) * MM, words)
    code = segno.make(code_of(part), error="m", micro=False)
    cells = [list(line) for line in code.matrix_iter(border=2)]
    cell = _CODE_MM / len(cells)
    for r, cells_of in enumerate(cells):
        for c, dark in enumerate(cells_of):
            if dark:
                left, low = x + wide - _CODE_MM - 2 + c * cell, y + (high + _CODE_MM) / 2 - (r + 1) * cell
                page.rect(left * MM, low * MM, cell * MM, cell * MM, stroke=0, fill=1)


def _sheet(page: Canvas, plate: Plate, printer: Printer, gantry: Gantry | None, title: str) -> None:
    taken = plate.on[plate.printer]
    page.setFont("Helvetica-Bold", 16)
    page.drawString(15 * MM, A4[1] - 18 * MM, f"{plate.name} on {plate.printer}")
    page.setFont("Helvetica", 9)
    stuff = f"{plate.material} {plate.colour}".strip()
    how = ", one after the other" if plate.in_turn else ""
    page.drawString(15 * MM, A4[1] - 24 * MM, f"{stuff}, layers {plate.layer_mm:g} mm, {taken.hours:.1f} h, {taken.filament_g:.0f} g{how}")
    page.drawString(15 * MM, 10 * MM, title)
    scale = min(180 / printer.x_mm, 200 / printer.y_mm)

    def on_page(shape: BaseGeometry) -> BaseGeometry:
        return affinity.affine_transform(shape, [scale, 0, 0, scale, 105, 150])

    draw(page, on_page(usable(printer, gantry)), 0.5)
    for part in plate.parts:
        ground = on_page(part.lain)
        draw(page, ground, 0.25)
        x, y = ground.representative_point().coords[0]
        page.drawCentredString(x * MM, y * MM, letter_of(part))
    page.setLineWidth(0.5 * MM)
    page.line(15 * MM, 34 * MM, (15 + 100 * scale) * MM, 34 * MM)
    page.drawString(15 * MM, 29 * MM, "100 mm; the front of the bed is below")
