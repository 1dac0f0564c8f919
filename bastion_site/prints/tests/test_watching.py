"""Printed parts against later decisions, and printers that tell for themselves how far they are."""

import threading
import time
from unittest.mock import patch

from bastion_core.devices.printer import Manner, Simulated, service
from bastion_site.builds.models import Piece
from bastion_site.prints.models import Run
from bastion_site.prints.tests.test_floor import WithPlates, key
from bastion_site.prints.watching import look_at, look_at_all
from bastion_site.shop.models import Printer, Spool
from bastion_site.testing import said, work_off


class Frozen(WithPlates):
    BOXES = ((40, 30, 25),)

    def test_a_change_of_what_is_printed_tells_its_price(self):
        plate = self.floor()["plates"][0]
        run = self.begin(plate).json()
        piece = Piece.objects.get()

        def findings(**change):
            body = {**change, "version": self.client.get(f"/api/pieces/{piece.id}/").json()["version"]}
            told = self.client.patch(f"/api/pieces/{piece.id}/", body, content_type="application/json")
            self.assertEqual(told.status_code, 200, told.content)
            work_off()
            cell = self.client.get(f"/api/pieces/{piece.id}/").json()["stations"]["print"]
            return [said(f["text"]) for f in cell["findings"] if f["code"] == "frozen"]

        self.assertEqual(findings(walls=5), [], "the solid is the same: only its inside is printed otherwise")
        (told,) = findings(scale=[1.2, 1.2, 1.2])
        self.assertRegex(told, r"^A: printed already.*To print that again takes \d.* h, \d+ g")
        self.assertEqual(findings(scale=None), [], "decided back, all is well")
        self.assertEqual(self.floor()["plates"], [], "it is being printed, whatever else was decided")
        self.post(f"runs/{run['id']}/undo/")
        self.assertEqual(findings(scale=[1.3, 1.3, 1.3]), [], "its start was taken back")


