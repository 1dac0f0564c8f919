"""A week of the demo's log: what the Tidewrack Watch printed so far, what failed, and what runs. Begun and pressed as a maker would."""

import random
from datetime import datetime, timedelta

from django.utils import timezone

from bastion_core.engine.keeping import whole
from bastion_core.plates.records import Plate
from bastion_core.plates.station import PlatesData
from bastion_core.schedule.model import Waking
from bastion_site.builds.models import Build
from bastion_site.engine.cases import build_graph
from bastion_site.prints import logbook
from bastion_site.prints.models import Run
from bastion_site.shop.models import Printer, Spool

DAYS = 7
PACE = {"Gull": 1.34, "Tern": 1.18, "Albatross": 1.25}
"""How much longer than told the Watch's printers really take."""
_TALL = "Crest"
_KNOCKED_MM = 61.0


def print_a_week(build: Build) -> int:
    """Fill the log, once the plates are laid; how many prints that were. Nothing where the log has some already."""
    graph, _ = build_graph(build)
    known = graph.found("plates")
    if known is None or Run.objects.filter(build=build).exists():
        return 0
    plates = whole(PlatesData, graph.store.data(known.ref)).plates
    rng = random.Random(5)
    now = timezone.now().replace(minute=0, second=0, microsecond=0)
    told = 0
    for printer in Printer.objects.filter(kind="filament", name__in=PACE):
        free = now - timedelta(days=DAYS)
        mine = sorted(
            (p for p in plates if printer.name in p.on and p.printer == printer.name and not p.beyond),
            key=lambda p: p.on[printer.name].hours,
        )
        if printer.name == "Gull":
            told, free = _knocked_three_times(build, plates, printer, free, told)
        for plate in mine[: len(mine) // 3 + 1]:
            taken = plate.on[printer.name]
            begun = _awake(free)
            ended = begun + timedelta(hours=taken.hours * PACE[printer.name] * rng.uniform(0.94, 1.06))
            if ended > now - timedelta(hours=2):
                break
            spool = Spool.objects.filter(material=plate.material).first()
            pieces = {p.piece for p in plate.parts}
            made, failed = logbook.parts_printed(pieces)
            if any(p.part in (*made.get(p.piece, ()), *failed.get(p.piece, ())) for p in plate.parts):
                continue
            run = _begin(build, plate, printer, spool, begun, told)
            logbook.press(run, "done", f"demo-done-{told}", ended, used_g=round(taken.filament_g * rng.uniform(0.98, 1.08)))
            told, free = told + 1, ended
    return told


def _knocked_three_times(build: Build, plates: tuple[Plate, ...], printer: Printer, free: datetime, told: int) -> tuple[int, datetime]:
    """The tallest slim part, lost three times near the same height on the bed that moves."""
    tall = [p for p in plates if printer.name in p.on and len(p.parts) == 1 and p.parts[0].size_mm[2] > 1.2 * _KNOCKED_MM and not p.beyond]
    if not tall:
        return told, free
    plate = max(tall, key=lambda p: (p.parts[0].piece_name == _TALL, p.parts[0].size_mm[2]))
    high, hours = plate.parts[0].size_mm[2], plate.on[printer.name].hours
    for off in (0.0, 3.5, -2.0):
        begun = _awake(free)
        ended = begun + timedelta(hours=hours * PACE[printer.name] * (_KNOCKED_MM + off) / high)
        run = _begin(build, plate, printer, Spool.objects.filter(material=plate.material).first(), begun, told)
        logbook.press(run, "failed", f"demo-failed-{told}", ended, cause="knocked", at_mm=_KNOCKED_MM + off)
        told, free = told + 1, ended
    return told, free


def _begin(build: Build, plate: Plate, printer: Printer, spool: Spool | None, at: datetime, number: int) -> Run:
    return logbook.start(build, plate, printer, spool, f"demo-start-{number}", at)


def _awake(moment: datetime) -> datetime:
    """The moment itself while somebody is awake, else the next morning."""
    return Waking().next_start(timezone.localtime(moment))
