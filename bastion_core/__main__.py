"""``python -m bastion_core plan|measure|predict|body|fit|assemble|finish|coupon|magnet|printer …``: the core without a server or a database."""

import argparse
import sys
from collections.abc import Sequence

from bastion_core.commands import assemble, coupon, finish, fit, magnet, measure, plan, printer
from bastion_core.commands.options import Parser
from bastion_core.errors import BastionError
from bastion_core.progress import Progress, silent


def _arguments(argv: Sequence[str]) -> argparse.Namespace:
    parser = Parser(prog="bastion", description="Computations on armor models, without a server.")
    commands = parser.add_subparsers(dest="command", required=True)
    plan.add_command(commands)
    measure.add_commands(commands)
    fit.add_command(commands)
    coupon.add_command(commands)
    assemble.add_command(commands)
    finish.add_command(commands)
    magnet.add_command(commands)
    printer.add_command(commands)
    return parser.parse_args(argv)


def _on_terminal() -> Progress:
    if not sys.stderr.isatty():
        return silent

    def show(fraction: float, what: str) -> None:
        print(f"\r{100 * fraction:3.0f} %  {what:<50.50}", end="", file=sys.stderr, flush=True)

    return show


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
