"""Decisions: each stands once, with its default, bounds, words and flag; pages, checks, command line and hashes take it from there."""

import argparse
from collections.abc import Callable, Iterable, Mapping
from dataclasses import MISSING, Field, dataclass, field, fields, replace
from math import isfinite
from typing import Any, TypeVar

from bastion_core.engine.keeping import plain, whole
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Quantity, Said, say

R = TypeVar("R", bound="Recipe")
_WRITTEN: dict[str, tuple[float, str]] = {"mm": (1, " mm"), "share": (100, " %"), "deg": (1, "°"), "": (1, "")}


@dataclass(frozen=True)
class Flag:
    """A decision on the command line."""

    name: str
    help: str = ""
    read: Callable[[str], Any] = str
    """What a text means; may raise BastionError."""
    several: bool = False
    """Given once for each of several values."""
    hold: str = ""
    """What stands for the value in the help."""
    takes: int | None = None
    """How many words it takes, where that is not one."""


@dataclass(frozen=True)
class Decision:
    """What is known of one field of a recipe beside its type and default."""

    label: str
    because: str = ""
    """What a change of it is called in “what … did”; empty where a change of it does nothing to what is made."""
    unit: str = ""
    """mm, share or deg."""
    least: float | None = None
    most: float | None = None
    choices: tuple[str, ...] = ()
    shop: str = ""
    """The shop's setting that a new piece takes it from."""
    flag: Flag | None = None
    hint: str = ""
    """What to do about a value out of bounds."""
    nothing: str = "none"
    """What an open decision is called, and an empty choice."""
    empty: str = "none"
    """What a list without anything is called."""
    shown: Callable[[Any], Said] | None = None
    """How a value is told, where label and unit do not say it."""

    def told(self, value: Any) -> Said:
        """A value of this decision in words: “0.2 mm”, “yes”, “as proposed”."""
        if value is None or value == "":
            return say(self.nothing)
        if value == ():
            return say(self.empty)
        if self.shown is not None:
            return self.shown(value)
        if isinstance(value, bool):
            return say("yes" if value else "no")
        numbers = value if isinstance(value, tuple) else (value,)
        if not all(isinstance(v, int | float) for v in numbers):
            return say(str(value).replace("_", " "))
        unit = _QUANTITY[self.unit]
        return say("{}", Quantity(tuple(float(v) for v in numbers), unit, _digits(numbers, 100 if unit == "share" else 1), " / "))


_QUANTITY: dict[str, Any] = {"mm": "mm", "share": "share", "deg": "deg", "": "count"}


def _digits(numbers: Iterable[float], factor: float) -> int:
    """How many decimals, up to two, the numbers need."""
    return next((d for d in (0, 1) if all(abs(round(v * factor, d) - v * factor) < 1e-6 for v in numbers)), 2)


def decision(default: Any = MISSING, label: str = "", *, factory: Any = MISSING, **known: Any) -> Any:
    """A field of a recipe."""
    return field(default=default, default_factory=factory, metadata={"decision": Decision(label, **known)})


class Recipe:
    """Base of every station's decisions: a frozen dataclass whose fields are made by ``decision``. Values out of bounds raise RecipeProblem."""

    def __post_init__(self) -> None:
        for name, known in decisions(type(self)).items():
            _check(name, known, getattr(self, name))


def decisions(kind: type[Recipe]) -> dict[str, Decision]:
    """A recipe's decisions by field, in their order."""
    return {f.name: f.metadata["decision"] for f in fields(kind)}  # type: ignore[arg-type]


def _check(name: str, known: Decision, value: Any) -> None:
    if value is None:
        return
    if known.choices and value not in known.choices:
        raise RecipeProblem(f"{known.label}: “{value}” is none of {', '.join(c or 'nothing' for c in known.choices)}.", name)
    if known.least is None and known.most is None and known.unit == "":
        return
    numbers = value if isinstance(value, tuple) else (value,)
    low, high = (-float("inf") if known.least is None else known.least), (float("inf") if known.most is None else known.most)
    for number in numbers:
        if not isinstance(number, int | float):
            continue
        if not isfinite(number) or not low <= number <= high:
            factor, word = _WRITTEN[known.unit]
            hint = f" {known.hint}" if known.hint else ""
            raise RecipeProblem(
                f"{known.label}: {number * factor:g}{word} is out of bounds ({low * factor:g} to {high * factor:g}{word}).{hint}", name
            )


