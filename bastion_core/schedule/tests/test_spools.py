"""Spools, what failures say, and the devices of the shop floor."""

import json
import threading
import unittest
import urllib.error
import urllib.request
from datetime import datetime, timedelta

import numpy as np

from bastion_core.devices.printer import Manner, Simulated, service
from bastion_core.devices.spool_scale import NOISE_G, ScaleLost, left_on
from bastion_core.devices.spool_scale import read as read_scale
from bastion_core.errors import RecipeProblem
from bastion_core.schedule.learn import GRAM_SD, GRAMS_SD, learnt
from bastion_core.schedule.lessons import Failure, lessons
from bastion_core.schedule.model import Asked, Need, Slot, Times
from bastion_core.schedule.spools import SpoolLeft, one_more, runs_out, shopping, spools_for

BEGIN = datetime(2027, 3, 1, 9)
TIMES = Times(BEGIN)


def slot(plate: str, start_h: float, hours: float, printer: str = "a") -> Slot:
    begun = BEGIN + timedelta(hours=start_h)
    return Slot(plate, printer, begun, begun + timedelta(hours=hours))


def need(plate: str, grams: float, stuff: str = "pla|grey") -> Need:
    return Need(plate, plate, {"a": 10.0, "b": 10.0}, stuff, grams)


class Feeding(unittest.TestCase):
    def test_the_chance_against_drawing_both(self):
        rng = np.random.default_rng(2)
        spool = SpoolLeft(1, "s", "pla", "", 340.0, 6.0)
        drawn = np.mean(rng.normal(340, 6, 200_000) < rng.normal(352, 12, 200_000))
        self.assertAlmostEqual(runs_out(spool, 352.0, 12.0), float(drawn), delta=0.005)

    def test_the_least_full_that_surely_does(self):
        spools = [
            SpoolLeft(1, "full", "pla", "grey", 1000.0),
            SpoolLeft(2, "rest", "pla", "grey", 300.0),
            SpoolLeft(3, "blue", "pla", "blue", 250.0),
        ]
        fed, left = spools_for(
            [slot("n", 0, 8), slot("m", 9, 8)], {"n": need("n", 200), "m": need("m", 200)}, spools, learnt([], 2.0), TIMES
        )
        self.assertEqual([f.spool for f in fed], [2, 1], "the rest first; what it has left then does not do for the second")
        self.assertAlmostEqual(next(s.left_g for s in left if s.id == 2), 100.0)

    def test_running_out_is_told_and_watched(self):
        spools = [SpoolLeft(1, "s", "pla", "grey", 340.0)]
        fed, _ = spools_for([slot("n", 0, 40)], {"n": need("n", 352)}, spools, learnt([], 2.0), TIMES)
        one = fed[0]
        sd = 352 * np.hypot(GRAMS_SD, GRAM_SD)
        self.assertAlmostEqual(one.sd_g, sd, delta=0.1)
        self.assertTrue(0.5 < one.runs_out < 0.8)
        self.assertAlmostEqual(one.near_h, 40 * 340 / 352, delta=0.01)
        self.assertFalse(one.awake, "38.6 h after 9 h is at night")

    def test_one_spool_feeds_one_printer_at_a_time(self):
        spools = [SpoolLeft(1, "s", "pla", "grey", 3000.0)]
        slots = [slot("n", 0, 8, "a"), slot("m", 2, 8, "b")]
        fed, _ = spools_for(slots, {"n": need("n", 100), "m": need("m", 100)}, spools, learnt([], 2.0), TIMES)
        self.assertEqual([f.spool for f in fed], [1, None])

    def test_what_is_to_be_bought(self):
        needs = {f"n{k}": need(f"n{k}", 500) for k in range(5)}
        spools = [SpoolLeft(1, "s", "pla", "grey", 400.0)]
        fed, _ = spools_for([slot(f"n{k}", 10 * k, 9) for k in range(5)], needs, spools, learnt([], 2.0), TIMES)
        (buy,) = shopping(fed, needs, spools, {"pla": 20.0})
        self.assertTrue(2100 < buy.grams < 2400)
        self.assertEqual((buy.spools, buy.price), (3, 60.0))

    def test_one_spool_more_where_printers_wait_for_it(self):
        needs = tuple(need(f"n{k}", 100) for k in range(6))
        asked = Asked(needs, ("a", "b"), TIMES, spools={"pla|grey": 1})
        (more,) = one_more(asked)
        self.assertGreater(more.hours, 20)
        self.assertEqual(one_more(Asked(needs, ("a", "b"), TIMES, spools={"pla|grey": 2})), ())

    def test_less_than_nothing(self):
        with self.assertRaisesRegex(RecipeProblem, "less than nothing"):
            SpoolLeft(1, "s", "pla", "", -1.0)


