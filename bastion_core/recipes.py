"""All decisions about a piece as one JSON object: read with their version, brought up to today's, written again."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from bastion_core.engine.recipe import Recipe, because, begin, changed, decisions, read, written
from bastion_core.findings import Said
from bastion_core.shop import LEAST_GAP_MM, Shop
from bastion_core.stations import BUILD_DECISIONS, BUILD_RECIPES, DECISIONS, RECIPES

VERSION = 2


def _from_0(kept: dict[str, Any]) -> dict[str, Any]:
    """Columns of the first releases: a helmet's padding stood beside the layers, and lengths of nobody's concern were kept too."""
    pad = kept.pop("pad_mm", 0.0)
    layers = list(kept.get("layers") or [])
    if kept.get("site") == "head" and pad > 0:
        layers.insert(0, {"name": "pad", "thickness_mm": pad, "where": "all"})
    return kept | {"layers": layers}


def _from_1(kept: dict[str, Any]) -> dict[str, Any]:
    """A clearance of nothing could be decided: such parts never went together."""
    clearance = kept.get("pin_clearance_mm")
    return kept | ({"pin_clearance_mm": max(clearance, LEAST_GAP_MM)} if clearance is not None else {})


UPGRADERS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {0: _from_0, 1: _from_1}
"""From each version to the next one. Tested on rows that the release itself wrote."""


def upgraded(kept: Mapping[str, Any]) -> dict[str, Any]:
    """Kept decisions as today's version has them."""
    todays = dict(kept)
    version = int(todays.pop("version", VERSION))
    while version < VERSION:
        todays = UPGRADERS[version](todays)
        version += 1
    return todays


def read_all(kept: Mapping[str, Any]) -> tuple[Recipe, ...]:
    """Every recipe out of one kept object; RecipeProblem naming the decision that cannot be."""
    todays = upgraded(kept)
    return tuple(read(kind, todays) for kind in RECIPES)


def write_all(recipes: tuple[Recipe, ...]) -> dict[str, Any]:
    """Every recipe as one object to keep."""
    return {"version": VERSION} | written(recipes)


def begin_all(shop: Shop, **decided: Any) -> tuple[Recipe, ...]:
    """The recipes of a new piece: defaults, the shop's habits, and what is decided already (as JSON has it)."""
    return tuple(changed(begin(kind, shop), decided) for kind in RECIPES)


def change_all(recipes: tuple[Recipe, ...], changes: Mapping[str, Any]) -> tuple[Recipe, ...]:
    """The recipes with some decisions changed."""
    return tuple(changed(r, changes) for r in recipes)


def called(names: Any) -> str:
    """What a change of these decisions is called."""
    return because((*RECIPES, *BUILD_RECIPES), names)


@dataclass(frozen=True)
class Difference:
    """One decision that changed: its name, what it is called, and its values in words."""

    key: str
    label: str
    before: Said
    after: Said


def differences(before: tuple[Recipe, ...], after: tuple[Recipe, ...]) -> tuple[Difference, ...]:
    """The decisions in which two sets of recipes differ, in the order of the work."""
    return tuple(
        Difference(name, known.label, known.told(getattr(was, name)), known.told(getattr(now, name)))
        for was, now in zip(before, after, strict=True)
        for name, known in decisions(type(was)).items()
        if getattr(was, name) != getattr(now, name)
    )


__all__ = [
    "BUILD_DECISIONS", "BUILD_RECIPES", "DECISIONS", "RECIPES", "UPGRADERS", "VERSION", "Difference", "begin_all", "called", "change_all", "differences", "read_all", "upgraded", "write_all",
]  # fmt: skip
