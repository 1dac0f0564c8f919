"""A database that the first release wrote is opened by this one: nothing decided is lost, and what is computed comes back."""

import sqlite3
import tempfile
from contextlib import closing
from pathlib import Path

from django.core.management import call_command
from django.db import connections
from django.test import TransactionTestCase

from bastion_core.cut.recipe import CutRecipe
from bastion_core.fit.layers import Layer
from bastion_core.fit.recipe import FitRecipe
from bastion_core.join.recipe import JoinRecipe
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.print.recipe import PrintRecipe
from bastion_core.recipes import VERSION
from bastion_site.builds.models import Build, Derived, Piece, TestFit
from bastion_site.jobs.models import Job
from bastion_site.shop.models import Printer
from bastion_site.wearers.models import Wearer

RELEASE_0 = Path(__file__).parent / "data" / "release-0.sql"
"""Every table of a small database as the first release left it, with decisions of all kinds."""


class FromTheFirstRelease(TransactionTestCase):
    """The fixture takes the place of the test's database while it is brought up to date."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        path = Path(made.name) / "old.sqlite3"
        with closing(sqlite3.connect(path)) as old:
            old.executescript(RELEASE_0.read_text("utf-8"))
        connection = connections["default"]
        connection.close()
        cls.addClassCleanup(cls._put_back, connection.settings_dict["NAME"])
        connection.settings_dict["NAME"] = str(path)
        call_command("migrate", verbosity=0)

    @classmethod
    def _put_back(cls, name):
        connections["default"].close()
        connections["default"].settings_dict["NAME"] = name

    def _fixture_teardown(self):
        """The file goes as a whole."""

    def piece(self, name: str) -> Piece:
        return Piece.objects.get(name=name)

    def test_rows_are_all_there(self):
        self.assertEqual((Build.objects.count(), Piece.objects.count(), Printer.objects.count()), (1, 14, 3))
        self.assertEqual(self.piece("Heron shin right").mirror_of, self.piece("Heron shin left"))
        self.assertEqual(self.piece("Nautilus helm, second watch").wearer, Wearer.objects.get(pk=2))
        fit = TestFit.objects.get()
        self.assertEqual((fit.piece.name, fit.felt, fit.where, fit.predicted["room_mm"]), ("Heron shin left", "tight", "calf", 2.0))
        self.assertEqual(self.piece("Crest").totals["parts"], 4)

    def test_every_decision_is_carried_over(self):
        helm = self.piece("Nautilus helm")
        self.assertEqual((helm.site, helm.of(CutRecipe).printer_ids, helm.of(CutRecipe).cuts), ("head", (1, 2), None))
        crest = self.piece("Crest")
        self.assertEqual((crest.of(PiecesRecipe).unit, crest.of(PiecesRecipe).turns), ("mm", (0, 0, 1)))
        first, second = crest.of(CutRecipe).cuts
        self.assertEqual((first.id, first.point, second.normal, second.limits), ("c1", (0, 0, 40), (0, 1, 0), (("c1", 1),)))
        self.assertEqual((crest.of(JoinRecipe).pin_diameters_mm, crest.of(JoinRecipe).pin_clearance_mm), ((3.0,), 0.2))
        self.assertEqual((crest.of(PrintRecipe).walls, crest.of(PrintRecipe).infill), (4, 0.25))
        shin = self.piece("Heron shin left")
        fit = shin.of(FitRecipe)
        self.assertEqual((shin.side, fit.made_for_mm, fit.give_mm, fit.way_in), ("left", 1800.0, 3.0, "open"))
        self.assertEqual((fit.shift_mm, fit.turn_deg, fit.layers), ((1, 2, 3), (4, 0, 0), (Layer("suit", 1.5),)))
        self.assertTrue(self.piece("Heron shin right").of(PiecesRecipe).mirrored)
        signal = self.piece("Nautilus helm, signal").of(FitRecipe)
        self.assertEqual((signal.scale, signal.bays[0].name, signal.bays[0].place), ((1.07, 1.07, 1.07), "board on a carrier", "nape"))
        staff = self.piece("Lantern staff")
        self.assertEqual((staff.of(FitRecipe).wanted_length_mm, staff.of(CutRecipe).cuts), (1900.0, ()))
        self.assertEqual((staff.of(PrintRecipe).material, self.piece("Breakwater breastplate").of(PrintRecipe).layer_mm), ("petg", 0.28))

    def test_padding_beside_the_layers_becomes_one_of_them(self):
        self.assertEqual(self.piece("Nautilus helm, second watch").of(FitRecipe).layers, (Layer("pad", 5.5),))
        self.assertEqual(self.piece("Crest").of(FitRecipe).layers, (), "off the head it was never used")

    def test_what_is_written_again_is_todays(self):
        piece = self.piece("Nautilus helm, second watch")
        piece.decide(walls=5)
        piece.save()
        again = self.piece("Nautilus helm, second watch")
        self.assertEqual((again.recipe["version"], again.of(PrintRecipe).walls), (VERSION, 5))
        self.assertEqual(again.of(FitRecipe).layers, (Layer("pad", 5.5),))
        self.assertNotIn("pad_mm", again.recipe)

    def test_results_are_computed_again_and_old_jobs_have_their_piece(self):
        self.assertEqual(Derived.objects.count(), 0, "what the old version computed is not taken for today's")
        self.assertEqual({p.jobs.count() > 0 for p in Piece.objects.all()}, {True})
        self.assertEqual(set(Job.objects.values_list("kind", flat=True)) - set(Job.Kind.values), set())
        self.assertEqual(self.client.get("/api/builds/1/wall/").status_code, 200)
