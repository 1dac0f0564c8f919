"""Rows that a change may name: whether they are there."""

from bastion_core.errors import RecipeProblem
from bastion_site.shop.models import Printer
from bastion_site.wearers.models import Wearer


def check_rows(changes: dict) -> None:
    """RecipeProblem when a printer or wearer is named that is not there."""
    unknown = set(changes.get("printer_ids") or ()) - set(Printer.objects.filter(active=True).values_list("id", flat=True))
    if unknown:
        raise RecipeProblem("A printer was chosen that the shop no longer has. Choose again.", "printer_ids")
    wearer = changes.get("wearer")
    if wearer is not None and not Wearer.objects.filter(pk=wearer).exists():
        raise RecipeProblem("A wearer was chosen who is not there any more. Choose again.", "wearer")
