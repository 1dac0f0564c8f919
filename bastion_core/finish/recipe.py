"""The decisions of the finish."""

from dataclasses import dataclass, replace
from typing import Literal

from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.errors import RecipeProblem
from bastion_core.findings import counted, say
from bastion_core.finish.table import (
    FAULTS,
    JUMPS,
    KINDS,
    LEFT_MM,
    PACES,
    PRIMERS,
    PRODUCTS,
    SCHOOLS,
    TARGETS,
    Jumps,
    Pace,
    Product,
    RegionKind,
    product,
)

Place3 = tuple[float, float, float]
_MOST = 60


@dataclass(frozen=True)
class OwnRegion:
    """A region of the maker's: places on the surface (in the piece at scale 1) and how far each grows: up to creases, or so far over the surface."""

    id: str
    name: str
    places_mm: tuple[Place3, ...]
    grow: Literal["distance", "crease"] = "distance"
    reach_mm: float = 20.0
    kind: RegionKind | None = None
    """None for what it mostly is."""
    school: str = ""
    mirrored: bool = False
    """The same on the other side."""
    pair: bool = False
    """The same on the other piece of a pair, mirrored."""
    again: bool = False
    """A check coat showed it: it is filled and primed once more."""
    left_mm: float = LEFT_MM
    """Then: how deep what is left is."""

    def __post_init__(self) -> None:
        if not self.id or not 0 < len(self.name) <= 60:
            raise RecipeProblem("A region needs a name of up to 60 letters.", "own_regions")
        if not 1 <= len(self.places_mm) <= 200:
            raise RecipeProblem(f"“{self.name}” covers nothing: set a place on the piece, up to 200 of them.", "own_regions")
        if not 0.005 <= self.left_mm <= 3:
            raise RecipeProblem(f"“{self.name}”: what is left is 0.005 to 3 mm deep.", "own_regions")
        if not 1 <= self.reach_mm <= 500:
            raise RecipeProblem(f"“{self.name}”: it grows 1 to 500 mm over the surface.", "own_regions")
        if self.kind is not None and self.kind not in KINDS:
            raise RecipeProblem(f"“{self.kind}” is no kind of region. There are: {', '.join(KINDS)}.", "own_regions")
        _school(self.school, "own_regions")

    def on_the_pair(self) -> "OwnRegion":
        """The same on the piece of the other side."""
        return replace(self, places_mm=tuple((-x, y, z) for x, y, z in self.places_mm))


def _region(text: str) -> OwnRegion:
    """NAME@X,Y,Z:REACH[=WAY]; ValueError where it is none."""
    rest, _, school = text.partition("=")
    name, _, rest = rest.partition("@")
    place, _, reach = rest.partition(":")
    x, y, z = (float(v) for v in place.split(","))
    return OwnRegion(f"own {name}", name, ((x, y, z),), reach_mm=float(reach or 20), school=school)


def _dries(text: str) -> Product:
    """PRODUCT=HOURS: when it can be sanded, as its own sheet says; ValueError where it is none."""
    key, _, told = text.partition("=")
    known, hours = product(key), float(told)
    return replace(known, sand_h=hours, thick_h=max(known.thick_h, hours))


@dataclass(frozen=True)
class Merge:
    """Two regions taken as one: by a place on each, at scale 1."""

    at_mm: Place3
    into_mm: Place3


@dataclass(frozen=True)
class Split:
    """A region parted at a place: across, along or level."""

    at_mm: Place3
    axis: Literal["x", "y", "z"] = "x"


@dataclass(frozen=True)
class SchoolFor:
    """A school for a region (by its id), or for all of a kind."""

    region: str
    school: str

    def __post_init__(self) -> None:
        _school(self.school, "schools")


@dataclass(frozen=True)
class Fault:
    """Something that went wrong at a place (at scale 1), and how far round."""

    kind: str
    at_mm: Place3
    reach_mm: float = 10.0

    def __post_init__(self) -> None:
        if self.kind not in FAULTS:
            raise RecipeProblem(f"“{self.kind}” is no fault known here. There are: {', '.join(FAULTS)}.", "faults")
        if not 1 <= self.reach_mm <= 200:
            raise RecipeProblem("A fault reaches 1 to 200 mm round.", "faults")


