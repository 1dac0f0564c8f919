"""The decisions of the cut."""

import hashlib
from dataclasses import dataclass

from bastion_core.cut.aims import AIMS, Aim
from bastion_core.cut.parting import OF_FILE, Cut
from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.errors import RecipeProblem
from bastion_core.findings import counted, say

MOST_CUTS = 60
MOST_BOW_MM = 30.0
"""Over 100 mm: past this a cut runs along the walls rather than through them; common practice, no source."""


KEEP_OUT_MM = 25.0
"""How far such a place reaches where nothing is said."""


@dataclass(frozen=True)
class KeepOut:
    """A place no seam may run through: a ball in the piece's own upright millimetres at scale 1."""

    at_mm: tuple[float, float, float]
    radius_mm: float = KEEP_OUT_MM

    def __post_init__(self) -> None:
        if not 1.0 <= self.radius_mm <= 500.0:
            raise RecipeProblem("A place to keep seams out of reaches 1 to 500 mm round.", "keep_out")


def _numbers(text: str, count: int) -> tuple[float, ...]:
    found = tuple(float(v) for v in text.split(","))
    if len(found) != count:
        raise ValueError(text)
    return found


def _keep_out(text: str) -> KeepOut:
    place, radius = text.split(":")
    x, y, z = _numbers(place, 3)
    return KeepOut((x, y, z), float(radius))


def _plane(text: str) -> Cut:
    point, normal = (_numbers(part, 3) for part in text.split(":"))
    (x, y, z), (u, v, w) = point, normal
    return Cut("p" + hashlib.sha256(text.encode()).hexdigest()[:8], (x, y, z), (u, v, w))


@dataclass(frozen=True)
class CutRecipe(Recipe):
    """For which printers a piece is parted, and where."""

    printer_ids: tuple[int, ...] = decision(
        (), "Printers to cut for", because="the printers", empty="all", shown=lambda ids: say(counted(len(ids), "printer"))
    )
    """Numbers of the shop's printers; empty for all of them."""
    cuts: tuple[Cut, ...] | None = decision(
        None, "Planes", because="the cuts", nothing="as proposed", shown=lambda cuts: say(counted(len(cuts), "plane")),
        flag=Flag("--plane", "a plane of your own, by a point and a direction in the piece's own mm; once for each, in order", _plane, True,
                  hold="X,Y,Z:NX,NY,NZ"),
    )  # fmt: skip
    """The maker's planes, or None for the proposal."""
    aim: Aim = decision(
        "least", "Plan", because="the plan", choices=tuple(AIMS), shown=lambda aim: say(AIMS[aim]),
        flag=Flag("--aim", "which of the proposed plans"),
    )  # fmt: skip
    """Which plan is proposed: it is found again for another scale."""
    keep_out: tuple[KeepOut, ...] = decision(
        (), "No seam here", because="where no seam may run", shown=lambda places: say(counted(len(places), "place")),
        flag=Flag("--keep-out", "a place no seam may run through, in the piece's own mm", _keep_out, True, hold="X,Y,Z:RADIUS"),
    )  # fmt: skip
    as_one: tuple[str, ...] = decision(
        (), "Printed as one", because="what is printed as one", empty="every file for itself", shown=lambda ids: say(counted(len(ids), "face") + " closed"),
        flag=Flag("--as-one", "files of a set to print as one across their common face, like 1-2", str, True, hold="A-B"),
    )  # fmt: skip
    """Faces between files of a set that are closed for printing, by the ids of their mates."""

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.cuts or ()) > MOST_CUTS:
            raise RecipeProblem(f"More than {MOST_CUTS} planes. Delete some.", "cuts")
        seen: set[str] = set()
        for cut in self.cuts or ():
            if not cut.id or cut.id in seen or cut.id.startswith(OF_FILE):
                raise RecipeProblem("Each plane needs a name of its own. Delete the plane and set it again.", "cuts")
            seen.add(cut.id)
            if not all(abs(v) < 1e5 for v in (*cut.point, *cut.normal)):
                raise RecipeProblem(f"Plane {cut.id} lies further away than any piece reaches.", "cuts")
            if max(abs(v) for v in cut.normal) < 1e-9:
                raise RecipeProblem(f"Plane {cut.id} has no direction. Give its normal at least one component other than 0.", "cuts")
            if not abs(cut.bow_mm) <= MOST_BOW_MM:
                raise RecipeProblem(f"Plane {cut.id} is bowed by more than {MOST_BOW_MM:g} mm over 100 mm. Bow it less.", "cuts")
