"""``fit``: whether a piece fits and can be put on, by the same station as the site, as JSON on standard output."""

import argparse
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from bastion_core.case import Case, ScanBody
from bastion_core.commands.measure import read_scan
from bastion_core.commands.options import say_json, sha256_of, there, write_solid
from bastion_core.engine.graph import Graph
from bastion_core.engine.keeping import hash_of
from bastion_core.engine.memo import Memo
from bastion_core.engine.recipe import Recipe, add_flags, from_flags
from bastion_core.engine.store import FolderStore, Ref
from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.findings import Finding
from bastion_core.fit.answer import AnswerRecord, told_of
from bastion_core.fit.gauge import RING_MM, gauge_ring, tight_height
from bastion_core.fit.onbody import on_body
from bastion_core.fit.recipe import FitRecipe
from bastion_core.fit.seat import seat_turn
from bastion_core.fit.sites import BY_NAME, Site, site
from bastion_core.fit.stand import best_turn
from bastion_core.formats.glb import simplified
from bastion_core.formats.reading import read_mesh
from bastion_core.geometry.mesh import Mesh
from bastion_core.measure.body import Body, stand_in
from bastion_core.measure.scanned import UPRIGHT, read_body
from bastion_core.measure.upright import measure_scan
from bastion_core.measure.wearer import Wearer, read_wearer
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.standing import SOLID, Standing, load_mesh, load_solid, save_mesh
from bastion_core.print.recipe import PrintRecipe
from bastion_core.progress import Progress, span
from bastion_core.stations import STATIONS
from bastion_core.units import MM_PER_UNIT

_TURN_TRIANGLES = 12_000
_STATIONS = tuple(s for s in STATIONS if s.key in ("pieces", "fit"))
_SAID_ELSEWHERE = ("fit", "how-sure")


def add_command(commands: Any) -> None:
    """The parser of ``fit``. It asks a bare question: nothing lies between and no skin gives unless it is said."""
    fit = commands.add_parser("fit", help="whether a piece fits and can be put on")
    fit.add_argument("model", type=Path)
    fit.add_argument("--wearer", type=Path)
    fit.add_argument("--layer", dest="layers", action="append", help="the same as --between")
    fit.add_argument("--body", type=Path, help="scan to use instead of the stand-in body")
    fit.add_argument("--body-unit", choices=tuple(MM_PER_UNIT))
    fit.add_argument("--as-placed", action="store_true", help="the piece already lies in the body's coordinates")
    fit.add_argument("--gauge-ring", type=Path, help="STL or 3MF to write a slice through the tightest place to")
    fit.add_argument("--ring-height", type=float, default=RING_MM, help="of the gauge ring, in mm")
    add_flags(fit, (PiecesRecipe, FitRecipe))
    fit.set_defaults(run=carry_out, layers=[], give_mm="0", scale="1")


def carry_out(options: argparse.Namespace, progress: Progress) -> None:
    """Print the answer; write the gauge ring where one is wanted."""
    worn_at = site(options.site) if options.site in BY_NAME else None
    if worn_at is None:
        raise RecipeProblem(f"Say with --site where it is worn: {', '.join(BY_NAME)}.", "site")
    pieces, recipe = from_flags(PiecesRecipe, options), from_flags(FitRecipe, options)
    pieces = replace(pieces, side=pieces.side or "left")
    recipe = replace(recipe, layers=recipe.layers or ())
    wearer = read_wearer(options.wearer) if options.wearer else None
    if wearer is None and options.body is None:
        raise RecipeProblem("There is no body to fit it to. Choose a wearer, or give a scan of the body.")
    sha256 = sha256_of(there(options.model))
    with tempfile.TemporaryDirectory(prefix="bastion-") as made:
        store = FolderStore(Path(made), {sha256: options.model})
        scan = _scanned(options, worn_at, wearer, store) if options.body else None
        decided: tuple[Recipe, ...] = (pieces, recipe, PrintRecipe())
        case = Case(options.model.name, sha256, decided, wearer, scan, as_placed=options.as_placed)
        graph = Graph(_STATIONS, case, store)
        graph.carry_out(span(progress, 0, 0.3), ("pieces",))
        if not options.as_placed:
            progress(0.32, "seeing which way it stands")
            graph = Graph(_STATIONS, _stood_up(graph, worn_at, store), store, Memo())
        graph.carry_out(span(progress, 0.4, 1.0))
        answer: AnswerRecord | None = graph.data("fit").answer
        warned = [f for f in graph.stations["fit"].findings(graph.case, graph.result("fit")) if f.code not in _SAID_ELSEWHERE]
        if answer is None:
            raise RecipeProblem(next(str(f.text) for f in warned if isinstance(f, Finding)).split(": ", 1)[-1])
        answered = told_of(answer) | {"warnings": [str(f.text) for f in warned if f.code != "by-hand"]}
        if options.gauge_ring:
            answered["gauge_ring"] = _ring(options, graph, answer, store)
        say_json(answered)


