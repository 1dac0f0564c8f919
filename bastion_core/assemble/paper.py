"""The order on paper: a drawing for each step with what to do, black on white. PDF, A4."""

from collections.abc import Callable, Sequence
from io import BytesIO

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm as MM
from reportlab.lib.utils import simpleSplit
from reportlab.pdfgen.canvas import Canvas

from bastion_core.assemble.pictures import StepDrawing, Stroke
from bastion_core.assemble.records import AssembleData, AssemblyDrawings, AssemblyStep
from bastion_core.findings import Said

_ROWS = 4
_MARGIN_MM, _PICTURE_MM, _FOOT_MM = 15.0, 62.0, 16.0
_FONT, _BOLD = "Helvetica", "Helvetica-Bold"
_GREY, _LIGHT = 0.55, 0.93


def assembly_pdf(title: str, data: AssembleData, pictures: AssemblyDrawings) -> bytes:
    """Four steps a page, numbered as on the screen."""
    out = BytesIO()
    page = Canvas(out, pagesize=A4, invariant=True)
    page.setTitle(title)
    high = (A4[1] / MM - 28.0 - _FOOT_MM) / _ROWS
    pages = max(1, -(-len(data.steps) // _ROWS))
    for k, (step, drawn) in enumerate(zip(data.steps, pictures.steps, strict=True)):
        row = k % _ROWS
        if row == 0:
            if k:
                page.showPage()
            _head(page, title, k // _ROWS + 1, pages)
        _step(page, step, drawn, k + 1, A4[1] / MM - 28.0 - (row + 1) * high, high, data.steps)
    if not data.steps:
        _head(page, title, 1, 1)
    page.save()
    return out.getvalue()


def _head(page: Canvas, title: str, number: int, of: int) -> None:
    page.setFont(_BOLD, 15)
    page.drawString(_MARGIN_MM * MM, A4[1] - 19 * MM, title)
    page.setFont(_FONT, 8)
    page.drawString(_MARGIN_MM * MM, 9 * MM, "Times and waits as reckoned; the product's own sheet and local rules come first.")
    page.drawRightString(A4[0] - _MARGIN_MM * MM, 9 * MM, f"{number} / {of}")


def _step(
    page: Canvas, step: AssemblyStep, drawn: StepDrawing, number: int, low: float, high: float, steps: Sequence[AssemblyStep]
) -> None:
    page.setStrokeGray(0.4)
    page.setLineWidth(0.2 * MM)
    page.line(_MARGIN_MM * MM, (low + high) * MM, A4[0] - _MARGIN_MM * MM, (low + high) * MM)
    _draw(page, drawn, _MARGIN_MM, low + 2, _PICTURE_MM, high - 4)
    left = _MARGIN_MM + _PICTURE_MM + 6
    wide = A4[0] / MM - left - _MARGIN_MM
    y = low + high - 7
    page.setFillGray(0)
    page.setFont(_BOLD, 11)
    for line in simpleSplit(f"{number}. {_ascii(step.title)}", _BOLD, 11, wide * MM):
        page.drawString(left * MM, y * MM, line)
        y -= 5
    page.setFont(_FONT, 8.5)
    waits = f", then {step.handle_h:g} h until it is handled" if step.handle_h else ""
    strong = f", {step.full_h:g} h until it is strong" if step.full_h else ""
    texts = [f"Day {step.day}, {step.clock}: {step.hands_min:.0f} min{waits}{strong}."]
    texts += [_ascii(said) for said in (*step.how, *step.check)]
    if step.by_clock:
        texts.append(f"Mixed then, it is together by {step.by_clock}.")
    if step.meanwhile:
        numbers = [str(i) for i, s in enumerate(steps, 1) if s.key in step.meanwhile]
        texts.append(f"Meanwhile: step {', '.join(numbers)}.")
    if step.caution:
        texts.append(f"Mind: {_plain(step.caution)}")
    for text in texts:
        for line in simpleSplit(text, _FONT, 8.5, wide * MM):
            if y < low + 2:
                return
            page.drawString(left * MM, y * MM, line)
            y -= 3.9


def _draw(page: Canvas, drawn: StepDrawing, left: float, low: float, wide: float, high: float) -> None:
    x, y, w, h = drawn.box
    scale = min(wide / w, high / h)

    def at(u: float, v: float) -> tuple[float, float]:
        return (left + (u - x) * scale + (wide - w * scale) / 2) * MM, (low + high - (v - y) * scale - (high - h * scale) / 2) * MM

    for stroke in drawn.strokes:
        _stroke(page, stroke, at, scale)
    if drawn.arrow is not None:
        x1, y1, x2, y2 = drawn.arrow
        page.setStrokeGray(0)
        page.setLineWidth(0.5 * MM)
        (a, b), (c, d) = at(x1, y1), at(x2, y2)
        page.line(a, b, c, d)
        length = max(((c - a) ** 2 + (d - b) ** 2) ** 0.5, 1e-6)
        u, v = (c - a) / length, (d - b) / length
        for side in (1, -1):
            page.line(c, d, c - 2.2 * MM * (u + side * 0.5 * v), d - 2.2 * MM * (v - side * 0.5 * u))


def _stroke(page: Canvas, stroke: Stroke, at: Callable[[float, float], tuple[float, float]], scale: float) -> None:
    page.setFillGray(1 if stroke.tone == "new" else _LIGHT)
    page.setStrokeGray({"new": 0.0, "stands": _GREY, "spot": 0.0}[stroke.tone])
    page.setLineWidth({"new": 0.28, "stands": 0.15, "spot": 0.4}[stroke.tone] * MM)
    path = page.beginPath()
    for part in stroke.path.split("M")[1:]:
        if "a" in part:
            # A ring: its left end, and its radius.
            u, v = (float(n) for n in part.split("a")[0].split(","))
            r = float(part.split("a")[1].split(",")[0])
            x, y = at(u + r, v)
            page.circle(x, y, r * scale * MM, fill=0)
            continue
        points = [at(*(float(n) for n in p.split(","))) for p in part.strip().removesuffix("Z").split("L")]
        path.moveTo(*points[0])
        for point in points[1:]:
            path.lineTo(*point)
        if "Z" in part:
            path.close()
    page.drawPath(path, stroke=0 if stroke.filled else 1, fill=1 if stroke.filled else 0, fillMode=0)


def _ascii(said: Said) -> str:
    return _plain(str(said))


def _plain(text: str) -> str:
    """The built-in type has no curly quotes of ours."""
    return text.replace("’", "'").replace("“", '"').replace("”", '"')
