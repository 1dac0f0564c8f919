"""Steps at the bench over HTTP: ticked with their minutes, and unticked."""

from typing import ClassVar

from drf_spectacular.utils import extend_schema
from rest_framework import viewsets
from rest_framework.decorators import action
from rest_framework.response import Response

from bastion_core.engine.keeping import plain, whole
from bastion_core.errors import RecipeProblem
from bastion_core.finish.records import FinishData
from bastion_site.api.present import ticks_of
from bastion_site.api.records import TickAsked, TickRecord
from bastion_site.builds.models import Piece
from bastion_site.engine.cases import WITH, PieceGraph, graph_of
from bastion_site.engine.refresh import refresh_all
from bastion_site.errors import NotYet
from bastion_site.prints import bench
from bastion_site.wire import asked, question, wire

TickSerializer = question(TickAsked, {"press": {"min_length": 8, "max_length": 64}, "step": {"max_length": 200}})


class TickView(viewsets.GenericViewSet):
    """What was done of a piece's finish."""

    queryset = Piece.objects.select_related(*WITH)
    http_method_names: ClassVar = ["post"]

    @extend_schema(request=TickSerializer, responses=wire(TickRecord)(many=True))
    @action(detail=True, methods=["post"])
    def ticks(self, request, pk=None):
        """A step is done, or not after all: the piece's ticks as they stand then. What minutes teach moves every plan of the shop."""
        piece = self.get_object()
        told = whole(TickAsked, asked(TickSerializer, request.data))
        before = bench.hands_here()
        if told.done:
            step = next((s for s in _steps(graph_of(piece)) if s.key == told.step), None)
            if step is None:
                raise RecipeProblem("This step is no longer in the plan. Look at the plan as it is now.", "step")
            bench.tick(piece, told.press, step, told.took_min)
        else:
            bench.untick(piece, told.step)
        if bench.hands_here() != before:
            refresh_all("what was ticked")
        return Response([plain(t) for t in ticks_of(piece)])


def _steps(graph: PieceGraph):
    ref = graph.last("finish")
    data = graph.store.data(ref) if ref is not None else None
    if not data:
        raise NotYet("The finish of this piece is not planned yet.")
    return whole(FinishData, data).steps
