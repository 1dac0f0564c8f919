"""``assemble``: from a plan.json and the parts beside it to the order in which they come together, as JSON."""

import argparse
import json
from collections.abc import Mapping, Sequence
from dataclasses import fields, replace
from pathlib import Path
from typing import Any

import numpy as np

from bastion_core.assemble.bodies import MOST_BODIES, Assembly, Body, Contact
from bastion_core.assemble.facts import Facts, Fill, SeamFacts, Thing, glue_from, seam_facts
from bastion_core.assemble.meeting import meetings, rod_in_parts
from bastion_core.assemble.planned import Shape, assembled
from bastion_core.assemble.recipe import AssembleRecipe
from bastion_core.assemble.records import order_record
from bastion_core.assemble.things import put_in
from bastion_core.commands.options import there
from bastion_core.engine.keeping import whole
from bastion_core.engine.recipe import add_flags, from_flags
from bastion_core.errors import FileProblem, RecipeProblem
from bastion_core.formats.reading import read_mesh
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.join.held import letter_of
from bastion_core.progress import Progress, silent
from bastion_core.statics.stock import stock_of

SCHEMA = 1


def add_command(commands: Any) -> None:
    """The parser of ``assemble``."""
    parser = commands.add_parser("assemble", help="the order in which the parts of a plan.json come together, as JSON")
    parser.add_argument("plan", type=Path, metavar="PLAN", help="plan.json; its parts lie beside it as it says")
    parser.add_argument("--out", type=Path, help="file to write instead of printing")
    add_flags(parser, (AssembleRecipe,))
    parser.set_defaults(run=carry_out)


def carry_out(options: argparse.Namespace, progress: Progress = silent) -> None:
    """Carry out ``assemble``; BastionError with a sentence when the plan is unusable or its order cannot be."""
    plan = _read(there(options.plan))
    decided = _over(plan, from_flags(AssembleRecipe, options))
    facts = facts_from(plan, options.plan.parent, decided)
    result, data, _ = assembled(facts, Shape.of(facts, progress), {}, decided.fixed, decided.bench_h, progress, decided.rim_mm)
    if result.impossible:
        raise RecipeProblem(result.impossible)
    if result.unknown:
        keys = ", ".join(f"“{s.key}”" for s in data.steps)
        raise RecipeProblem(f"--first: there is no step {', '.join(result.unknown)}. There are: {keys}.", "fixed")
    text = json.dumps({"schema": SCHEMA, **order_record(result, data)}, indent=1, ensure_ascii=False)
    if options.out:
        options.out.write_text(text + "\n", "utf-8")
    else:
        print(text)
    if result.locked:
        lock = result.locked[0]
        raise RecipeProblem(
            f"{lock.moves} goes onto the rest no straight way: {lock.by} is in front of it, {lock.travel_mm:g} mm from its place."
        )


def _over(plan: Mapping[str, Any], typed: AssembleRecipe) -> AssembleRecipe:
    """What the plan's maker decided, with what was typed over it."""
    assembly = plan.get("assembly")
    kept = whole(AssembleRecipe, assembly.get("decided", {})) if isinstance(assembly, dict) else AssembleRecipe()
    usual = AssembleRecipe()
    names = [f.name for f in fields(AssembleRecipe) if getattr(typed, f.name) != getattr(usual, f.name)]
    return replace(kept, **{name: getattr(typed, name) for name in names})


def _read(path: Path) -> dict[str, Any]:
    try:
        plan = json.loads(path.read_text("utf-8"))
    except ValueError as problem:
        raise FileProblem(f"{path.name} is no JSON ({problem}). Take the plan.json that ./bastion plan wrote.") from problem
    if not isinstance(plan, dict) or not isinstance(plan.get("parts"), list) or not plan["parts"]:
        raise FileProblem(f"{path.name} names no parts. Take the plan.json that ./bastion plan wrote.")
    return plan


def facts_from(plan: Mapping[str, Any], folder: Path, decided: AssembleRecipe) -> Facts:
    """All that a plan says of its parts, in the upright piece; RecipeProblem or FileProblem naming what is missing."""
    try:
        return _facts(plan, folder, decided)
    except (KeyError, TypeError, ValueError, AttributeError) as problem:
        raise RecipeProblem(f"The plan cannot be read: {problem!r} is missing or no value for it. Take the plan.json that ./bastion plan wrote.") from problem  # fmt: skip


