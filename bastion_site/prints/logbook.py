"""The log of prints: starting, pausing, ending and taking back, each press counted once; and what the log teaches."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Any

from django.db import transaction
from django.utils import timezone

from bastion_core.engine.keeping import plain
from bastion_core.errors import RecipeProblem
from bastion_core.plates.records import Plate
from bastion_core.print.recipe import PrintRecipe
from bastion_core.schedule.causes import CAUSES
from bastion_core.schedule.learn import Learnt, Told, learnt
from bastion_site.builds.models import Build, FrozenPart, Piece
from bastion_site.errors import Changed
from bastion_site.prints.models import Press, Run, RunPart
from bastion_site.shop.models import Printer, Shop, Spool

_FORWARD_S = 120.0
"""How far a clock may be ahead of this machine's."""
_KEPT = ("state", "ended", "paused_since", "paused_s", "cause", "at_mm", "used_g", "note", "seen_end")


PartsOf = dict[int, tuple[str, ...]]
"""Parts (by their ids) of each piece."""


def made_parts(pieces: Iterable[int]) -> PartsOf:
    """What is printed and good, or being printed."""
    return parts_printed(pieces)[0]


def parts_printed(pieces: Iterable[int]) -> tuple[PartsOf, PartsOf]:
    """What is printed and good, or being printed; and what was printed, is not good, and is not made by now."""
    made, failed = defaultdict(set), defaultdict(set)
    rows = RunPart.objects.filter(piece__in=list(pieces)).values_list("piece", "part", "good", "run__state")
    for piece, part, good, state in rows:
        if state in Run.OPEN or good:
            made[piece].add(part)
        elif good is False:
            failed[piece].add(part)
    return (
        {piece: tuple(sorted(parts)) for piece, parts in made.items()},
        {piece: tuple(sorted(left)) for piece, parts in failed.items() if (left := parts - made[piece])},
    )


def learnt_here(shop: Shop | None = None) -> Learnt:
    """What the shop's log teaches."""
    return learnt(told(), (shop or Shop.current()).planning_factor)


def told() -> list[Told]:
    """Every print that is over, as the core reads it."""
    runs = Run.objects.filter(state__in=(Run.State.DONE, Run.State.FAILED))
    return [
        Told(
            r.printer_name, r.material, r.told_h, r.hours, r.state == Run.State.FAILED, r.told_g, r.used_g if r.state == Run.State.DONE else None,
            not r.cause or CAUSES[r.cause].printer, r.seen_end,
        )
        for r in runs
        if r.told_h > 0
    ]  # fmt: skip


def begun(key: str) -> Run | None:
    """The run that a key began before; Changed where that start was taken back."""
    seen = Press.objects.filter(key=key).select_related("run").first()
    if seen is not None and seen.run is None:
        raise Changed("That start was taken back. Press Print this plate once more.")
    return seen.run if seen is not None else None


def start(
    build: Build, plate: Plate, printer: Printer, spool: Spool | None, key: str, at: datetime | None = None, watched: bool = False
) -> Run:
    """Begin a plate on a printer. A key that was seen before gives the run it began.

    RecipeProblem where the printer does not take the plate as it lies; Changed where it is busy, or a part is printed or being printed already.
    """
    moment = _moment(at)
    taken = plate.on.get(printer.name)
    if taken is None:
        raise RecipeProblem(
            f"{plate.name} does not lie on {printer.name}: it takes {', '.join(sorted(plate.on)) or 'no printer'}.", "printer"
        )
    pace = learnt_here().pace_of(printer.name, plate.material).median
    with transaction.atomic():
        seen = begun(key)
        if seen is not None:
            return seen
        busy = Run.objects.filter(printer=printer, state__in=Run.OPEN).first()
        if busy is not None:
            raise Changed(f"{printer.name} is printing {busy.name}. Say first what became of it.")
        made = made_parts({p.piece for p in plate.parts})
        twice = [p.name for p in plate.parts if p.part in made.get(p.piece, ())]
        if twice:
            raise Changed(f"{', '.join(twice)}: printed or being printed already. Look at the plates again.")
        first = Piece.objects.filter(pk=plate.parts[0].piece).first()
        recipe = first.of(PrintRecipe) if first else PrintRecipe()
        run = Run.objects.create(
            build=build, printer=printer, printer_name=printer.name, spool=spool, plate=plain(plate), name=_called(plate),
            material=plate.material, layer_mm=plate.layer_mm, told_h=taken.hours, real_h=taken.hours * pace, told_g=taken.filament_g,
            settings={"walls": recipe.walls, "infill": recipe.infill, "support": recipe.support, "brim_mm": recipe.brim_mm}, started=moment,
            watched=watched,
        )  # fmt: skip
        pieces = set(Piece.objects.filter(pk__in={p.piece for p in plate.parts}).values_list("pk", flat=True))
        RunPart.objects.bulk_create(
            RunPart(run=run, piece_id=p.piece if p.piece in pieces else None, part=p.part, name=p.name, print_hash=p.print_hash)
            for p in plate.parts
        )
        Press.objects.create(key=key, run=run, kind="start")
        _freeze(run)
    return run


