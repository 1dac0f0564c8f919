"""Tables of the trade that pages choose from, as the core and the shop know them."""

from dataclasses import dataclass

from drf_spectacular.utils import extend_schema
from rest_framework.decorators import api_view
from rest_framework.response import Response

from bastion_core import __version__
from bastion_core.assemble.recipe import PUT_KINDS, PutIn
from bastion_core.assemble.table import INSIDES
from bastion_core.cut.aims import AIMS
from bastion_core.cut.recipe import KEEP_OUT_MM, MOST_BOW_MM
from bastion_core.engine.keeping import plain
from bastion_core.finish.pace import LEAST_MIN, MOST_MIN, TEACHES_FROM_MIN
from bastion_core.finish.recipe import OwnRegion
from bastion_core.finish.table import FAULTS, HAND_KINDS, JUMPS, PACES, PRIMERS, PRODUCTS, REGION_NAMES, SCHOOLS, TARGETS, Product
from bastion_core.fit.bays import PLACES
from bastion_core.fit.layers import LAYERS, WHERES
from bastion_core.fit.movement import LEAST_DOWN_DEG
from bastion_core.fit.sites import WAYS_IN
from bastion_core.fit.suit import OUT_OF_PROPORTION
from bastion_core.join.ballast import Ballast
from bastion_core.join.coupon import LADDERS
from bastion_core.join.moving import MOVES, STRIPS_MM, Moving
from bastion_core.join.rods import AXES, Rod
from bastion_core.join.table import GLUES, KINDS, SCREWED
from bastion_core.measure.table import SITES
from bastion_core.pieces.hardware import MAGNETS_MM, usual_uses
from bastion_core.print.profile import LAYER_HEIGHTS_MM
from bastion_core.print.recipe import SPOT_MM
from bastion_core.print.sanding import PRIMER_FILLS_MM
from bastion_core.statics.fills import FILLS
from bastion_core.statics.stock import usual_stock
from bastion_core.stations import STATIONS
from bastion_core.threads import THREADS
from bastion_core.units import MM_PER_UNIT
from bastion_site.api.records import StationRecord, UsualBay
from bastion_site.shop.models import Shop
from bastion_site.wire import DecisionRecord, decision_records, wire


@dataclass(frozen=True)
class Ladder:
    """A row of the clearance coupon: where what fitted is kept, what is tried, the steps in mm."""

    field: str
    name: str
    steps_mm: tuple[float, ...]


@dataclass(frozen=True)
class Finishing:
    """What a surface is made smooth with, by codes."""

    schools: dict[str, str]
    targets: dict[str, str]
    primers: dict[str, str]
    paces: dict[str, str]
    jumps: dict[str, str]
    """Of grits."""
    kinds: dict[str, str]
    """Of regions."""
    faults: dict[str, str]
    hands: dict[str, str]
    products: tuple[Product, ...]
    new_region: OwnRegion
    """As the page begins with."""
    minutes: tuple[float, float]
    """That a step may take."""
    teaches_from_min: float
    """Shorter steps say nothing of a pace."""


@dataclass(frozen=True)
class Trade:
    """What there is to choose from, and which version of the application tells it."""

    version: str
    stations: tuple[StationRecord, ...]
    decisions: tuple[DecisionRecord, ...]
    sites: tuple[str, ...]
    units: tuple[str, ...]
    ways_in: tuple[str, ...]
    layers: dict[str, float]
    wheres: tuple[str, ...]
    bays: tuple[UsualBay, ...]
    places: tuple[str, ...]
    uses: dict[str, str]
    """What goes into holes, by its code."""
    layer_heights_mm: tuple[float, ...]
    primer_fills_mm: float
    spot_mm: float
    """How far a place with or without support reaches round."""
    keep_out_mm: float
    """How far a place without a seam reaches round."""
    aims: dict[str, str]
    """What a plan to part a piece may be best for, by its code."""
    kinds: dict[str, str]
    """How a seam may be held, by its code."""
    threads: tuple[str, ...]
    """Screws that lugs are made for."""
    screwed: tuple[str, ...]
    """Codes of those that take a screw of some size."""
    discs: tuple[str, ...]
    """Magnets that are sold, diameter x thickness in mm."""
    rods: dict[str, str]
    """Rods that are sold, by their codes, the lightest first."""
    axes: dict[str, str]
    """Along which a rod runs, by its code."""
    new_rod: Rod
    """As the page begins with; so the next two."""
    new_move: Moving
    new_ballast: Ballast
    fills: dict[str, str]
    """What cavities are filled with, by its code."""
    moves: dict[str, str]
    """How parts may move against each other, by its code."""
    strips: tuple[str, ...]
    """What strips inside of moving plates are cut of."""
    glues: dict[str, str]
    """By their codes."""
    insides: dict[str, str]
    """What an inside is covered with, by its code."""
    finish: Finishing
    put_kinds: tuple[str, ...]
    """What goes inside that the fit knows nothing of."""
    new_put: PutIn
    most_bow_mm: float
    """How far a cut may be bowed, over 100 mm."""
    ladders: tuple[Ladder, ...]
    """What is tried on a clearance coupon."""
    out_of_proportion: float
    least_down_deg: float


@extend_schema(responses=wire(Trade))
@api_view(["GET"])
def trade(request) -> Response:
    """Stations, decisions with their bounds, sites, ways in, layers, and what the shop usually puts inside."""
    tables = Trade(
        __version__,
        StationRecord.all(),
        tuple(decision_records(STATIONS)),
        SITES,
        tuple(MM_PER_UNIT),
        WAYS_IN,
        {name: row[0] for name, row in LAYERS.items()},
        WHERES,
        tuple(UsualBay(b["name"], tuple(b["size_mm"]), b["round"]) for b in Shop.current().bays),
        PLACES,
        usual_uses(),
        LAYER_HEIGHTS_MM,
        PRIMER_FILLS_MM,
        SPOT_MM,
        KEEP_OUT_MM,
        dict(AIMS),
        dict(KINDS),
        tuple(THREADS),
        SCREWED,
        tuple(f"{d}x{t}" for d, t in MAGNETS_MM if d >= 4),
        {s.code: s.name for s in usual_stock()},
        dict(AXES),
        Rod(),
        Moving(""),
        Ballast(""),
        {f.key: f.name for f in FILLS.values()},
        dict(MOVES),
        tuple(STRIPS_MM),
        {g.key: g.name for g in GLUES.values()},
        {i.key: i.name for i in INSIDES.values()},
        Finishing(
            {s.key: s.name for s in SCHOOLS.values()},
            {t.key: t.name for t in TARGETS.values()},
            {k: PRODUCTS[k].name for k in PRIMERS},
            {str(k): v for k, v in PACES.items()},
            {str(k): v for k, v in JUMPS.items()},
            dict(REGION_NAMES),
            {k: f[0] for k, f in FAULTS.items()},
            {str(k): v for k, v in HAND_KINDS.items()},
            tuple(PRODUCTS.values()),
            OwnRegion("new", "Region", ((0.0, 0.0, 0.0),)),
            (LEAST_MIN, MOST_MIN),
            TEACHES_FROM_MIN,
        ),
        PUT_KINDS,
        PutIn("battery", "", "battery"),
        MOST_BOW_MM,
        tuple(Ladder(f"{what}_mm", name, steps) for what, (name, steps) in LADDERS.items()),
        OUT_OF_PROPORTION,
        LEAST_DOWN_DEG,
    )
    return Response(plain(tables))
