"""``measure``, ``predict`` and ``body``: questions about a person answered on standard output as JSON."""

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from bastion_core.commands.options import say_json, there, write_solid
from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.formats.reading import read_mesh
from bastion_core.measure.body import Pose, stand_in
from bastion_core.measure.predict import predict
from bastion_core.measure.upright import KINDS, Scan, measure_scan, points_wanted, take_scan
from bastion_core.measure.wearer import read_wearer
from bastion_core.progress import Progress
from bastion_core.units import MM_PER_UNIT


def add_commands(commands: Any) -> None:
    """The parsers of the three commands."""
    measure = commands.add_parser("measure", help="measurements of a scan")
    measure.add_argument("scan", type=Path)
    measure.add_argument("--kind", choices=KINDS, required=True)
    measure.add_argument("--unit", choices=tuple(MM_PER_UNIT), help="the file's unit; found when not given")
    measure.add_argument(
        "--point", action="append", nargs=3, type=float, metavar=("X", "Y", "Z"), help="nose tip, left ear, right ear (of a body: crown, left heel, right heel) in the file, once each: the sure way to stand it up",
    )  # fmt: skip
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


def read_scan(path: Path, kind: str, unit: str | None, points: Sequence[Sequence[float]] | None = None, what_to_do: str = "") -> Scan:
    """A scan out of a file, stood up. MeshProblem with ``what_to_do`` where it could stand two ways and no ``points`` say which."""
    source = read_mesh(there(path))
    scan = take_scan(source.mesh, kind, unit, points, source.mm_per_unit)
    if not scan.sure:
        raise MeshProblem(f"This scan could stand two ways. {what_to_do}")
    return scan


def _measure(options: argparse.Namespace, progress: Progress) -> None:
    if not 0 <= options.hair <= 60:
        raise RecipeProblem(f"{options.hair:g} mm of hair is out of bounds (0 to 60).")
    progress(0.1, "standing the scan up")
    named = ", ".join(points_wanted(options.kind))
    scan = read_scan(options.scan, options.kind, options.unit, options.point, f"Say with --point X Y Z, three times, where {named} are.")
    progress(0.6, "measuring")
    say_json(measure_scan(scan, options.hair).as_dict())


def _predict(options: argparse.Namespace, progress: Progress) -> None:
    say_json({key: guess.as_dict() for key, guess in predict(read_wearer(options.wearer)).items()})


def _body(options: argparse.Namespace, progress: Progress) -> None:
    for name, value, most in (("elbow", options.elbow, 145), ("knee", options.knee, 150)):
        if not 0 <= value <= most:
            raise RecipeProblem(f"A bend of {value:g}° at the {name} is out of bounds (0 to {most}).")
    wearer = read_wearer(options.wearer)
    write_solid(stand_in(wearer, Pose(options.elbow, options.knee)).mesh, options.out, "body")
