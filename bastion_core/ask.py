"""``measure``, ``predict``, ``body`` and ``fit``: questions answered on standard output as JSON, without server or database."""

import argparse
import json
from pathlib import Path
from typing import Any

from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.fit.answer import Answer, Fitting, Question
from bastion_core.fit.bays import KINDS, parse_bay
from bastion_core.fit.gauge import RING_MM, gauge_ring
from bastion_core.fit.layers import parse_layer
from bastion_core.fit.onbody import OnBody, as_it_came, on_body
from bastion_core.fit.seat import best_turn, seat_turn, standing
from bastion_core.fit.sites import BY_NAME, WAYS_IN, site
from bastion_core.formats.glb import simplified
from bastion_core.formats.reading import read_mesh
from bastion_core.formats.stl import write_binary_stl
from bastion_core.formats.threemf import write_3mf
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.measure.body import Body, Pose, stand_in
from bastion_core.measure.predict import predict
from bastion_core.measure.scanned import body_of_scan
from bastion_core.measure.upright import KINDS as SCAN_KINDS
from bastion_core.measure.upright import Scan, measure_scan, take_scan
from bastion_core.measure.wearer import Wearer, read_wearer
from bastion_core.pieces.intake import take_in
from bastion_core.plan import upright
from bastion_core.progress import Progress, silent, span
from bastion_core.units import MM_PER_UNIT

_TURN_TRIANGLES = 12_000


def add_commands(commands: Any) -> None:
    """The parsers of the four commands."""
    measure = commands.add_parser("measure", help="measurements of a scan")
    measure.add_argument("scan", type=Path)
    measure.add_argument("--kind", choices=SCAN_KINDS, required=True)
    measure.add_argument("--unit", choices=tuple(MM_PER_UNIT), help="the file's unit; found when not given")
    measure.add_argument("--hair", type=float, default=0.0, help="mm of hair to take off a head")
    measure.set_defaults(run=_measure)
    guess = commands.add_parser("predict", help="every measurement that was not taken, with its doubt")
    guess.add_argument("wearer", type=Path)
    guess.set_defaults(run=_predict)
    body = commands.add_parser("body", help="the stand-in body of a wearer")
    body.add_argument("wearer", type=Path)
    body.add_argument("--out", type=Path, required=True, help="STL or 3MF to write")
    body.add_argument("--elbow", type=float, default=0.0, help="bend of the elbows in degrees")
    body.add_argument("--knee", type=float, default=0.0, help="bend of the knees in degrees")
    body.set_defaults(run=_body)
    fit = commands.add_parser("fit", help="whether a piece fits and can be put on")
    fit.add_argument("model", type=Path)
    fit.add_argument("--site", choices=tuple(BY_NAME), required=True)
    fit.add_argument("--side", choices=("left", "right"), default="left")
    fit.add_argument("--wearer", type=Path)
    fit.add_argument("--unit", choices=tuple(MM_PER_UNIT), help="the model's unit; guessed when not given")
    fit.add_argument("--way-in", choices=WAYS_IN)
    fit.add_argument("--layer", action="append", default=[], help="NAME=MM or NAME@WHERE=MM, like pad=8 or pad@top=12")
    fit.add_argument("--bay", action="append", default=[], help=f"NAME=XxYxZ or NAME@PLACE=XxYxZ in mm, or one of: {', '.join(KINDS)}")
    fit.add_argument("--scale", type=float, default=1.0)
    fit.add_argument("--give", type=float, default=0.0, help="mm that skin gives way, each side")
    fit.add_argument("--turn", type=float, nargs=3, default=(0.0, 0.0, 0.0), metavar="DEG", help="turn it in its seat about x, y and z")
    fit.add_argument(
        "--shift", type=float, nargs=3, default=(0.0, 0.0, 0.0), metavar="MM", help="move it from its seat to the left, to the back and up"
    )
    fit.add_argument("--body", type=Path, help="scan to use instead of the stand-in body")
    fit.add_argument("--body-unit", choices=tuple(MM_PER_UNIT))
    fit.add_argument("--as-placed", action="store_true", help="the piece already lies in the body's coordinates")
    fit.add_argument("--gauge-ring", type=Path, help="STL or 3MF to write a slice through the tightest place to")
    fit.add_argument("--ring-height", type=float, default=RING_MM, help="of the gauge ring, in mm")
    fit.set_defaults(run=_fit)


def _there(path: Path) -> Path:
    if not path.is_file():
        raise RecipeProblem(f"There is no file {path}. Give the path of an STL, OBJ, PLY or 3MF.")
    return path


def _say(told: object) -> None:
    print(json.dumps(told, indent=1, ensure_ascii=False, allow_nan=False))


def _read_scan(path: Path, kind: str, unit: str | None) -> Scan:
    source = read_mesh(_there(path))
    return take_scan(source.mesh, kind, unit, mm_per_unit=source.mm_per_unit)


def _measure(options: argparse.Namespace, progress: Progress) -> None:
    if not 0 <= options.hair <= 60:
        raise RecipeProblem(f"{options.hair:g} mm of hair is out of bounds (0 to 60).")
    progress(0.1, "standing the scan up")
    scan = _read_scan(options.scan, options.kind, options.unit)
    progress(0.6, "measuring")
    _say(measure_scan(scan, options.hair).as_dict())


