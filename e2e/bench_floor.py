"""Speed of the shop floor: plates nested, printers planned, futures drawn; how near the best possible each comes."""

import statistics
import time
from datetime import datetime

from bastion_core.plates.nest import Nesting
from bastion_core.plates.tests.test_nest import BED, mixed
from bastion_core.schedule.learn import learnt
from bastion_core.schedule.model import Asked, Times
from bastion_core.schedule.odds import FUTURES, futures
from bastion_core.schedule.solve import planned, quick
from bastion_core.schedule.tests.test_solve import needs_of

SEEDS = range(8)


def floor() -> dict[str, str]:
    """Medians and ranges over eight lots each."""
    ratios, taken = [], []
    for seed in SEEDS:
        outlines = mixed(seed)
        begin = time.perf_counter()
        nesting = Nesting(BED, outlines)
        laid = nesting.packed()
        taken.append(time.perf_counter() - begin)
        ratios.append(len(laid) / nesting.bound())
    told = {
        "30 mixed parts nested": f"{statistics.median(taken):.1f} s ({min(taken):.1f} to {max(taken):.1f}; wanted under 8 s), "
        f"{min(ratios):.2f} to {max(ratios):.2f} times the bound of area and pairs, {statistics.mean(ratios):.2f} in the mean (wanted at most 1.25)"
    }
    begin_at, printers = datetime(2027, 3, 1, 9), ("a", "b", "c")
    best, fast, taken, taken_fast = [], [], [], []
    for seed in SEEDS:
        asked = Asked(needs_of(seed, 60, must=6), printers, Times(begin_at))
        begin = time.perf_counter()
        plan = planned(asked)
        taken.append(time.perf_counter() - begin)
        best.append(plan.within or 0.0)
        begin = time.perf_counter()
        at_once = quick(asked)
        taken_fast.append(time.perf_counter() - begin)
        fast.append((at_once.done - begin_at) / (plan.done - begin_at) - 1)
    told["60 plates on 3 printers planned"] = (
        f"{statistics.median(taken):.1f} s ({max(taken):.1f} at most; wanted 10 s), within {100 * max(best):.1f} % of the best possible (wanted 2 %)"
    )
    told["the same at once"] = f"{1000 * statistics.median(taken_fast):.0f} ms, {100 * max(fast):.1f} % longer at most"
    asked = Asked(needs_of(1, 60), printers, Times(begin_at))
    plan, needs = planned(asked), {n.id: n for n in asked.needs}
    begin = time.perf_counter()
    futures(plan.slots, needs, learnt([], 2.0), asked.times)
    told[f"{FUTURES:,} futures of 60 plates"] = f"{time.perf_counter() - begin:.2f} s"
    return told
