"""What a step is called and what is to be minded at it, in plain words out of its figures."""

from collections.abc import Sequence

from bastion_core.assemble.bodies import members
from bastion_core.assemble.facts import Facts, SeamFacts
from bastion_core.assemble.table import CAUTIONS, FLAT_MM, HELD_BY_HAND_MIN, INSIDES, SANDED_HOW
from bastion_core.assemble.works import Done
from bastion_core.findings import Quantity, Said, cm2, counted, grams, mm, say
from bastion_core.join.table import GLUES


def letters(facts: Facts, bodies: int) -> str:
    """The letters of a set of parts: “A + C”; rods by their name."""
    return " + ".join(facts.assembly.bodies[k].letter for k in members(bodies))


def seam_words(seams: Sequence[SeamFacts]) -> str:
    """“seam A-B”, “seams A-B and A-C”."""
    names = [s.letters for s in seams]
    words = names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
    return f"{'seam' if len(names) == 1 else 'seams'} {words}"


def title_of(done: Done, facts: Facts) -> Said:
    """What a step is called."""
    on = letters(facts, done.new)
    match done.kind:
        case "dry":
            worn = " on the wearer" if facts.worn else ""
            count = len(facts.assembly.bodies)
            return say(f"Dry-fit {'it' if count == 1 else f'all {count} parts with tape'}{worn}")
        case "mock":
            return say("Mock up what goes inside, taped, and fit it again")
        case "insert":
            return say(f"Set the inserts of {on}")
        case "magnets":
            return say(f"Set the magnets of {seam_words(done.seams)}")
        case "sand":
            return say(f"Sand the faces of {seam_words(done.seams)} flat")
        case "fill":
            fill = next(f for f in facts.fills if facts.assembly.index[f.part] in members(done.new))
            return say(f"Fill {on} with {fill.name}, {{}}", grams(fill.grams))
        case "paint" | "line":
            table = INSIDES[facts.inside]
            return say(f"{'Line' if done.kind == 'line' else 'Paint'} the inside of {letters(facts, done.bodies)}: {table.name}")
        case "wire" | "place":
            assert done.thing is not None
            if done.kind == "wire":
                return say(f"{'Fish' if done.wire and done.wire.fished else 'Lay'} {done.thing.called}")
            return say(f"Put in {done.thing.called}, on {on}")
        case "visor":
            return say("Put in the visor")
        case "pads":
            return say("Stick in the padding")
        case "test":
            return say("Whole trial" + (" on the wearer" if facts.worn else ""))
    onto = letters(facts, done.bodies ^ done.new)
    verb = {"glue": "Glue", "screw": "Screw", "slide": "Slide", "rivet": "Rivet", "rod": "Push", "close": "Close"}[done.kind]
    return say(f"{verb} {on} {'into' if done.kind == 'rod' else 'to'} {onto}")


def how_of(done: Done, facts: Facts) -> tuple[Said, ...]:
    """What to mind at a step, in order."""
    said: list[Said] = []
    if done.kind == "sand":
        said.append(say(f"{SANDED_HOW}: about {{}} goes off each. Keep them bare of filler and paint.", mm(FLAT_MM, digits=2)))
    elif done.kind == "fill":
        fill = next(f for f in facts.fills if facts.assembly.index[f.part] in members(done.new))
        said.append(say("Through the hole in its face, {} litres; close it flush.", f"{fill.litres:.2f}"))
    elif done.kind in ("paint", "line"):
        said.append(say("{} of inside, {} ml.", cm2(done.area_mm2), f"{done.ml:.0f}"))
        if done.masks:
            said.append(say(f"Mask {counted(done.masks, 'place')}: faces that are glued yet, magnets, threads and slots stay bare."))
    elif done.kind == "magnets":
        said.append(say("Poles as the map says; close the seam with cling film between while the epoxy sets."))
    elif done.kind == "wire" and done.wire is not None:
        said += _wire(done)
    elif done.kind == "place" and done.thing is not None and done.thing.kind in ("board", "light"):
        said.append(say("Plug it in and try it before it is fixed."))
    elif done.kind == "test":
        how = "walk, bend, take it off quickly" if facts.worn else "switched on, handled as it will be"
        said.append(say(f"Only now, at full strength: {how}."))
    if done.closes:
        said += _closing(done)
    if done.portions > 1:
        said.append(say(f"Mix {done.portions} portions: one is used up within {done.sets_min:g} min."))
    return tuple(said)


