"""Sizes and rules of what holds seams, each with its source."""

from dataclasses import dataclass
from typing import Literal

Kind = Literal["auto", "pin", "key", "dovetail", "lug", "insert", "bolt", "wing", "snap", "magnet", "glue"]
KINDS: dict[Kind, str] = {
    "auto": "what suits the wall",
    "pin": "loose pins",
    "key": "tongue and groove, or a stepped lip",
    "dovetail": "dovetail",
    "lug": "lugs inside, with pins",
    "insert": "lugs inside, screws in inserts",
    "bolt": "lugs inside, bolts and nuts",
    "wing": "lugs inside, screws and wing nuts",
    "snap": "snaps inside",
    "magnet": "magnets: it comes off",
    "glue": "glue alone",
}
"""How a seam may be held, by its code."""
INSIDE: tuple[Kind, ...] = ("lug", "insert", "bolt", "wing", "snap")
"""Those that stand into the inside of a shell and take room there."""
SCREWED: tuple[Kind, ...] = ("insert", "bolt", "wing")
"""Those that are held by a screw of some size."""


@dataclass(frozen=True)
class Glue:
    """A glue: for which plastics, what gap it fills, what it carries in shear when printed plastic is glued with it, and its times."""

    key: str
    name: str
    materials: tuple[str, ...]
    """The best first choice for these."""
    bonds: tuple[str, ...]
    most_gap_mm: float
    shear_mpa: float
    sets_min: float
    handle_h: float
    full_h: float
    caution: str


_RIGID = ("pla", "pla-sand", "petg", "abs", "asa")
GLUES: dict[str, Glue] = {
    g.key: g
    for g in (
        Glue("ca", "Cyanoacrylate, thick", ("pla", "pla-sand"), ("pla", "pla-sand", "abs", "asa"), 0.15, 4.0, 1, 0.75, 24,
             "Bonds skin at once, its fumes sting: gloves, fresh air, eyes kept clear."),
        Glue("epoxy", "Two-part epoxy", ("petg",), _RIGID, 1.0, 6.0, 30, 4, 24, "Uncured it sensitises skin: gloves, fresh air; dust of it is not breathed."),
        Glue("solvent", "Solvent cement for this plastic", ("abs", "asa"), ("abs", "asa"), 0.1, 10.0, 2, 1, 24,
             "Vapour burns and dulls: fresh air, no flame, fitted mask for organic vapour."),
        Glue("contact", "Contact adhesive, flexible", ("tpu",), ("tpu", *_RIGID), 0.5, 1.0, 15, 2, 24, "Solvent vapour: fresh air, no flame, fitted mask."),
    )
}  # fmt: skip
"""Common practice and makers' own sheets as remembered, no source: the product's own sheet rules. Strengths are of printed faces, not of the glue."""
SANDED_GAP_MM = 0.1
"""Between two faces sanded flat on a board; common practice, no source."""
WASTED = 1.5
"""So much more glue is taken than fills the gap; common practice, no source."""
KNOCK_G = 5.0
"""A glued part is knocked with so many times its weight; common practice, no source."""
ENOUGH = 3.0
"""Safety of a glued seam under that; common practice, no source."""
TAPE_EVERY_MM = 50.0
BEAD_MM2 = 3.0
"""Section of a strip of filament melted into a seam from inside; common practice, no source."""
