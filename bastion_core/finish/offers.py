"""What else could be decided, before it is printed or while it is not: what that does to hands, cans and printers, each as a change to try."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from bastion_core.cut.plans import Alternative
from bastion_core.engine.keeping import plain
from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.finish.plan import FinishPlan, Worker, planned, with_material
from bastion_core.finish.recipe import FinishRecipe, SchoolFor
from bastion_core.finish.regions import Region
from bastion_core.finish.surface import Skin
from bastion_core.finish.table import EASY, FLEXIBLE, SCHOOLS
from bastion_core.geometry.mesh import some_of
from bastion_core.geometry.place import laid
from bastion_core.print.profile import MATERIALS
from bastion_core.print.sanding import PRIMER_FILLS_MM
from bastion_core.print.supports import Holding

Again = Callable[[Skin], Sequence[Region]]
"""Makes the regions of a skin."""
WORTH_H = 0.1
"""Less of hands is not worth telling; common practice, no source."""
_WORTH_PRINTER_H = 0.5
_WAYS, _PARTS = 2, 3


@dataclass(frozen=True)
class FinishOffer:
    """Something to decide otherwise, and what it does: differences against what is decided now."""

    key: str
    kind: str
    """layer, material, lying, seam, resin, school, jumps."""
    label: Said
    change: dict[str, Any]
    printer_h: float
    hands_h: float
    packs: int
    """Of all products, paper aside."""
    days: int
    note: Said = NOTHING


@dataclass(frozen=True)
class Beside:
    """A school for the whole piece, and what it comes to."""

    school: str
    name: str
    hands_h: float
    wait_h: float
    days: int
    bought: tuple[str, ...]
    works: bool
    """Whether all of it holds, and comes down to the target."""
    why: str = ""


def side_by_side(regions: Sequence[Region], recipe: FinishRecipe, worker: Worker) -> tuple[Beside, ...]:
    """Every school for the whole piece; the maker's own ways by region set aside."""
    told = list[Beside]()
    for key, school in SCHOOLS.items():
        material = next((r.material for r in regions if not r.resin), "")
        if school.materials and material not in school.materials:
            continue
        plan = planned(regions, replace(recipe, school=key, schools=()), worker)
        why = "; ".join([f"{f.upper} on {f.lower}: {f.happens}" for f in plan.fails] + (["stays rougher than wanted"] if plan.left else []))
        told.append(
            Beside(
                key,
                school.name,
                plan.hands_h,
                plan.wait_h,
                plan.days_least,
                tuple(_bought(plan)),
                not why and key != "leave",
                why,
            )
        )
    return tuple(sorted(told, key=lambda b: b.hands_h))


def _bought(plan: FinishPlan) -> list[str]:
    return [f"{n.packs} {n.pack}{'s' if n.packs > 1 else ''} of {n.name}" for n in plan.products if n.pack != "piece"]


@dataclass(frozen=True, eq=False)
class Now:
    """What is decided now, to compare with."""

    regions: tuple[Region, ...]
    recipe: FinishRecipe
    worker: Worker
    plan: FinishPlan

    def offer(
        self,
        key: str,
        kind: str,
        label: Said,
        change: dict[str, Any],
        regions: Sequence[Region],
        printer_h: float = 0.0,
        note: Said = NOTHING,
    ) -> FinishOffer:
        """Something decided otherwise; where it makes filling needless, without it."""
        same = planned(regions, self.recipe, self.worker)
        bare = planned(regions, replace(self.recipe, school="sand", schools=()), self.worker) if self.recipe.school != "sand" else same
        # No filler where the steps are that fine: told as part of the change.
        best, more = (bare, {"school": "sand", "schools": []}) if bare.hands_h < same.hands_h - WORTH_H and not bare.left else (same, {})
        if more:
            label = say("{}, sanded and primed without filler", label)
        return self._against(best, key, kind, label, change | more, printer_h, note)

    def _against(
        self, plan: FinishPlan, key: str, kind: str, label: Said, change: dict[str, Any], printer_h: float, note: Said
    ) -> FinishOffer:
        packs = [sum(n.packs for n in p.products if n.pack != "piece") for p in (plan, self.plan)]
        return FinishOffer(
            key, kind, label, change, round(printer_h, 2), round(plan.hands_h - self.plan.hands_h, 2),
            packs[0] - packs[1], plan.days_least - self.plan.days_least, note,
        )  # fmt: skip

    def filled(self, region: Region) -> bool:
        """Whether something is filled into a region."""
        return any(s.region_id == region.id and s.kind == "fill" for s in self.plan.steps)

    def decided(self, key: str, kind: str, label: Said, **change: Any) -> FinishOffer:
        """Another decision of the finish itself."""
        return self._against(
            planned(self.regions, replace(self.recipe, **change), self.worker), key, kind, label, plain(change), 0.0, NOTHING
        )


