"""The station Measure, as a piece sees it: who wears it, and what of them is missing for it."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from bastion_core.case import Case
from bastion_core.engine.station import Known, Made, Place, Station
from bastion_core.findings import Fact, Finding, Note, Verdict, say
from bastion_core.fit.sites import BY_NAME, asked_first, needs
from bastion_core.measure.table import ROWS
from bastion_core.measure.wearer import Wearer
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.progress import Progress


@dataclass(frozen=True)
class MeasureInputs:
    """The wearer, and where the piece is worn."""

    wearer: Wearer | None
    site: str
    side: str


@dataclass(frozen=True)
class MeasureResult:
    """How many of the measurements a piece hangs on are taken, and which of the first ones are not."""

    wearer: str | None
    taken: int
    of: int
    missing: tuple[str, ...]
    guessed: bool
    """Whether what is missing is guessed meanwhile."""


class MeasureStation(Station[Case, MeasureInputs, MeasureResult]):
    """Who wears it."""

    key, title, kept, weight = "measure", "Measure", False, 0.0
    result = MeasureResult

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> MeasureInputs:
        """The wearer and the place on the body."""
        pieces = case.of(PiecesRecipe)
        return MeasureInputs(case.wearer, pieces.site, pieces.side)

    def run(self, inputs: MeasureInputs, place: Place, progress: Progress) -> Made[MeasureResult]:
        """Counted, nothing more: guesses are made where they are used."""
        wanted, wearer = needs(inputs.site), inputs.wearer
        if wearer is None:
            return Made(MeasureResult(None, 0, len(wanted), (), False))
        taken = sum(wearer.get(k, inputs.side) is not None for k in wanted)
        missing = tuple(ROWS[k].name.lower() for k in asked_first(inputs.site) if k not in wearer.measurements)
        return Made(MeasureResult(wearer.name, taken, len(wanted), missing, inputs.site in BY_NAME))

    def findings(self, case: Case, result: MeasureResult) -> tuple[Finding | Note, ...]:
        """Nobody to wear it, or the first measurements missing."""
        if result.wearer is None:
            return (Finding("no-wearer", Verdict.WAITS, say("No wearer is chosen. Choose one for the build or for this piece.")),)
        if not result.missing:
            return ()
        guessed = " Guessed meanwhile, as far as the rest tells." if result.guessed else ""
        words = f"{result.wearer}: {' and '.join(result.missing)} not taken.{guessed}"
        return (Finding("not-taken", Verdict.TIGHT, say(words)),)

    def fact(self, result: MeasureResult) -> Fact:
        """Who, and how much of them."""
        if result.wearer is None:
            return Fact(say("no wearer"))
        return Fact(say(result.wearer), say(f"{result.taken} of {result.of} taken"))
