"""How big a piece has to be and whether it can be worn: the one judge, for the site and the command line alike.

A piece worn by somebody is judged on their body. Without a body, or where that judgement is not possible, there is a first guess:
inside against head at one level for a helmet, the ratio of statures or the wanted length for anything else.
"""

from dataclasses import dataclass, replace

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said, Verdict, say
from bastion_core.fit.answer import Answer, Fitting
from bastion_core.fit.head import fit_head
from bastion_core.fit.onbody import OnBody
from bastion_core.fit.question import Question
from bastion_core.fit.scale import Scale, check_scale, distorted, first_guess, in_percent
from bastion_core.geometry.mesh import Mesh
from bastion_core.measure.body import Body, stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.progress import Progress, silent, span

SPARE = 0.02
"""What a suggested scale has over the least one: measurements and prints are never exact; common practice, no source."""
_RISES = 4


@dataclass(frozen=True)
class Guess:
    """A scale found without a body, and what is to be said of it."""

    scale: Scale
    suggested: float
    verdict: Verdict
    reason: Said
    notes: tuple[Said, ...] = ()


@dataclass(frozen=True, eq=False)
class Worn:
    """The scale a worn piece gets and the whole answer at it."""

    scale: Scale
    suggested: float
    fitting: Fitting
    answer: Answer


def guess(
    mesh: Mesh, site: str, wearer: Wearer | None, chosen: Scale | None, made_for_mm: float, wanted_mm: float | None, pad_mm: float
) -> Guess:
    """The first guess for an upright piece at scale 1. RecipeProblem when the chosen scale is out of bounds."""
    if chosen is not None:
        check_scale(chosen)
    if site == "head" and wearer is not None:
        try:
            fit = fit_head(mesh, wearer, pad_mm, chosen)
        except RecipeProblem as problem:
            scale = chosen or (1.0, 1.0, 1.0)
            return Guess(scale, 1.0, Verdict.TIGHT, say("not judged: {}", problem.said.small()))
        return Guess(fit.chosen_scale, fit.needed_scale, fit.verdict, fit.reason, fit.notes)
    stature = wearer.get("stature_mm") if wearer else None
    suggested, reason = first_guess(float(mesh.size.max()), stature, wearer is not None, made_for_mm, wanted_mm)
    scale = chosen or (suggested, suggested, suggested)
    check_scale(scale)
    if chosen is not None:
        reason = say("set by the maker; suggested was {} ({})", in_percent(suggested), reason)
    apart = distorted(scale)
    return Guess(scale, suggested, Verdict.HOLDS if apart is None else Verdict.TIGHT, reason, () if apart is None else (apart,))


def judge(
    mesh: Mesh,
    question: Question,
    start: float,
    chosen: Scale | None,
    progress: Progress = silent,
    body: Body | None = None,
    ready: OnBody | None = None,
) -> Worn:
    """The whole answer for an upright piece at the maker's scale, or at the least one that satisfies room, bays and way in.

    ``start`` is the first guess (ratio of statures); a piece that is no helmet is never made smaller than it. ``body`` is a scan to fit
    to instead of the stand-in body; ``ready`` a body in whose coordinates the piece already lies. Raises RecipeProblem.
    """
    if body is None and ready is None and question.wearer is not None:
        body = stand_in(question.wearer)
    if chosen is not None:
        check_scale(chosen)
        fitting = Fitting(mesh, replace(question, scale=chosen), body, ready)
        answer = fitting.answer(progress)
        return Worn(chosen, answer.least_scale or start, fitting, answer)
    first = Fitting(mesh, replace(question, scale=(start, start, start)), body, ready)
    least = first.least_scale(span(progress, 0.0, 0.5))
    plate = first.plate_fit()
    if plate is not None:
        # As the statures say, where the plate follows the body there as well as anywhere; else as near to that as it does.
        start = float(np.clip(start, plate.from_scale, plate.to_scale))
    spared = None if least is None else least * (1 + SPARE)
    size = start if spared is None else spared if question.site == "head" else max(spared, start)
    size = float(np.ceil(size * 1000) / 1000)
    fitting = first.at_scale((size, size, size))
    for _ in range(_RISES):
        # Seats are found by steps, so the room does not rise evenly: a suggestion has to hold where it is made.
        if least is None or not fitting.seating.goes_round or fitting.room(fitting.question.scale).least_mm >= 0:
            break
        size = float(np.ceil(size * 1010) / 1000)
        fitting = first.at_scale((size, size, size))
    return Worn((size, size, size), size, fitting, fitting.answer(span(progress, 0.5, 1.0)))
