"""What glue a seam takes: which, how much, how long it is left alone, and how else it is held meanwhile."""

from dataclasses import dataclass
from math import pi

from bastion_core.errors import RecipeProblem
from bastion_core.join.fasteners.key import Key
from bastion_core.join.joining import Joint
from bastion_core.join.table import BEAD_MM2, ENOUGH, GLUES, KNOCK_G, SANDED_GAP_MM, SCREWED, TAPE_EVERY_MM, WASTED, Glue
from bastion_core.print.profile import FILAMENT_DIAMETER_MM, material

_G_M_S2 = 9.81
_PRINTED = 0.4
"""Of a solid part's weight, about, with walls and thin infill; common practice, no source."""


@dataclass(frozen=True)
class GlueNeeds:
    """What rules the glue of a seam: its face, its rim, how much of that is inside, the flanks of its keys, the volume of the lighter side."""

    area_mm2: float
    rim_mm: float
    inside_mm: float
    flanks_mm2: float
    flank_gap_mm: float
    lighter_mm3: float
    screwed: bool = False
    """Held by screws, snaps or magnets: it comes apart, and is not glued."""


@dataclass(frozen=True)
class GlueRecord:
    """The glue of one seam."""

    key: str
    name: str
    ml: float
    gap_mm: float
    sets_min: float
    handle_h: float
    full_h: float
    tapes: int
    """Pieces of tape, or tacks by an iron, that hold it meanwhile."""
    weld_cm: float
    """Filament for a strip melted into the inside of the seam."""
    safety: float
    """Of the glued faces, against the lighter side knocked by several times its weight."""
    caution: str
    suits: bool = True
    """Whether it bonds the material and fills the gap."""
    wanted: float = ENOUGH
    """The safety under which the glued faces alone are too few."""


def glue_needs(joint: Joint, lighter_mm3: float) -> GlueNeeds:
    """What a joint asks of its glue. ``lighter_mm3`` is the volume of the lighter of the subassemblies it joins."""
    keys = [f for f in joint.fasteners if isinstance(f, Key)]
    # A tongue is glued on both its flanks, a lip on the one that it shows to the other part.
    flanks = sum(k.length_mm * k.height_mm * (1 if k.what == "lip" else 2) for k in keys)
    return GlueNeeds(
        round(joint.seam.area_mm2, 1), round(float(joint.seam.face.length), 1), round(joint.inside_mm, 1), round(flanks, 1),
        keys[0].clearance_mm if keys else 0.0, round(lighter_mm3, 1), joint.kind in (*SCREWED, "snap", "magnet") or joint.code == "moves",
    )  # fmt: skip


def glue_for(wanted: str, plastic: str, area_mm2: float, gap_mm: float, load_n: float) -> Glue:
    """The glue that was chosen, or the table's first choice for a plastic that fills the gap and carries the load."""
    if wanted != "auto":
        if wanted not in GLUES:
            raise RecipeProblem(f"“{wanted}” is no glue known here. There are: {', '.join(GLUES)}.", "glue")
        return GLUES[wanted]
    fitting = [g for g in GLUES.values() if plastic in g.bonds and g.most_gap_mm >= gap_mm]
    first = [g for g in fitting if plastic in g.materials]
    strong = [g for g in (*first, *fitting) if area_mm2 * g.shear_mpa >= ENOUGH * load_n]
    return (strong or first or fitting or [GLUES["epoxy"]])[0]


def glued(wanted: str, plastic: str, needs: GlueNeeds) -> GlueRecord | None:
    """What a seam takes; None where it is not glued."""
    if needs.screwed:
        return None
    mass_kg = needs.lighter_mm3 * 1e-6 * material(plastic).density_g_cm3 * _PRINTED
    load = mass_kg * _G_M_S2 * KNOCK_G
    gap = max(SANDED_GAP_MM, needs.flank_gap_mm)
    glue = glue_for(wanted, plastic, needs.area_mm2, gap, load)
    ml = WASTED * (needs.area_mm2 * SANDED_GAP_MM + needs.flanks_mm2 * needs.flank_gap_mm) / 1000
    strand = pi * FILAMENT_DIAMETER_MM**2 / 4
    return GlueRecord(
        glue.key, glue.name, round(ml, 2), gap, glue.sets_min, glue.handle_h, glue.full_h, max(2, round(needs.rim_mm / TAPE_EVERY_MM)),
        round(needs.inside_mm / 10 * BEAD_MM2 / strand, 1), round(min(needs.area_mm2 * glue.shear_mpa / load, 999.0), 1) if load else 999.0,
        glue.caution, plastic in glue.bonds and glue.most_gap_mm >= gap,
    )  # fmt: skip
