"""Why prints fail: what a maker ticks, whether that speaks of the printer, and what is usually done about it. Common practice, no source."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Cause:
    """A cause as it is ticked. ``printer``: whether it counts against the printer, or was the maker's doing."""

    key: str
    name: str
    printer: bool
    do: str


CAUSES: dict[str, Cause] = {
    c.key: c
    for c in (
        Cause("lost_bed", "Lost the bed", True, "Clean the bed, a brim, a slower first layer, no draught."),
        Cause("knocked", "Knocked loose", True, "Lay it flatter or in two halves, or print it where the bed does not move."),
        Cause("support", "Support mess", True, "Branching supports, a slower first layer of them, or lay it otherwise."),
        Cause("under", "Under-extrusion", True, "Dry the spool, look at the nozzle, print slower or hotter."),
        Cause("warped", "Warped", True, "A brim, a warmer bed, no draught; less infill."),
        Cause("ran_out", "Ran out", False, "Weigh the spool before long prints."),
        Cause("power", "Power", False, "Nothing to do with the print."),
        Cause("wrong_file", "Wrong file", False, "Look at the picture of the plate before starting it."),
        Cause("wrong_scale", "Wrong scale", False, "Measure the first layer against the plate’s drawing."),
        Cause("stopped", "Stopped by hand", False, ""),
    )
}
