"""``python -m bastion_core plan|measure|predict|body|fit …``: the core without a server or a database."""

import argparse
import re
import shutil
import sys
import tempfile
from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from pathlib import Path
from typing import NoReturn

import numpy as np

from bastion_core.ask import add_commands
from bastion_core.cut.printers import BED_MARGIN_MM, Printer
from bastion_core.errors import BastionError, RecipeProblem
from bastion_core.fit.head import upright_guess
from bastion_core.geometry.place import quarter_turns
from bastion_core.join.pins import PinRule, hardware, join
from bastion_core.measure.wearer import doubts, read_wearer
from bastion_core.pieces.intake import take_in
from bastion_core.plan import FitRecipe, cut_stage, fit_stage, joint_record, print_stage, scaled, upright
from bastion_core.printing.profile import MATERIALS, Profile
from bastion_core.printing.queue import Task, schedule
from bastion_core.progress import Progress, silent, span
from bastion_core.takeaway import part_name, plan_record, rows_of, write_json, write_part
from bastion_core.units import MM_PER_UNIT

_PRINTER = re.compile(r"^(?P<name>[^:]+):(?P<x>[\d.]+)[xX×](?P<y>[\d.]+)[xX×](?P<z>[\d.]+)(?::(?P<margin>[\d.]+))?$")
ORDINARY_PRINTER = Printer("ordinary", 220, 220, 250)


def parse_printer(text: str) -> Printer:
    """A printer from NAME:XxYxZ[:margin]; RecipeProblem when it cannot be read."""
    found = _PRINTER.match(text.strip())
    try:
        if found is None:
            raise ValueError
        x, y, z = (float(found[axis]) for axis in "xyz")
        margin = float(found["margin"]) if found["margin"] else BED_MARGIN_MM
    except ValueError:
        raise RecipeProblem(
            f"“{text}” is no printer. Write NAME:XxYxZ or NAME:XxYxZ:margin in millimetres, like shop:220x220x250:5."
        ) from None
    return Printer(found["name"], x, y, z, margin)


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise RecipeProblem(message)


def _arguments(argv: Sequence[str]) -> argparse.Namespace:
    parser = _Parser(prog="bastion", description="Computations on armor models, without a server.")
    commands = parser.add_subparsers(dest="command", required=True)
    plan = commands.add_parser("plan", help="from a model file to printable parts and plan.json")
    plan.add_argument("model", type=Path, help="STL, OBJ, PLY or 3MF")
    plan.add_argument("--out", type=Path, required=True, help="folder to write into")
    plan.add_argument("--site", choices=("head", "other"), default="other", help="where it is worn")
    plan.add_argument("--wearer", type=Path, help="wearer file (JSON)")
    plan.add_argument("--unit", choices=tuple(MM_PER_UNIT), help="the file's unit; guessed when not given")
    plan.add_argument("--scale", type=float, help="scale to use instead of the computed one")
    plan.add_argument("--printer", action="append", default=[], help="NAME:XxYxZ[:margin] in mm, once for each printer")
    plan.add_argument("--layer", type=float, default=0.2, help="layer height in mm")
    plan.add_argument("--walls", type=int, default=3)
    plan.add_argument("--infill", type=float, default=15.0, help="in percent")
    plan.add_argument("--material", choices=tuple(MATERIALS), default="pla")
    plan.set_defaults(run=_plan)
    add_commands(commands)
    return parser.parse_args(argv)


def _on_terminal() -> Progress:
    if not sys.stderr.isatty():
        return silent

    def show(fraction: float, what: str) -> None:
        print(f"\r{100 * fraction:3.0f} %  {what:<50.50}", end="", file=sys.stderr, flush=True)

    return show