def of_layers(now: Now, skin: Skin, layer_mm: float, sweep: Sequence[tuple[float, float]], again: Again) -> list[FinishOffer]:
    """Other layer heights; ``sweep`` has (layer, hours of printers)."""
    printed = next((h for layer, h in sweep if abs(layer - layer_mm) < 1e-6), None)
    told = list[FinishOffer]()
    for layer, h in sweep:
        if printed is not None and abs(layer - layer_mm) > 1e-6:
            label = say("Layers of {} instead of {}", mm(layer, digits=2), mm(layer_mm, digits=2))
            regions = again(skin.in_layers(layer_mm, layer))
            told.append(now.offer(f"layer-{layer:g}", "layer", label, {"layer_mm": layer}, regions, h - printed))
    return told


def of_material(now: Now, key: str) -> list[FinishOffer]:
    """Material that is sanded more easily."""
    if key == EASY or key in FLEXIBLE or all(r.resin for r in now.regions):
        return []
    note = say("It softens at {} °C and costs more.", f"{MATERIALS[EASY].softens_deg_c:.0f}")
    return [
        now.offer(
            "material",
            "material",
            say(MATERIALS[EASY].name),
            {"material": EASY},
            with_material(now.regions, EASY),
            note=note,
        )
    ]


@dataclass(frozen=True)
class OtherLying:
    """Another way for a part to lie, as Print tells it."""

    part: str
    id: str
    called: Said
    down: tuple[float, float, float]
    more_h: float


def of_lying(
    now: Now, skin: Skin, ways: Sequence[OtherLying], again: Again, lying: Sequence[Any], holding: Holding | None
) -> list[FinishOffer]:
    """Parts laid otherwise: the surface is looked at anew with other steps and other scars. ``again`` makes regions of a skin."""
    area = {name: float(skin.areas[(skin.part == k) & skin.outside].sum()) for k, name in enumerate(skin.names)}
    told = list[FinishOffer]()
    for name in sorted({w.part for w in ways if w.part in area}, key=lambda n: -area[n])[:_PARTS]:
        for way in [w for w in ways if w.part == name][:_WAYS]:
            number = skin.names.index(name)
            own = some_of(skin.mesh, skin.part == number)
            changed = skin.relaid(number, laid(own.vertices, -np.array(way.down)), holding)
            kept = [plain(k) for k in lying if k.part != way.id]
            label = say("{}: {}", name.rpartition("-")[2] or name, way.called.small())
            told.append(
                now.offer(
                    f"lying-{way.id}-{len(told)}",
                    "lying",
                    label,
                    {"lying": [*kept, {"part": way.id, "down": list(way.down)}]},
                    again(changed),
                    way.more_h,
                )
            )
    return told


def of_seams(now: Now, plans: Sequence[Alternative], aim: str | None) -> list[FinishOffer]:
    """Other plans of the cut: their hands are reckoned by the same rates."""
    here = next((p for p in plans if aim in p.aims), None)
    if here is None:
        return []
    told = list[FinishOffer]()
    for p in plans:
        if p is here:
            continue
        label = say(f"Parted in {p.parts}, {{}} of seam that shows", mm(10 * p.seen_cm))
        told.append(
            FinishOffer(f"cut-{p.aims[0]}", "seam", label, {"aim": p.aims[0], "cuts": None}, round(p.hours - here.hours, 2), round(p.hand_h - here.hand_h, 2), 0, 0,
                  say("as the cut judges it"))
        )  # fmt: skip
    return told


def of_resin(
    now: Now, skin: Skin, better: Sequence[tuple[str, str]], layer_mm: float, again: Again, resin: Sequence[str]
) -> list[FinishOffer]:
    """Details that resin would make with less work: (id, name)."""
    told = list[FinishOffer]()
    for part_id, name in better:
        if name in skin.names:
            label = say("{} of resin", name)
            note = say("Dust and uncured resin need gloves and a fitted mask.")
            told.append(
                now.offer(
                    f"resin-{part_id}",
                    "resin",
                    label,
                    {"resin": [*resin, part_id]},
                    again(skin.in_resin(skin.names.index(name), layer_mm)),
                    note=note,
                )
            )
    return told


def of_hands(now: Now) -> list[FinishOffer]:
    """Other grits, and no filler where primer does."""
    other = "wide" if now.recipe.jumps == "small" else "small"
    told = [now.decided("jumps", "jumps", say(f"Grits in {other} jumps"), jumps=other)]
    fine = [r for r in now.regions if r.kind == "dome" and r.deep_mm <= PRIMER_FILLS_MM and not r.own and now.filled(r)]
    if fine:
        ways = (*(s for s in now.recipe.schools if s.region not in {r.id for r in fine}), *(SchoolFor(r.id, "sand") for r in fine))
        label = say(f"No filler on {' and '.join(r.name for r in fine)}: primer fills its steps")
        told.append(now.decided("fine", "school", label, schools=ways))
    return told


def worth(offers: Sequence[FinishOffer], hands_weigh: float) -> tuple[FinishOffer, ...]:
    """Those that save hands worth telling, or hours of printers that outweigh their hands; the most of hands first. An hour
    of hands weighs so many of the printer."""
    kept = [o for o in offers if o.hands_h <= -WORTH_H or (-o.printer_h > max(hands_weigh * o.hands_h, _WORTH_PRINTER_H))]
    return tuple(sorted(kept, key=lambda o: (o.hands_h, o.printer_h)))
