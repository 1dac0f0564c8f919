"""The engine on stations that add and multiply: hashes, order, stops, and that a run sees nothing but its inputs."""

import tempfile
import unittest
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from bastion_core.engine.graph import Graph, in_order
from bastion_core.engine.memo import Memo
from bastion_core.engine.recipe import Recipe, decision
from bastion_core.engine.station import Made, Place, Station, Waits
from bastion_core.engine.store import FolderStore, Ref, Workplace
from bastion_core.errors import FileProblem, RecipeProblem, Stopped
from bastion_core.findings import Fact, say


@dataclass(frozen=True)
class SumRecipe(Recipe):
    more: int = decision(1, "More")


@dataclass(frozen=True)
class Sums:
    number: int
    recipe: SumRecipe = SumRecipe()
    by: int = 2
    name: str = "unread"


@dataclass(frozen=True)
class SumInputs:
    number: int
    more: int


@dataclass(frozen=True)
class TimesInputs:
    before: Ref
    number: int
    by: int


@dataclass(frozen=True)
class Figure:
    number: int


@dataclass(frozen=True)
class Digits:
    digits: tuple[int, ...]


class Adding(Station):
    key, title, recipe, result, data = "add", "Add", SumRecipe, Figure, Digits
    runs = 0

    def inputs(self, case: Sums, known: Mapping):
        return Waits(say("No number yet.")) if case.number < 0 else SumInputs(case.number, case.recipe.more)

    def run(self, inputs: SumInputs, place: Place, progress):
        type(self).runs += 1
        progress(0.5, "adding")
        total = inputs.number + inputs.more
        (place.folder / "total.txt").write_text(str(total))
        return Made(Figure(total), Digits(tuple(int(d) for d in str(total))))

    def fact(self, result: Figure) -> Fact:
        return Fact(say(str(result.number)))


class Times(Station):
    key, title, after, result = "times", "Times", ("add",), Figure
    runs = 0

    def inputs(self, case: Sums, known: Mapping):
        return TimesInputs(known["add"].ref, known["add"].result.number, case.by)

    def run(self, inputs: TimesInputs, place: Place, progress):
        type(self).runs += 1
        progress(0.5, "multiplying")
        if inputs.by == 0:
            raise RecipeProblem("By nothing it is nothing.")
        assert place.file(inputs.before, "total.txt").read_text() == str(inputs.number)
        assert place.data(inputs.before, Digits).digits
        return Made(Figure(inputs.number * inputs.by))


class Counting(Station):
    key, title, kept, result = "count", "Count", False, Figure

    def inputs(self, case: Sums, known: Mapping):
        return SumInputs(case.number, 0)

    def run(self, inputs: SumInputs, place: Place, progress):
        return Made(Figure(len(str(inputs.number))))


STATIONS = (Counting(), Adding(), Times())


