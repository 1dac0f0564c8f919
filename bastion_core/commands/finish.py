"""``finish``: from a model, printed as it lies, to its regions and the plan that makes it smooth, as finish.json."""

import argparse
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from bastion_core.assemble.order import Bench
from bastion_core.commands.options import no_file, there
from bastion_core.engine.recipe import add_flags, from_flags
from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.finish.plan import Worker, planned
from bastion_core.finish.recipe import FinishRecipe
from bastion_core.finish.records import finish_record
from bastion_core.finish.regions import regions_of
from bastion_core.finish.surface import PartPrinted, skin_of
from bastion_core.formats.reading import FileMesh, read_mesh
from bastion_core.geometry.facets import edges_of, welded
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import laid, scaling
from bastion_core.pieces.intake import unit_of
from bastion_core.print.profile import MATERIALS, Profile
from bastion_core.progress import Progress, silent
from bastion_core.takeaway import write_json
from bastion_core.units import MM_PER_UNIT


def add_command(commands: Any) -> None:
    """The parser of ``finish``."""
    made = commands.add_parser("finish", help="the surface of a model as it was printed, and how it becomes smooth: finish.json")
    made.add_argument("model", type=Path, metavar="MODEL", help="STL, OBJ, PLY or 3MF: closed, printed whole")
    made.add_argument("--out", type=Path, required=True, help="folder to write into")
    made.add_argument("--unit", choices=tuple(MM_PER_UNIT), help="the file's unit; found when not given")
    made.add_argument("--scale", type=float, default=1.0, metavar="S")
    made.add_argument("--layer", type=float, default=0.2, metavar="MM", help="layer height in mm")
    made.add_argument("--up", default="0,0,1", metavar="X,Y,Z", help="which way of the file was up in the printer")
    made.add_argument("--material", default="pla", choices=tuple(MATERIALS))
    made.add_argument("--bench", type=float, default=3.0, metavar="HOURS", help="at the bench a day")
    made.add_argument("--hand", action="store_true", help="without a sander")
    add_flags(made, (FinishRecipe,))
    made.set_defaults(run=carry_out)


def carry_out(options: argparse.Namespace, progress: Progress = silent) -> None:
    """Carry out ``finish``; BastionError with a sentence where nothing can be told, then nothing is written."""
    recipe = from_flags(FinishRecipe, options)
    if options.hand:
        recipe = replace(recipe, power=False)
    if not 0.001 <= options.scale <= 1000:
        raise RecipeProblem("--scale: 0.001 to 1000 is possible.")
    profile = Profile(options.layer, material=options.material)
    bench, up = Bench(options.bench), _up(options.up)
    out = no_file(options.out, "--out")
    progress(0.05, "reading")
    mesh = in_mm(read_mesh(there(options.model)), options.unit, options.scale)
    progress(0.2, "looking at the surface")
    part = PartPrinted(options.model.stem, mesh, laid(mesh.vertices, up), profile.layer_mm, profile.material, holding=profile.holding())
    try:
        skin = skin_of([part])
    except MeshProblem as problem:
        raise _torn(mesh, options.model.name) from problem
    progress(0.8, "planning")
    regions = regions_of(skin, recipe.own_regions, recipe.merged, recipe.splits, (options.scale,) * 3)
    if regions.missed:
        raise RecipeProblem(
            f"--region: {', '.join(regions.missed)} lies on nothing: no surface is within 12 mm. Give a place on the model, in mm at scale 1."
        )
    plan = planned(regions.regions, recipe, Worker(bench=bench))
    if plan.fails:
        f = plan.fails[0]
        raise RecipeProblem(f"{f.upper.capitalize()} on {f.lower} ({f.region}): {f.happens}. Choose another --school or --primer.")
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=out, prefix=".bastion-") as made:
        write_json(finish_record(skin, regions, plan), Path(made) / "finish.json")
        (Path(made) / "finish.json").replace(out / "finish.json")
    progress(1.0, "done")


def _up(text: str) -> Floats:
    try:
        up = np.array([float(v) for v in text.split(",")])
    except ValueError:
        up = np.zeros(0)
    if up.shape != (3,) or not np.isfinite(up).all() or np.linalg.norm(up) < 1e-9:
        raise RecipeProblem(f"--up: “{text}” is no direction. Write three numbers, like 0,0,1.")
    return np.asarray(up / np.linalg.norm(up))


def in_mm(found: FileMesh, unit: str | None, scale: float) -> Mesh:
    """The mesh of a file in mm, its outside out."""
    per = scale * unit_of(found, float(found.mesh.size.max()), "other", unit)[1]
    # Text files give every triangle corners of its own: equal ones are one.
    loose = len(found.mesh.vertices) > found.mesh.triangle_count
    corners, faces = welded(found.mesh) if loose else (found.mesh.vertices, found.mesh.faces)
    # What has two corners in one place has no area, and would pass for a tear.
    faces = faces[(faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])]
    mesh = Mesh(corners, faces).transformed(scaling(per, per, per))
    return mesh if mesh.volume > 0 else Mesh(mesh.vertices, np.ascontiguousarray(mesh.faces[:, ::-1]))


def _torn(mesh: Mesh, name: str) -> MeshProblem:
    """What to say of a surface that is not closed."""
    torn = int((edges_of(welded(mesh)[1])[3] != 2).sum())
    return MeshProblem(
        f"{name} is not closed: {torn:,} of its edges are open, or shared by more than two faces. Mend it first: ./bastion plan writes mended parts."
    )
