"""How every station of a case stands, and carrying out what is missing, in order."""

from collections.abc import Callable, Sequence
from typing import Any

from bastion_core.engine.keeping import hash_of, whole
from bastion_core.engine.memo import Memo
from bastion_core.engine.station import Known, Place, Station, Waits
from bastion_core.engine.store import Ref, Store, Workplace
from bastion_core.errors import BastionError, RecipeProblem
from bastion_core.findings import Said
from bastion_core.progress import Progress, silent, span


def in_order(stations: Sequence[Station[Any, Any, Any]]) -> None:
    """ValueError when a station comes before one it reads, or two have one key."""
    seen: set[str] = set()
    for station in stations:
        if station.key in seen or not set(station.after) <= seen:
            raise ValueError(f"The station {station.key} stands twice, or before one of {station.after}.")
        seen.add(station.key)


class Graph:
    """The stations of one case: what each depends on, the hash of that, and what was kept under it."""

    def __init__(self, stations: Sequence[Station[Any, Any, Any]], case: Any, store: Store, memo: Memo | None = None) -> None:
        self.stations = {s.key: s for s in stations}
        self.case, self.store = case, store
        self.memo = memo or Memo()
        self._inputs: dict[str, Any] = {}
        self._known: dict[str, Known[Any] | None] = {}

    def inputs(self, key: str) -> Any:
        """A station's frozen inputs, or why it waits."""
        if key not in self._inputs:
            self._inputs[key] = self._ask(self.stations[key])
        return self._inputs[key]

    def _ask(self, station: Station[Any, Any, Any]) -> Any:
        before = {key: self.found(key) for key in station.after}
        known = {key: k for key, k in before.items() if k is not None}
        if len(known) < len(before):
            return Waits(Said("Waits for the stations before it."))
        try:
            return station.inputs(self.case, known)
        except BastionError as problem:
            return Waits(problem.said)

    def ref(self, key: str) -> Ref | None:
        """Where a station's result is kept; None while its inputs are not known."""
        asked = self.inputs(key)
        return None if isinstance(asked, Waits) else Ref(key, hash_of(key, self.stations[key].edition, asked))

    def found(self, key: str) -> Known[Any] | None:
        """The fresh result of a station, or None."""
        if key not in self._known:
            self._known[key] = self._look(self.stations[key])
        return self._known[key]

    def _look(self, station: Station[Any, Any, Any]) -> Known[Any] | None:
        ref = self.ref(station.key)
        if ref is None:
            return None
        if not station.kept:
            return Known(ref, station.run(self.inputs(station.key), Place(self.store, self.memo, self.store.folder(ref)), silent).result)
        kept = self.store.find(ref)
        return None if kept is None else Known(ref, whole(station.result, kept))

    def result(self, key: str) -> Any:
        """The fresh result of a station; RecipeProblem when there is none."""
        known = self.found(key)
        if known is None:
            raise RecipeProblem(f"{self.stations[key].title} is not computed yet.")
        return known.result

    def data(self, key: str) -> Any:
        """The bulky part of a station's fresh result."""
        known = self.found(key)
        if known is None:
            raise RecipeProblem(f"{self.stations[key].title} is not computed yet.")
        return whole(self.stations[key].data, self.store.data(known.ref))

    @property
    def fresh(self) -> bool:
        """Whether nothing is missing."""
        return all(self.found(key) is not None for key in self.stations)

    def missing(self) -> list[str]:
        """Stations without a fresh result, in order."""
        return [key for key in self.stations if self.found(key) is None]

    def forget(self, key: str) -> None:
        """Look again at a station and all after it: something was computed."""
        keys = list(self.stations)
        for later in keys[keys.index(key) :]:
            self._inputs.pop(later, None)
            self._known.pop(later, None)

    def carry_out(
        self, progress: Progress = silent, only: Sequence[str] | None = None, begins: Callable[[Ref], None] = lambda ref: None
    ) -> None:
        """Compute what is missing, each result kept as soon as it is there. ``only`` names the stations to look at.

        ``begins`` is told of each result before it is computed, and may raise to end the work there.
        BastionError when a station cannot: what was kept before stays.
        """
        keys = [k for k in self.stations if only is None or k in only]
        total = sum(self.stations[k].weight for k in keys)
        done = 0.0
        for key in keys:
            station = self.stations[key]
            part = span(progress, done / total, (done + station.weight) / total)
            done += station.weight
            if self.found(key) is not None:
                continue
            inputs, ref = self.inputs(key), self.ref(key)
            if ref is None:
                raise RecipeProblem(inputs.said)
            begins(ref)
            with Workplace(self.store.folder(ref)) as folder:
                made = station.run(inputs, Place(self.store, self.memo, folder), part)
            self.store.keep(ref, made.result, made.data)
            self.forget(key)
        progress(1.0, "done")
