"""The log by itself: whatever is pressed in whatever order, all of it can be taken back, and nothing counts twice."""

import random
from datetime import timedelta

from django.conf import settings
from django.db import IntegrityError, transaction
from django.test import TestCase
from django.utils import timezone

from bastion_core.engine.store import Ref
from bastion_core.errors import BastionError, RecipeProblem
from bastion_core.plates.records import Plate, PlatePart, Taken
from bastion_site.builds.models import Build, Derived, FrozenPart, MeshFile, Piece
from bastion_site.engine.sweep import sweep
from bastion_site.errors import Changed
from bastion_site.prints import logbook
from bastion_site.prints.models import Press, Run, RunPart
from bastion_site.shop.models import Printer, Shop, Spool

HASH = "a" * 32


class Logged(TestCase):
    """A build of plates that were never computed: the log asks for no more than their parts."""

    def setUp(self):
        Shop.current()
        self.build = Build.objects.create(name="Tidewrack Watch")
        mesh = MeshFile.objects.create(sha256="0" * 64, name="x.stl", bytes=1)
        self.piece = Piece.objects.create(build=self.build, name="Crest", mesh=mesh, file_name="x.stl")
        self.printers = [Printer.objects.create(name=n, x_mm=220, y_mm=220, z_mm=250) for n in ("Gull", "Tern")]
        self.spool = Spool.objects.create(name="Slate", material="pla", net_g=5000.0, price_per_kg=20.0)
        self.now = timezone.now() - timedelta(days=30)
        self.presses = 0

    def plate(self, *parts: str, hours: float = 4.0) -> Plate:
        on = {p.name: Taken(hours, 100.0 * len(parts), 5.0) for p in self.printers}
        lain = tuple(
            PlatePart(
                self.piece.pk,
                part,
                f"crest-{part}",
                "Crest",
                HASH,
                "",
                "",
                (30.0, 30.0, 80.0),
                0.0,
                0.0,
                0.0,
                "POLYGON ((0 0, 30 0, 30 30, 0 30, 0 0))",
                hours,
            )
            for part in parts
        )
        return Plate("f" * 12, "Plate 1", "Gull", "pla", "", 0.2, False, lain, on, False, False, False, False)

    def key(self) -> str:
        self.presses += 1
        return f"press-{self.presses:06d}"

    def start(self, plate: Plate, printer: int = 0) -> Run:
        self.now += timedelta(hours=1)
        return logbook.start(self.build, plate, self.printers[printer], self.spool, self.key(), self.now)

    def press(self, run: Run, kind: str, hours: float = 2.0, **said) -> Run:
        self.now += timedelta(hours=hours)
        return logbook.press(run, kind, self.key(), self.now, **said)

    def stands(self) -> tuple:
        """All that the log has brought about."""
        self.spool.refresh_from_db()
        return (
            round(self.spool.used_g, 1),
            sorted(FrozenPart.objects.values_list("part", flat=True)),
            sorted(Run.objects.values_list("pk", "state")),
            sorted((p, g) for p, g in RunPart.objects.values_list("pk", "good")),
            logbook.parts_printed([self.piece.pk]),
            logbook.learnt_here().pace[""].log_mean,
        )


