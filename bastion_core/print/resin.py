"""A part made of resin instead: whether it fits, millilitres, hours, hands, where it is too thin, and whether it is worth it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bastion_core.cut.beds import SIX_SIDES, Lying, hull_points, lie_on
from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import turn_to_down
from bastion_core.geometry.solid import Solid
from bastion_core.geometry.walls import thinnest_wall_mm
from bastion_core.print.estimate import Estimate
from bastion_core.print.hands import SCAR_MIN_PER_CM2, Hands
from bastion_core.print.shows import faces_that_show
from bastion_core.print.supports import Holding, hanging
from bastion_core.shop import HANDS_WEIGH, Printer

TILT_DEG = 30.0
"""Parts stand tilted on thin supports, so that no layer is a broad face that is hard to peel; common practice, no source."""
_RAISED_MM = 5.0
_BOTTOM_LAYERS, _BOTTOM_S = 6, 30.0
"""The first layers stick by longer light; common practice, no source."""
_SUPPORT_SHARE = 0.15
"""Resin in supports, of the part's; common practice, no source."""
HOLLOW_WALL_MM, _HOLLOW_FROM_MM, _HOLLOW_FROM_MM3 = 2.0, 6.0, 20_000.0
"""A part thicker and larger than these is hollowed to such a wall, with two drains; common practice, no source."""
BRITTLE_MM = 1.2
"""Thinner walls of cured resin break in use; common practice, no source."""
WASH_AND_CURE_H, _HANDLING_MIN = 0.5, 10.0
"""Washing, drying and curing after the print, and the hands it takes; common practice, no source."""


@dataclass(frozen=True)
class InResin:
    """What a part takes in resin."""

    printer: str
    hours: float
    """Of the printer; washing and curing come after."""
    ml: float
    layers: int
    hollow: bool
    """Whether it is reckoned as hollow, with drains."""
    hands: Hands
    hands_h: float
    scars_cm2: float
    thinnest_mm: float | None
    brittle: bool
    down: tuple[float, float, float]

    def gain_h(self, filament: Estimate, hands: Hands) -> float:
        """Machine hours that it saves, an hour of hands weighed as ``HANDS_WEIGH`` of them; below 0 where filament is better."""
        return filament.hours - self.hours - WASH_AND_CURE_H + HANDS_WEIGH * (hands.all_h - self.hands.all_h)

    def estimate(self, printer: Printer) -> Estimate:
        """The same as an estimate of a printer, without filament."""
        exposed = (self.layers * printer.exposure_s + _BOTTOM_LAYERS * (_BOTTOM_S - printer.exposure_s)) / 3600
        return Estimate(self.hours, 0.0, 0.0, 0.0, self.layers, {"exposure": exposed, "lift": self.hours - exposed})


def _tilted() -> list[Floats]:
    """Each of six sides down, tilted toward each of its neighbours."""
    sides = np.array(SIX_SIDES)
    found = []
    for side in sides:
        for toward in sides:
            if abs(float(side @ toward)) < 0.5:
                found.append(np.cos(np.radians(TILT_DEG)) * side + np.sin(np.radians(TILT_DEG)) * toward)
    return found


def in_resin(solid: Solid, cut_normals: Sequence[Floats], printers: Sequence[Printer]) -> tuple[InResin, Printer, Lying] | None:
    """The quickest that a resin printer makes it, standing tilted; None where none takes it."""
    hull = hull_points(solid.mesh().vertices)
    best: tuple[float, Lying, Printer] | None = None
    for printer in printers:
        for down in _tilted():
            lying = lie_on(hull, (float(down[0]), float(down[1]), float(down[2])), printer)
            if lying is None or lying.size_mm[2] + _RAISED_MM > printer.z_mm:
                continue
            seconds = (lying.size_mm[2] + _RAISED_MM) / printer.resin_layer_mm * (printer.exposure_s + printer.lift_s)
            if best is None or seconds < best[0] - 1e-6:
                best = seconds, lying, printer
    if best is None:
        return None
    _, lying, printer = best
    layers = int(np.ceil((lying.size_mm[2] + _RAISED_MM) / printer.resin_layer_mm))
    seconds = layers * (printer.exposure_s + printer.lift_s) + _BOTTOM_LAYERS * (_BOTTOM_S - printer.exposure_s)
    volume, mesh = solid.volume, solid.mesh()
    surface = float(np.linalg.norm(mesh.area_vectors, axis=1).sum())
    thick = 2 * volume / max(surface, 1e-9)
    hollow = volume > _HOLLOW_FROM_MM3 and thick > _HOLLOW_FROM_MM
    printed = min(volume, surface * HOLLOW_WALL_MM) if hollow else volume
    turned = simplified(mesh, 20_000).transformed(turn_to_down(np.array(lying.down)))
    held = hanging(turned, Holding())
    shows = faces_that_show(turned, [turn_to_down(np.array(lying.down))[:3, :3] @ n for n in cut_normals])
    lengths = np.linalg.norm(turned.area_vectors, axis=1)
    scars = float(lengths[held.faces][shows[held.faces]].sum()) / 100
    hands = Hands(_HANDLING_MIN / 60, SCAR_MIN_PER_CM2 * scars / 60, 0.0)
    thin = thinnest_wall_mm(mesh)
    made = InResin(
        printer.name, seconds / 3600, printed * (1 + _SUPPORT_SHARE) / 1000, layers, hollow, hands, round(hands.all_h, 3),
        round(scars, 1), thin, thin is not None and thin < BRITTLE_MM, lying.down,
    )  # fmt: skip
    return made, printer, lying