def _facts(plan: Mapping[str, Any], folder: Path, decided: AssembleRecipe) -> Facts:
    home: Floats = np.asarray(np.linalg.inv(_matrix(plan.get("upright"))), dtype=np.float64)
    if len(plan["parts"]) > MOST_BODIES:
        raise RecipeProblem(f"The plan has {len(plan['parts'])} parts: the order is looked for up to {MOST_BODIES}.")
    bodies = [_body(part, folder, home) for part in plan["parts"]]
    if len({b.name for b in bodies}) < len(bodies):
        raise RecipeProblem("Two parts of the plan have the same name. Give each its own.")
    names = {b.name for b in bodies}
    contacts, seams = list[Contact](), dict[str, SeamFacts]()
    for seam in meetings(bodies) if plan.get("seams") is None else plan["seams"]:
        one, other = seam["parts"]
        if not {one, other} <= names:
            raise RecipeProblem(f"The seam {seam['id']} joins {one} and {other}: one of them is no part of the plan.")
        joints, closing = seam.get("joints", []), seam.get("closing")
        told = SeamFacts(
            seam["id"], str(seam.get("letters") or f"{letter_of(one)}-{letter_of(other)}"), str(seam.get("kind", "glue")),
            float(seam.get("area_mm2", 0.0)) / 100, float(seam.get("rim_mm", 0.0)) / 10, own=bool(seam.get("own")),
            glue=glue_from(seam["glue"]) if seam.get("glue") else None,
        )  # fmt: skip
        facts = seam_facts(
            told, str(seam.get("code", "")), [j.get("kind") for j in joints], closing["pairs"] if closing else None, decided.unglued
        )
        gives = tuple(three(j["position_mm"]) for j in joints if j.get("kind") == "snap")
        contacts.append(Contact(facts.id, (one, other), three(seam.get("axis") or _between(bodies, one, other), 6), facts.kind, gives))
        seams[facts.id] = facts
    for number, rod in enumerate(plan.get("rods", ()), 1):
        ends = np.array(rod["ends_mm"], dtype=np.float64)
        body, found = rod_in_parts(ends, stock_of(rod["stock"]), number, bodies)
        bodies.append(body)
        for contact, held in found:
            contacts.append(contact)
            seams[contact.id] = held
    assembly = Assembly(tuple(bodies), tuple(contacts))
    places = {k: b.name for b in bodies for k in (b.name, b.letter)} | {str(p.get("id", p["name"])): p["name"] for p in plan["parts"]}
    placed = tuple(whole(Thing, thing) for thing in plan.get("inside", ()))
    things = (*placed, *put_in(decided.put_in, placed, places, assembly, plan.get("scale", (1.0, 1.0, 1.0))))
    weight = plan.get("weight") or {}
    fills = tuple(whole(Fill, ballast) for ballast in weight.get("ballast", ()))
    hours = {p["name"]: float(p.get("hours") or 0.0) for p in plan["parts"]}
    return Facts(assembly, seams, str(plan.get("material", "pla")), things, fills, hours, visor=decided.visor, inside=decided.inside)


def _matrix(rows: Any) -> Floats:
    matrix = np.eye(4) if rows is None else np.array(rows, dtype=np.float64)
    if matrix.shape != (4, 4) or not np.isfinite(matrix).all():
        raise RecipeProblem("A transform of the plan is no 4 × 4 matrix of numbers.")
    return matrix


def _body(part: Mapping[str, Any], folder: Path, home: Floats) -> Body:
    path = folder / (part.get("file_stl") or part["file_3mf"])
    if not path.is_file():
        raise FileProblem(f"{path} is not there: the parts have to lie beside the plan, as ./bastion plan wrote them.")
    return Body(part["name"], read_mesh(path).mesh.transformed(home @ _matrix(part.get("transform"))))


def _between(bodies: Sequence[Body], one: str, other: str) -> tuple[float, float, float]:
    """For a seam that says nothing of its axis: the axis along which both parts' middles are furthest apart."""
    by = {b.name: b.mesh.bounds.mean(axis=0) for b in bodies}
    apart = by[one] - by[other]
    axis = np.zeros(3)
    k = int(np.argmax(np.abs(apart)))
    axis[k] = np.sign(apart[k]) or 1.0
    return three(axis)
