"""A hollow float in two halves over HTTP, for the tests of what is done at the bench."""

import tempfile
from pathlib import Path
from typing import Any, ClassVar

from django.test import TestCase

from bastion_core.assemble.tests.scenes import hollow
from bastion_site.testing import file_of, shop, stl_of, work_off

LEVEL = [{"id": "c1", "point": [0.0, 0.0, 55.0], "normal": [0.0, 0.0, 1.0], "limits": []}]


class AFloat(TestCase):
    """Uploaded, parted level and computed; with what a test decides besides."""

    decided: ClassVar[dict[str, Any]] = {}

    def setUp(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.build, _ = shop(small=False)
        path = stl_of(hollow(46, 110, 3.4), Path(made.name), "float.stl")
        self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "name": "Float", "site": "other"})
        self.piece = self.build.pieces.get()
        self.change(cuts=LEVEL, scale=[1.0, 1.0, 1.0], **self.decided)
        work_off()

    def change(self, **decided) -> dict:
        """Decide as a page does; the answer with its status."""
        self.piece.refresh_from_db()
        answer = self.client.patch(
            f"/api/pieces/{self.piece.id}/", {"version": self.piece.version, **decided}, content_type="application/json"
        )
        return {"status": answer.status_code, **answer.json()}

    def told(self) -> dict:
        """What its page is told."""
        return self.client.get(f"/api/pieces/{self.piece.id}/").json()
