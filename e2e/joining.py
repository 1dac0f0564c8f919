"""Pieces at their Join page, for the browser's tests."""

import re
import tempfile
from pathlib import Path
from typing import Any

from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.solid import Solid
from bastion_core.join.recipe import JoinRecipe
from bastion_site.engine.cases import graph_of
from bastion_site.testing import file_of, recall, remember, shop, work_off
from e2e.tests.test_way import InTheBrowser


class AtJoin(InTheBrowser):
    """A build with some pieces, uploaded and decided, and ways to look at how they are joined."""

    pieces: tuple[tuple[str, Solid, dict[str, Any]], ...] = ()
    """Name, body and decisions of each."""

    def setUp(self):
        super().setUp()
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.build, _ = shop(small=False)
        for name, solid, decided in self.pieces:
            path = Path(made.name) / f"{name}.stl"
            write_binary_stl(solid.mesh(), path)
            site = decided.get("site", "other")
            self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "name": name, "site": site})
            self.decide(name, **decided)
        recall()
        work_off()
        remember()

    def piece(self, name: str):
        return self.build.pieces.get(name=name)

    def decide(self, name: str, **change) -> None:
        piece = self.piece(name)
        answer = self.client.patch(f"/api/pieces/{piece.id}/", {"version": piece.version, **change}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)

    def at(self, name: str) -> None:
        self.open(f"/build/{self.build.id}/piece/{self.piece(name).id}/join")

    def decided(self, name: str) -> JoinRecipe:
        return self.piece(name).of(JoinRecipe)

    def data(self, name: str):
        return graph_of(self.piece(name)).data("join")

    def choose(self, label: str, option: str | re.Pattern) -> None:
        self.page.get_by_role("combobox", name=label, exact=True).click()
        self.page.get_by_role("option", name=option).click()


def level(*heights: float) -> list[dict[str, Any]]:
    """Level planes at these heights."""
    return [{"id": f"c{k}", "point": [0, 0, z], "normal": [0, 0, 1], "limits": []} for k, z in enumerate(heights, 1)]
