"""The surface of a helmet of half a million triangles: its regions and its plan, beside trimesh's own curvature on as many places."""

import time

import numpy as np
import trimesh

from bastion_core.finish.plan import planned
from bastion_core.finish.recipe import FinishRecipe
from bastion_core.finish.regions import regions_of
from bastion_core.finish.surface import PartPrinted, bends_of, skin_of
from bastion_core.geometry.place import laid
from bastion_core.print.supports import Holding
from demo.models import nautilus_helm


def finishing(detail: float = 1.67) -> dict[str, str]:
    """Rows of the bench."""
    mesh = nautilus_helm(detail)
    begin = time.perf_counter()
    skin = skin_of([PartPrinted("A", mesh, laid(mesh.vertices, np.array([0.0, 0.0, 1.0])), holding=Holding())])
    seen = time.perf_counter() - begin
    begin = time.perf_counter()
    regions = regions_of(skin)
    found = time.perf_counter() - begin
    begin = time.perf_counter()
    plan = planned(regions.regions, FinishRecipe())
    made = time.perf_counter() - begin
    begin = time.perf_counter()
    bends_of(skin.surface, skin.mesh)
    bent = time.perf_counter() - begin
    few = 2_000
    thing = trimesh.Trimesh(skin.mesh.vertices, skin.mesh.faces, process=False)
    begin = time.perf_counter()
    trimesh.curvature.discrete_mean_curvature_measure(thing, thing.triangles_center[:few], 3.0)
    theirs = (time.perf_counter() - begin) * len(skin.part) / few
    return {
        f"surface of a helmet of {len(mesh.faces) / 1e6:.1f} M triangles, its {len(regions.regions)} regions and {len(plan.steps)} steps": (
            f"{seen + found + made:.1f} s (wanted under 10 s): {seen:.1f} s what is on it, {found:.2f} s regions, {1000 * made:.0f} ms the plan"
        ),
        f"how it is bent about {len(skin.part):,} faces": f"{bent:.1f} s, {theirs / bent:.0f}× as fast as trimesh's curvature measure ({theirs:.0f} s)",
    }