def _predict(options: argparse.Namespace, progress: Progress) -> None:
    _say({key: guess.as_dict() for key, guess in predict(read_wearer(options.wearer)).items()})


def write_solid(mesh: Mesh, path: Path, name: str) -> None:
    """Write a closed mesh (mm) as STL or 3MF by the path's ending; RecipeProblem for another ending."""
    if path.suffix.lower() == ".3mf":
        write_3mf(mesh, path, name)
    elif path.suffix.lower() == ".stl":
        write_binary_stl(mesh, path)
    else:
        raise RecipeProblem(f"“{path.name}” has to end in .stl or .3mf.")


def _body(options: argparse.Namespace, progress: Progress) -> None:
    for name, value, most in (("elbow", options.elbow, 145), ("knee", options.knee, 150)):
        if not 0 <= value <= most:
            raise RecipeProblem(f"A bend of {value:g}° at the {name} is out of bounds (0 to {most}).")
    wearer = read_wearer(options.wearer)
    write_solid(stand_in(wearer, Pose(options.elbow, options.knee)).mesh, options.out, "body")


def body_for(options: argparse.Namespace, wearer: Wearer | None, piece: Mesh) -> tuple[Body | None, OnBody | None, Wearer | None]:
    """What the piece is fitted to: a stand-in body, or a stretch made ready from a scan, and whose measurements hold."""
    where = site(options.site)
    if options.body is None:
        return None, None, wearer
    if options.as_placed:
        source = read_mesh(_there(options.body))
        factor = MM_PER_UNIT[options.body_unit] if options.body_unit else source.mm_per_unit or 1.0
        mesh = Mesh(source.mesh.vertices * factor, source.mesh.faces)
        return None, as_it_came(mesh, where, piece.bounds), wearer
    return _scanned(options, wearer), None, wearer


def _scanned(options: argparse.Namespace, wearer: Wearer | None) -> Body:
    """The scan as the body: a whole one where its joints are found, else a head set on the stand-in body."""
    kinds = ("head", "body") if site(options.site).part == "head" else ("body", "head")
    problems = []
    for kind in ("body", "head"):
        try:
            scan = _read_scan(options.body, kind, options.body_unit)
            return body_of_scan(scan.mesh, kind, measure_scan(scan), wearer)
        except MeshProblem as problem:
            problems.append((kind, problem))
    # It was neither: say what it is not for the kind that this site asks for first.
    raise dict(problems)[kinds[0]]


def ask_fit(options: argparse.Namespace, progress: Progress = silent) -> tuple[Fitting, Answer, Solid]:
    """The fitting, its answer and the upright solid for ``fit``'s options. BastionError when the input is unusable."""
    wearer = read_wearer(options.wearer) if options.wearer else None
    layers = tuple(parse_layer(text) for text in options.layer)
    bays = tuple(parse_bay(text) for text in options.bay)
    where = site(options.site)
    taken = take_in(_there(options.model), "head" if where.part == "head" else "other", options.unit, span(progress, 0, 0.3))
    piece, solid = taken.mesh, taken.solid
    body, ready, known = body_for(options, wearer, piece)
    question = Question(
        options.site, options.side, known, options.way_in, layers, bays, (options.scale,) * 3, give_mm=options.give,
        shift_mm=tuple(options.shift), turn_deg=tuple(options.turn), as_placed=options.as_placed, thinnest_wall_mm=taken.health.thinnest_wall_mm,
    )  # fmt: skip
    if not options.as_placed:
        progress(0.32, "seeing which way it stands")
        if ready is None and known is not None and body is None:
            body = stand_in(known)
        stretch = ready if ready is not None else on_body(body, where, options.side) if body is not None else None
        if stretch is not None:
            turns = best_turn(simplified(piece, _TURN_TRIANGLES), stretch, where, layers)
            piece, solid = standing(piece, turns), upright(solid, turns)
    fitting = Fitting(piece, question, body, ready)
    return fitting, fitting.answer(span(progress, 0.4, 1.0)), solid


def _fit(options: argparse.Namespace, progress: Progress) -> None:
    fitting, answer, solid = ask_fit(options, progress)
    told = answer.as_dict()
    if options.gauge_ring:
        at = answer.way_in.ring.at_mm if answer.way_in.ring and not answer.way_in.passes else None
        if at is None:
            at = float(answer.room.least_at[2] - answer.box[0, 2])
        turned = solid.transformed(seat_turn(solid.bounds, fitting.question.turn_deg, answer.placed.scale))
        ring = gauge_ring(turned, answer.placed.scale, at, options.ring_height)
        write_solid(ring.solid.mesh(), options.gauge_ring, "gauge-ring")
        told["gauge_ring"] = {
            "file": options.gauge_ring.name,
            "at_mm": round(ring.at_mm, 2),
            "minutes": round(ring.minutes, 1),
            "filament_g": round(ring.filament_g, 2),
        }
    _say(told)