def registered(kinds: Iterable[type[Recipe]]) -> dict[str, type[Recipe]]:
    """Which recipe each decision belongs to. ValueError when two recipes use one name: a decision has one name in all rooms."""
    owner: dict[str, type[Recipe]] = {}
    for kind in kinds:
        for name in decisions(kind):
            if name in owner:
                raise ValueError(f"{name} is a decision of {owner[name].__name__} and of {kind.__name__}.")
            owner[name] = kind
    return owner


def begin(kind: type[R], shop: object) -> R:
    """The recipe of a new piece: defaults, and the shop's where it has its own."""
    return kind(**{n: getattr(shop, d.shop) for n, d in decisions(kind).items() if d.shop})


def read(kind: type[R], kept: Mapping[str, Any]) -> R:
    """A recipe out of kept JSON, which may hold other recipes' decisions too. RecipeProblem that names what is wrong."""
    return whole(kind, {n: kept[n] for n in decisions(kind) if n in kept})


def written(recipes: Iterable[Recipe]) -> dict[str, Any]:
    """Recipes as one flat JSON object."""
    return {name: value for recipe in recipes for name, value in plain(recipe).items()}


def changed(recipe: R, changes: Mapping[str, Any]) -> R:
    """A recipe with some decisions (as JSON has them) changed; those of other recipes are passed over."""
    return read(type(recipe), plain(recipe) | {k: v for k, v in changes.items() if k in decisions(type(recipe))})


def because(kinds: Iterable[type[Recipe]], names: Iterable[str]) -> str:
    """What a change of these decisions is called: “the scale and the layers”."""
    known = {n: d for kind in kinds for n, d in decisions(kind).items()}
    return " and ".join(dict.fromkeys(known[n].because for n in names if n in known and known[n].because))


def add_flags(parser: argparse.ArgumentParser, kinds: Iterable[type[Recipe]]) -> None:
    """Options for every decision that has one."""
    for kind in kinds:
        for f in fields(kind):  # type: ignore[arg-type]
            known: Decision = f.metadata["decision"]
            if known.flag is None:
                continue
            words = known.flag.help or known.label.lower()
            more: dict[str, Any] = {"action": "append", "default": []} if known.flag.several else {}
            if known.flag.takes:
                more["nargs"] = known.flag.takes
            if known.choices:
                more["choices"] = [c for c in known.choices if c]
            if f.default is False:
                parser.add_argument(known.flag.name, dest=f.name, help=words, action="store_true")
                continue
            parser.add_argument(known.flag.name, dest=f.name, help=words + _usual(f), metavar=known.flag.hold or None, **more)


def _usual(f: "Field[Any]") -> str:
    known: Decision = f.metadata["decision"]
    if f.default is MISSING or f.default in (None, ""):
        return ""
    factor, word = _WRITTEN.get(known.unit, (1, ""))
    usual = f"{f.default * factor:g}{word}" if isinstance(f.default, int | float) else f"{f.default}"
    return f" (usually {usual})".replace("%", "%%")


def from_flags(kind: type[R], options: argparse.Namespace) -> R:
    """The recipe that was typed; RecipeProblem naming the option that cannot be read."""
    given: dict[str, Any] = {}
    for name, known in decisions(kind).items():
        typed = getattr(options, name, None)
        if known.flag is None or typed is None or typed == []:
            continue
        if isinstance(typed, bool):
            given[name] = typed
            continue
        try:
            given[name] = tuple(known.flag.read(t) for t in typed) if known.flag.several else known.flag.read(typed)
        except ValueError as problem:
            raise RecipeProblem(f"{known.flag.name}: “{typed}” cannot be read as {known.label.lower()}.", name) from problem
    return kind(**given)


__all__ = [
    "Decision", "Flag", "Recipe", "add_flags", "because", "begin", "changed", "decision", "decisions", "from_flags", "read", "registered",
    "replace", "written",
]  # fmt: skip
