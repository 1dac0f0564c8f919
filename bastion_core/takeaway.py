"""What the maker downloads of a piece: one 3MF and STL a part, the cut list, a sheet to print. Names and shapes only; ``plan.py`` fills them."""

import json
import re
from collections.abc import Mapping, Sequence
from html import escape
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from bastion_core.errors import MeshProblem
from bastion_core.findings import counted
from bastion_core.formats.stl import write_binary_stl
from bastion_core.formats.threemf import write_3mf
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.rims import half_edges
from bastion_core.geometry.solid import Solid


def part_name(file_name: str) -> str:
    """A file's name as the beginning of its parts' names: letters, digits and dashes only."""
    return re.sub(r"[^a-z0-9]+", "-", Path(file_name).stem.lower()).strip("-")[:40] or "piece"


def write_part(solid: Solid, folder: Path, name: str) -> dict[str, Any]:
    """Write ``folder``/parts/``name``.3mf and .stl and return the file part of its record.

    Checked once more before it leaves: what goes out is closed.
    """
    mesh = solid.mesh()
    refuse_open(mesh, name)
    parts = folder / "parts"
    parts.mkdir(parents=True, exist_ok=True)
    write_3mf(mesh, parts / f"{name}.3mf", name)
    write_binary_stl(mesh, parts / f"{name}.stl")
    return {
        "name": name,
        "file_3mf": f"parts/{name}.3mf",
        "file_stl": f"parts/{name}.stl",
        "size_mm": [round(float(v), 3) for v in mesh.size],
        "volume_mm3": round(mesh.volume, 3),
        "triangles": mesh.triangle_count,
    }


def refuse_open(mesh: Mesh, name: str) -> None:
    """MeshProblem when an edge has not exactly one face on either side."""
    half = half_edges(mesh.faces)
    count = len(mesh.vertices)
    forward = np.sort(half[:, 0] * count + half[:, 1])
    backward = np.sort(half[:, 1] * count + half[:, 0])
    if not np.array_equal(forward, backward):
        raise MeshProblem(f"{name} did not come out closed and was not written. Move the nearest cut by a millimetre and try again.")


def rows_of(matrix: Floats) -> list[list[float]]:
    """A 4x4 matrix as rows for JSON."""
    return [[round(float(v), 6) for v in row] for row in matrix]


def write_json(data: Any, path: Path) -> None:
    """Readable JSON."""
    path.write_text(json.dumps(data, indent=1) + "\n", encoding="utf-8")


def plain_cell(text: str) -> str:
    """Text for a spreadsheet that never becomes a formula there."""
    return f"'{text}" if text.startswith(("=", "+", "-", "@", "\t", "\r")) else text


def hardware_list(lines: Sequence[Mapping[str, Any]]) -> list[list[str]]:
    """Rows of a shopping and cutting list: each line with the piece it is for (``piece``), where that is said."""
    rows = [["what", "count", "diameter_mm", "length_mm", "piece"]]
    for line in lines:
        what = plain_cell(line["name"] or line["kind"])
        rows.append(
            [what, str(line["count"]), f"{line['diameter_mm']:g}", f"{line['length_mm']:g}", plain_cell(str(line.get("piece", "")))]
        )
    return rows


def cut_list(pins: Sequence[Mapping[str, Any]], parts: Sequence[Mapping[str, Any]]) -> list[list[str]]:
    """Rows of the cut list for a spreadsheet: pins to cut, then parts to print."""
    rows = [["what", "count", "diameter_mm", "length_mm", "size_mm", "printer", "hours", "filament_g"]]
    rows += [[p["kind"], str(p["count"]), f"{p['diameter_mm']:g}", f"{p['length_mm']:g}", "", "", "", ""] for p in pins]
    for part in parts:
        size = " x ".join(f"{v:.1f}" for v in part["size_mm"])
        figures = [plain_cell(part["printer"] or ""), f"{part['hours'] or 0:.2f}", f"{part['filament_g'] or 0:.1f}"]
        rows.append([plain_cell(part["name"]), "1", "", "", size, *figures])
    return rows


_SHEET_STYLE = """
body { font: 13px/1.45 Georgia, serif; color: #22303a; margin: 18mm 16mm; }
h1 { font-size: 24px; margin: 0 } h2 { font-size: 16px; margin: 22px 0 6px; border-bottom: 1px solid #22303a }
table { border-collapse: collapse; width: 100% } th, td { text-align: left; padding: 3px 10px 3px 0; vertical-align: top }
td.n { text-align: right; font-variant-numeric: tabular-nums } svg { fill: #22303a } svg .hole { fill: #fff; stroke: #22303a; stroke-width: .6 } svg .grown { fill: #8a97a0; stroke: #22303a; stroke-width: .4 }
.parts, .seams { display: flex; flex-wrap: wrap; gap: 14px } figure { margin: 0; width: 150px; break-inside: avoid } figcaption { font-size: 11px }
.care { border-left: 3px solid #a2383a; padding-left: 10px; margin-top: 18px }
"""