def _wire(done: Done) -> list[Said]:
    wire = done.wire
    assert wire is not None
    length = mm(wire.length_mm)
    if not len(wire.path):
        return [say("There is no way for it, {} straight: cut a channel first, before anything is glued.", length)]
    if wire.fished:
        return [say("{} through what is closed already: draw a thread first.", length)]
    if wire.early:
        return [say("{}, its end through the opening before both come together.", length)]
    return [say("{} along the inside, taped down.", length)]


def _closing(done: Done) -> list[Said]:
    said: list[Said] = []
    glued = [s for s in done.seams if s.glue is not None and not s.opens]
    if glued:
        names = dict.fromkeys(s.glue.name for s in glued if s.glue)
        words = f"{' and '.join(names)}, {done.ml:.1f} ml"
        by_hand = all(s.glue and s.glue.sets_min <= HELD_BY_HAND_MIN for s in glued)
        tape = f"{counted(done.tapes, 'piece')} of tape, or tacks by the iron," if done.tapes else "left alone"
        hold = "held by hand" if by_hand else tape
        said.append(say(f"{words}; {hold} until it sets ({done.sets_min:g} min)."))
        if done.kind != "rod" and any(s.glue and s.glue.weld_cm for s in glued):
            cm = sum(s.glue.weld_cm for s in glued if s.glue)
            inside = "then melt a strip of filament into the inside" if done.weld else "no iron gets to the inside any more: glue alone"
            said.append(say(f"{inside.capitalize()}{f' ({cm:.0f} cm)' if done.weld else ''}."))
    for s in done.seams:
        if s.kind == "tape":
            said.append(say(f"{s.letters} stays unglued on purpose: tape holds it, so that it opens again."))
        elif s.kind == "magnet":
            said.append(say(f"{s.letters} is held by its magnets ({counted(s.fasteners, 'pair')}) and comes off."))
        elif s.own:
            said.append(say(f"{s.letters} is held by what the set came with."))
        elif s.kind in ("insert", "bolt", "wing"):
            said.append(say(f"{counted(s.fasteners, 'screw')} at {s.letters}, crosswise, by hand."))
        elif s.kind == "snap":
            said.append(say(f"{counted(s.fasteners, 'snap')} at {s.letters}: push until all have clicked."))
        elif s.kind == "pin" and s.fasteners:
            said.append(say(f"{counted(s.fasteners, 'pin')} at {s.letters}: into one side first."))
    return said


def caution_of(done: Done, facts: Facts) -> str:
    """What can hurt at a step."""
    if done.kind in ("glue", "rod", "slide"):
        texts = [s.glue.caution for s in done.seams if s.glue]
        if done.weld:
            texts.append(CAUTIONS["weld"])
        if done.kind == "rod":
            texts.append(CAUTIONS["rod"])
        return " ".join(dict.fromkeys(t for t in texts if t))
    if done.kind in ("paint", "line"):
        return INSIDES[facts.inside].caution
    if done.kind == "fill":
        return next(f.caution for f in facts.fills if facts.assembly.index[f.part] in members(done.new))
    if done.kind == "magnets":
        return f"{CAUTIONS['magnets']} {GLUES['epoxy'].caution}"
    if done.kind == "place" and done.thing is not None and done.thing.kind != "battery":
        return ""
    return CAUTIONS.get(done.kind, "")


def checks_of(done: Done, facts: Facts) -> tuple[Said, ...]:
    """What a trial looks at, with what it should be."""
    said: list[Said] = []
    worn = facts.worn
    if done.kind in ("dry", "test") and worn is not None:
        if worn.room_mm is not None:
            said.append(
                say(f"Room at its tightest place{f' ({worn.where})' if worn.where else ''}: {{}} reckoned.", mm(worn.room_mm, digits=1))
            )
        if worn.passes_mm is not None:
            said.append(say("On the way in: {} each side reckoned.", mm(worn.passes_mm, digits=1)))
        if done.kind == "dry":
            said.append(say("{} likely to fit.", Quantity((worn.chance,), "share")))
    if done.kind == "dry" and len(facts.assembly.bodies) > 1:
        said.append(
            say("No seam gapes by more than {}, nothing is forced: pins have {} a side.", mm(0.3, digits=1), mm(facts.gap_mm, digits=2))
        )
    if done.kind == "mock":
        said += [say(f"{t.name}: plug, cable and hand still have room.") for t in facts.things if t.kind != "wire"]
        said += [say(f"{t.name}: long enough with the piece open.") for t in facts.things if t.kind == "wire"]
    return tuple(said)