def _stood_up(graph: Graph, worn_at: Site, store: FolderStore) -> Case:
    """The case with its piece turned the way it stands on the body."""
    case: Case = graph.case
    ref = graph.ref("pieces")
    assert ref is not None
    pieces, recipe = case.of(PiecesRecipe), case.of(FitRecipe)
    body = _body(case, store)
    stretch = on_body(body, worn_at, pieces.side)
    thin = simplified(load_mesh(store.folder(ref) / SOLID), _TURN_TRIANGLES)
    x, y, z = best_turn(thin, stretch, worn_at, recipe.layers or ())
    return replace(case, decided=tuple(replace(r, turn_x=x, turn_y=y, turn_z=z) if r is pieces else r for r in case.decided))


def _body(case: Case, store: FolderStore) -> Body:
    if case.scan is None:
        return stand_in(case.wearer or Wearer())
    return read_body(store.folder(case.scan.ref) / UPRIGHT, case.scan.kind, case.scan.values, case.wearer)


_STAND_IT = "Turn it upright in its source, the face toward -y, or lay the piece on it there and use --as-placed."


def _scanned(options: argparse.Namespace, worn_at: Site, wearer: Wearer | None, store: FolderStore) -> ScanBody:
    """The scan as the body: as it came where the piece lies in it; else a whole one where its joints are found, else a head."""
    if options.as_placed:
        source = read_mesh(there(options.body))
        factor = MM_PER_UNIT[options.body_unit] if options.body_unit else source.mm_per_unit or 1.0
        return _kept(Mesh(source.mesh.vertices * factor, source.mesh.faces), "as placed", {}, store)
    problems: dict[str, MeshProblem] = {}
    for kind in ("body", "head"):
        try:
            scan = read_scan(options.body, kind, options.body_unit, None, _STAND_IT)
            kept = _kept(scan.mesh, kind, {k: v["value"] for k, v in measure_scan(scan).as_dict().items()}, store)
            read_body(store.folder(kept.ref) / UPRIGHT, kind, kept.values, wearer)
            return kept
        except MeshProblem as problem:
            problems[kind] = problem
    # It was neither: say what it is not for the kind that this site asks for first.
    raise problems["head" if worn_at.part == "head" else "body"]


def _kept(mesh: Mesh, kind: str, values: dict[str, float], store: FolderStore) -> ScanBody:
    ref = Ref("scan", hash_of(kind, mesh.vertices.astype("f4").tobytes().hex(), mesh.triangle_count))
    store.folder(ref).mkdir(parents=True, exist_ok=True)
    save_mesh(mesh, store.folder(ref) / UPRIGHT)
    return ScanBody(ref, kind, values)


def _ring(options: argparse.Namespace, graph: Graph, answer: AnswerRecord, store: FolderStore) -> dict[str, Any]:
    """Write the gauge ring through the tightest place, and say what it takes."""
    standing: Standing = graph.inputs("fit").standing
    solid = standing.stood(load_solid(store.folder(standing.piece) / SOLID))
    turned = solid.transformed(seat_turn(solid.bounds, answer.turn_deg, answer.scale))
    ring = gauge_ring(turned, answer.scale, tight_height(answer), options.ring_height)
    write_solid(ring.solid.mesh(), options.gauge_ring, "gauge-ring")
    return {
        "file": options.gauge_ring.name,
        "at_mm": round(ring.at_mm, 2),
        "minutes": round(ring.minutes, 1),
        "filament_g": round(ring.filament_g, 2),
    }
