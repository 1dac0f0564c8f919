"""What a station is: frozen inputs out of a case, a run that sees nothing else, and what is to be said of its result."""

import json
from collections.abc import Callable, Hashable, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, ClassVar, Generic, Literal, TypeVar

from bastion_core.engine.keeping import hash_of, json_of, whole
from bastion_core.engine.memo import Memo
from bastion_core.engine.recipe import Recipe
from bastion_core.engine.store import Ref, Store, Workplace
from bastion_core.errors import FileProblem
from bastion_core.findings import Fact, Finding, Note, Said
from bastion_core.progress import Progress

C = TypeVar("C")
I = TypeVar("I")  # noqa: E741
R = TypeVar("R")
T = TypeVar("T")


@dataclass(frozen=True)
class Waits:
    """There is nothing to compute yet, and why."""

    said: Said


@dataclass(frozen=True)
class Nothing:
    """The bulky part of a station that has none."""


@dataclass(frozen=True)
class Made(Generic[R]):
    """What a run gives: a small part that the Wall and later stations read, and a bulky one for the station's own page."""

    result: R
    data: Any = field(default_factory=Nothing)


@dataclass(frozen=True)
class Known(Generic[R]):
    """A kept result of a station before."""

    ref: Ref
    result: R


class Place:
    """Where a run works: its folder, and what stations before it have left."""

    def __init__(self, store: Store, memo: Memo, folder: Path) -> None:
        self.folder = folder
        self._store, self._memo = store, memo

    def source(self, sha256: str) -> Path:
        """A model file as it came; FileProblem when it is gone."""
        path = self._store.source(sha256)
        if not path.is_file():
            raise FileProblem("The model file is gone from the data folder. Add it again.")
        return path

    def file(self, ref: Ref, name: str) -> Path:
        """A file that another station left; FileProblem when it is gone."""
        path = self._store.folder(ref) / name
        if not path.exists():
            raise FileProblem("A computed file is gone from the data folder. Compute the piece again.")
        return path

    def data(self, ref: Ref, kind: type[T]) -> T:
        """The bulky part of another station's result."""
        return whole(kind, self._store.data(ref))

    def result(self, ref: Ref, kind: type[T]) -> T:
        """The small part of another station's result; FileProblem when it is gone."""
        found = self._store.find(ref)
        if found is None:
            raise FileProblem("A computed result is gone from the data folder. Compute the piece again.")
        return whole(kind, found)

    def live(self, key: Hashable, make: Callable[[], T]) -> T:
        """Something slow to make that is still there from before, else made now. ``key`` has to name all that it is made from."""
        return self._memo.live(key, make)

    def kept(self, kind: str, key: object, shape: type[T], make: Callable[[], T]) -> tuple[Ref, T]:
        """Something slow to make that outlives the process: it hangs on less than the station does, so that much of it is asked for again.

        ``key`` (a dataclass) names all that it is made from. A result that leans on it says so (``leans_on``), or it is swept away.
        """
        ref = Ref(kind, hash_of(kind, key))
        path = self._store.folder(ref) / "kept.json"
        if path.is_file():
            return ref, whole(shape, json.loads(path.read_text("utf-8")))
        value = make()
        with Workplace(path.parent) as folder:
            (folder / path.name).write_text(json_of(value), "utf-8")
        return ref, value

    def early(self, ref: Ref) -> AbstractContextManager[Path] | None:
        """A folder for something to be seen before the run is over; None when it is there already."""
        target = self._store.folder(ref)
        return None if target.exists() else Workplace(target)


class Station(Generic[C, I, R]):
    """Base of all stations. ``C`` is the case it is asked about, ``I`` its inputs, ``R`` its result."""

    key: ClassVar[str]
    title: ClassVar[str]
    scope: ClassVar[Literal["piece", "build"]] = "piece"
    sheet: ClassVar[Literal["plan", "bench"]] = "plan"
    """The half of the Wall it stands on: what is planned, or what is done at the bench."""
    after: ClassVar[tuple[str, ...]] = ()
    """Stations whose results it reads; without them it waits."""
    edition: ClassVar[int] = 1
    """Raised when it tells more or otherwise than before, so that what was kept of it is computed again."""
    recipe: ClassVar[type[Recipe] | None] = None
    queue: ClassVar[str] = "plan"
    kept: ClassVar[bool] = True
    """False where it is quicker to compute than to look up."""
    weight: ClassVar[float] = 1.0
    """How long it takes beside the others."""
    result: type[Any]
    data: type[Any] = Nothing

    def inputs(self, case: C, known: Mapping[str, Known[Any]]) -> I | Waits:
        """All that the result depends on: frozen, without anything that cannot be hashed."""
        raise NotImplementedError

    def run(self, inputs: I, place: Place, progress: Progress) -> Made[R]:
        """The result. Sees nothing but its inputs. BastionError when there can be none."""
        raise NotImplementedError

    def findings(self, case: C, result: R) -> tuple[Finding | Note, ...]:
        """What is to be said of a result, as the case stands now."""
        return ()

    def fact(self, result: R) -> Fact:
        """Its cell on the Wall."""
        return Fact()
