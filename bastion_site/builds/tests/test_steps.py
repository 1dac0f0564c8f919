"""Every kept change is a step that leads back: for a piece, for a build, in two windows, without the deleted."""

import json

from django.test import TestCase

from bastion_core.tests.shapes import BUNNY, HINGE
from bastion_site.builds.models import Piece, Step
from bastion_site.testing import file_of, said, shop, work_off
from bastion_site.wearers.models import Wearer

JSON = {"content_type": "application/json"}


class Steps(TestCase):
    def setUp(self):
        self.build, self.wearer = shop(small=False)
        for path in (BUNNY, HINGE):
            self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "site": "back"})
        self.one, self.two = self.build.pieces.all()

    def told(self, piece: Piece) -> dict:
        return self.client.get(f"/api/pieces/{piece.pk}/").json()

    def change(self, piece: Piece, **change) -> dict:
        answer = self.client.patch(f"/api/pieces/{piece.pk}/", change | {"version": self.told(piece)["version"]}, **JSON)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def steps(self) -> dict:
        return self.client.get(f"/api/builds/{self.build.pk}/steps/").json()

    def go(self, way: str, piece: Piece | None = None, step: int | None = None):
        told = self.told(piece) if piece else self.steps()
        address = f"/api/pieces/{piece.pk}" if piece else f"/api/builds/{self.build.pk}"
        return self.client.post(f"{address}/{way}/", {"step": step or told[way]["id"]}, **JSON)

    def test_a_step_says_what_why_and_who(self):
        self.client.patch(
            f"/api/pieces/{self.one.pk}/", {"walls": 5, "scale": [1.1, 1.1, 1.1], "version": 1}, headers={"X-Maker": "J%C3%B8rn"}, **JSON
        )
        step = self.steps()["steps"][0]
        self.assertEqual((step["by"], step["state"], said(step["because"])), ("Jørn", "kept", "the scale and the walls"))
        self.assertEqual(step["parts"][0]["name"], "npm bunny")
        moved = [(m["label"], said(m["before"]), said(m["after"])) for m in step["parts"][0]["differences"]]
        self.assertEqual(moved, [("Scale", "as suggested", "110.0 %"), ("Walls", "3", "5")])

    def test_back_and_forth_on_a_piece(self):
        Piece.objects.filter(pk=self.two.pk).delete()
        self.one.decide(site="other")
        self.one.save()
        work_off()
        first = self.told(self.one)
        self.assertIsNone(first["undo"])
        self.change(self.one, walls=5)
        work_off()
        heavy = self.told(self.one)["totals"]
        self.change(self.one, walls=2)
        work_off()
        self.go("undo", self.one)
        back = self.told(self.one)
        self.assertEqual((back["recipe"]["walls"], back["totals"]["filament_g"]), (5, heavy["filament_g"]))
        self.assertEqual(work_off(), 0, "computed before")
        self.go("undo", self.one)
        self.assertEqual(self.told(self.one)["recipe"], first["recipe"])
        self.assertIsNone(self.told(self.one)["undo"])
        for walls in (5, 2):
            self.go("redo", self.one)
            self.assertEqual(self.told(self.one)["recipe"]["walls"], walls)
        self.assertIsNone(self.told(self.one)["redo"])

    def test_a_new_decision_ends_what_could_be_redone(self):
        self.change(self.one, walls=5)
        self.go("undo", self.one)
        self.change(self.one, infill=0.4)
        told = self.told(self.one)
        self.assertIsNone(told["redo"])
        self.assertEqual(sorted(s["state"] for s in self.steps()["steps"]), ["kept", "passed"])

    def test_the_build_goes_back_over_all_its_pieces_and_itself(self):
        self.change(self.one, walls=5)
        self.change(self.two, walls=6)
        self.client.patch(f"/api/builds/{self.build.pk}/", {"due": "2027-03-01"}, **JSON)
        self.assertEqual(self.steps()["steps"][0]["parts"][0]["differences"][0]["label"], "Due")
        for _ in range(3):
            self.go("undo")
        self.build.refresh_from_db()
        self.assertIsNone(self.build.due)
        self.assertEqual([self.told(p)["recipe"]["walls"] for p in (self.one, self.two)], [3, 3])
        self.go("redo")
        self.assertEqual([self.told(p)["recipe"]["walls"] for p in (self.one, self.two)], [5, 3])

    def test_one_scale_for_all_is_one_step(self):
        before = [self.told(p)["recipe"]["scale"] for p in (self.one, self.two)]
        self.client.post(f"/api/builds/{self.build.pk}/scale-all/", {"factor": 1.05}, **JSON)
        self.assertEqual(len(self.steps()["steps"]), 1)
        self.go("undo", self.two)
        self.assertEqual([self.told(p)["recipe"]["scale"] for p in (self.one, self.two)], before)

    def test_a_step_of_several_is_not_undone_over_a_later_decision(self):
        self.client.post(f"/api/builds/{self.build.pk}/scale-all/", {"factor": 1.05}, **JSON)
        self.change(self.one, scale=[1.2, 1.2, 1.2])
        answer = self.go("undo", self.two)
        self.assertEqual(answer.status_code, 409)
        self.assertIn("npm bunny: the scale was changed since", answer.json()["detail"])
        self.assertEqual(self.told(self.one)["recipe"]["scale"], [1.2, 1.2, 1.2])
        self.assertEqual(self.told(self.two)["recipe"]["scale"], [1.05, 1.05, 1.05])

    def test_two_windows_do_not_take_back_two(self):
        self.change(self.one, walls=5)
        self.change(self.one, walls=6)
        step = self.told(self.one)["undo"]["id"]
        self.assertEqual(self.go("undo", self.one, step).status_code, 200)
        answer = self.go("undo", self.one, step)
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "changed"))
        self.assertEqual(self.told(self.one)["recipe"]["walls"], 5)

    def test_the_other_side_goes_back_too(self):
        twin = self.client.post(f"/api/pieces/{self.one.pk}/mirror/").json()["id"]
        self.change(self.one, shift_mm=[4, 0, 2])
        self.assertEqual(self.told(Piece.objects.get(pk=twin))["recipe"]["shift_mm"], [-4, 0, 2])
        self.go("undo", Piece.objects.get(pk=twin))
        self.assertEqual([self.told(Piece.objects.get(pk=p))["recipe"]["shift_mm"] for p in (self.one.pk, twin)], [[0, 0, 0]] * 2)

    def test_readings_stock_and_what_happened_are_no_steps(self):
        self.client.patch(f"/api/wearers/{self.wearer.pk}/", {"version": 1, "measurements": {"stature_mm": 1800.0}}, **JSON)
        self.client.patch("/api/spools/1/", {"used_g": 40}, **JSON)
        self.client.post(f"/api/pieces/{self.one.pk}/compute/")
        self.change(self.one, walls=3)  # as it was
        self.assertEqual(self.steps(), {"steps": [], "undo": None, "redo": None})

    def test_a_deleted_person_leaves_the_steps(self):
        other = Wearer.objects.create(name="Ilse Farthing", measurements={"stature_mm": 1600.0})
        self.change(self.one, wearer=other.pk, walls=4)
        self.change(self.two, wearer=other.pk)
        self.assertEqual(said(self.steps()["steps"][0]["parts"][0]["differences"][0]["after"]), "Ilse Farthing")
        self.client.delete(f"/api/wearers/{other.pk}/")
        kept = json.dumps([[p.before, p.after] for s in Step.objects.all() for p in s.parts.all()])
        self.assertNotIn("wearer", kept)
        self.assertEqual([[m["label"] for m in p["differences"]] for s in self.steps()["steps"] for p in s["parts"]], [["Walls"]])
        self.go("undo", self.one)
        self.assertEqual(self.told(self.one)["recipe"]["walls"], 3)

    def test_a_deleted_piece_takes_its_steps_along(self):
        self.change(self.two, walls=5)
        self.change(self.one, walls=5)
        self.client.delete(f"/api/pieces/{self.one.pk}/")
        self.assertEqual([[p["name"] for p in s["parts"]] for s in self.steps()["steps"]], [[self.two.name]])
        self.assertEqual(self.go("undo").status_code, 200)
        self.assertEqual(self.told(self.two)["recipe"]["walls"], 3)
