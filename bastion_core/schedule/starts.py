"""Plans by going forward in time: the printer that is free first gets the plate that wastes least of its night, tried many times over.

Measured when it was chosen, on sixty plates and three printers: within 1 % of the best possible in a second, where constraint programming alone
was 3 % off after six. It gives the solver its first plan, and the Wall an answer at once.
"""

from collections.abc import Sequence
from datetime import timedelta

import numpy as np

from bastion_core.schedule.clock import Clock
from bastion_core.schedule.model import Asked, Need, Slot

_NOISE, _SLOWER, _LONG = (0.0, 0.05, 0.15), (0.1, 0.3, 0.6, 1.0, 2.0), 0.004
_MUST = 2.0


def best_start(asked: Asked, needs: Sequence[Need], tries: int) -> list[Slot]:
    """The plan that ends first (of as good ones: with what must be ready earliest) of so many. The same question gives the same answer."""
    clock, rng = Clock(asked.times), np.random.default_rng(len(needs))
    hours = [{p: asked.real_h(n, p) for p in asked.printers if p in n.hours} for n in needs]
    best: tuple[tuple[float, float], list[tuple[int, str, float, float]]] | None = None
    for number in range(max(tries, 1)):
        noise, slower = (0.0, _SLOWER[1]) if number == 0 else (_NOISE[rng.integers(len(_NOISE))], _SLOWER[rng.integers(len(_SLOWER))])
        made = _forward(asked, needs, hours, clock, noise, slower, rng)
        end = max(e for *_, e in made), sum(e for k, _, _, e in made if needs[k].must)
        if best is None or (round(end[0], 3), end[1]) < (round(best[0][0], 3), best[0][1]):
            best = end, made
    assert best is not None
    begin = asked.times.begin
    return [Slot(needs[k].id, p, begin + timedelta(hours=a), begin + timedelta(hours=b)) for k, p, a, b in best[1]]


def _forward(
    asked: Asked,
    needs: Sequence[Need],
    hours: Sequence[dict[str, float]],
    clock: Clock,
    noise: float,
    slower: float,
    rng: np.random.Generator,
) -> list[tuple[int, str, float, float]]:
    begin = asked.times.begin
    free = {p: max([(b.until - begin).total_seconds() / 3600 for b in asked.busy if b.printer == p], default=0.0) for p in asked.printers}
    spools = {stuff: [0.0] * count for stuff, count in asked.spools.items() if count > 0}
    quickest = [min(h.values()) for h in hours]
    left, made = set(range(len(needs))), []
    while left:
        best: tuple[float, int, str, float, float] | None = None
        for p in sorted(free, key=lambda name: (free[name], name)):
            at = clock.next_awake(max(free[p], 0.0))
            for k in sorted(left):
                if p not in hours[k]:
                    continue
                there = spools.get(needs[k].stuff)
                start = at if there is None else clock.next_awake(max(at, min(there)))
                end = start + hours[k][p]
                idle = clock.next_awake(end) - end + (start - at)
                worth = idle / (hours[k][p] + idle) + slower * (hours[k][p] / quickest[k] - 1) - _LONG * quickest[k]
                worth += noise * rng.random() - _MUST * needs[k].must
                if best is None or worth < best[0]:
                    best = worth, k, p, start, end
            if best is not None:
                break
        assert best is not None
        _, k, p, start, end = best
        left.remove(k)
        free[p] = end
        if needs[k].stuff in spools:
            there = spools[needs[k].stuff]
            there[there.index(min(there))] = end
        made.append((k, p, start, end))
    return made
