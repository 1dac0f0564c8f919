"""Metric screws and what goes with them. Sizes of standards are from memory; check them against the standard before others rely on them."""

from dataclasses import dataclass

from bastion_core.errors import RecipeProblem


@dataclass(frozen=True)
class Thread:
    """A metric screw and what goes with it, in mm."""

    name: str
    nominal_mm: float
    clearance_hole_mm: float
    """ISO 273:1979, medium."""
    head_mm: float
    """Width of a cylinder head with a hexagon socket: ISO 4762, greatest dk of plain heads."""
    head_height_mm: float
    """ISO 4762, greatest k."""
    key_mm: float
    """Across flats of its hexagon key: ISO 4762."""
    nut_mm: float
    """Across flats of its hexagon nut: ISO 4032."""
    nut_height_mm: float
    """ISO 4032, greatest m."""
    insert_hole_mm: float
    """Hole a heat-set insert is melted into, for inserts of the ordinary sizes; common practice, no source: the insert's own sheet rules."""
    insert_mm: float
    """Its length; common practice, no source."""
    insert_wall_mm: float
    """Plastic round the hole, so that it does not burst; common practice, no source."""
    wing_mm: float
    """Over the wings of a wing nut; from memory of DIN 315: measure your own."""
    wing_height_mm: float


THREADS: dict[str, Thread] = {
    t.name: t
    for t in (
        Thread("M2", 2.0, 2.4, 3.8, 2.0, 1.5, 4.0, 1.6, 3.2, 3.0, 1.4, 12.0, 6.0),
        Thread("M2.5", 2.5, 2.9, 4.5, 2.5, 2.0, 5.0, 2.0, 4.0, 4.0, 1.5, 16.0, 8.0),
        Thread("M3", 3.0, 3.4, 5.5, 3.0, 2.5, 5.5, 2.4, 4.0, 5.5, 1.6, 16.0, 8.0),
        Thread("M4", 4.0, 4.5, 7.0, 4.0, 3.0, 7.0, 3.2, 5.6, 8.0, 2.1, 20.0, 10.5),
        Thread("M5", 5.0, 5.5, 8.5, 5.0, 4.0, 8.0, 4.7, 6.4, 9.5, 2.6, 26.0, 13.0),
        Thread("M6", 6.0, 6.6, 10.0, 6.0, 5.0, 10.0, 5.2, 8.0, 11.5, 3.0, 33.0, 17.0),
    )
}
SCREW_LENGTHS_MM = (3, 4, 5, 6, 8, 10, 12, 16, 20, 25, 30, 35, 40, 45, 50)
"""Nominal lengths of ISO 4762, of all five sizes together; short ones are not made of thick sizes, which seams never ask for."""
INSERT_FREE_MM = 1.0
"""Left under an insert for melted plastic and the end of the screw; common practice, no source."""
DRIVER_MM = 30.0
"""Straight room a hexagon key wants over a head; common practice, no source."""


def thread(name: str) -> Thread:
    """The screw of that name; RecipeProblem naming those there are."""
    try:
        return THREADS[name]
    except KeyError:
        raise RecipeProblem(f"“{name}” is no screw known here. There are: {', '.join(THREADS)}.", "joints") from None


def screw_length(least_mm: float, most_mm: float) -> float | None:
    """The longest screw that is sold between two lengths; None where there is none.

    >>> screw_length(7.5, 9.7)
    8.0
    """
    fitting = [n for n in SCREW_LENGTHS_MM if least_mm <= n <= most_mm]
    return float(fitting[-1]) if fitting else None
