"""Finishing touches to the API's schema: an answer always has all of its fields."""

from typing import get_args

from bastion_core.cut.aims import AIMS
from bastion_core.findings import Unit, Verdict
from bastion_core.finish import table as finish
from bastion_core.join.moving import MOVES
from bastion_core.join.table import KINDS
from bastion_core.units import MM_PER_UNIT

QUANTITY_UNITS = [(u, u) for u in get_args(Unit)]
VERDICTS = [(v.value, v.value) for v in Verdict]
FILE_UNITS = [(u, u) for u in MM_PER_UNIT]
JOIN_KINDS = [(k, k) for k in KINDS]
MOVE_KINDS = [(k, k) for k in MOVES]
AIM_CHOICES = [(aim, aim) for aim in AIMS]
REGION_KINDS = [(k, k) for k in finish.KINDS]
HAND_KINDS = [(k, k) for k in finish.HAND_KINDS]
LENGTH_UNITS = [("mm", "mm"), ("in", "in")]


def all_of_an_answer(result, generator, request, public):
    """Components that only answers use have every field: what the core's dataclasses default, an answer still tells."""
    for name, component in result["components"]["schemas"].items():
        if component.get("type") == "object" and "properties" in component and not name.endswith("Request"):
            component["required"] = sorted(component["properties"])
    return result
