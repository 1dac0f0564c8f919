"""Steps over HTTP: what was decided, by whom, and the way back and forth."""

from collections.abc import Callable
from dataclasses import dataclass
from urllib.parse import unquote

from bastion_site.builds.models import Build, Piece
from bastion_site.engine.deciding import Subject
from bastion_site.engine.refresh import refresh, refresh_many
from bastion_site.wire import asked, question


@dataclass(frozen=True)
class StepAsked:
    """The step that is meant."""

    step: int


StepSerializer = question(StepAsked)


def by_whom(request) -> str:
    """The name its maker gave this browser."""
    return unquote(request.headers.get("X-Maker", ""))[:60]


def go_and_refresh(go: Callable[[Subject, int], list[Subject]], way: str, subject: Subject, request) -> None:
    """Undo or redo, and have computed again what that concerns."""
    asked_for = asked(StepSerializer, request.data)["step"]
    for touched in go(subject, asked_for):
        if isinstance(touched, Piece):
            refresh(touched, f"{way} the last change")
        else:
            refresh_many(Build.objects.get(pk=touched.pk).pieces.all(), way)
