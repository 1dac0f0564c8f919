"""``printer``: a simulated printer as a service on this machine, until it is stopped."""

import argparse
from typing import Any

from bastion_core.devices.printer import Manner, Simulated, service
from bastion_core.errors import RecipeProblem
from bastion_core.progress import Progress


def add_command(commands: Any) -> None:
    """The parser of ``printer``."""
    made = commands.add_parser("printer", help="a simulated printer: a small local service that prints plates at a speed-up")
    made.add_argument("name", metavar="NAME")
    made.add_argument("--port", type=int, default=0, help="on this machine; a free one where none is given")
    made.add_argument("--speed-up", type=float, default=600.0, metavar="TIMES", help="600: an hour takes six seconds")
    made.add_argument("--pace", type=float, default=1.0, metavar="FACTOR", help="its true hours over those it is told")
    made.add_argument(
        "--fail-at", action="append", default=[], metavar="HOUR:CAUSE", help="a print fails so, like 3.5:knocked; once for each"
    )
    made.add_argument("--fails-per-h", type=float, default=0.0, metavar="RATE", help="and at random so often")
    made.add_argument("--lose-connection", metavar="HOUR:HOURS", help="from an hour of each print on it does not answer for so long")
    made.add_argument("--seed", type=int, default=1)
    made.set_defaults(run=_carry_out)


def _pair(text: str, what: str) -> tuple[float, str]:
    hour, _, rest = text.partition(":")
    try:
        return float(hour), rest
    except ValueError:
        raise RecipeProblem(f"“{text}” is no {what}.") from None


def _carry_out(options: argparse.Namespace, progress: Progress) -> None:
    fails = tuple(_pair(t, "failure: write HOUR:CAUSE, like 3.5:knocked") for t in options.fail_at)
    lost = None
    if options.lose_connection:
        hour, hours = _pair(options.lose_connection, "loss of connection: write HOUR:HOURS, like 2:0.5")
        lost = hour, _pair(hours, "loss of connection: write HOUR:HOURS, like 2:0.5")[0]
    manner = Manner(options.speed_up, options.pace, fails, options.fails_per_h, lost, options.seed)
    server = service(Simulated(options.name, manner), options.port)
    print(f"{options.name} answers at http://127.0.0.1:{server.server_address[1]} (Ctrl-C stops it).", flush=True)
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        server.server_close()
