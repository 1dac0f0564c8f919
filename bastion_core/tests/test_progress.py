"""Long work reports forward only, and stops when its callback says so."""

import subprocess
import sys
import unittest
from pathlib import Path

from bastion_core.cut.propose import propose_cuts
from bastion_core.cut.station import cut_piece
from bastion_core.errors import Stopped
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.joining import JoinRule, join
from bastion_core.pieces.intake import take_in
from bastion_core.progress import span
from bastion_core.shop import Printer
from bastion_core.tests.shapes import BUNNY, reference

ROOT = Path(__file__).resolve().parents[2]
SMALL = [Printer("small", 110, 110, 110)]


class Stopper:
    """Counts calls and raises at the given one."""

    def __init__(self, at: int | None = None) -> None:
        self.at, self.seen = at, []

    def __call__(self, fraction: float, what: str) -> None:
        self.seen.append(fraction)
        if self.at is not None and len(self.seen) >= self.at:
            raise Stopped


class Progress(unittest.TestCase):
    def test_intake_and_cut_go_forward(self):
        watch = Stopper()
        taken = take_in(BUNNY, progress=span(watch, 0.0, 0.4))
        cutting = cut_piece(taken.solid, SMALL, (1.0, 1.0, 1.0), "p", progress=span(watch, 0.4, 0.7))
        join(cutting.parting, JoinRule(PinRule()), span(watch, 0.7, 1.0))
        self.assertGreater(len(watch.seen), 10)
        self.assertEqual(watch.seen, sorted(watch.seen))
        self.assertLessEqual(watch.seen[-1], 1.0)

    def test_every_stage_can_be_stopped(self):
        solid = Solid.from_mesh(reference(BUNNY))
        with self.assertRaises(Stopped):
            take_in(BUNNY, progress=Stopper(2))
        for at in (1, 2, 4):
            with self.assertRaises(Stopped):
                propose_cuts(solid, SMALL, (1.0, 1.0, 1.0), "p", progress=Stopper(at))
        parting = cut_piece(solid, SMALL, (1.0, 1.0, 1.0), "p").parting
        with self.assertRaises(Stopped):
            join(parting, JoinRule(PinRule()), Stopper(2))


class TheOneCommand(unittest.TestCase):
    def test_help_and_what_is_no_command(self):
        listed = subprocess.run([sys.executable, "bastion", "help"], cwd=ROOT, capture_output=True, encoding="utf-8")
        for name in ("demo", "serve", "plan", "test", "check", "bench", "shots"):
            self.assertIn(f"  {name}", listed.stdout)
        wrong = subprocess.run([sys.executable, "bastion", "fly"], cwd=ROOT, capture_output=True, encoding="utf-8")
        self.assertEqual((wrong.returncode, wrong.stderr.count("\n")), (1, 1))

    def test_the_core_needs_no_web_framework(self):
        code = "import sys; sys.modules['django'] = None; import bastion_core.__main__, bastion_core.takeaway; print('ok')"
        done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, encoding="utf-8")
        self.assertEqual(done.stdout.strip(), "ok", done.stderr)
