"""Dataclasses on the wire: what is read, what is refused and by which name, and that the schema says what is sent."""

import json
import math
from dataclasses import fields

from rest_framework.exceptions import ValidationError

from bastion_core.engine.keeping import plain
from bastion_core.engine.recipe import decisions
from bastion_core.findings import Finding, Remedy, Verdict, mm, say
from bastion_core.stations import RECIPES, STATIONS
from bastion_core.tests.shapes import BUNNY
from bastion_site.api.pieces import ChangeSerializer
from bastion_site.api.records import Detail
from bastion_site.builds.tests.test_pieces import PieceCase
from bastion_site.wire import Decided, asked, decision_records, wire


class Questions(PieceCase):
    def read(self, **sent) -> dict:
        return asked(ChangeSerializer, sent, partial=True)

    def test_only_what_was_sent_is_changed(self):
        self.assertEqual(self.read(version=1, walls=4), {"version": 1, "walls": 4})
        self.assertEqual(self.read(version=1, cuts=None, printer_ids=[2, 1])["cuts"], None)

    def test_what_is_nested_keeps_its_own_defaults(self):
        layer = {"name": "liner", "thickness_mm": 4.0}
        self.assertEqual(self.read(version=1, layers=[layer])["layers"], [layer])
        with self.assertRaises(ValidationError) as refused:
            self.read(version=1, layers=[{"name": "liner"}])
        self.assertIn("layers", refused.exception.detail)

    def test_what_is_no_object_or_of_the_wrong_kind_is_refused_by_name(self):
        for sent in (None, [], "walls", 7):
            with self.subTest(sent=sent), self.assertRaises(ValidationError):
                asked(ChangeSerializer, sent, partial=True)
        for name, value in (
            ("walls", "many"),
            ("infill", {}),
            ("scale", "1.1"),
            ("bays", {"a": 1}),
            ("mirrored", "perhaps"),
        ):
            with self.subTest(name, value=value), self.assertRaises(ValidationError) as refused:
                self.read(version=1, **{name: value})
            self.assertIn(name, refused.exception.detail)

    def test_out_of_bounds_is_said_in_a_makers_words_and_nothing_is_changed(self):
        piece = self.brought(BUNNY)
        for name, value, words in (
            ("walls", 99, "Walls: 99 is out of bounds (1 to 20)."),
            ("infill", 1.5, "Infill: 150 % is out of bounds (0 to 100 %)."),
            ("give_mm", -1, "Skin gives: -1 mm is out of bounds (0 to 15 mm)."),
        ):
            answer = self.change(piece, **{name: value})
            self.assertEqual(answer.status_code, 400)
            self.assertEqual((answer.json()["field"], answer.json()["detail"]), (name, words))
        uneven = self.change(piece, scale=[1, 2])
        self.assertEqual((uneven.status_code, uneven.json()["field"]), (400, "scale"))
        typed = self.change(piece, walls="many").json()
        self.assertEqual(typed["field"], "walls")
        self.assertEqual(self.told(piece["id"])["recipe"], piece["recipe"])

    def test_a_pages_decisions_are_the_recipes(self):
        names = [name for kind in RECIPES for name in decisions(kind)]
        self.assertEqual([f.name for f in fields(Decided)], names)
        records = {r.key: r for r in decision_records(STATIONS)}
        self.assertEqual(set(records), set(names))
        self.assertEqual((records["infill"].unit, records["infill"].most, records["infill"].station), ("share", 1.0, "print"))
        self.assertEqual((records["scale"].optional, records["walls"].optional), (True, False))


class Answers(PieceCase):
    def test_a_finding_leaves_whole(self):
        remedy = Remedy(say("Scale to {}", mm(3.0)), {"scale": None})
        sent = plain(Finding("fit", Verdict.STOPS, say("{} too tight.", mm(2.5, digits=1)), (1.0, 2.0, 3.0), (remedy,)))
        self.assertEqual(sent["text"]["values"], [{"values": [2.5], "unit": "mm", "digits": 1, "between": " × "}])
        self.assertEqual((sent["verdict"], sent["remedies"][0]["change"]), ("stops", {"scale": None}))
        self.assertEqual(set(wire(Finding)().fields), set(sent))

    def test_a_piece_has_every_field_its_type_promises(self):
        """The page's types come from the dataclass: what is sent has to have all of it, before and after it is computed."""
        waiting = self.send(BUNNY.open("rb")).json()
        done = self.told(self.brought(BUNNY)["id"])
        for told in (waiting, done):
            self.assertEqual(set(told), {f.name for f in fields(Detail)})
        self.assertEqual(list(done["stations"]), [s.key for s in STATIONS])
        json.dumps(done, allow_nan=False)
        self.assertTrue(math.isfinite(done["print"]["hours"]))
