"""Decisions kept, undone and done again: the one place where those of a piece or a build change, each time with a step that leads back."""

import json
from collections.abc import Iterable, Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from bastion_core.engine.keeping import json_of, plain
from bastion_core.engine.recipe import written
from bastion_core.findings import Said, say
from bastion_core.finish.recipe import FinishRecipe
from bastion_core.fit.recipe import FitRecipe
from bastion_core.recipes import BUILD_DECISIONS, DECISIONS, VERSION, called
from bastion_site.builds.models import Build, Piece, Step, StepPart
from bastion_site.errors import Changed

Subject = Piece | Build
Wanted = tuple[Subject, dict[str, Any]]
SEAT = ("shift_mm", "turn_deg")
_WORDS = {"wearer": "the wearer", "name": "the name", "note": "the note", "due": "the due date"}
"""What is decided beside recipes, and what a change of it is called."""
_OTHERS = {Piece: ("name", "note", "wearer"), Build: ("name", "note", "wearer", "due")}


def reason(values: Iterable[str]) -> str:
    """What a change of these decisions is called: “the scale and the wearer”. Empty where it has no name of its own."""
    names = list(values)
    return " and ".join(w for w in (called(names), *(_WORDS[n] for n in names if n in _WORDS)) if w)


def keep(wanted: Sequence[Wanted], because: Said | str, by: str = "") -> Step | None:
    """Change decisions (as JSON has them) and note the step; None where all stood so already. RecipeProblem when one cannot be.

    Subjects have to be read within the transaction this is called in.
    """
    parts = []
    for subject, values in wanted:
        before = values_of(subject, values)
        _put(subject, values)
        after = values_of(subject, values)
        moved = [k for k in values if before[k] != after[k]]
        if moved:
            parts.append((subject, {k: before[k] for k in moved}, {k: after[k] for k in moved}))
    if not parts:
        return None
    for subject, _, _ in parts:
        _steps(subject).filter(state=Step.State.UNDONE).update(state=Step.State.PASSED)
    step = Step.objects.create(build=_build(parts[0][0]), because=plain(say("{}", because or "a change")), by=by[:60])
    for subject, before, after in parts:
        StepPart.objects.create(step=step, piece=subject if isinstance(subject, Piece) else None, before=before, after=after)
    return step


def values_of(subject: Subject, names: Iterable[str]) -> dict[str, Any]:
    """Some of its decisions as JSON has them."""
    known: dict[str, Any] = {"name": subject.name, "note": subject.note, "wearer": subject.wearer_id}
    known |= json.loads(json_of(written(subject.decided)))
    if isinstance(subject, Build):
        known["due"] = subject.due.isoformat() if subject.due else None
    return {name: known[name] for name in names}


def _put(subject: Subject, values: dict[str, Any]) -> None:
    for name in _OTHERS[type(subject)]:
        if name == "wearer" and name in values:
            subject.wearer_id = values[name]
        elif name in values:
            setattr(subject, name, date.fromisoformat(values[name]) if name == "due" and values[name] else values[name])
    if isinstance(subject, Piece):
        subject.decide(**{k: v for k, v in values.items() if k in DECISIONS})
        subject.version += 1
        subject.save(update_fields=["recipe", "name", "note", "wearer", "version"])
    else:
        subject.decide(**{k: v for k, v in values.items() if k in BUILD_DECISIONS})
        subject.save(update_fields=["recipe", "name", "note", "wearer", "due"])


def with_twin(piece: Piece, values: dict[str, Any]) -> list[Wanted]:
    """A change of a piece, and of the other side of its pair where that goes along: it sits as this one does, mirrored."""
    twin = piece.twin if {*SEAT, "own_regions"} & values.keys() else None
    if twin is None:
        return [(piece, values)]
    along = mirrored_seat(piece.as_if({k: values[k] for k in SEAT if k in values})) if set(SEAT) & values.keys() else {}
    return [(piece, values), *([(twin, more)] if (more := along | _on_the_pair(piece, twin, values)) else [])]


