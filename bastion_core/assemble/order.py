"""One pair of hands, waits that go on without them, nights: in which order work is done so that it is over soonest, and trials come early."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from math import inf

import numpy as np

from bastion_core.errors import RecipeProblem

_DAY_H = 24.0
_EVENING_H = 5.0
"""Up to so many hours a day are an evening's."""
EXACT = 8
"""Up to so many works every order is looked at."""
_TRIES, _GIVES_UP = 1600, 400
_SEED = 7


@dataclass(frozen=True)
class Bench:
    """When somebody is at it: so many hours of each day."""

    hours: float = 3.0

    def __post_init__(self) -> None:
        if not 0.5 <= self.hours <= 14:
            raise RecipeProblem("Half an hour to 14 hours at the bench a day are possible.", "bench_h")

    @property
    def from_h(self) -> float:
        """Hour of the day at which it begins."""
        return 18.0 if self.hours <= _EVENING_H else 8.0

    def placed(self, earliest_h: float, takes_h: float) -> tuple[float, float]:
        """When work that takes so long begins and ends, not before ``earliest_h`` (hours from the first day's beginning at the bench): within one
        day where it can, else spread over several."""
        day, into = divmod(earliest_h, _DAY_H)
        if into >= self.hours - 1e-9 or (takes_h <= self.hours and into + takes_h > self.hours + 1e-9):
            day, into = day + 1, 0.0
        start = day * _DAY_H + into
        left, end = takes_h, start
        while left > 1e-9:
            here = min(left, self.hours - into)
            left -= here
            end = day * _DAY_H + into + here
            day, into = day + 1, 0.0
        return start, end


@dataclass(frozen=True)
class Work:
    """Something the hands do. ``lost_h`` is what of it is lost when a trial after it fails; ``fails`` how often a trial does."""

    key: str
    hands_h: float
    gate_h: float = 0.0
    """Until what follows may begin."""
    lost_h: float = 0.0
    fails: float = 0.0

    def __post_init__(self) -> None:
        if self.hands_h < 0 or self.gate_h < 0:
            raise RecipeProblem(f"{self.key}: minutes and waits cannot be less than 0. Look at the times of what it is made with.")


@dataclass(frozen=True)
class Link:
    """One work before another; ``lag_h`` stands for its gate where that is not the one that counts."""

    before: str
    after: str
    lag_h: float | None = None


@dataclass(frozen=True)
class Timed:
    """When works are done, in hours from the first one's beginning at the bench, and what that costs."""

    order: tuple[str, ...]
    start_h: tuple[float, ...]
    end_h: tuple[float, ...]
    elapsed_h: float
    risk_h: float
    """Hours of hands lost to failing trials, by how often they fail."""

    @property
    def cost_h(self) -> float:
        return self.elapsed_h + self.risk_h


