"""``coupon``: the clearance coupon as a file to print."""

import argparse
from pathlib import Path
from typing import Any

from bastion_core.commands.options import say_json, write_solid
from bastion_core.join.coupon import LADDERS, coupon
from bastion_core.progress import Progress


def add_command(commands: Any) -> None:
    """The parser of ``coupon``."""
    made = commands.add_parser("coupon", help="a small print that tells which clearances fit")
    made.add_argument("--out", type=Path, required=True, help="STL or 3MF to write")
    made.set_defaults(run=_carry_out)


def _carry_out(options: argparse.Namespace, progress: Progress) -> None:
    made = coupon()
    write_solid(made.solid.mesh(), options.out, options.out.stem)
    rows = [{"row": k, "tries": what, "steps_mm": list(steps)} for k, (what, steps) in enumerate(LADDERS.values(), 1)]
    say_json({"file": str(options.out), "size_mm": [round(v, 1) for v in made.size_mm], "ladders": rows})
