"""Rows that a change may name: whether they are there."""

from bastion_core.errors import RecipeProblem
from bastion_site.builds.models import Piece
from bastion_site.shop.models import Printer
from bastion_site.wearers.models import Wearer


def check_rows(changes: dict, piece: Piece | None = None) -> None:
    """RecipeProblem when a printer, a wearer or a file of the piece is named that is not there."""
    unknown = set(changes.get("printer_ids") or ()) - set(Printer.objects.filter(active=True, kind="filament").values_list("id", flat=True))
    if unknown:
        raise RecipeProblem("A printer was chosen that the shop no longer has, or that prints resin. Choose again.", "printer_ids")
    wearer = changes.get("wearer")
    if wearer is not None and not Wearer.objects.filter(pk=wearer).exists():
        raise RecipeProblem("A wearer was chosen who is not there any more. Choose again.", "wearer")
    if piece is not None and changes.get("files"):
        there = {mesh.sha256 for mesh in piece.sources}
        foreign = [f["name"] for f in changes["files"] if f["sha256"] not in there]
        if foreign:
            raise RecipeProblem(f"{', '.join(foreign)}: add the file to this piece first.", "files")
