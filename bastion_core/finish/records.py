"""The finish of a piece as it is kept and told."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from bastion_core.findings import NOTHING, Said
from bastion_core.finish.chain import Fails, Step
from bastion_core.finish.offers import Beside, FinishOffer
from bastion_core.finish.plan import FinishPlan, Needed
from bastion_core.finish.regions import Region, Regions
from bastion_core.finish.surface import Skin

SCHEMA = 1
LOOK = "regions.glb"
GLUED = "glued"


@dataclass(frozen=True)
class Mended:
    """A fault that was told, and what it costs."""

    kind: str
    name: str
    hands_h: float
    wait_h: float


@dataclass(frozen=True)
class FinishResult:
    """What a finish takes."""

    hands_h: float
    wait_h: float
    days_least: int
    cans: int
    outside_mm2: float
    steps: int
    products: tuple[Needed, ...]
    fails: tuple[Fails, ...] = ()
    left: tuple[str, ...] = ()
    spoilt: tuple[str, ...] = ()
    missed: tuple[str, ...] = ()
    mended: tuple[Mended, ...] = ()
    softens_deg_c: float | None = None
    """Of what a sander goes over; None where there is none."""
    isocyanates: bool = False
    impossible: Said = NOTHING


@dataclass(frozen=True)
class RegionRecord:
    """A region with the school it gets."""

    region: Region
    school: str
    asked: str
    """The school that was decided for it; another is taken where that does not go."""
    hands_h: float


@dataclass(frozen=True)
class FinishData:
    """Everything on the page."""

    regions: tuple[RegionRecord, ...] = ()
    steps: tuple[Step, ...] = ()
    by_kind: dict[str, float] | None = None
    """Hours of hands by kind."""
    bench_h: float = 0.0
    bench_from_h: float = 0.0
    offers: tuple[FinishOffer, ...] = ()
    beside: tuple[Beside, ...] = ()


def finish_record(skin: Skin, regions: Regions, plan: FinishPlan) -> dict[str, Any]:
    """A finish as ``finish.json`` has it."""
    return {
        "schema": SCHEMA,
        "area_mm2": round(skin.whole_mm2, 1),
        "outside_mm2": round(float(skin.areas[skin.outside].sum()), 1),
        "regions": [
            {"name": r.name, "kind": r.kind, "area_mm2": r.area_mm2, "step_mm": {"mean": r.step_mm.mean, "p95": r.step_mm.p95}}
            for r in regions.regions
        ],
        "stair_mm3": round(skin.stair_mm3, 1),
        "seam_mm": round(sum(skin.closed_mm), 1),
        **steps_record(plan.steps, plan.products, plan.hands_h, plan.wait_h, plan.days_least),
    }


def steps_record(steps: Sequence[Step], products: Sequence[Needed], hands_h: float, wait_h: float, days_least: int) -> dict[str, Any]:
    """Steps and totals."""
    return {
        "steps": [
            {
                "what": s.what, "region": s.region, "product": s.product or None, "amount": round(s.amount, 2), "unit": s.unit or None,
                "hands_min": round(s.hands_min, 2), "wait_h": round(s.wait_h, 3), "grit": s.grit, "how": s.how, "caution": s.caution,
                "start_h": round(s.start_h, 3),
            }
            for s in steps
        ],
        "totals": {
            "hands_h": round(hands_h, 3), "wait_h": round(wait_h, 3), "days_least": days_least,
            "products": [{"name": n.name, "amount": n.amount, "unit": n.unit, "packs": n.packs, "pack": n.pack} for n in products],
        },
    }  # fmt: skip