class Lessons(unittest.TestCase):
    def failed(self, run: int, at: float, cause: str = "knocked", part: str = "x") -> Failure:
        return Failure(run, 7, part, "crest-A", "Gull", True, cause, at, 180.0)

    def test_the_third_at_one_height(self):
        takes = {(7, "x"): [("Gull", True), ("Albatross", False)]}
        two = [self.failed(1, 60), self.failed(2, 64)]
        self.assertEqual(lessons(two, takes), ())
        (told,) = lessons([*two, self.failed(3, 68), self.failed(4, 130)], takes)
        self.assertEqual(sorted(told.runs), [1, 2, 3])
        self.assertEqual((told.others, told.halves), (("Albatross",), True))
        self.assertIn("64 mm", str(told.text))

    def test_far_apart_or_the_makers_doing_says_nothing(self):
        self.assertEqual(lessons([self.failed(k, 40.0 * k) for k in (1, 2, 3)], {}), ())
        self.assertEqual(lessons([self.failed(k, 60.0, "power") for k in (1, 2, 3)], {}), ())

    def test_the_wrong_file(self):
        (told,) = lessons([self.failed(1, 5.0, "wrong_file")], {})
        self.assertFalse(told.halves)
        self.assertIn("wrong file", str(told.text))


class Scale(unittest.TestCase):
    def test_noise_and_what_is_left(self):
        read = [read_scale(1310.0, k, 3).gross_g for k in range(60)]
        self.assertAlmostEqual(float(np.mean(read)), 1310, delta=3 * NOISE_G / 60**0.5 + 0.5)
        self.assertEqual(left_on(1310.0, 310.0, 3000.0), 1000.0)

    def test_lost_tare_off_and_too_much(self):
        with self.assertRaisesRegex(ScaleLost, "does not answer"):
            read_scale(1310.0, 0, cut_off=True)
        with self.assertRaisesRegex(ScaleLost, "less than the bare core"):
            left_on(read_scale(1310.0, 0, tare_off=True).gross_g, 310.0, 1000.0)
        with self.assertRaisesRegex(ScaleLost, "more than the 1000 g"):
            left_on(1700.0, 310.0, 1000.0)
        with self.assertRaisesRegex(ScaleLost, "one spool at a time"):
            read_scale(9000.0, 0)


class Machine(unittest.TestCase):
    def machine(self, **manner) -> Simulated:
        self.now = 0.0
        return Simulated("Gull", Manner(**manner), lambda: self.now)

    def test_a_print_by_the_clock(self):
        m = self.machine(speed_up=3600.0, pace=1.25)
        m.begin("1", "Plate 1", 8.0)
        self.now = 5.0
        told = m.status()
        self.assertEqual((told["state"], told["hour"], told["progress"], told["bed_deg_c"]), ("printing", 5.0, 0.5, 60.0))
        with self.assertRaisesRegex(RecipeProblem, "is printing"):
            m.begin("2", "Plate 2", 1.0)
        m.pause()
        self.now = 50.0
        m.resume()
        self.now = 55.1
        self.assertEqual((m.status()["state"], m.status()["hour"]), ("done", 10.0))

    def test_fails_as_scripted_and_at_random(self):
        m = self.machine(speed_up=3600.0, fail_at=((3.5, "knocked"),))
        m.begin("1", "x", 8.0)
        self.now = 4.0
        self.assertEqual((m.status()["state"], m.status()["cause"], m.status()["hour"]), ("failed", "knocked", 3.5))
        m.begin("2", "x", 8.0)
        self.now = 20.0
        self.assertEqual(m.status()["state"], "done", "the script has one failure")
        m = self.machine(speed_up=3600.0, fails_per_h=0.1)
        failed = 0
        for k in range(400):
            m.begin(str(k), "x", 5.0)
            self.now += 6.0
            failed += m.status()["state"] == "failed"
        self.assertAlmostEqual(failed / 400, 1 - np.exp(-0.5), delta=0.08)

    def test_over_the_wire(self):
        m = self.machine(speed_up=3600.0, lost_at=(2.0, 1.0))
        server = service(m)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        at = f"http://127.0.0.1:{server.server_address[1]}"

        def ask(path: str, body: object = None):
            sent = None if body is None else json.dumps(body).encode()
            with urllib.request.urlopen(urllib.request.Request(at + path, sent), timeout=5) as answer:
                return json.load(answer)

        self.assertEqual(ask("/status")["state"], "idle")
        self.assertEqual(ask("/print", {"job": "9", "name": "Plate 1", "hours": 6.0})["job"], "9")
        for path, body, code in (("/print", {"job": "9", "hours": 6.0}, 409), ("/print", {"hours": "many"}, 400), ("/nowhere", {}, 404)):
            with self.assertRaises(urllib.error.HTTPError) as refused:
                ask(path, body)
            self.assertEqual(refused.exception.code, code)
        self.now = 2.5
        with self.assertRaises(OSError):
            ask("/status")
        self.now = 3.5
        self.assertEqual(ask("/status")["hour"], 3.5, "it went on printing")

    def test_what_cannot_be(self):
        for bad in ({"speed_up": 0}, {"pace": 20}, {"fail_at": ((1.0, "gremlins"),)}, {"fails_per_h": -1}):
            with self.assertRaises(RecipeProblem):
                Manner(**bad)
