"""The decisions of the cut."""

from dataclasses import dataclass

from bastion_core.cut.parting import OF_FILE, Cut
from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.errors import RecipeProblem
from bastion_core.findings import counted, say

MOST_CUTS = 60


@dataclass(frozen=True)
class CutRecipe(Recipe):
    """For which printers a piece is parted, and where."""

    printer_ids: tuple[int, ...] = decision(
        (), "Printers to cut for", because="the printers", empty="all", shown=lambda ids: say(counted(len(ids), "printer"))
    )
    """Numbers of the shop's printers; empty for all of them."""
    cuts: tuple[Cut, ...] | None = decision(
        None, "Planes", because="the cuts", nothing="as proposed", shown=lambda cuts: say(counted(len(cuts), "plane"))
    )
    """The maker's planes, or None for the proposal."""
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
