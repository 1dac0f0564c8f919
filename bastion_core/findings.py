"""What stations have to say: verdicts in their order, sentences whose lengths are still numbers, remedies that are decisions.

A finding is a value. Programs look at its ``code`` and ``verdict``, never at its words; units are formatted where it is shown.
"""

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, Literal

Unit = Literal["mm", "mm2", "cm2", "mm3", "share", "g", "h", "count", "deg"]
_PER_UNIT: dict[str, tuple[float, str]] = {
    "mm": (1, " mm"), "mm2": (1, " mm²"), "cm2": (1e-2, " cm²"), "mm3": (1e-3, " cm³"), "share": (100, " %"), "g": (1, " g"), "h": (1, " h"), "count": (1, ""), "deg": (1, "°"),
}  # fmt: skip


class Verdict(StrEnum):
    """How bad, from good to bad: ``max`` of several is the worst."""

    HOLDS = "holds"
    WAITS = "waits"
    TIGHT = "tight"
    STOPS = "stops"

    @property
    def rank(self) -> int:
        return list(Verdict).index(self)

    def __lt__(self, other: str) -> bool:
        return self.rank < Verdict(other).rank

    def __le__(self, other: str) -> bool:
        return self.rank <= Verdict(other).rank

    def __gt__(self, other: str) -> bool:
        return self.rank > Verdict(other).rank

    def __ge__(self, other: str) -> bool:
        return self.rank >= Verdict(other).rank


@dataclass(frozen=True)
class Quantity:
    """One or more numbers of one unit as they stand in a sentence: “3.2 mm”, “20 × 30 mm”, “600 to 640 mm”."""

    values: tuple[float, ...]
    unit: Unit
    digits: int = 0
    between: str = " × "

    def __str__(self) -> str:
        factor, word = _PER_UNIT[self.unit]
        return self.between.join(f"{v * factor:,.{self.digits}f}" for v in self.values) + word


@dataclass(frozen=True)
class Said:
    """A sentence with places ``{0}``, ``{1}`` … for its quantities. ``str`` gives it in millimetres."""

    words: str
    values: tuple[Quantity, ...] = ()

    def __str__(self) -> str:
        text = self.words
        for index, value in enumerate(self.values):
            text = text.replace(f"{{{index}}}", str(value))
        return text

    def __bool__(self) -> bool:
        return bool(self.words)

    def capital(self) -> "Said":
        """The sentence begun with a capital letter."""
        return Said(self.words[:1].upper() + self.words[1:], self.values)

    def small(self) -> "Said":
        """The sentence to be gone on within another one."""
        return Said(self.words[:1].lower() + self.words[1:], self.values)

    def bare(self) -> "Said":
        """The sentence without its full stop."""
        return Said(self.words.rstrip("."), self.values)


NOTHING = Said("")


def mm(*values: float, digits: int = 0, between: str = " × ") -> Quantity:
    """Lengths."""
    return Quantity(tuple(float(v) for v in values), "mm", digits, between)


def span_mm(low: float, high: float, digits: int = 0) -> Quantity:
    """A range of lengths: “600 to 640 mm”."""
    return mm(low, high, digits=digits, between=" to ")


def cm2(value_mm2: float) -> Quantity:
    """A larger area, given in mm²."""
    return Quantity((float(value_mm2),), "cm2")


def hours(value: float) -> Quantity:
    """A time: in tenths below ten hours."""
    return Quantity((float(value),), "h", 1 if value < 10 else 0)


def grams(value: float) -> Quantity:
    """A weight."""
    return Quantity((float(value),), "g")


def deg(value: float, digits: int = 0) -> Quantity:
    """An angle."""
    return Quantity((float(value),), "deg", digits)


def say(words: str, *parts: "Quantity | Said | str") -> Said:
    """A sentence from a text with ``{}`` for each part in its order; texts and other sentences are taken in, quantities stay numbers.

    >>> str(say("{} too tight at the {}.", mm(3.21, digits=1), "brow"))
    '3.2 mm too tight at the brow.'
    >>> say("{}; {}", say("needs {}", mm(4)), say("has {}", mm(3))).words
    'needs {0}; has {1}'
    """
    pieces = words.split("{}")
    if len(pieces) != len(parts) + 1:
        raise ValueError(f"“{words}” has {len(pieces) - 1} places for {len(parts)} parts.")
    words_so_far, values = pieces[0], list[Quantity]()
    for part, after in zip(parts, pieces[1:], strict=True):
        if isinstance(part, Quantity):
            words_so_far += f"{{{len(values)}}}"
            values.append(part)
        elif isinstance(part, Said):
            own = part.words
            # From the last place down, so that none is moved twice.
            for index in reversed(range(len(part.values))):
                own = own.replace(f"{{{index}}}", f"{{{index + len(values)}}}")
            words_so_far += own
            values += part.values
        else:
            words_so_far += part
        words_so_far += after
    return Said(words_so_far, tuple(values))


def joined(parts: "list[Said] | tuple[Said, ...]", between: str) -> Said:
    """Several sentences one after another."""
    return say(between.join("{}" for _ in parts), *parts) if parts else NOTHING


@dataclass(frozen=True)
class Remedy:
    """Something that would mend it. ``change`` holds the decisions that would do it; empty where hands must."""

    label: Said
    change: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Finding:
    """Something judged: what (a stable word), how bad, in words, where, and what would mend it."""

    code: str
    verdict: Verdict
    text: Said
    place_mm: tuple[float, float, float] | None = None
    remedies: tuple[Remedy, ...] = ()


@dataclass(frozen=True)
class Note:
    """A caution or a hint. Nothing is judged by it."""

    code: str
    text: Said


@dataclass(frozen=True)
class Fact:
    """A station's cell on the Wall: what matters there, and one line under it."""

    main: Said = NOTHING
    under: Said = NOTHING


def worst(findings: "tuple[Finding | Note, ...]") -> Verdict:
    """The worst verdict among findings; HOLDS where there are none."""
    return max((f.verdict for f in findings if isinstance(f, Finding)), default=Verdict.HOLDS)


def counted(n: int, one: str, many: str = "") -> str:
    """A number with its word: “1 part”, “3 parts”."""
    return f"{n:,} {one if n == 1 else many or one + 's'}"