class Watched(WithPlates):
    BOXES = ((40, 30, 25), (90, 90, 12))

    def machine(self, **manner) -> Simulated:
        """The shop's printer, simulated and watched; its clock is ours."""
        self.now = 0.0
        machine = Simulated("Small", Manner(speed_up=3600.0, **manner), lambda: self.now)
        server = service(machine)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        Printer.objects.update(address=f"http://127.0.0.1:{server.server_address[1]}", watched=True)
        return machine

    def test_done_by_the_printer_itself(self):
        machine = self.machine(pace=1.3)
        plate = self.floor()["plates"][0]
        run = self.begin(plate, spool=Spool.objects.get().id).json()
        self.assertTrue(run["watched"])
        self.assertEqual(machine.status()["job"], str(run["id"]))
        self.now = 0.65 * plate["hours"]
        look_at_all()
        self.assertAlmostEqual(Run.objects.get().progress, 0.5, delta=0.01)
        self.now = 2 * plate["hours"]
        look_at_all()
        done = Run.objects.get()
        self.assertEqual(done.state, "done")
        self.assertAlmostEqual(done.hours / plate["hours"], 1.3, delta=0.01)
        look_at_all()
        self.assertEqual(Run.objects.count(), 1, "asked again, nothing more is logged")
        self.assertGreater(Spool.objects.get().used_g, 0)

    def test_failed_and_what_is_to_be_done_about_it(self):
        machine = self.machine(fail_at=((0.2, "knocked"), (0.2, "knocked"), (0.21, "knocked")))
        for _ in range(3):
            plate = next(p for p in self.floor()["plates"] if [q["name"] for q in p["parts"]] == ["block1-A"] or p["again"])
            self.begin(plate)
            self.now += 0.5
            look_at_all()
            Run.objects.filter(at_mm=None).update(at_mm=8.0)
            work_off()
        self.assertEqual([r.cause for r in Run.objects.all()], ["knocked"] * 3)
        self.assertEqual(machine.status()["state"], "failed")
        lessons = self.floor()["lessons"]
        self.assertIn("failed 3 times near 8 mm", said(lessons[0]["text"]))
        halves = next(x for x in lessons if "cuts" in (x["change"] or {}))
        draft = self.post(f"pieces/{halves['piece']}/drafts/", **halves["change"])
        self.assertEqual(draft.status_code, 201, draft.content)
        work_off()
        told = self.client.get(f"/api/drafts/{draft.json()['id']}/").json()
        self.assertEqual(told["totals"]["parts"], 2, "two halves")
        self.assertTrue(all(p["size_mm"][2] < 50 for p in told["print_data"]["parts"]))

    def test_out_of_reach_and_switched_off(self):
        self.machine(lost_at=(0.1, 0.2))
        plate = self.floor()["plates"][0]
        self.begin(plate)
        self.now = 0.15
        self.assertIn("does not answer", look_at(Printer.objects.get()))
        run = Run.objects.get()
        self.assertEqual((run.state, bool(run.said)), ("running", True), "nothing is lost")
        self.now = 0.35
        look_at_all()
        self.assertEqual(Run.objects.get().said, "")
        # another machine at the same address: it was switched off and on
        other = Simulated("Small", Manner(), time.monotonic)
        server = service(other)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        Printer.objects.update(address=f"http://127.0.0.1:{server.server_address[1]}")
        self.assertIn("knows nothing of this print", look_at(Printer.objects.get()))
        told = self.post(f"runs/{run.id}/press/", key=key(), kind="failed", cause="power")
        self.assertEqual(told.json()["state"], "failed")

    def test_one_that_says_nonsense_leaves_the_others_watched(self):
        first, second = Printer.objects.get(), Printer.objects.create(name="Other", x_mm=200, y_mm=200, z_mm=200)
        Printer.objects.update(address="http://127.0.0.1:9", watched=True)
        asked = []

        def look(printer):
            asked.append(printer.pk)
            return float("soon") if printer == first else ""

        with patch("bastion_site.prints.watching.look_at", look), self.assertLogs("bastion_site.prints.watching", "ERROR"):
            look_at_all()
        self.assertEqual(asked, [first.pk, second.pk])

    def test_a_service_that_refuses_is_told_and_nothing_is_lost(self):
        self.machine()
        self.begin(self.floor()["plates"][0])
        Printer.objects.update(address=Printer.objects.get().address + "/nowhere")
        self.assertIn("Nothing is at this address", look_at(Printer.objects.get()))
        self.assertEqual(Run.objects.get().state, "running")

    def test_a_printer_that_does_not_answer_begins_nothing(self):
        Printer.objects.update(address="http://127.0.0.1:9", watched=True)
        answer = self.begin(self.floor()["plates"][0])
        self.assertContains(answer, "does not answer", status_code=400)
        self.assertEqual(Run.objects.count(), 0)
        self.assertEqual(self.client.patch(
            f"/api/printers/{Printer.objects.get().id}/", {"address": "http://example.net"}, content_type="application/json"
        ).status_code, 400)  # fmt: skip


class Weighed(WithPlates):
    BOXES = ((40, 30, 25),)

    def weigh(self, **how):
        return self.post(f"spools/{Spool.objects.get().id}/weigh/", **how)

    def test_the_scale(self):
        Spool.objects.update(used_g=400.0)
        told = self.weigh().json()
        spool = Spool.objects.get()
        self.assertAlmostEqual(told["left_g"], spool.left_g)
        self.assertAlmostEqual(told["gross_g"] - spool.core_g, told["left_g"])
        self.assertLess(told["sd_g"], 5, "weighed, it is known better")
        self.assertAlmostEqual(told["left_g"], 600, delta=60)
        before = spool.used_g
        for how, words in (({"cut_off": True}, "does not answer"), ({"tare_off": True}, "less than the bare core")):
            self.assertContains(self.weigh(**how), words, status_code=400)
        self.assertEqual(Spool.objects.get().used_g, before)