def _plan(options: argparse.Namespace, progress: Progress = silent) -> None:
    """Carry out ``plan``; BastionError with a sentence when the input is unusable, then nothing is written."""
    printers = [parse_printer(p) for p in options.printer] or [ORDINARY_PRINTER]
    if len({p.name for p in printers}) < len(printers):
        raise RecipeProblem("Two printers have the same name. Give each its own.")
    profile = Profile(layer_mm=options.layer, walls=options.walls, infill=options.infill / 100, material=options.material)
    wearer = read_wearer(options.wearer) if options.wearer else None
    if options.out.exists() and not options.out.is_dir():
        raise RecipeProblem(f"{options.out} is a file. Name a folder to write into.")
    if not options.model.is_file():
        raise RecipeProblem(f"There is no file {options.model}. Give the path of an STL, OBJ, PLY or 3MF.")
    scale = (options.scale,) * 3 if options.scale is not None else None
    taken = take_in(options.model, options.site, options.unit, span(progress, 0, 0.2))
    warnings = [f"Unit guessed as {taken.unit}: {taken.unit_guess.reason}."] if not taken.unit_guess.sure else []
    if taken.health.overlaps_itself:
        warnings.append("The surface passes through itself: weights and hours may count some material twice.")
    warnings += list(doubts(wearer.measurements).values()) if wearer else []
    turns, standing = (0, 0, 0), taken.mesh
    if options.site == "head" and (guess := upright_guess(taken.mesh)):
        turns = guess[0]
        standing = taken.mesh.transformed(quarter_turns(*turns))
        warnings.append(f"The model was stood upright: {guess[1]}.")
    progress(0.22, "fitting")
    outcome = fit_stage(standing, FitRecipe(options.site, wearer, scale=scale, walls=profile.walls), taken.health.thinnest_wall_mm)
    warnings += outcome.warnings
    if outcome.verdict == "stops":
        warnings.append(f"It does not fit: {outcome.reason}")
    name = part_name(options.model.name)
    cutting = cut_stage(
        scaled(upright(taken.solid, turns), outcome.scale), printers, outcome.scale, name, options.site, None, span(progress, 0.25, 0.6)
    )
    warnings += cutting.parting.findings
    warnings += [f"{part} fits no printer." for part in cutting.misfits]
    joined = join(cutting.parting, PinRule(), span(progress, 0.6, 0.7))
    warnings += [*joined.warnings, *(f"{j.seam.above} to {j.seam.below}: {j.advice}" for j in joined.joints if j.advice)]
    laid = print_stage(joined, printers, profile, span(progress, 0.7, 0.95))
    tasks = [Task(p.name, {n: e.hours for n, e in p.estimates.items()}) for p in laid if p.estimates]
    taken_by = {slot.task: slot.printer for slot in schedule(tasks, datetime(2000, 1, 3, 8), factor=1.0)}
    progress(0.96, "writing")
    back = np.linalg.inv(quarter_turns(*turns))
    with tempfile.TemporaryDirectory(dir=_writable_parent(options.out), prefix=".bastion-") as made:
        folder = Path(made)
        records = []
        for part in laid:
            printer = taken_by.get(part.name)
            est = part.estimates[printer] if printer else None
            records.append(
                write_part(part.solid, folder, part.name)
                | {
                    "printer": printer,
                    "filament_g": round(est.filament_g, 2) if est else None,
                    "filament_m": round(est.filament_m, 3) if est else None,
                    "hours": round(est.hours, 3) if est else None,
                    "transform": rows_of(back @ np.linalg.inv(part.matrix)),
                }
            )
        model = {
            "file": options.model.name,
            "triangles": taken.health.triangles,
            "volume_mm3": round(taken.health.volume_mm3, 3),
            "watertight": taken.health.watertight_as_it_came,
            "mended": list(taken.health.mended),
            "unit": taken.unit,
        }
        fit = None
        if wearer is not None:
            fit = {k: v for k, v in asdict(outcome).items() if k not in ("head", "warnings", "scale")}
            fit |= {k: v for k, v in (outcome.head or {}).items() if k not in ("inside", "notes", "chosen_scale", "verdict", "reason")}
        write_json(
            plan_record(
                model,
                outcome.scale,
                fit,
                records,
                [joint_record(j) for j in joined.joints],
                [asdict(h) for h in hardware(joined.joints)],
                warnings,
            ),
            folder / "plan.json",
        )
        options.out.mkdir(parents=True, exist_ok=True)
        shutil.copytree(folder, options.out, dirs_exist_ok=True)
    progress(1.0, "done")


def _writable_parent(out: Path) -> Path:
    """The nearest folder that exists at or above ``out``."""
    while not out.is_dir():
        out = out.parent if out.parent != out else Path(".")
    return out


def main(argv: Sequence[str] | None = None) -> int:
    """Entry point; returns the exit code."""
    progress = _on_terminal()
    try:
        options = _arguments(sys.argv[1:] if argv is None else argv)
        options.run(options, progress)
    except BastionError as problem:
        print(f"bastion: {' '.join(str(problem).split())}", file=sys.stderr)
        return 2
    except OSError as problem:
        print(f"bastion: could not write or read {problem.filename or 'a file'}: {problem.strerror}.", file=sys.stderr)
        return 2
    if progress is not silent:
        print(file=sys.stderr)
    return 0


if __name__ == "__main__":
    sys.exit(main())