@dataclass(eq=False)
class Puzzle:
    """Works and what has to come before what."""

    works: tuple[Work, ...]
    links: tuple[Link, ...]
    bench: Bench = Bench()
    _before: list[list[tuple[int, float]]] = field(init=False)
    _after: list[list[int]] = field(init=False)

    def __post_init__(self) -> None:
        index = {w.key: k for k, w in enumerate(self.works)}
        self._before = [[] for _ in self.works]
        self._after = [[] for _ in self.works]
        for link in self.links:
            a, b = index[link.before], index[link.after]
            lag = self.works[a].gate_h if link.lag_h is None else link.lag_h
            if lag < 0:
                raise RecipeProblem(f"{link.before}: a wait cannot be less than 0 h.")
            self._before[b].append((a, lag))
            self._after[a].append(b)
        loop = self._loop()
        if loop:
            raise RecipeProblem(f"This order cannot be: {', then '.join(loop)}, then {loop[0]} again. Free one of these steps.", "fixed")

    def _loop(self) -> list[str]:
        """The keys of works that each have to come before the next, and the last before the first."""
        state = [0] * len(self.works)
        path: list[int] = []

        def visit(k: int) -> list[int] | None:
            state[k] = 1
            path.append(k)
            for after in self._after[k]:
                if state[after] == 1:
                    return path[path.index(after) :]
                if state[after] == 0 and (found := visit(after)):
                    return found
            state[k] = 2
            path.pop()
            return None

        for k in range(len(self.works)):
            if state[k] == 0 and (found := visit(k)):
                return [self.works[i].key for i in found]
        return []

    def timed(self, order: Sequence[int]) -> Timed:
        """An order, carried out: each work as early as it can be after the one before it."""
        start, end = [0.0] * len(self.works), [0.0] * len(self.works)
        free, lost, risk = 0.0, 0.0, 0.0
        for k in order:
            work = self.works[k]
            earliest = free
            for before, lag in self._before[k]:
                earliest = max(earliest, end[before] + lag)
            start[k], end[k] = self.bench.placed(earliest, work.hands_h)
            free = end[k]
            risk += work.fails * lost
            lost += work.lost_h
        keys = tuple(self.works[k].key for k in order)
        return Timed(keys, tuple(start[k] for k in order), tuple(end[k] for k in order), max(end, default=0.0), risk)

    def waits_h(self) -> float:
        """Of setting and drying on the chain that has most of it."""
        return max(self._tails(hands=False), default=0.0)

    def best(self, stop: Callable[[], None] = lambda: None, exact: bool | None = None) -> Timed:
        """The order that is over soonest, what trials cost counted in: all orders looked at where there are few, else from a first order by moves.

        The same every time.
        """
        if not self.works:
            return Timed((), (), (), 0.0, 0.0)
        if exact if exact is not None else len(self.works) <= EXACT:
            return self.timed(self._exact())
        return self._moved(self._first(), stop)

    def _tails(self, hands: bool = True) -> list[float]:
        """Of each work, how long the longest chain from it on takes; its waits only where the ``hands`` do not count."""
        tails: list[float | None] = [None] * len(self.works)

        def tail(k: int) -> float:
            known = tails[k]
            if known is None:
                lags = {b: next(lag for a, lag in self._before[b] if a == k) for b in self._after[k]}
                known = hands * self.works[k].hands_h + max((lags[b] + tail(b) for b in self._after[k]), default=0.0)
                tails[k] = known
            return known

        return [tail(k) for k in range(len(self.works))]

    def _first(self) -> list[int]:
        """Always what can begin soonest, of that what has the longest chain after it; trials before what they would lose."""
        tails, waits = self._tails(), [len(b) for b in self._before]
        ready = [k for k, n in enumerate(waits) if n == 0]
        end = [0.0] * len(self.works)
        free, order = 0.0, list[int]()
        while ready:
            starts = {
                k: self.bench.placed(max([free, *(end[a] + lag for a, lag in self._before[k])]), self.works[k].hands_h) for k in ready
            }
            k = min((round(starts[k][0], 3), -tails[k] - 100.0 * self.works[k].fails, k) for k in ready)[2]
            ready.remove(k)
            end[k] = starts[k][1]
            free = end[k]
            order.append(k)
            for after in self._after[k]:
                waits[after] -= 1
                if waits[after] == 0:
                    ready.append(after)
        return order

    def _moved(self, order: list[int], stop: Callable[[], None]) -> Timed:
        """An order bettered by moving one work at a time to where it may stand."""
        rng = np.random.default_rng(_SEED)
        best, found, idle = order, self.timed(order), 0
        near = [{a for a, _ in b} for b in self._before]
        after = [set(a) for a in self._after]
        current, cost = list(best), found.cost_h
        for turn in range(_TRIES):
            if turn % 100 == 0:
                stop()
            if idle > _GIVES_UP:
                break
            k = int(rng.integers(len(current)))
            work = current[k]
            # From the last of what it needs to the first of what needs it.
            low = max((i for i in range(k) if current[i] in near[work]), default=-1) + 1
            high = min((i for i in range(k + 1, len(current)) if current[i] in after[work]), default=len(current)) - 1
            if low >= high:
                idle += 1
                continue
            to = int(rng.integers(low, high + 1))
            tried = current[:k] + current[k + 1 :]
            tried.insert(to, work)
            timed = self.timed(tried)
            # As good is taken too: it leads out of flat places.
            if timed.cost_h <= cost + 1e-9:
                current = tried
                cost = timed.cost_h
            if timed.cost_h < found.cost_h - 1e-9:
                best, found, idle = tried, timed, 0
            else:
                idle += 1
        return found

    def _exact(self) -> list[int]:
        best: tuple[float, list[int]] = (inf, [])
        tails = self._tails()
        waits = [len(b) for b in self._before]
        end = [0.0] * len(self.works)
        order: list[int] = []

        def go(free: float, lost: float, risk: float) -> None:
            nonlocal best
            if len(order) == len(self.works):
                cost = max(end) + risk
                if cost < best[0] - 1e-9:
                    best = cost, list(order)
                return
            for k, work in enumerate(self.works):
                if waits[k] or k in order:
                    continue
                earliest = max([free, *(end[a] + lag for a, lag in self._before[k])])
                start, finish = self.bench.placed(earliest, work.hands_h)
                if start + tails[k] + risk >= best[0] - 1e-9:
                    continue
                end[k] = finish
                order.append(k)
                for after in self._after[k]:
                    waits[after] -= 1
                go(finish, lost + work.lost_h, risk + work.fails * lost)
                for after in self._after[k]:
                    waits[after] += 1
                order.pop()
                end[k] = 0.0

        go(0.0, 0.0, 0.0)
        return best[1]


def meanwhile(timed: Timed, gates: Mapping[str, float]) -> dict[str, tuple[str, ...]]:
    """What is begun while each work sets: by its key, the keys of works that begin before its gate is over."""
    found = {}
    for k, (key, end) in enumerate(zip(timed.order, timed.end_h, strict=True)):
        until = end + gates.get(key, 0.0)
        found[key] = tuple(other for other, start in zip(timed.order[k + 1 :], timed.start_h[k + 1 :], strict=True) if start < until - 1e-9)
    return found
