"""The site's store: a row a result, and a folder for its files."""

import json
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from django.conf import settings

from bastion_core.engine.keeping import json_of
from bastion_core.engine.store import Ref
from bastion_core.errors import FileProblem
from bastion_site.builds.models import Derived


class DatabaseStore:
    """Keeps results as rows and folders. What was looked up once is not looked up again: one store lives as long as one question."""

    def __init__(self) -> None:
        self._seen: dict[Ref, Any | None] = {}

    def folder(self, ref: Ref) -> Path:
        """Where a result's files lie."""
        return settings.MEDIA_ROOT / "derived" / ref.kind / ref.hash

    def source(self, sha256: str) -> Path:
        """A model file as it came."""
        return settings.MEDIA_ROOT / "sources" / sha256

    def find(self, ref: Ref) -> Any | None:
        """The small part of a result, or None."""
        if ref not in self._seen:
            self.look_up([ref])
        return self._seen[ref]

    def look_up(self, refs: Iterable[Ref]) -> None:
        """Find many at once, of several kinds together, so that a Wall of many pieces asks about once a station."""
        wanted = list({r for r in refs if r not in self._seen})
        found = {}
        for some in (wanted[i : i + 500] for i in range(0, len(wanted), 500)):
            rows = Derived.objects.filter(kind__in={r.kind for r in some}, hash__in=[r.hash for r in some]).values_list(
                "kind", "hash", "result"
            )
            found |= {Ref(kind, hash_): result for kind, hash_, result in rows}
        self._seen |= {r: found.get(r) for r in wanted}

    def data(self, ref: Ref) -> Any:
        """The bulky part; FileProblem when it is gone."""
        found = Derived.objects.filter(kind=ref.kind, hash=ref.hash).values_list("data", flat=True).first()
        if found is None:
            raise FileProblem("A computed result is gone. Compute the piece again.")
        return found

    def keep(self, ref: Ref, result: Any, data: Any) -> None:
        """Keep a result; the same recipe computed twice gives one row."""
        values = {"result": json.loads(json_of(result)), "data": json.loads(json_of(data))}
        Derived.objects.update_or_create(kind=ref.kind, hash=ref.hash, defaults=values)
        self._seen[ref] = values["result"]
