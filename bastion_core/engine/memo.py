"""Solids that stay alive between stations and questions: making one takes seconds, asking it again takes none."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

T = TypeVar("T")


class Memo:
    """The last few things made, by what they were made from. The oldest goes when there are more than ``most``."""

    def __init__(self, most: int = 8) -> None:
        self._most = most
        self._kept: OrderedDict[Hashable, Any] = OrderedDict()

    def live(self, key: Hashable, make: Callable[[], T]) -> T:
        """What was made under ``key`` before, else what ``make`` makes now."""
        if key not in self._kept:
            self._kept[key] = make()
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        self._kept.move_to_end(key)
        found: T = self._kept[key]
        return found

    def forget(self) -> None:
        """Let everything go."""
        self._kept.clear()