class Engine(unittest.TestCase):
    def setUp(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.store = FolderStore(Path(made.name), {})
        Adding.runs = Times.runs = 0

    def graph(self, case: Sums) -> Graph:
        return Graph(STATIONS, case, self.store)

    def test_carried_out_once(self):
        graph = self.graph(Sums(20))
        self.assertEqual(graph.missing(), ["add", "times"])
        self.assertIsNone(graph.ref("times"), "its inputs are not known yet")
        graph.carry_out()
        self.assertEqual((graph.result("times").number, graph.data("add").digits), (42, (2, 1)))
        self.assertTrue(self.graph(Sums(20)).fresh)
        self.graph(Sums(20)).carry_out()
        self.assertEqual((Adding.runs, Times.runs), (1, 1))

    def test_only_what_depends_is_computed_again(self):
        self.graph(Sums(20)).carry_out()
        self.graph(Sums(20, by=3)).carry_out()
        self.assertEqual((Adding.runs, Times.runs), (1, 2))
        # What no inputs name changes nothing.
        self.assertTrue(self.graph(Sums(20, name="another")).fresh)
        # Another way to the same inputs is the same result.
        other = self.graph(Sums(19, SumRecipe(2)))
        self.assertEqual(other.missing(), ["add", "times"])
        # Back again needs no work.
        self.assertTrue(self.graph(Sums(20)).fresh)

    def test_what_is_kept_beside_results_is_made_once_and_read_whole(self):
        made = []

        def make() -> Digits:
            made.append(1)
            return Digits((4, 2))

        for number, times in ((20, 1), (20, 1), (21, 2)):
            place = Place(self.store, Memo(), self.store.root)
            _, found = place.kept("beside", SumInputs(number, 1), Digits, make)
            self.assertEqual((found, len(made)), (Digits((4, 2)), times))
        with self.assertRaises(RecipeProblem):
            Place(self.store, Memo(), self.store.root).kept("none", SumInputs(1, 1), Digits, self.refused)
        self.assertFalse((self.store.root / "none").exists() and any((self.store.root / "none").iterdir()), "half of it is nothing")

    def refused(self) -> Digits:
        raise RecipeProblem("No.")

    def test_an_edition_makes_it_and_all_after_it_stale(self):
        graph = self.graph(Sums(20))
        graph.carry_out()
        newer = (STATIONS[0], type("Newer", (Adding,), {"edition": 2})(), STATIONS[2])
        self.assertEqual(Graph(newer, Sums(20), self.store).missing(), ["add", "times"])

    def test_a_station_that_waits_says_why(self):
        graph = self.graph(Sums(-1))
        self.assertEqual(str(graph.inputs("add").said), "No number yet.")
        with self.assertRaisesRegex(RecipeProblem, "No number yet"):
            graph.carry_out()
        self.assertEqual(graph.result("count").number, 2, "what is not kept is there at once")

    def test_a_failure_keeps_what_was_done_before_it(self):
        graph = self.graph(Sums(20, by=0))
        with self.assertRaisesRegex(RecipeProblem, "By nothing"):
            graph.carry_out()
        self.assertEqual(self.graph(Sums(20, by=0)).missing(), ["times"])
        self.assertFalse(list(self.store.root.rglob(".new-*")))

    def test_progress_goes_forward_and_may_stop(self):
        seen = []
        self.graph(Sums(20)).carry_out(lambda f, w: seen.append(f))
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(seen[-1], 1.0)

        def stop(fraction, what):
            if what == "multiplying":
                raise Stopped

        with self.assertRaises(Stopped):
            self.graph(Sums(30)).carry_out(stop)
        self.assertEqual(self.graph(Sums(30)).missing(), ["times"])

    def test_a_file_that_is_gone_is_said(self):
        graph = self.graph(Sums(20))
        graph.carry_out(only=("add",))
        (self.store.folder(graph.ref("add")) / "total.txt").unlink()
        with self.assertRaisesRegex(FileProblem, "Compute the piece again"):
            graph.carry_out()

    def test_order_and_keys(self):
        in_order(STATIONS)
        for wrong in ((STATIONS[2], STATIONS[1]), (STATIONS[1], STATIONS[1])):
            with self.assertRaises(ValueError):
                in_order(wrong)


class Pieces(unittest.TestCase):
    def test_memo_keeps_the_last_few(self):
        made = []
        memo = Memo(2)
        for key in ("a", "b", "a", "c", "a", "b"):
            memo.live(key, lambda key=key: made.append(key) or key)
        self.assertEqual(made, ["a", "b", "c", "b"])
        memo.forget()
        memo.live("a", lambda: made.append("a"))
        self.assertEqual(made[-1], "a")

    def test_a_folder_appears_whole_or_not_at_all(self):
        with tempfile.TemporaryDirectory() as root:
            target = Path(root) / "kept"
            with self.assertRaises(ZeroDivisionError), Workplace(target) as folder:
                (folder / "half").touch()
                raise ZeroDivisionError
            self.assertEqual(list(Path(root).iterdir()), [])
            for name in ("first", "second"):
                with Workplace(target) as folder:
                    (folder / name).touch()
                    self.assertFalse((target / name).exists())
            self.assertEqual([p.name for p in target.iterdir()], ["second"])
            with Workplace(Path(root) / "empty"):
                pass
            self.assertFalse((Path(root) / "empty").exists())

    def test_inputs_are_all_there_is(self):
        inputs = TimesInputs(Ref("add", "x"), 3, 4)
        self.assertNotEqual(replace(inputs, by=5), inputs)
        with self.assertRaises(AttributeError):
            inputs.by = 5
