"""What is to be said of seams and loads, and what would mend it."""

from dataclasses import dataclass, replace
from typing import Any

from bastion_core.engine.keeping import plain
from bastion_core.findings import Finding, Note, Quantity, Remedy, Said, Verdict, mm, say
from bastion_core.join.ballast import WeightRecord
from bastion_core.join.glue import glue_for
from bastion_core.join.held import Held, letter_of
from bastion_core.join.loads import Printed
from bastion_core.join.long import LongFacts
from bastion_core.join.recipe import JoinRecipe
from bastion_core.join.rods import Carried, Rod
from bastion_core.join.table import SANDED_GAP_MM, SCREWED
from bastion_core.print.profile import Material, material
from bastion_core.print.recipe import PrintRecipe
from bastion_core.statics.poses import ENOUGH
from bastion_core.threads import THREADS


@dataclass(frozen=True)
class ToldSeam:
    """What is to be said of a seam."""

    id: str
    letters: str
    code: str
    """failed, presses, changed, glued or awry."""
    said: Said
    has_inside: bool
    at_mm: tuple[float, float, float]


def carried_as(recipe: JoinRecipe, printed: PrintRecipe) -> Carried:
    """How a long piece is handled, and what its seams are glued with."""
    plastic = printed.material
    glue = glue_for(recipe.glue, plastic, 1.0, SANDED_GAP_MM, 0.0)
    return Carried(recipe.swing_g, recipe.grip_mm, printed_as(printed, False), plastic, glue.shear_mpa, recipe.rods)


def printed_as(recipe: PrintRecipe, worn: bool) -> Printed:
    """How the parts of a piece are printed, as far as their weight goes."""
    profile = recipe.profile()
    return Printed(material(profile.material).density_g_cm3, profile.walls * profile.line_width_mm, profile.infill, worn)


def held_otherwise(recipe: JoinRecipe, told: ToldSeam, held: Held) -> dict[str, Any]:
    """The change that holds one seam otherwise."""
    kept = [plain(h) for h in recipe.joints if h.seam not in (told.id, told.letters)]
    return {"joints": [*kept, plain(held)]}


def smaller_screw(recipe: JoinRecipe, told: ToldSeam) -> Held | None:
    """The same with the next smaller screw; None where there is none."""
    named = [h for h in recipe.joints if h.seam in (told.id, told.letters)] or [h for h in recipe.joints if not h.seam]
    names = list(THREADS)
    at = names.index(named[0].thread) if named and named[0].kind in SCREWED else 0
    return replace(named[0], seam=told.id, thread=names[at - 1], at_mm=None) if at else None


def firmer(recipe: JoinRecipe, told: ToldSeam) -> list[Remedy]:
    """What would keep a part on that does not stay on its magnets: a stronger grade, or lugs with screws in their stead."""
    named = [h for h in recipe.joints if h.seam in (told.id, told.letters)] or [h for h in recipe.joints if not h.seam]
    own = replace(named[0], seam=told.id) if named else Held(told.id, "magnet")
    remedies = []
    if told.code == "weak" and not own.magnet:
        remedies.append(Remedy(say("Discs of 10 × 5 mm, N52"), held_otherwise(recipe, told, replace(own, magnet="10x5:N52", at_mm=None))))
    remedies.append(Remedy(say("Screws in lugs inside"), held_otherwise(recipe, told, Held(told.id, "insert"))))
    return remedies


def _capital(name: str) -> str:
    return name[0].upper() + name[1:]


def breaks(recipe: JoinRecipe, long: LongFacts) -> list[Finding | Note]:
    """Where what is held in the hand breaks when it is swung, and which rods would hold it."""
    said: list[Finding | Note] = [Finding("rod", Verdict.TIGHT, words, long.place_mm) for words in long.said]
    if long.safety >= ENOUGH:
        return said
    where = f"at seam {long.seam.replace('-', ' to ')}" if long.seam else "in the print"
    words = f"Swung with {{}} g it {'breaks' if long.safety < 1 else 'is weakest'} {where}, {{}} from its low end: safety {{}}, and {{}} is wanted."
    sentence = say(
        words, Quantity((long.swing_g,), "count", 1), mm(long.at_mm), Quantity((long.safety,), "count", 1), Quantity((ENOUGH,), "count", 1)
    )
    remedies = list[Remedy]()
    for offer in long.offers[:2]:
        sentence = say(
            "{} {}, {} long: {}.", sentence, _capital(offer.name), mm(offer.high_mm - offer.low_mm), Quantity((offer.safety,), "count", 1)
        )
        kept = [plain(r) for r in recipe.rods[1:]]
        remedies.append(Remedy(say("{}", _capital(offer.name)), {"rods": [plain(Rod("long", offer.stock)), *kept]}))
    if not long.offers:
        sentence = say("{} No rod in the table would do: swing it less, part it elsewhere, or make it lighter at its ends.", sentence)
    said.append(Finding("breaks", Verdict.STOPS if long.safety < 1 else Verdict.TIGHT, sentence, long.place_mm, tuple(remedies)))
    return said


def heavy(weight: WeightRecord, plastic: Material) -> list[Finding | Note]:
    """What does not hold its ballast, and what a piece may not be lifted by."""
    said: list[Finding | Note] = [Finding("ballast", Verdict.TIGHT, words) for words in weight.said]
    for fill in weight.ballast:
        letter = letter_of(fill.part)
        if fill.safety < ENOUGH:
            words = "{}: wet, the {} presses its wall with {} times what it bears. Fill it in layers, each after the last has set, or leave a thicker wall."
            said.append(
                Finding("ballast-wall", Verdict.TIGHT, say(words, letter, fill.name, Quantity((1 / fill.safety,), "count", 1)), fill.at_mm)
            )
        if fill.warms_deg_c > plastic.softens_deg_c - 10:
            words = "{}: {} warms to about {} °C as it sets, and {} softens at {} °C: pour it in thin layers and let each cool."
            said.append(
                Note("ballast-warm", say(words, letter, fill.name, f"{fill.warms_deg_c:g}", plastic.name, f"{plastic.softens_deg_c:g}"))
            )
    weak = [lift for lift in weight.lifts if lift.safety < ENOUGH]
    if weak:
        first = weak[0]
        by = " or ".join(letter_of(name) for name in first.by[:3])
        words = (
            "Do not lift it by {}: the magnets of {} let go with {} hanging {} off them, safety {}. Lift it by what stays."
            if first.magnets
            else "Do not lift it by {}: the glue of {} tears with {} hanging {} off it, safety {}. A rod through that seam would carry it."
        )
        seam = first.seam.replace("-", " to ")
        told = say(words, by, seam, Quantity((first.hangs_g,), "g", 0), mm(first.lever_mm), Quantity((first.safety,), "count", 1))
        said.append(Finding("lift", Verdict.TIGHT, told))
    return said