class TakenBack(Logged):
    def test_any_presses_taken_back_one_by_one(self):
        for seed in range(8):
            rng = random.Random(seed)
            began, history, runs = self.stands(), [], []
            for _ in range(14):
                before = self.stands()
                free = [k for k in (0, 1) if not Run.objects.filter(printer=self.printers[k], state__in=Run.OPEN).exists()]
                letters = [x for x in "ABCDEF" if x not in logbook.made_parts([self.piece.pk]).get(self.piece.pk, ())]
                live = list(Run.objects.filter(state__in=Run.OPEN))
                if free and len(letters) > 1 and (not live or rng.random() < 0.5):
                    run = self.start(self.plate(*rng.sample(letters, 2)), rng.choice(free))
                elif live:
                    run = rng.choice(live)
                    kind = rng.choice(["resume" if run.state == Run.State.PAUSED else "pause", "done", "failed"])
                    names = [p.name for p in run.parts.all()]
                    said = {"bad": rng.sample(names, 1)} if kind == "done" else {"good": rng.sample(names, 1), "cause": "warped"}
                    run = self.press(run, kind, rng.uniform(0.1, 9.0), **(said if kind in ("done", "failed") else {}))
                else:
                    continue
                history.append((run.pk, before))
                runs.append(run.pk)
                made = logbook.made_parts([self.piece.pk]).get(self.piece.pk, ())
                self.assertEqual(
                    sorted(FrozenPart.objects.values_list("part", flat=True)), sorted(made), "frozen is what is made or being made"
                )
            for run, before in reversed(history):
                logbook.undo(Run.objects.get(pk=run))
                self.assertEqual(self.stands(), before)
            self.assertEqual(self.stands(), began)
            self.assertEqual(Run.objects.count(), 0)

    def test_a_press_sent_again_and_again(self):
        run = self.start(self.plate("A"))
        self.now += timedelta(hours=3)
        for _ in range(4):
            logbook.press(run, "done", "the-same-press", self.now)
        self.assertEqual(Press.objects.filter(run=run).count(), 2)
        self.spool.refresh_from_db()
        self.assertEqual(self.spool.used_g, 100.0)

    def test_a_press_that_was_taken_back_is_not_brought_about_by_its_echo(self):
        run = self.start(self.plate("A"))
        self.now += timedelta(hours=3)
        logbook.press(run, "done", "watched-done", self.now)
        logbook.undo(run)
        logbook.press(run, "done", "watched-done", self.now)
        self.assertEqual(Run.objects.get().state, "running", "a watched printer goes on saying that it is done")
        self.assertEqual(self.press(run, "done", 0.5).state, "done")

    def test_pauses_are_no_printing(self):
        run = self.start(self.plate("A"))
        self.press(run, "pause", 1.0)
        self.press(run, "resume", 10.0)
        done = self.press(run, "done", 2.0)
        self.assertAlmostEqual(done.hours, 3.0)
        paused = self.start(self.plate("B"))
        self.press(paused, "pause", 1.0)
        self.assertAlmostEqual(self.press(paused, "failed", 5.0).hours, 1.0, msg="ended while it was held")

    def test_filament_of_what_failed_is_by_its_share(self):
        run = self.start(self.plate("A", hours=4.0))
        Run.objects.filter(pk=run.pk).update(real_h=4.0)
        self.press(run, "failed", 1.0, cause="power")
        self.spool.refresh_from_db()
        self.assertAlmostEqual(self.spool.used_g, 25.0)

    def test_no_printer_runs_two_even_if_two_press_at_once(self):
        run = self.start(self.plate("A"))
        with self.assertRaises(Changed):
            self.start(self.plate("B"))
        with self.assertRaises(IntegrityError), transaction.atomic():
            run.pk = None
            run.save()

    def test_taken_back_where_another_print_runs_by_now(self):
        first = self.start(self.plate("A"))
        self.press(first, "done")
        self.start(self.plate("B"))
        with self.assertRaisesRegex(Changed, "prints something else by now"):
            logbook.undo(Run.objects.get(pk=first.pk))
        self.assertEqual(Run.objects.get(pk=first.pk).state, "done")

    def test_what_cannot_be(self):
        run = self.start(self.plate("A"))
        for said, words in (({"at_mm": -3.0}, "cannot be"), ({"used_g": 1e9}, "cannot be"), ({"cause": "gremlins"}, "no cause")):
            with self.assertRaisesRegex(RecipeProblem, words):
                self.press(run, "failed", **said)
        with self.assertRaisesRegex(RecipeProblem, "no press"):
            self.press(run, "explode")
        with self.assertRaises(BastionError):
            logbook.start(self.build, Plate(**{**self.plate("C").__dict__, "on": {}}), self.printers[1], None, self.key(), self.now)
        self.assertEqual(Run.objects.get().state, "running")

    def test_what_was_printed_is_not_swept(self):
        Derived.objects.create(kind="print", hash=HASH)
        run = self.start(self.plate("A"))
        picture = settings.MEDIA_ROOT / "photos" / f"{'b' * 40}.jpg"
        picture.parent.mkdir(parents=True, exist_ok=True)
        picture.write_bytes(b"x")
        Run.objects.update(photo=picture.name)
        sweep(everything=True)
        self.assertTrue(picture.exists(), "a photo of how it came out")
        self.assertTrue(Derived.objects.filter(hash=HASH).exists(), Ref("print", HASH))
        logbook.undo(run)
        sweep(everything=True)
        self.assertFalse(Derived.objects.filter(hash=HASH).exists())
