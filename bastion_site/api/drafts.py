"""Drafts over HTTP: a change that is tried, then kept or dropped."""

from dataclasses import dataclass
from typing import Any, ClassVar

from drf_spectacular.utils import extend_schema
from rest_framework import viewsets
from rest_framework.decorators import action
from rest_framework.response import Response

from bastion_core.engine.keeping import whole
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said
from bastion_core.recipes import DECISIONS
from bastion_site.api.present import detail
from bastion_site.api.records import Detail
from bastion_site.api.rows import check_rows
from bastion_site.api.steps import by_whom
from bastion_site.builds.models import Draft, Piece
from bastion_site.engine.cases import WITH, graph_of
from bastion_site.engine.drafts import drop, go_on, keep_draft
from bastion_site.wire import Decided, asked, labels_of_decisions, question, wire

_MOST_WORDS = 200


@dataclass(frozen=True)
class Tried(Decided):
    """Decisions to try, the remedy they come from, and the version of the draft they were made against."""

    wearer: int | None = None
    because: Said | None = None
    version: int = 0


@dataclass(frozen=True)
class Kept:
    """The version of the piece that the maker saw the draft beside."""

    version: int


DraftSerializer = question(Tried, labels_of_decisions() | {"version": {"min_value": 0}}, "Draft")
KeepSerializer = question(Kept, {"version": {"min_value": 0}}, "Keep")


def tried(request, piece: Piece) -> tuple[dict[str, Any], Said | None, int | None]:
    """The change that is to be tried, the remedy it comes from, the version it was made against. RecipeProblem where there is nothing to try."""
    given = asked(DraftSerializer, request.data, partial=True)
    change = {k: v for k, v in given.items() if k in DECISIONS or k == "wearer"}
    if not change:
        raise RecipeProblem("There is nothing to try in this: name at least one decision.")
    check_rows(change, piece)
    because = whole(Said, given["because"]) if given.get("because") else None
    if because and len(str(because)) > _MOST_WORDS:
        raise RecipeProblem(f"The reason of a draft is longer than {_MOST_WORDS} letters. Shorten it, or leave it out.", "because")
    return change, because, given.get("version")


class DraftView(viewsets.GenericViewSet):
    """Drafts."""

    queryset = Draft.objects.select_related(*(f"piece__{name}" for name in WITH))
    serializer_class = wire(Detail)
    http_method_names: ClassVar = ["get", "post", "patch", "delete"]

    def _answer(self, draft: Draft) -> Response:
        draft = self.queryset.get(pk=draft.pk)
        return Response(detail(graph_of(draft.as_piece()), draft.jobs.first()))

    @extend_schema(responses=wire(Detail))
    def retrieve(self, request, pk=None):
        """The piece as it would be, with all that its station pages show."""
        return self._answer(self.get_object())

    @extend_schema(request=DraftSerializer, responses=wire(Detail))
    def partial_update(self, request, pk=None):
        """Change something more on a draft; 409 when somebody else did."""
        draft = self.get_object()
        change, _, version = tried(request, draft.piece)
        if version is None:
            raise RecipeProblem("A change has to name the version of the draft it was made against.", "version")
        go_on(draft, version, change)
        return self._answer(draft)

    @extend_schema(responses={204: None})
    def destroy(self, request, pk=None):
        """Drop a draft."""
        drop(self.get_object())
        return Response(status=204)

    @extend_schema(request=KeepSerializer, responses=wire(Detail))
    @action(detail=True, methods=["post"])
    def keep(self, request, pk=None):
        """Decide what was tried; 409 when the piece was decided otherwise since."""
        kept = keep_draft(self.get_object(), asked(KeepSerializer, request.data)["version"], by_whom(request))
        piece = Piece.objects.select_related(*WITH).get(pk=kept.pk)
        return Response(detail(graph_of(piece), piece.jobs.first()))
