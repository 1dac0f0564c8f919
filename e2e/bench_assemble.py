"""The order of a helmet in twelve parts: with its inside painted, a board, a battery and a wire between them."""

import time

import numpy as np

from bastion_core.assemble.bodies import Assembly, Body, Contact
from bastion_core.assemble.facts import Facts, SeamFacts, Thing
from bastion_core.assemble.planned import Shape, assembled
from bastion_core.cut.parting import Cut, part_solid
from bastion_core.geometry.arrays import three
from bastion_core.geometry.solid import Solid
from bastion_core.join.glue import GlueRecord
from bastion_core.join.held import letters_of
from demo.models import nautilus_helm


def helmet(detail: float) -> Facts:
    """In as many parts as two level and two upright planes give."""
    solid = Solid.from_mesh(nautilus_helm(detail))
    middle = solid.bounds.mean(axis=0)
    planes = ((60, 2), (-45, 2), (0, 0), (0, 1))
    cuts = [Cut(f"c{k}", three(middle + up * np.eye(3)[axis]), three(np.eye(3)[axis])) for k, (up, axis) in enumerate(planes)]
    parting = part_solid(solid, cuts, (1.0, 1.0, 1.0), "helm")
    glue = GlueRecord("ca", "thick cyanoacrylate", 0.3, 0.1, 1.0, 0.75, 24.0, 4, 12.0, 10.0, "")
    seams = {s.id: SeamFacts(s.id, letters_of(s), "glue", s.area_mm2 / 100, float(s.face.length) / 10, glue=glue) for s in parting.seams}
    contacts = tuple(Contact(s.id, (s.above, s.below), s.surface.normal) for s in parting.seams)
    assembly = Assembly(tuple(Body(p.name, p.solid.mesh()) for p in parting.parts), contacts)
    at = middle + np.array([0.0, 70.0, 0.0])
    things = (
        Thing("board", "board", three(at), (66.0, 56.0, 24.0)),
        Thing("battery", "battery", three(middle + np.array([60.0, 0.0, 20.0])), (62.0, 36.0, 9.0)),
    )
    wire = Thing("wire", "wire", things[0].at_mm, (3.0, 3.0, 3.0), things[1].at_mm)
    return Facts(assembly, seams, things=(*things, wire), inside="paint")


def assembling(detail: float = 1.67) -> dict[str, str]:
    """Rows of the bench."""
    facts = helmet(detail)
    triangles = sum(len(b.mesh.faces) for b in facts.assembly.bodies) / 1e6
    begin = time.perf_counter()
    shape = Shape.of(facts)
    known = time.perf_counter() - begin
    begin = time.perf_counter()
    result, _, _ = assembled(facts, shape, {})
    ordered = time.perf_counter() - begin
    return {
        f"order of a helmet in {len(facts.assembly.bodies)} parts, {len(facts.seams)} seams, {triangles:.1f} M triangles": (
            f"{known + ordered:.1f} s (wanted under 5 s): {known:.1f} s who is in whose way and what is reached, {ordered:.1f} s "
            f"{result.steps} steps with their drawings"
        )
    }
