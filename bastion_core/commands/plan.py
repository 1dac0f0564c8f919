"""``plan``: from a model file to printable parts and plan.json, by the same stations as the site."""

import argparse
import shutil
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from bastion_core.case import Case
from bastion_core.commands.options import parse_printer, sha256_of, there
from bastion_core.engine.graph import Graph
from bastion_core.engine.memo import Memo
from bastion_core.engine.recipe import Recipe, add_flags, from_flags
from bastion_core.engine.store import FolderStore
from bastion_core.errors import RecipeProblem
from bastion_core.fit.head import upright_guess
from bastion_core.measure.doubts import doubts
from bastion_core.measure.wearer import read_wearer
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.standing import SOLID, load_mesh
from bastion_core.plan import plan_record
from bastion_core.progress import Progress, silent, span
from bastion_core.shop import Printer, Shop
from bastion_core.stations import RECIPES, STATIONS
from bastion_core.takeaway import write_json

ORDINARY_PRINTER = Printer("ordinary", 220, 220, 250)


def add_command(commands: Any) -> None:
    """The parser of ``plan``: every decision of every station, and what is no decision."""
    plan = commands.add_parser("plan", help="from a model file to printable parts and plan.json")
    plan.add_argument("model", type=Path, help="STL, OBJ, PLY or 3MF")
    plan.add_argument("--out", type=Path, required=True, help="folder to write into")
    plan.add_argument("--wearer", type=Path, help="wearer file (JSON)")
    plan.add_argument("--printer", action="append", default=[], help="NAME:XxYxZ[:margin] in mm, once for each printer")
    add_flags(plan, RECIPES)
    plan.set_defaults(run=carry_out)


def carry_out(options: argparse.Namespace, progress: Progress = silent) -> None:
    """Carry out ``plan``; BastionError with a sentence when the input is unusable, then nothing is written."""
    printers = [parse_printer(p) for p in options.printer] or [ORDINARY_PRINTER]
    if len({p.name for p in printers}) < len(printers):
        raise RecipeProblem("Two printers have the same name. Give each its own.")
    decided: tuple[Recipe, ...] = tuple(from_flags(kind, options) for kind in RECIPES)
    wearer = read_wearer(options.wearer) if options.wearer else None
    out: Path = options.out
    if out.exists() and not out.is_dir():
        raise RecipeProblem(f"{out} is a file. Name a folder to write into.")
    sha256 = sha256_of(there(options.model))
    case = Case(options.model.name, sha256, decided, wearer, shop=Shop(tuple(enumerate(printers, 1))))
    warnings = list(doubts(wearer.measurements).values()) if wearer else []
    with tempfile.TemporaryDirectory(dir=_writable_parent(out), prefix=".bastion-") as made:
        store, memo = FolderStore(Path(made) / "computed", {sha256: options.model}), Memo()
        graph = Graph(STATIONS, case, store, memo)
        graph.carry_out(span(progress, 0, 0.2), ("pieces",))
        turned, why = stood_up(graph)
        graph = Graph(STATIONS, turned, store, memo)
        graph.carry_out(span(progress, 0.2, 0.95))
        progress(0.96, "writing")
        record = plan_record(graph, options.model.name, tuple(str(w) for w in (*warnings, *why)))
        printed = graph.ref("print")
        assert printed is not None
        folder = Path(made) / "out"
        shutil.copytree(store.folder(printed), folder)
        write_json(record, folder / "plan.json")
        out.mkdir(parents=True, exist_ok=True)
        shutil.copytree(folder, out, dirs_exist_ok=True)
    progress(1.0, "done")


def stood_up(graph: Graph) -> tuple[Case, tuple[str, ...]]:
    """The case with its helmet stood upright where the file lays it down, and what was done."""
    case: Case = graph.case
    pieces = case.of(PiecesRecipe)
    ref = graph.ref("pieces")
    assert ref is not None
    guess = upright_guess(load_mesh(graph.store.folder(ref) / SOLID)) if pieces.site == "head" else None
    if guess is None:
        return case, ()
    (x, y, z), why = guess
    stood = replace(pieces, turn_x=x, turn_y=y, turn_z=z)
    decided = tuple(stood if r is pieces else r for r in case.decided)
    return replace(case, decided=decided), (f"The model was stood upright: {why}.",)


def _writable_parent(out: Path) -> Path:
    """The nearest folder that exists at or above ``out``."""
    while not out.is_dir():
        out = out.parent if out.parent != out else Path(".")
    return out
