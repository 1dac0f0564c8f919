"""The command line and the site are asked the same: every number they give has to be the same."""

import hashlib
import json
import math
import shutil
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path

from django.test import TestCase

from bastion_core import __version__
from bastion_core.__main__ import main
from bastion_core.engine.graph import Graph
from bastion_core.engine.keeping import plain
from bastion_core.engine.store import FolderStore
from bastion_core.formats.stl import write_binary_stl
from bastion_core.stations import STATIONS
from bastion_core.tests.shapes import BUNNY, plain_bracer, plain_helm
from bastion_site.builds.models import Piece
from bastion_site.engine.cases import graph_of
from bastion_site.shop.models import Printer
from bastion_site.testing import bytes_of, file_of, shop, work_off


def leaves(value, path: str = "") -> Iterator[tuple[str, object]]:
    """Every number, text and flag of a JSON value with where it stands."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from leaves(inner, f"{path}.{key}")
    elif isinstance(value, list | tuple):
        for index, inner in enumerate(value):
            yield from leaves(inner, f"{path}[{index}]")
    else:
        yield path, value


class BothStores(TestCase):
    """A helmet, a limb piece and one worn nowhere, with decisions that are nobody's default."""

    @classmethod
    def setUpTestData(cls):
        cls.build, cls.wearer = shop()
        Printer.objects.update(x_mm=170, y_mm=170, z_mm=170)
        cls.folder = Path(tempfile.mkdtemp())
        cls.addClassCleanup(shutil.rmtree, cls.folder)
        cls.files = {name: cls.folder / f"{name}.stl" for name in ("helm", "bracer-left")} | {"bunny": BUNNY}
        write_binary_stl(plain_helm(0.02), cls.files["helm"])
        write_binary_stl(plain_bracer(0.2), cls.files["bracer-left"])
        decided = {
            "helm": {"layers": [{"name": "pad", "thickness_mm": 6.5, "where": "all"}], "walls": 4},
            "bracer-left": {"scale": [1.05, 1.05, 1.0], "shift_mm": [0, 2, 0], "pin_diameters_mm": [3.0]},
            "bunny": {"site": "other", "wanted_length_mm": 190.0, "infill": 0.3, "layer_mm": 0.12},
        }
        cls.pieces = {}
        for name, changes in decided.items():
            told = cls.client_class().post("/api/pieces/upload/", {"build": cls.build.id, "file": file_of(cls.files[name])}).json()
            piece = cls.pieces[name] = Piece.objects.get(pk=told["id"])
            piece.decide(**changes)
            piece.save()
        work_off()

    def alike(self, ours, theirs, what: str) -> int:
        """Compare two JSON values leaf by leaf; how many numbers there were."""
        one, other = dict(leaves(ours)), dict(leaves(theirs))
        self.assertEqual(one.keys(), other.keys(), what)
        for path, value in one.items():
            self.assertEqual(value, other[path], f"{what}{path}")
        return sum(isinstance(v, int | float) and not isinstance(v, bool) and math.isfinite(v) for v in one.values())

    def test_every_station_gives_the_same_in_a_folder_as_in_the_database(self):
        for name, piece in self.pieces.items():
            with self.subTest(name):
                site = graph_of(Piece.objects.get(pk=piece.pk))
                source = hashlib.sha256(self.files[name].read_bytes()).hexdigest()
                folder = Graph(STATIONS, site.case, FolderStore(self.folder / f"computed-{name}" / __version__, {source: self.files[name]}))
                folder.carry_out()
                numbers = 0
                for key, station in folder.stations.items():
                    self.assertEqual(folder.ref(key), site.ref(key), key)
                    numbers += self.alike(plain(folder.result(key)), plain(site.result(key)), key)
                    if not station.kept:
                        continue
                    numbers += self.alike(plain(folder.data(key)), plain(site.data(key)), key)
                    made, kept = folder.store.folder(folder.ref(key)), site.store.folder(site.ref(key))
                    files = {p.name for p in made.glob("*.stl")}
                    self.assertEqual(files, {p.name for p in kept.glob("*.stl")})
                    for file in files:
                        self.assertEqual((made / file).read_bytes(), (kept / file).read_bytes(), file)
                self.assertGreater(numbers, 200)

    def test_plan_and_site_write_the_same_plan(self):
        (self.folder / "wearer.json").write_text(json.dumps(self.wearer.core().as_dict()))
        decided = {
            "helm": ("--site", "head", "--between", "pad=6.5", "--walls", "4"),
            "bracer-left": ("--site", "forearm", "--side", "left", "--scale", "1.05x1.05x1", "--shift", "0", "2", "0", "--pin", "3"),
            "bunny": ("--site", "other", "--length", "190", "--infill", "30", "--layer", "0.12"),
        }
        for name, piece in self.pieces.items():
            with self.subTest(name):
                out = self.folder / f"out-{name}"
                # What the folder of the other test holds is taken over where the decisions typed here come to the same.
                asked = ["plan", str(self.files[name]), "--out", str(out), "--wearer", str(self.folder / "wearer.json")]
                asked += ["--keep", str(self.folder / f"computed-{name}")]
                self.assertEqual(main([*asked, "--printer", "Small:170x170x170", *decided[name]]), 0)
                ours = json.loads((out / "plan.json").read_text("utf-8"))
                answer = self.client.get(f"/api/pieces/{piece.pk}/takeaway/")
                theirs = json.loads(zipfile.ZipFile(bytes_of(answer)).read("plan.json"))
                for parts in (ours["parts"], theirs["parts"]):
                    for part in parts:  # named after the file here, after the piece there
                        part.update(name=part["name"].split("-")[-1], file_3mf="", file_stl="")
                for lines in (ours["seams"], theirs["seams"]):
                    for seam in lines:
                        seam["parts"] = [p.split("-")[-1] for p in seam["parts"]]
                for key in ("model", "scale", "fit", "parts", "hardware", "totals"):
                    self.alike({key: ours[key]}, {key: theirs[key]}, name)
                self.assertEqual(len(ours["seams"]), len(theirs["seams"]))