class _Seam(Protocol):
    """What the sheet shows of a seam."""

    @property
    def face(self) -> str: ...
    @property
    def joints(self) -> Sequence[Any]: ...


def sheet_html(name: str, build: str, plan: Mapping[str, Any], pictures: Mapping[str, str], seams: Sequence[_Seam], note: str = "") -> str:
    """One page to print and hang over the bench: parts with pictures (SVG paths by part), seams with their faces, pins, cautions.

    ``seams`` are in the order of the plan's.
    """
    t = escape
    total = plan["totals"]
    drawn = "".join(
        f"<figure>{_svg(pictures[p['name']], 140)}<figcaption><b>{t(p['name'])}</b><br>"
        f"{' × '.join(f'{v:.0f}' for v in p['size_mm'])} mm, lying as printed<br>{t(p['printer'] or 'fits no printer')}, "
        f"{p['hours'] or 0:.1f} h, {p['filament_g'] or 0:.0f} g</figcaption></figure>"
        for p in plan["parts"]
    )
    faces = "".join(
        f"<figure>{_svg(shape.face, 140, [d for j in shape.joints for d in j.drawn])}<figcaption><b>{t(s['parts'][0])}</b> to <b>{t(s['parts'][1])}</b><br>"
        f"{s['area_mm2']:.0f} mm², {t(_held_by(s))}{'<br>' + t(s['advice']) if s['advice'] else ''}</figcaption></figure>"
        for s, shape in zip(plan["seams"], seams, strict=True)
    )
    pins = "".join(
        f"<tr><td>{t(h['name'] or h['kind'])}</td><td class=n>{h['count']}</td><td class=n>{h['diameter_mm']:g} mm</td><td class=n>{h['length_mm']:g} mm</td></tr>"
        for h in plan["hardware"]
    )
    warnings = "".join(f"<li>{t(w)}</li>" for w in plan["warnings"])
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{t(name)}</title><style>{_SHEET_STYLE}</style>'
        f"<h1>{t(name)}</h1><p>{t(build)}. {total['parts']} parts, {total['hours']:.1f} h on the printers, {total['filament_g']:.0f} g, "
        f"{total['filament_m']:.0f} m. Scale {' × '.join(f'{100 * s:.1f} %' for s in plan['scale'])}.</p>"
        + (f"<p>{t(note)}</p>" if note else "")
        + f"<h2>Parts</h2><div class=parts>{drawn}</div>"
        + (f"<h2>Seams, seen flat</h2><div class=seams>{faces}</div>" if faces else "")
        + (f"<h2>Pins and hardware</h2><table><tr><th>what<th>count<th>thick<th>long</tr>{pins}</table>" if pins else "")
        + (f"<h2>To keep in mind</h2><ul>{warnings}</ul>" if warnings else "")
        + f"<p class=care>{t(_CARE)}</p></html>"
    )


_CARE = (
    "Glue, sanding dust and fumes: fitted respirator, gloves and fresh air, as your local rules and the product's own sheet say. "
    "Watch running printers or fit a smoke alarm. Costume armor is never protective equipment."
)


def _held_by(seam: Mapping[str, Any]) -> str:
    """What holds a seam, counted: “4 pin”, “1 lip”; and its glue."""
    counts: dict[str, int] = {}
    for joint in seam["joints"]:
        counts[joint["kind"]] = counts.get(joint["kind"], 0) + 1
    words = [counted(n, kind) for kind, n in counts.items()]
    glue = seam.get("glue")
    words += [f"{glue['name']} {glue['ml']:.1f} ml"] if glue else []
    return ", ".join(words) or "held as made"


def _svg(path: str, size: int, drawn: Sequence[Any] = ()) -> str:
    """A drawing in its own millimetres, fitted into a square."""
    numbers = [float(n) for n in re.findall(r"-?\d+(?:\.\d+)?", path)]
    if not numbers:
        return ""
    x, y = numbers[0::2], numbers[1::2]
    box = f"{min(x) - 2:.1f} {min(y) - 2:.1f} {max(x) - min(x) + 4:.1f} {max(y) - min(y) + 4:.1f}"
    holes = "".join(f'<path class="{d.tone}" fill-rule="evenodd" d="{d.path}"/>' for d in drawn)
    return f'<svg viewBox="{box}" width="{size}" height="{size}"><path fill-rule="evenodd" d="{path}"/>{holes}</svg>'
