"""The demo's week of log: of its own parts, on its own printers, and it teaches what it was made with."""

from unittest.mock import patch

from django.core.management import call_command
from django.test import TestCase

from bastion_core.engine.keeping import whole
from bastion_core.findings import Said
from bastion_site.builds.models import Build
from bastion_site.engine.management.commands.load_demo import load
from bastion_site.engine.refresh import refresh_calendar
from bastion_site.prints.models import Run
from bastion_site.shop.models import Printer, Spool
from bastion_site.testing import work_off
from demo import story
from demo.printed import DAYS, PACE, print_a_week

FEW = ("Crest", "Nautilus helm", "Kelp bracer left", "Hand lantern")


class AWeek(TestCase):
    def test_a_week_of_prints(self):
        with patch("bastion_site.engine.management.commands.load_demo.PIECES", tuple(p for p in story.PIECES if p.name in FEW)):
            build = load(0.04)
        work_off()
        self.assertEqual(print_a_week(build), 0, "nothing before the plates are laid")
        refresh_calendar(build)
        work_off()
        count = print_a_week(build)
        self.assertGreaterEqual(count, 5)
        self.assertEqual(print_a_week(build), 0, "once")
        refresh_calendar(build)
        work_off()
        runs = list(Run.objects.all())
        self.assertEqual({r.printer_name for r in runs} - set(PACE), set())
        self.assertLess((max(r.ended for r in runs) - min(r.started for r in runs)).days, DAYS + 1)
        for one, other in ((a, b) for a in runs for b in runs if a.pk < b.pk and a.printer_name == b.printer_name):
            self.assertTrue(one.ended <= other.started or other.ended <= one.started, "one print at a time")
        floor = self.client.get(f"/api/builds/{build.id}/floor/").json()
        self.assertEqual(floor["state"], "fresh")
        paces = {b["name"]: b for b in floor["beds"]}
        for name, true in PACE.items():
            if any(r.printer_name == name and r.state == "done" for r in runs):
                self.assertAlmostEqual(paces[name]["pace"] / true, 1, delta=0.1)
        self.assertIn("failed 3 times", str(whole(Said, floor["lessons"][0]["text"])))
        self.assertLess(sum(s.left_g for s in Spool.objects.filter(material="pla")), 3000 - 420 + 3000 + 340)

    def test_where_there_is_no_demo_nothing_is_done(self):
        call_command("print_demo")
        self.assertEqual((Build.objects.count(), Run.objects.count(), Printer.objects.count()), (0, 0, 0))
