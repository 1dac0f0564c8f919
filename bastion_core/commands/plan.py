"""``plan``: from a model file, or several, to printable parts and plan.json, by the same stations as the site."""

import argparse
import shutil
import tempfile
from dataclasses import replace
from itertools import takewhile
from pathlib import Path
from typing import Any

from bastion_core import __version__
from bastion_core.case import BuildCase, Case, PrintedPiece
from bastion_core.commands.options import no_file, parse_printer, parse_resin_printer, sha256_of, there
from bastion_core.engine.graph import Graph
from bastion_core.engine.memo import Memo
from bastion_core.engine.recipe import Recipe, add_flags, from_flags
from bastion_core.engine.store import FolderStore
from bastion_core.errors import RecipeProblem
from bastion_core.fit.head import upright_guess
from bastion_core.measure.doubts import doubts
from bastion_core.measure.wearer import read_wearer
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.sets import SetFile
from bastion_core.pieces.standing import SOLID, load_mesh
from bastion_core.pieces.station import PiecesResult
from bastion_core.plan import plan_record
from bastion_core.plates.files import file_name, plate_record, write_plate
from bastion_core.plates.station import PlatesData, PlatesStation
from bastion_core.print.recipe import PrintRecipe
from bastion_core.progress import Progress, silent, span
from bastion_core.shop import Printer, Shop
from bastion_core.stations import BUILD_RECIPES, RECIPES, STATIONS
from bastion_core.takeaway import write_json

ORDINARY_PRINTER = Printer("ordinary", 220, 220, 250)


def add_command(commands: Any) -> None:
    """The parser of ``plan``: every decision of every station, and what is no decision."""
    plan = commands.add_parser("plan", help="from a model file to printable parts and plan.json")
    plan.add_argument(
        "model", type=Path, nargs="+", metavar="MODEL", help="STL, OBJ, PLY or 3MF; several are taken as the files of one set"
    )
    plan.add_argument("--out", type=Path, required=True, help="folder to write into")
    plan.add_argument("--wearer", type=Path, help="wearer file (JSON)")
    plan.add_argument("--printer", action="append", default=[], help="NAME:XxYxZ[:margin[:speed[:accel]]] in mm, once for each printer")
    plan.add_argument(
        "--bed-moves", action="append", default=None, metavar="NAME", help="a printer whose bed moves; once for each, all of them where none is named"
    )  # fmt: skip
    plan.add_argument(
        "--resin-printer",
        action="append",
        default=[],
        help="NAME:XxYxZ[:layer[:exposure]] in mm and s, once for each: told where it would win",
    )
    add_flags(plan, RECIPES)
    plan.add_argument(
        "--comes-off", dest="joints", action="append", type=lambda seam: f"{seam}=magnet", metavar="SEAM",
        help="a seam at which something comes off: magnets by what hangs there; once for each",
    )  # fmt: skip
    plan.add_argument(
        "--keep", type=Path, metavar="DIR", help="folder for what is computed on the way: the next plan takes over what comes out the same"
    )
    plan.add_argument("--plates", action="store_true", help="lay the parts on plates too, a 3MF each: all of one printer's beds")
    plan.set_defaults(run=carry_out)


