"""The calendar, by constraint programming: plates on printers, beds changed by somebody awake, one printer to a spool, what must be ready first.

Two questions in turn: when all can be done at the soonest, told with how far from the best possible that may be; then, not ending later, what
must be ready early and everything else as early as it can be. Fixed seeds and one worker: the same question gives the same answer.
"""

from datetime import datetime, timedelta
from math import ceil

from ortools.sat.python import cp_model

from bastion_core.progress import Progress, silent
from bastion_core.schedule.model import Asked, Need, Plan, Slot
from bastion_core.schedule.starts import best_start

SLOT_MIN = 15
WITHIN = 0.02
_EFFORT, _EFFORT_EARLY = 0.6, 0.3
"""How long each question is worked on, in the solver's own deterministic measure: the same on every machine."""
_TRIES, _LEAST_TRIES, _QUICK = 12_000, 3, 60_000
_MUST, _SPARE_DAYS = 8, 10


def planned(asked: Asked, progress: Progress = silent) -> Plan:
    """The calendar. Plates that fit no printer in use are left out and told. RecipeProblem where nobody is ever there."""
    needs = _printable(asked)
    if not needs:
        return _plan(asked, needs, [], asked.times.begin)
    first = best_start(asked, needs, max(_LEAST_TRIES, _TRIES // len(needs)))
    problem = _Problem(asked, needs, first)
    progress(0.1, "planning the printers")
    slots, bound = problem.soonest()
    progress(0.7, "planning what comes first")
    return _plan(asked, needs, problem.early(slots), bound)


def quick(asked: Asked) -> Plan:
    """The same without seeking the best, for an answer at once."""
    needs = _printable(asked)
    return _plan(asked, needs, best_start(asked, needs, max(_LEAST_TRIES, _QUICK // len(needs) ** 2)) if needs else [], None)


def _printable(asked: Asked) -> list[Need]:
    return [n for n in asked.needs if any(p in n.hours for p in asked.printers)]


def _plan(asked: Asked, needs: list[Need], slots: list[Slot], bound: datetime | None) -> Plan:
    """The plan of these slots; ``bound`` is the soonest that all could be done, where that was sought."""
    begin = asked.times.begin
    runs = max((b.until for b in asked.busy), default=begin)
    done = max([s.end for s in slots] + [runs])
    best = None if bound is None else max(bound, runs)
    long = (done - begin).total_seconds()
    within = None if best is None else round(max(0.0, (done - best).total_seconds() / long), 4) if long > 0 else 0.0
    left_out = tuple(n.id for n in asked.needs if n not in needs)
    return Plan(tuple(sorted(slots, key=lambda s: (s.start, s.printer))), done, best, within, _late(asked, slots), left_out)


def _late(asked: Asked, slots: list[Slot]) -> tuple[str, ...]:
    must = {n.id for n in asked.needs if n.must}
    return tuple(s.plate for s in slots if s.plate in must and asked.due is not None and s.end > asked.due)


class _Problem:
    """The plan as a model: whole quarters of an hour from the beginning."""

    def __init__(self, asked: Asked, needs: list[Need], first: list[Slot]) -> None:
        self.asked, self.needs = asked, needs
        self.begin = asked.times.begin
        latest = max(s.end for s in first)
        self.horizon = self._slot(latest) + _SPARE_DAYS * 96
        self.model = cp_model.CpModel()
        awake = asked.times.awake(latest + timedelta(days=_SPARE_DAYS))
        # A start on the last quarter of the waking hours is the last that somebody can give.
        spans = [(self._slot_up(a), self._slot(b) - 1) for a, b in awake]
        self.starts = cp_model.Domain.from_intervals([[a, b] for a, b in spans if a <= b])
        self.first = first
        self._lanes()

    def _slot(self, moment: datetime) -> int:
        return int((moment - self.begin).total_seconds() // (60 * SLOT_MIN))

    def _slot_up(self, moment: datetime) -> int:
        return ceil((moment - self.begin).total_seconds() / (60 * SLOT_MIN) - 1e-9)

    def _lanes(self) -> None:
        model, asked = self.model, self.asked
        self.start, self.on, self.length, self.end = [], [], [], []
        self.limits: list[tuple[int, list[int]]] = []
        lanes: dict[str, list[cp_model.IntervalVar]] = {p: [] for p in asked.printers}
        until = {p: max([self._slot_up(b.until) for b in asked.busy if b.printer == p], default=0) for p in asked.printers}
        for number, need in enumerate(self.needs):
            start = model.new_int_var_from_domain(self.starts, f"s{number}")
            long = {p: max(1, ceil(asked.real_h(need, p) * 60 / SLOT_MIN - 1e-9)) for p in asked.printers if p in need.hours}
            on = {p: model.new_bool_var(f"o{number}{p}") for p in long}
            model.add_exactly_one(on.values())
            for p, taken in on.items():
                lanes[p].append(model.new_optional_fixed_size_interval_var(start, long[p], taken, f"i{number}{p}"))
            self.start.append(start)
            self.on.append(on)
            self.length.append(long)
            self.end.append(start + sum(long[p] * taken for p, taken in on.items()))
        for p, intervals in lanes.items():
            if until[p] > 0:
                intervals.append(model.new_fixed_size_interval_var(0, until[p], f"busy{p}"))
            model.add_no_overlap(intervals)
        for stuff, count in asked.spools.items():
            mine = [k for k, n in enumerate(self.needs) if n.stuff == stuff]
            if 0 < count < min(len(mine), len(asked.printers)):
                spans = [self._span(k) for k in mine]
                self.limits.append((count, mine))
                model.add_cumulative(spans, [1] * len(spans), count)
        self.last = model.new_int_var(0, self.horizon, "last")
        model.add_max_equality(self.last, self.end)
        # What is plain to us and not to the solver: no printer can hold more than the whole time less what it is busy.
        for p in asked.printers:
            load = sum(self.length[k][p] * self.on[k][p] for k in range(len(self.needs)) if p in self.on[k])
            if any(p in on for on in self.on):
                model.add(self.last >= load + until[p])
        for count, mine in self.limits:
            model.add(count * self.last >= sum(self.length[k][p] * self.on[k][p] for k in mine for p in self.on[k]))

    def _hint(self, slots: list[Slot]) -> None:
        """A plan to begin with."""
        self.model.clear_hints()
        by_id = {s.plate: s for s in slots}
        for need, start, on in zip(self.needs, self.start, self.on, strict=True):
            for p, taken in on.items():
                self.model.add_hint(taken, p == by_id[need.id].printer)
            self.model.add_hint(start, self._slot_up(by_id[need.id].start))

    def _span(self, k: int) -> cp_model.IntervalVar:
        """When a plate runs, on whichever printer."""
        long = self.length[k]
        size = self.model.new_int_var(min(long.values()), max(long.values()), f"d{k}")
        end = self.model.new_int_var(0, self.horizon + max(long.values()), f"e{k}")
        self.model.add(size == sum(n * self.on[k][p] for p, n in long.items()))
        return self.model.new_interval_var(self.start[k], size, end, f"u{k}")

    def _solved(self, effort: float, within: float) -> tuple[cp_model.CpSolver, bool]:
        solver = cp_model.CpSolver()
        solver.parameters.num_search_workers = 1
        solver.parameters.random_seed = 7
        solver.parameters.max_deterministic_time = effort
        solver.parameters.relative_gap_limit = within
        solver.parameters.linearization_level = 1
        status = solver.solve(self.model)
        if status == cp_model.MODEL_INVALID:
            raise AssertionError(self.model.validate())
        return solver, status in (cp_model.OPTIMAL, cp_model.FEASIBLE)

    def soonest(self) -> tuple[list[Slot], datetime]:
        """The plan that ends first, and when the best possible would."""
        self._hint(self.first)
        self.model.minimize(self.last)
        solver, found = self._solved(_EFFORT, WITHIN / 2)
        bound = self.begin + timedelta(minutes=SLOT_MIN * float(solver.best_objective_bound))
        slots = self._slots(solver) if found else self.first
        return (slots if max(s.end for s in slots) <= max(s.end for s in self.first) else self.first), bound

    def early(self, slots: list[Slot]) -> list[Slot]:
        """Not ending later: what must be ready early, and the rest early."""
        last = max(self._slot_up(s.end) for s in slots)
        self._hint(slots)
        self.model.add(self.last <= last)
        self.model.minimize(sum((_MUST if n.must else 1) * e for n, e in zip(self.needs, self.end, strict=True)))
        solver, found = self._solved(_EFFORT_EARLY, 0.0)
        return self._slots(solver) if found else slots

    def _slots(self, solver: cp_model.CpSolver) -> list[Slot]:
        made = []
        for k, need in enumerate(self.needs):
            printer = next(p for p, taken in self.on[k].items() if solver.boolean_value(taken))
            start = self.begin + timedelta(minutes=SLOT_MIN * solver.value(self.start[k]))
            made.append(Slot(need.id, printer, start, start + timedelta(hours=self.asked.real_h(need, printer))))
        return made