def _on_the_pair(piece: Piece, twin: Piece, values: dict[str, Any]) -> dict[str, Any]:
    """Regions of the surface that a pair has alike, mirrored; nothing where none goes along, now or before."""
    if "own_regions" not in values:
        return {}
    mine, was, its = (p.of(FinishRecipe).own_regions for p in (piece.as_if({"own_regions": values["own_regions"]}), piece, twin))
    if not any(m.pair for m in (*mine, *was)):
        return {}
    alike = {m.id for m in (*mine, *was) if m.pair}
    return {"own_regions": plain((*(m for m in its if m.id not in alike), *(m.on_the_pair() for m in mine if m.pair)))}


def mirrored_seat(piece: Piece) -> dict[str, list[float]]:
    """How the other side of the pair sits when this one sits as it does."""
    fit = piece.of(FitRecipe)
    (x, y, z), (pitch, roll, yaw) = fit.shift_mm, fit.turn_deg
    return {"shift_mm": [-x, y, z], "turn_deg": [pitch, -roll, -yaw]}


def next_undo(subject: Subject) -> Step | None:
    """The step that undoing would take back."""
    return _steps(subject).filter(state=Step.State.KEPT).first()


def next_redo(subject: Subject) -> Step | None:
    """The step that would be done again."""
    return _steps(subject).filter(state=Step.State.UNDONE).order_by("-undone_at", "-id").first()


def undo(subject: Subject, step_id: int) -> list[Subject]:
    """Take the last step back; what it changed. Changed where that is another one by now, or its decisions were changed since."""
    with transaction.atomic():
        step = _expected(next_undo(subject), step_id)
        touched = _go(step, back=True)
        Step.objects.filter(pk=step.pk).update(state=Step.State.UNDONE, undone_at=timezone.now())
    return touched


def redo(subject: Subject, step_id: int) -> list[Subject]:
    """Do the step again that was taken back last; what it changed. Changed as with ``undo``."""
    with transaction.atomic():
        step = _expected(next_redo(subject), step_id)
        touched = _go(step, back=False)
        Step.objects.filter(pk=step.pk).update(state=Step.State.KEPT, undone_at=None)
    return touched


def _expected(step: Step | None, step_id: int) -> Step:
    if step is None or step.pk != step_id:
        raise Changed("Something was decided in another window meanwhile. It has been loaded anew; look before you go back.")
    return step


def _go(step: Step, back: bool) -> list[Subject]:
    touched: list[Subject] = []
    for part in step.parts.select_related("piece", "step__build"):
        subject = part.piece or part.step.build
        stands, wanted = (part.after, part.before) if back else (part.before, part.after)
        if values_of(subject, stands) != stands:
            raise Changed(f"{subject.name}: {reason(stands)} was changed since by another step. Undo that one first.")
        _put(subject, wanted)
        touched.append(subject)
    return touched


def _steps(subject: Subject) -> QuerySet[Step]:
    """The steps about a piece, or all of a build, newest first; those of older recipes cannot be gone back over."""
    steps = Step.objects.filter(recipe_version=VERSION)
    if isinstance(subject, Build):
        return steps.filter(build=subject, parts__isnull=False).distinct()
    return steps.filter(parts__piece=subject).distinct()


def _build(subject: Subject) -> Build:
    return subject if isinstance(subject, Build) else subject.build


def forget_wearer(wearer_id: int) -> None:
    """Take a person out of every step: who wore what is theirs. Steps of nothing else go."""
    for part in StepPart.objects.all():
        named = part.before.get("wearer") == wearer_id or part.after.get("wearer") == wearer_id
        if not named:
            continue
        before, after = ({k: v for k, v in values.items() if k != "wearer"} for values in (part.before, part.after))
        if before or after:
            StepPart.objects.filter(pk=part.pk).update(before=before, after=after)
        else:
            part.delete()
    Step.objects.filter(parts__isnull=True).delete()