def carry_out(options: argparse.Namespace, progress: Progress = silent) -> None:
    """Carry out ``plan``; BastionError with a sentence when the input is unusable, then nothing is written."""
    printers = [parse_printer(p) for p in options.printer] or [ORDINARY_PRINTER]
    if options.bed_moves is not None:
        unknown = set(options.bed_moves) - {p.name for p in printers}
        if unknown:
            raise RecipeProblem(f"--bed-moves: there is no printer {', '.join(sorted(unknown))}. Name one given with --printer.")
        printers = [replace(p, bed_moves=p.name in options.bed_moves) for p in printers]
    printers += [parse_resin_printer(p) for p in options.resin_printer]
    if len({p.name for p in printers}) < len(printers):
        raise RecipeProblem("Two printers have the same name. Give each its own.")
    decided: tuple[Recipe, ...] = tuple(from_flags(kind, options) for kind in RECIPES)
    wearer = read_wearer(options.wearer) if options.wearer else None
    out = no_file(options.out, "--out")
    kept = no_file(options.keep, "--keep") / __version__ if options.keep else None
    models: dict[str, Path] = {}
    files = []
    for path in options.model:
        sha256 = sha256_of(there(path))
        models[sha256] = path
        files.append(SetFile(sha256, path.stem))
    if len(files) > 1:
        decided = tuple(replace(r, files=tuple(files)) if isinstance(r, PiecesRecipe) else r for r in decided)
    name = options.model[0].name if len(files) == 1 else _common_name([f.name for f in files])
    case = Case(name, files[0].sha256, decided, wearer, shop=Shop(tuple(enumerate(printers, 1))))
    warnings = list(doubts(wearer.measurements).values()) if wearer else []
    with tempfile.TemporaryDirectory(dir=_writable_parent(out), prefix=".bastion-") as made:
        # Another version may know other results: each keeps its own.
        store, memo = FolderStore(kept or Path(made) / "computed", models), Memo()
        graph = Graph(STATIONS, case, store, memo)
        graph.carry_out(span(progress, 0, 0.15), ("pieces",))
        graph, placed = together(graph, span(progress, 0.15, 0.2))
        turned, why = stood_up(graph)
        graph = Graph(STATIONS, turned, store, memo)
        graph.carry_out(span(progress, 0.2, 0.95))
        progress(0.96, "writing")
        record = plan_record(graph, name, tuple(str(w) for w in (*warnings, *placed, *why)))
        printed = graph.ref("print")
        assert printed is not None
        folder = Path(made) / "out"
        shutil.copytree(store.folder(printed), folder)
        if options.plates:
            record["plates"] = plates_written(graph, folder)
        write_json(record, folder / "plan.json")
        out.mkdir(parents=True, exist_ok=True)
        shutil.copytree(folder, out, dirs_exist_ok=True)
    progress(1.0, "done")


def plates_written(graph: Graph, folder: Path) -> list[dict[str, Any]]:
    """Lay a piece's parts on plates, write a 3MF of each into ``folder``/plates, and tell what they are."""
    case: Case = graph.case
    printed, ref = case.of(PrintRecipe), graph.ref("print")
    assert ref is not None
    piece = PrintedPiece(1, case.name, ref, printed.material, printed.colour, printed.layer_mm)
    build = BuildCase(decided=tuple(kind() for kind in BUILD_RECIPES), printed=(piece,), shop=case.shop)
    made = Graph((PlatesStation(),), build, graph.store, graph.memo)
    made.carry_out()
    data: PlatesData = made.data("plates")
    printers = {p.name: p for _, p in case.shop.printers}
    (folder / "plates").mkdir()
    told = []
    for plate in data.plates:
        name = f"plates/{file_name(plate)}"
        write_plate(plate, printers[plate.printer], lambda part: graph.store.folder(ref), folder / name)
        told.append(plate_record(plate, printers[plate.printer], name))
    return told


def _common_name(names: list[str]) -> str:
    """What the files of a set are called together: what all their names begin with, else the first."""
    alike = sum(1 for _ in takewhile(lambda letters: len(set(letters)) == 1, zip(*names, strict=False)))
    common = names[0][:alike].rstrip("-_ .0123456789")
    return common if len(common) >= 3 else names[0]


def together(graph: Graph, progress: Progress) -> tuple[Graph, tuple[str, ...]]:
    """The same with the files of a set put together where they lie apart and faces of them match, and what was done.

    RecipeProblem where they do not belong together.
    """
    found: PiecesResult = graph.result("pieces")
    case: Case = graph.case
    pieces = case.of(PiecesRecipe)
    if found.strays and not pieces.worn_apart:
        names = ", ".join(pieces.files[k].name for k in found.strays)
        raise RecipeProblem(
            f"{names}: touches no other file of the set, and no face of it matches any. Leave it out, or export it in its place."
        )
    if not found.together or pieces.worn_apart:
        return graph, ()
    files = tuple(replace(f, name=own.name) for f, own in zip(found.together, pieces.files, strict=True))
    decided = tuple(replace(r, files=files) if isinstance(r, PiecesRecipe) else r for r in case.decided)
    put = Graph(STATIONS, replace(case, decided=decided), graph.store, graph.memo)
    put.carry_out(progress, ("pieces",))
    off = max(j.off_mm for j in found.joints)
    return put, (f"The files lay apart and were put together by faces that match, rims within {off:.2f} mm. Look whether it is right.",)


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
