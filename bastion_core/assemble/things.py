"""What the maker puts inside, in its place."""

from collections.abc import Mapping, Sequence

import numpy as np

from bastion_core.assemble.bodies import Assembly
from bastion_core.assemble.facts import Thing
from bastion_core.assemble.recipe import PutIn
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.arrays import three

Place = tuple[float, float, float]


def put_in(
    wanted: Sequence[PutIn], placed: Sequence[Thing], parts: Mapping[str, str], assembly: Assembly, scale: Sequence[float]
) -> tuple[Thing, ...]:
    """Things and wires with both their ends. ``parts`` gives the name of a part by its id, name or letter; ``placed`` is what has a place already.

    RecipeProblem where a part, or the other end of a wire, is not there.
    """
    there = {t.name: t.at_mm for t in placed}

    def at(put: PutIn, named: str) -> Place:
        if put.at_mm is not None and named == put.part:
            return three(np.array(put.at_mm) * np.array(scale), 1)
        if named in there:
            return there[named]
        if named not in parts:
            letters = ", ".join(b.letter for b in assembly.bodies if not b.rod)
            raise RecipeProblem(f"{put.name}: there is no part or thing “{named}”. There are the parts {letters}.", "put_in")
        return three(assembly.bodies[assembly.index[parts[named]]].mesh.bounds.mean(axis=0), 1)

    for put in wanted:
        if put.kind != "wire":
            there[put.name] = at(put, put.part)
    return tuple(
        Thing(put.name, "wire", at(put, put.part), put.size_mm, at(put, put.to)) if put.kind == "wire"
        else Thing(put.name, put.kind, there[put.name], put.size_mm)
        for put in wanted
    )  # fmt: skip
