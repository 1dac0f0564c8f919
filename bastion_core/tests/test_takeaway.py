import re
import tempfile
import unittest
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bastion_core.errors import MeshProblem
from bastion_core.geometry.mesh import Mesh
from bastion_core.join.fasteners.base import Drawn
from bastion_core.takeaway import cut_list, part_name, refuse_open, rows_of, sheet_html, write_part
from bastion_core.tests.shapes import box

PART = {
    "name": "helm-A", "size_mm": [10.0, 20.0, 30.0], "printer": "Gull", "hours": 3.25, "filament_g": 41.0, "filament_m": 13.7,
}  # fmt: skip
PIN = {"kind": "pin", "name": "", "diameter_mm": 3.0, "length_mm": 15.0, "count": 4}
SEAM = {"parts": ["helm-A", "helm-B"], "area_mm2": 420.0, "advice": "", "joints": [PIN]}


@dataclass(frozen=True)
class OnSeam:
    """A fastener's drawing."""

    drawn: tuple[Drawn, ...] = (Drawn("M3,3L5,3L5,5L3,5Z", "hole"),)


@dataclass(frozen=True)
class Flat:
    """A seam's drawing."""

    face: str = "M0,0L9,0L9,9L0,9Z"
    joints: tuple[OnSeam, ...] = (OnSeam(),)


def record(**more) -> dict:
    totals = {"parts": 1, "hours": 3.25, "filament_g": 41.0, "filament_m": 13.7}
    return {"scale": [1.0, 1.0, 1.08], "parts": [PART], "seams": [SEAM], "hardware": [PIN], "totals": totals, "warnings": []} | more


class TakeAway(unittest.TestCase):
    def test_part_files(self):
        with tempfile.TemporaryDirectory() as made:
            folder = Path(made)
            told = write_part(box(10, 20, 30), folder, "helm-A")
            self.assertEqual(told["size_mm"], [10, 20, 30])
            self.assertEqual(told["volume_mm3"], 6000)
            for key in ("file_3mf", "file_stl"):
                self.assertTrue((folder / told[key]).stat().st_size > 300)

    def test_an_open_part_never_leaves(self):
        mesh = box(10, 20, 30).mesh()
        with self.assertRaisesRegex(MeshProblem, "not come out closed"):
            refuse_open(Mesh(mesh.vertices, mesh.faces[1:]), "p")
        turned = mesh.faces.copy()
        turned[0] = turned[0][::-1]
        with self.assertRaises(MeshProblem):
            refuse_open(Mesh(mesh.vertices, turned), "p")
        refuse_open(mesh, "p")

    def test_cut_list(self):
        rows = cut_list([PIN], [PART])
        self.assertEqual(len({len(r) for r in rows}), 1)
        self.assertEqual(rows[1][:4], ["pin", "4", "3", "15"])
        self.assertEqual(rows[2][0], "helm-A")
        self.assertIn("10.0 x 20.0 x 30.0", rows[2])

    def test_sheet_escapes_what_people_write(self):
        told = record(warnings=["mind <this>"])
        page = sheet_html("<Helm> & co", "Build", told, {"helm-A": "M0,0L10,0L10,-30L0,-30Z"}, [Flat()], "note <b>")
        self.assertIn("&lt;Helm&gt; &amp; co", page)
        self.assertIn("mind &lt;this&gt;", page)
        self.assertNotIn("<b>note", page)
        self.assertEqual(len(re.findall('class="hole"', page)), 1)
        self.assertIn("108.0 %", page)
        self.assertNotIn("http", page)

    def test_names(self):
        self.assertEqual(part_name("Sea Helm (final).STL"), "sea-helm-final")
        self.assertEqual(part_name("###.stl"), "piece")
        self.assertEqual(rows_of(np.eye(4))[3], [0, 0, 0, 1])