def _school(key: str, field: str) -> None:
    if key and key not in SCHOOLS:
        raise RecipeProblem(f"“{key}” is no way to smooth a surface. There are: {', '.join(SCHOOLS)}.", field)


@dataclass(frozen=True)
class FinishRecipe(Recipe):
    """How smooth a piece is to be, and how it gets there."""

    target: str = decision(
        "display", "Surface", because="the surface", choices=tuple(TARGETS), shown=lambda key: say(TARGETS[key].name),
        flag=Flag("--target", "how smooth it is to be"),
    )  # fmt: skip
    school: str = decision(
        "putty", "Way", because="the way it is smoothed", choices=tuple(SCHOOLS), shown=lambda key: say(SCHOOLS[key].name),
        flag=Flag("--school", "how it is smoothed"),
    )  # fmt: skip
    schools: tuple[SchoolFor, ...] = decision(
        (), "Ways by region", because="the way it is smoothed", empty="the same everywhere", shown=lambda s: say(counted(len(s), "region"))
    )
    pace: Pace = decision(
        "practised", "Pace", because="the pace", choices=tuple(PACES), shown=lambda p: say(PACES[p]),
        flag=Flag("--pace", "whose hands"),
    )  # fmt: skip
    jumps: Jumps = decision(
        "small",
        "Grit jumps",
        because="the grits",
        choices=tuple(JUMPS),
        shown=lambda j: say(JUMPS[j]),
        flag=Flag("--jumps", "how far each grit goes past the last"),
    )
    power: bool = decision(True, "Sander", because="the sander")
    primer: str = decision(
        "primer",
        "Primer",
        because="the primer",
        choices=PRIMERS,
        shown=lambda key: say(PRODUCTS[key].name),
        flag=Flag("--primer", "what it is primed with"),
    )
    own_regions: tuple[OwnRegion, ...] = decision(
        (), "Regions of your own", because="the regions", shown=lambda m: say(counted(len(m), "region")),
        flag=Flag("--region", "a region of your own: a place on it, how far it grows, how it is smoothed; once for each", _region, True,
                  hold="NAME@X,Y,Z:REACH[=WAY]"),
    )  # fmt: skip
    merged: tuple[Merge, ...] = decision((), "Regions taken together", because="the regions", shown=lambda m: say(counted(len(m), "pair")))
    splits: tuple[Split, ...] = decision((), "Regions parted", because="the regions", shown=lambda s: say(counted(len(s), "place")))
    faults: tuple[Fault, ...] = decision((), "Faults", because="the faults", shown=lambda f: say(counted(len(f), "fault")))
    products: tuple[Product, ...] = decision(
        (), "Products of your own", because="the products", shown=lambda p: say(counted(len(p), "product")),
        flag=Flag("--dries", "hours until a product can be sanded, as its own sheet says; once for each", _dries, True, hold="PRODUCT=HOURS"),
    )  # fmt: skip
    """They stand for the table's of the same key."""

    def __post_init__(self) -> None:
        super().__post_init__()
        for name in ("own_regions", "merged", "splits", "faults", "schools", "products"):
            if len(getattr(self, name)) > _MOST:
                raise RecipeProblem(f"More than {_MOST} of these. Delete some.", name)
        for name, ids in (
            ("own_regions", [m.id for m in self.own_regions]),
            ("products", [p.key for p in self.products]),
            ("schools", [s.region for s in self.schools]),
        ):
            if len(set(ids)) < len(ids):
                raise RecipeProblem("Two of these go by one name. Give each its own.", name)
        for p in self.products:
            if p.key not in PRODUCTS:
                raise RecipeProblem(f"“{p.key}” stands for no product of the table. There are: {', '.join(PRODUCTS)}.", "products")

    def mirrored(self) -> "FinishRecipe":
        """The same for the other side of a pair; what went wrong is its own."""
        across = lambda at: (-at[0], at[1], at[2])  # noqa: E731
        return replace(
            self,
            own_regions=tuple(m.on_the_pair() for m in self.own_regions),
            merged=tuple(Merge(across(m.at_mm), across(m.into_mm)) for m in self.merged),
            splits=tuple(replace(s, at_mm=across(s.at_mm)) for s in self.splits),
            faults=(),
        )

    def school_for(self, region: str, kind: str) -> str:
        """The school decided for a region: its own, its kind's, else the piece's."""
        by = {s.region: s.school for s in self.schools}
        return by.get(region) or by.get(kind) or self.school
