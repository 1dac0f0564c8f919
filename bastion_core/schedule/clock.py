"""Waking hours as hours from the beginning of a calendar: asked hundreds of thousands of times while plans are tried and futures drawn."""

from bisect import bisect_right
from datetime import timedelta

import numpy as np

from bastion_core.geometry.mesh import Floats
from bastion_core.schedule.model import Times

_DAYS = 730


class Clock:
    """When somebody is there, two years ahead; later than that nobody is."""

    def __init__(self, times: Times) -> None:
        spans = times.awake(times.begin + timedelta(days=_DAYS))
        self.low = [(a - times.begin).total_seconds() / 3600 for a, _ in spans]
        self.high = [(b - times.begin).total_seconds() / 3600 for _, b in spans]
        self._low, self._high = np.array(self.low), np.array(self.high)

    def next_awake(self, hour: float) -> float:
        """The hour itself where somebody is there, else when somebody is next."""
        at = bisect_right(self.low, hour + 1e-9) - 1
        if at >= 0 and hour < self.high[at] - 1e-9:
            return hour
        return self.low[at + 1] if at + 1 < len(self.low) else hour + 24.0 * _DAYS

    def each_next_awake(self, hours: Floats) -> Floats:
        """(n,): the same of many hours."""
        at = np.searchsorted(self._low, hours + 1e-9, side="right") - 1
        inside = (at >= 0) & (hours < self._high[np.maximum(at, 0)] - 1e-9)
        last = at + 1 >= len(self._low)
        after = np.where(last, hours + 24.0 * _DAYS, self._low[np.minimum(at + 1, len(self._low) - 1)])
        return np.asarray(np.where(inside, hours, after))