def press(run: Run, kind: str, key: str, at: datetime | None = None, **said: Any) -> Run:
    """Pause, go on, done or failed. ``said``: ``bad`` (parts that are not good), ``good``, ``cause``, ``at_mm``, ``used_g``, ``note``, ``seen_end``.

    A key that was seen before does nothing more. RecipeProblem where it cannot have been so; Changed where the run stands otherwise by now.
    """
    moment = _moment(at)
    with transaction.atomic():
        if Press.objects.filter(key=key).exists():
            return Run.objects.get(pk=run.pk)
        run = Run.objects.get(pk=run.pk)
        before = _as_it_stands(run)
        if moment < run.started:
            raise RecipeProblem(f"{run.name} began at {_clock(run.started)}: it cannot have ended before. Look at the clock.", "at")
        if kind == "pause":
            _expect(run, Run.State.RUNNING)
            run.state, run.paused_since = Run.State.PAUSED, moment
        elif kind == "resume":
            _expect(run, Run.State.PAUSED)
            _unpaused(run, moment)
            run.state = Run.State.RUNNING
        elif kind in ("done", "failed"):
            _expect(run, *Run.OPEN)
            _ended(run, kind, moment, said)
        else:
            raise RecipeProblem(f"“{kind}” is no press: pause, resume, done or failed.", "kind")
        run.save()
        Press.objects.create(key=key, run=run, kind=kind, before=before)
        _freeze(run)
    return run


def undo(run: Run) -> Run | None:
    """Take the last press back: the run as it stood, or None where that was its start."""
    with transaction.atomic():
        run = Run.objects.get(pk=run.pk)
        last = run.presses.filter(undone=False).first()
        if last is None:
            raise Changed("Nothing is left to take back here.")
        if last.kind == "start":
            run.presses.update(run=None)
            parts = list(run.parts.all())
            run.delete()
            _settle(parts)
            return None
        stood = last.before
        if stood["state"] in Run.OPEN and Run.objects.filter(printer=run.printer_id, state__in=Run.OPEN).exclude(pk=run.pk).exists():
            raise Changed(f"{run.printer_name} prints something else by now. Take that back first.")
        _spool(run, -1)
        for name in _KEPT:
            value = stood[name]
            setattr(run, name, datetime.fromisoformat(value) if name in ("ended", "paused_since") and value else value)
        run.save()
        for part in run.parts.all():
            part.good = stood["good"].get(str(part.pk))
            part.save(update_fields=["good"])
        # The key stays: what sends it once more, a phone out of reach or a printer that is watched, brings nothing about.
        last.undone = True
        last.save(update_fields=["undone"])
        _freeze(run)
    return run


def _as_it_stands(run: Run) -> dict[str, Any]:
    stood = {name: getattr(run, name) for name in _KEPT}
    for name in ("ended", "paused_since"):
        stood[name] = stood[name].isoformat() if stood[name] else None
    return stood | {"good": {str(p.pk): p.good for p in run.parts.all()}}


def _ended(run: Run, kind: str, moment: datetime, said: dict[str, Any]) -> None:
    if run.state == Run.State.PAUSED:
        _unpaused(run, moment)
    run.state, run.ended = (Run.State.DONE if kind == "done" else Run.State.FAILED), moment
    cause = said.get("cause") or ""
    if cause and cause not in CAUSES:
        raise RecipeProblem(f"“{cause}” is no cause known here: {', '.join(c.name for c in CAUSES.values())}.", "cause")
    for name, low, high in (("at_mm", 0.0, 3000.0), ("used_g", 0.0, 20_000.0)):
        value = said.get(name)
        if value is not None and not low <= value <= high:
            raise RecipeProblem(f"{value:g} cannot be: {low:g} to {high:g} is possible.", name)
    run.cause, run.at_mm, run.used_g = cause, said.get("at_mm"), said.get("used_g")
    run.note = said.get("note") or run.note
    run.seen_end = said.get("seen_end", True)
    good, bad = set(said.get("good") or ()), set(said.get("bad") or ())
    for part in run.parts.all():
        part.good = part.name in good if kind == "failed" else part.name not in bad
        part.save(update_fields=["good"])
    _spool(run, 1)


def _spool(run: Run, sign: int) -> None:
    """Take what went off the spool, or put it back."""
    if run.ended is None or run.spool_id is None:
        return
    spool, grams = Spool.objects.get(pk=run.spool_id), sign * run.grams
    spool.used_g, spool.used_since_g = (round(max(v + grams, 0.0), 1) for v in (spool.used_g, spool.used_since_g))
    spool.save(update_fields=["used_g", "used_since_g"])


def _unpaused(run: Run, moment: datetime) -> None:
    assert run.paused_since is not None
    run.paused_s += max((moment - run.paused_since).total_seconds(), 0.0)
    run.paused_since = None


def _freeze(run: Run) -> None:
    """Parts that are being printed or are good keep their geometry; the others are free again."""
    _settle(list(run.parts.all()))


def _settle(parts: Sequence[RunPart]) -> None:
    made = made_parts({p.piece_id for p in parts if p.piece_id})
    for part in parts:
        if part.piece_id is None:
            continue
        if part.part in made.get(part.piece_id, ()):
            FrozenPart.objects.get_or_create(piece_id=part.piece_id, part=part.part, defaults={"print_hash": part.print_hash})
        else:
            FrozenPart.objects.filter(piece_id=part.piece_id, part=part.part).delete()


def _expect(run: Run, *states: str) -> None:
    if run.state not in states:
        raise Changed(f"{run.name} is {run.state} by now. It has been loaded anew.")


def _moment(at: datetime | None) -> datetime:
    now = timezone.now()
    moment = at or now
    if (moment - now).total_seconds() > _FORWARD_S:
        raise RecipeProblem("That time is still to come. Look at the clock of the device you press this on.", "at")
    return moment


def _clock(moment: datetime) -> str:
    return timezone.localtime(moment).strftime("%d %b %H:%M")


def _called(plate: Plate) -> str:
    """What a run is called in the log: its parts, which say more than a plate's number does a week later."""
    names = [p.name for p in plate.parts]
    return names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"
