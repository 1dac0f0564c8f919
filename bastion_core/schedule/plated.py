"""Plates as the calendar knows them, and the same question with something of the whole build changed."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from bastion_core.plates.records import Plate
from bastion_core.schedule.model import Asked, Need


def needs_of(plates: Sequence[Plate]) -> tuple[Need, ...]:
    """What the calendar has to know of plates."""
    return tuple(
        Need(
            p.id, p.name, {n: t.hours for n, t in p.on.items() if t.hours > 0}, f"{p.material}|{p.colour}", 0.0 if p.resin else p.grams, p.must
        )
        for p in plates
    )  # fmt: skip


def without(asked: Asked, plates: Sequence[Plate], pieces: set[int]) -> Asked:
    """The same without some pieces; of a plate shared with others its share of the hours stays."""
    return scaled(asked, plates, dict.fromkeys(pieces, (0.0, 0.0)))


def scaled(asked: Asked, plates: Sequence[Plate], ratios: Mapping[int, tuple[float, float]]) -> Asked:
    """The same with hours and grams of each piece times its ratios; a plate of which nothing stays is gone."""
    needs = []
    for need, plate in zip(asked.needs, plates, strict=True):
        total = max(sum(p.hours for p in plate.parts), 1e-9)
        h, g = (sum(p.hours * ratios.get(p.piece, (1.0, 1.0))[k] for p in plate.parts) / total for k in (0, 1))
        if h > 0:
            needs.append(replace(need, hours={n: hours * h for n, hours in need.hours.items()}, grams=need.grams * g))
    return replace(asked, needs=tuple(needs))


def with_another(asked: Asked, like: str) -> Asked:
    """The same with a printer more, like one there is."""
    name = f"another {like}"
    needs = tuple(replace(n, hours={**n.hours, **({name: n.hours[like]} if like in n.hours else {})}) for n in asked.needs)
    # It is new: the shop's pace, and the printer's it is like where that is known.
    factor = {**asked.factor, **{f"{name}{k[len(like) :]}": v for k, v in asked.factor.items() if k == like or k.startswith(f"{like}|")}}
    # It comes with filament of its own: printers would only wait for each other's spools.
    spools = {stuff: count + 1 if count else 0 for stuff, count in asked.spools.items()}
    return replace(asked, needs=needs, printers=(*asked.printers, name), factor=factor, spools=spools)
