"""``magnet``: what a pair of discs holds, and how many it takes."""

import argparse
from math import hypot
from pathlib import Path
from typing import Any

from bastion_core.commands.options import say_json, write_solid
from bastion_core.errors import RecipeProblem
from bastion_core.join.gauge import pole_gauge
from bastion_core.progress import Progress
from bastion_core.shop import PIN_CLEARANCE_MM
from bastion_core.statics.closing import count_for
from bastion_core.statics.magnets import STEEL, WARM_DEG_C, Disc, disc_of, pull_n
from bastion_core.statics.poses import ENOUGH, G_M_S2, WORN


def add_command(commands: Any) -> None:
    """The parser of ``magnet``."""
    made = commands.add_parser("magnet", help="what a pair of discs holds, and how many pairs a hanging part takes")
    made.add_argument(
        "--pair",
        default="",
        metavar="DxT:DxT",
        help=f"both discs in mm, like 8x3:6x3; with grades 8x3:N52:6x3:N42; 6x1:{STEEL} is steel",
    )
    made.add_argument("--gap", type=float, default=0.2, metavar="MM", help="between the discs: air, coats and any wall of plastic")
    made.add_argument("--mass", type=float, metavar="G", help="of what hangs")
    made.add_argument("--lever", type=float, default=0.0, metavar="MM", help="how far its balance point stands off the face")
    made.add_argument("--arm", type=float, default=20.0, metavar="MM", help="from the edge it tips about to the magnets")
    made.add_argument("--gauge", type=Path, metavar="FILE", help="write a pole gauge for the first disc of the pair, STL or 3MF")
    made.set_defaults(run=_carry_out)


def _carry_out(options: argparse.Namespace, progress: Progress) -> None:
    one, other = pair_of(options.pair)
    if options.gauge is not None:
        write_solid(pole_gauge(one, PIN_CLEARANCE_MM).mesh(), options.gauge, options.gauge.stem)
        if options.mass is None:
            say_json({"file": str(options.gauge), "disc": one.code})
            return
    if options.mass is None:
        raise RecipeProblem("Give the mass that hangs: --mass 120, in g.")
    if not (0 < options.mass <= 50_000 and 0 <= options.lever <= 2000 and 0.5 <= options.arm <= 2000 and 0 <= options.gap <= 50):
        raise RecipeProblem("Give a mass up to 50 kg, a lever up to 2 m, an arm of 0.5 mm to 2 m and a gap of 0 to 50 mm.")
    cold, warm = (pull_n(one, other, options.gap, *t) for t in ((), (WARM_DEG_C,)))
    # Whichever way the face looks: all that is felt may pull straight off it, or tip it over its edge, not both in full.
    pose = max(WORN, key=lambda p: hypot(*p.felt_g))
    felt = hypot(*pose.felt_g) * options.mass / 1000 * G_M_S2
    needed = felt * max(1.0, options.lever / options.arm)
    say_json({
        "force_n": round(cold, 3), "force_warm_n": round(warm, 3), "warm_deg_c": WARM_DEG_C, "needed_n": round(needed, 3),
        "safety": round(warm / needed, 3), "count": count_for(needed, warm), "enough": ENOUGH, "pose": pose.name,
        "lever_mm": options.lever, "arm_mm": options.arm,
    })  # fmt: skip


def pair_of(text: str) -> tuple[Disc, Disc]:
    """Two discs as they are written, with or without grades. RecipeProblem where they are none."""
    discs: list[str] = []
    for piece in text.split(":"):
        if "x" in piece:
            discs.append(piece)
        elif discs:
            discs[-1] += f":{piece}"
    if len(discs) != 2:
        raise RecipeProblem(f"“{text}” is no pair of discs. Write both as diameter x thickness in mm, like 8x3:6x3.")
    return disc_of(discs[0]), disc_of(discs[1])
