"""Printers that tell themselves how far they are: asked every few seconds, what they say goes into the log."""

import json
import logging
import urllib.error
import urllib.request
from contextlib import suppress
from datetime import timedelta
from typing import Any

from django.utils import timezone

from bastion_core.errors import BastionError, FileProblem
from bastion_core.schedule.causes import CAUSES
from bastion_site.engine.refresh import refresh_calendar
from bastion_site.errors import Changed
from bastion_site.prints import logbook
from bastion_site.prints.models import Run
from bastion_site.shop.models import Printer

logger = logging.getLogger(__name__)
PATIENCE_S = 2.0
_MOST_BYTES = 100_000
_LOCAL = ("http://127.0.0.1", "http://localhost")


class PrinterLost(FileProblem):
    """A printer's service did not answer, or said what cannot be understood."""

    code = "printer_lost"


def ask(printer: Printer, path: str, body: dict[str, Any] | None = None) -> dict[str, Any]:
    """What a printer's service answers. PrinterLost when it does not; Changed with its own words where it refuses."""
    if not printer.address.startswith(_LOCAL):
        raise PrinterLost(f"{printer.name} has no service on this machine. Enter its address in the shop.")
    sent = None if body is None else json.dumps(body).encode()
    asked = urllib.request.Request(printer.address.rstrip("/") + path, sent, {"Content-Type": "application/json"})
    try:
        with urllib.request.urlopen(asked, timeout=PATIENCE_S) as answer:
            told = json.loads(answer.read(_MOST_BYTES))
    except urllib.error.HTTPError as refused:
        try:
            raise Changed(json.loads(refused.read(_MOST_BYTES))["detail"])
        except (ValueError, KeyError, TypeError):
            raise PrinterLost(f"{printer.name} answered {refused.code}. Look at its service.") from refused
    except (OSError, ValueError) as problem:
        raise PrinterLost(
            f"{printer.name} does not answer at {printer.address}. Look whether its service runs; or stop watching it and log by hand."
        ) from problem
    if not isinstance(told, dict) or "state" not in told:
        raise PrinterLost(f"{printer.name} said something that is no status. Look at its service.")
    return told


def send(run: Run) -> None:
    """Have a watched printer print a run."""
    assert run.printer is not None
    ask(run.printer, "/print", {"job": str(run.pk), "name": run.name, "hours": run.told_h})


TOLD = {"pause": "/pause", "resume": "/resume", "failed": "/stop"}
"""What a press by hand says to the printer itself."""


def tell(run: Run, kind: str) -> None:
    """Pass a press on to a watched printer; one that does not answer is told about at the next look."""
    if run.printer is not None:
        with suppress(BastionError, Changed):
            ask(run.printer, TOLD[kind], {})


def look_at(printer: Printer) -> str:
    """Ask one watched printer, and write into the log what became of its print. Returns its state, or what was wrong."""
    run = Run.objects.filter(printer=printer, state__in=Run.OPEN, watched=True).first()
    if run is None:
        return ""
    try:
        told = ask(printer, "/status")
    except (BastionError, Changed) as problem:
        Run.objects.filter(pk=run.pk).update(said=str(problem)[:160])
        return str(problem)
    if str(told.get("job", "")) != str(run.pk):
        words = f"{printer.name} answers, but knows nothing of this print: it was switched off. Say what became of it."
        Run.objects.filter(pk=run.pk).update(said=words)
        return words
    hour, state = float(told.get("hour", 0.0)), str(told["state"])
    Run.objects.filter(pk=run.pk).update(said="", progress=min(max(float(told.get("progress", 0.0)), 0.0), 1.0))
    if state in ("done", "failed"):
        # The printer's own hours count: one that runs faster than the clock has printed longer than it took.
        now = timezone.now()
        Run.objects.filter(pk=run.pk).update(started=now - timedelta(hours=hour), paused_s=0.0)
        run.refresh_from_db()
        cause = str(told.get("cause", ""))
        logbook.press(run, state, f"watched-{run.pk}-{state}", now, cause=cause if cause in CAUSES else "")
        refresh_calendar(run.build, f"{run.name} {state}")
    elif state == "paused" and run.state == Run.State.RUNNING:
        logbook.press(run, "pause", f"watched-{run.pk}-pause-{hour:.3f}")
    elif state == "printing" and run.state == Run.State.PAUSED:
        logbook.press(run, "resume", f"watched-{run.pk}-resume-{hour:.3f}")
    return state


def look_at_all() -> None:
    """Ask every watched printer once; one that says nonsense leaves the others watched."""
    for printer in Printer.objects.filter(watched=True, active=True).exclude(address=""):
        try:
            look_at(printer)
        except Exception:
            logger.exception("watching %s", printer.name)
