"""What goes into a hole, pocket or slot, at its true size.

Magnet discs and LEDs: common practice, no source; the maker's own sheet comes first. Screws, nuts and inserts: ``bastion_core.threads``.
"""

import re
from dataclasses import dataclass

from bastion_core.errors import RecipeProblem
from bastion_core.pieces.features import Feature
from bastion_core.threads import INSERT_FREE_MM, THREADS

SCREW_HOLE_MM = {t.name: t.clearance_hole_mm for t in THREADS.values()}
NUT_MM = {t.name: (t.nut_mm, t.nut_height_mm) for t in THREADS.values()}
INSERT_MM = {t.name: (t.insert_hole_mm, t.insert_mm + INSERT_FREE_MM) for t in THREADS.values()}
MAGNETS_MM = ((3, 1), (3, 2), (4, 2), (5, 2), (5, 3), (6, 2), (6, 3), (8, 2), (8, 3), (10, 2), (10, 3), (10, 5), (12, 3), (15, 3))
"""Diameter and thickness of discs that are sold; common practice, no source."""
LEDS_MM = (3.0, 5.0, 8.0, 10.0)
RODS_MM = (1.75, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0)
GLUE_MM = 0.2
"""Under a magnet; common practice, no source."""
_MAGNET, _ROD, _LED = (
    re.compile(f"{name}-(\\d+(?:\\.\\d+)?){more}") for name, more in (("magnet", r"x(\d+(?:\.\d+)?)"), ("rod", ""), ("led", ""))
)
PLUG, SLIDE = "plug", "slide"
_LIKELY_OVER_MM = (-0.35, 0.65)
"""How much narrower or wider than the thing itself its hole was drawn, at most; common practice, no source."""


@dataclass(frozen=True)
class Seat:
    """What is carved for something: round, hexagon or slot, so wide and so deep; a depth of None leaves it as deep as it is."""

    shape: str
    width_mm: float
    depth_mm: float | None
    label: str


def seat_of(use: str, clearance_mm: float) -> Seat:
    """The seat for a use, with a clearance per side where something loose has to go in; RecipeProblem where nobody knows the use."""
    head, _, size = use.partition("-")
    if found := _MAGNET.fullmatch(use):
        wide, thick = float(found[1]), float(found[2])
        if 1 <= wide <= 60 and 0.5 <= thick <= 40:
            return Seat("round", wide + 2 * clearance_mm, thick + GLUE_MM, f"magnet {wide:g} × {thick:g} mm")
    if (found := _ROD.fullmatch(use)) and 0.5 <= float(found[1]) <= 40:
        return Seat("round", float(found[1]) + 2 * clearance_mm, None, f"rod or pin {float(found[1]):g} mm")
    if (found := _LED.fullmatch(use)) and 1 <= float(found[1]) <= 30:
        return Seat("round", float(found[1]) + 2 * clearance_mm, None, f"{float(found[1]):g} mm LED")
    if head == "screw" and size in SCREW_HOLE_MM:
        return Seat("round", SCREW_HOLE_MM[size], None, f"{size} screw passes")
    if head == "insert" and size in INSERT_MM:
        return Seat("round", *INSERT_MM[size], f"{size} heat-set insert")
    if head == "nut" and size in NUT_MM:
        across, high = NUT_MM[size]
        return Seat("hexagon", across + 2 * clearance_mm, high + GLUE_MM, f"{size} nut")
    if use == SLIDE:
        return Seat("slot", 0.0, None, "slides")
    if use == PLUG:
        return Seat("plug", 0.0, None, "plugged flush")
    raise RecipeProblem(
        f"“{use}” is nothing that goes into a hole. Write one of magnet-6x3, screw-M3, insert-M3, nut-M3, rod-4, led-3, {SLIDE} or {PLUG}.",
        "features",
    )


def usual_uses() -> dict[str, str]:
    """Everything that usually goes into a hole, by its code, as a maker calls it."""
    codes = [f"magnet-{d}x{t}" for d, t in MAGNETS_MM]
    codes += [f"{what}-{size}" for what, sizes in (("screw", SCREW_HOLE_MM), ("insert", INSERT_MM), ("nut", NUT_MM)) for size in sizes]
    codes += [f"rod-{d:g}" for d in RODS_MM] + [f"led-{d:g}" for d in LEDS_MM]
    return {code: seat_of(code, 0.0).label for code in (*codes, SLIDE, PLUG)}


def likely_uses(feature: Feature) -> tuple[str, ...]:
    """What a feature was most likely made for, by its size at the file's own scale; the nearest first."""
    if feature.kind in ("peg", "tongue"):
        return ()
    if feature.kind == "slot":
        return (SLIDE, PLUG)
    known: list[tuple[float, str]] = []
    if feature.kind == "hexagon":
        known = [(_off(feature.width_mm - a) + _depth_off(feature, h), f"nut-{m}") for m, (a, h) in NUT_MM.items()]
    else:
        wide = feature.width_mm
        if not feature.through:
            known += [(_off(wide - d) + _depth_off(feature, t + GLUE_MM), f"magnet-{d}x{t}") for d, t in MAGNETS_MM]
            known += [(_off(wide - d, 0.0) + _depth_off(feature, deep) + 0.05, f"insert-{m}") for m, (d, deep) in INSERT_MM.items()]
        else:
            known += [(_off(wide - d, 0.0), f"screw-{m}") for m, d in SCREW_HOLE_MM.items()]
            known += [(_off(wide - d) + 0.06, f"led-{d:g}") for d in LEDS_MM]
        known += [(_off(wide - d) + 0.1, f"rod-{d:g}") for d in RODS_MM]
    return (*(use for _, use in sorted(k for k in known if k[0] < 1.0)[:4]), PLUG)


def _off(over_mm: float, usual_mm: float = 0.2) -> float:
    """How unlike a hole is that is so much wider than its thing; beyond what is likely, very."""
    low, high = _LIKELY_OVER_MM
    return abs(over_mm - usual_mm) if low <= over_mm <= high else 10.0


def _depth_off(feature: Feature, depth_mm: float) -> float:
    off = abs(feature.depth_mm - depth_mm)
    return 0.3 * off if off <= max(0.8, 0.4 * depth_mm) else 10.0
