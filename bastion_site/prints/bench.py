"""Steps at the bench that were ticked, and what their minutes teach of this shop's hands."""

from django.db import transaction

from bastion_core.finish.chain import Step
from bastion_core.finish.pace import HandLog, Ticked, logged
from bastion_site.builds.models import Piece
from bastion_site.prints.models import Tick


def hands_here() -> tuple[HandLog, ...]:
    """What all ticks with minutes say."""
    rows = Tick.objects.filter(undone=False, took_min__isnull=False).values_list("kind", "usual_min", "took_min")
    return logged([Ticked(kind, usual, took) for kind, usual, took in rows])


def ticked(piece: Piece) -> dict[str, Tick]:
    """The ticks of a piece that stand, by their step."""
    return {t.step: t for t in piece.ticks.filter(undone=False)}


def tick(piece: Piece, press: str, step: Step, took_min: float | None) -> None:
    """A step is done; a press that came before counts once. RecipeProblem for minutes that cannot be."""
    if took_min is not None:
        Ticked(step.kind, step.usual_min, took_min)
    with transaction.atomic():
        if Tick.objects.filter(press=press).exists():
            return
        piece.ticks.filter(step=step.key, undone=False).update(undone=True)
        Tick.objects.create(piece=piece, press=press, step=step.key, kind=step.kind, usual_min=step.usual_min, took_min=took_min)


def untick(piece: Piece, step: str) -> None:
    """A step is not done after all."""
    piece.ticks.filter(step=step, undone=False).update(undone=True)
