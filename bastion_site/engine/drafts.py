"""Changes that are tried: computed beside what is kept, then kept or dropped. Neither side throws the other's work away."""

from typing import Any

from django.db import transaction

from bastion_core.engine.keeping import plain, whole
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said
from bastion_core.recipes import VERSION
from bastion_site.builds.models import Draft, Piece
from bastion_site.engine.deciding import keep, reason, with_twin
from bastion_site.engine.refresh import needed_by, refresh
from bastion_site.errors import Changed
from bastion_site.jobs.models import Job

MOST = 6
"""Drafts of one piece; more are not told apart any more."""


def begin(piece: Piece, change: dict[str, Any], because: Said | None = None) -> Draft:
    """Try a change. RecipeProblem when it cannot be, or there are too many drafts already."""
    piece.as_if(change)
    if piece.drafts.count() >= MOST:
        raise RecipeProblem(f"This piece has {MOST} drafts already. Keep or drop one of them first.")
    draft = Draft.objects.create(piece=piece, change=change, because=plain(because) if because else None)
    refresh(piece)
    return draft


def go_on(draft: Draft, version: int, change: dict[str, Any]) -> None:
    """Change something more on a draft. Changed when somebody else did meanwhile."""
    more = draft.change | change
    draft.piece.as_if(more)
    if not Draft.objects.filter(pk=draft.pk, version=version).update(change=more, version=version + 1, because=None):
        raise Changed("This draft was changed in another window since you opened it. It has been loaded anew; make your change once more.")
    refresh(draft.piece)


def keep_draft(draft: Draft, piece_version: int, by: str = "") -> Piece:
    """Decide what was tried. What was computed for it is there, and what is being computed goes on.

    Changed when the piece was decided otherwise since the maker looked.
    """
    because = reason(draft.change)
    with transaction.atomic():
        piece = Piece.objects.select_related("build").get(pk=draft.piece_id)
        if piece.version != piece_version or draft.recipe_version != VERSION:
            raise Changed(
                "The piece was changed in another window meanwhile. The draft is computed on what is kept now; look at it once more."
            )
        wanted = with_twin(piece, draft.change)
        keep(wanted, whole(Said, draft.because) if draft.because else because, by)
        Job.objects.filter(draft=draft, state__in=Job.ACTIVE).update(draft=None, piece=piece)
        draft.delete()
    for one, _ in wanted:
        refresh(one, because)
    return piece


def drop(draft: Draft) -> None:
    """Let a draft go, and its work with it, but for a result that something else of the piece waits for."""
    piece = draft.piece
    with transaction.atomic():
        spare = needed_by(piece, but=draft)
        Job.objects.filter(draft=draft, state=Job.State.RUNNING, at__in=spare).update(draft=None, piece=piece, last_step=True)
        draft.delete()
    refresh(piece)
