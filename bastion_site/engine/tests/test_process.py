"""Work in a process of its own: results and errors come through; what dies, takes too long or too much is told and harms nobody."""

import os
import threading
import time
import unittest
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

from bastion_core.errors import MeshProblem, RecipeProblem, Stopped
from bastion_site.engine import process, queue
from bastion_site.engine.process import Busy, Process, resident_bytes


def double(value: int) -> tuple[int, int]:
    return value * 2, os.getpid()


def refuse() -> None:
    raise RecipeProblem("That plane has no direction.", "cuts")


def die() -> None:
    os.abort()


def sleep(seconds: float) -> int:
    time.sleep(seconds)
    return os.getpid()


def fill(megabytes: int) -> None:
    filled = bytearray(megabytes * 1024**2)
    filled[::4096] = b"x" * len(filled[::4096])
    time.sleep(20)


def alive(pid: int) -> bool:
    return Path(f"/proc/{pid}").exists()


class Apart(unittest.TestCase):
    def setUp(self):
        self.process = Process()
        self.addCleanup(self.process.end)

    def test_it_stays_warm_between_questions(self):
        value, first = self.process.ask(double, 21)
        self.assertEqual(value, 42)
        self.assertNotEqual(first, os.getpid())
        self.assertEqual(self.process.ask(double, 1), (2, first))

    def test_errors_keep_their_kind_and_words(self):
        with self.assertRaisesRegex(RecipeProblem, "no direction") as told:
            self.process.ask(refuse)
        self.assertEqual(told.exception.field, "cuts")

    def test_a_crash_is_told_and_the_next_work_goes_on(self):
        with self.assertRaisesRegex(MeshProblem, "ended before it was done"):
            self.process.ask(die)
        self.assertEqual(self.process.ask(double, 1)[0], 2)

    def test_what_takes_too_long_is_ended(self):
        _, child = self.process.ask(double, 1)
        begin = time.monotonic()
        with self.assertRaisesRegex(MeshProblem, "took longer"):
            self.process.ask(sleep, 60, timeout_s=0.5)
        self.assertLess(time.monotonic() - begin, 5)
        self.assertFalse(alive(child))

    def test_what_is_not_wanted_any_more_is_ended_at_once(self):
        _, child = self.process.ask(double, 1)
        with self.assertRaises(Stopped):
            self.process.ask(sleep, 60, stop=lambda: True)
        self.assertFalse(alive(child))

    def test_a_step_that_gets_nowhere_is_ended_and_told(self):
        _, child = self.process.ask(double, 1)
        wearer = SimpleNamespace(first=lambda: (0.2, "reading the file"))
        jobs = SimpleNamespace(filter=lambda **_: SimpleNamespace(values_list=lambda *_: wearer))
        with (
            mock.patch.object(queue.Job, "objects", jobs),
            mock.patch.object(queue, "MOST_STEP_S", 0.5),
            self.assertRaisesRegex(MeshProblem, "“reading the file” took longer"),
        ):
            self.process.ask(sleep, 60, stop=queue._Watch(1))
        self.assertFalse(alive(child))

    def test_what_takes_too_much_memory_is_ended(self):
        with mock.patch.object(process, "MOST_BYTES", 600 * 1024**2), self.assertRaisesRegex(MeshProblem, "more memory"):
            self.process.ask(fill, 1200)
        self.assertEqual(self.process.ask(double, 4)[0], 8)

    def test_few_may_wait(self):
        few = Process(most_waiting=1)
        self.addCleanup(few.end)
        few.ask(double, 1)
        threads = [threading.Thread(target=few.ask, args=(sleep, 1.0)) for _ in range(2)]
        for thread in threads:
            thread.start()
        time.sleep(0.3)
        with self.assertRaises(Busy):
            few.ask(double, 1)
        for thread in threads:
            thread.join()
        self.assertEqual(few.ask(double, 2)[0], 4)

    def test_its_memory_is_given_back_when_nobody_asks(self):
        short = Process(idle_s=0.3)
        self.addCleanup(short.end)
        _, child = short.ask(double, 1)
        self.assertGreater(resident_bytes(child), 10_000_000)
        until = time.monotonic() + 8
        while alive(child) and time.monotonic() < until:
            time.sleep(0.1)
        self.assertFalse(alive(child))
        self.assertEqual(short.ask(double, 3)[0], 6)
