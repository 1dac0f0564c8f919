"""The decisions of the joints."""

from dataclasses import dataclass

from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.shop import Shop


@dataclass(frozen=True)
class JoinRecipe(Recipe):
    """How seams are held."""

    pin_diameters_mm: tuple[float, ...] | None = decision(
        None, "Pins", because="the pins", nothing="as usual", unit="mm", least=0.5, most=30.0,
        flag=Flag("--pin", "thickness of a pin to try, in mm; once for each", float, True, hold="MM"),
    )  # fmt: skip
    """Thicknesses to try; None for the usual ones."""
    pin_clearance_mm: float | None = decision(
        None, "Clearance per side", because="the pins' clearance", nothing="the shop's", unit="mm", least=0.0, most=2.0,
        flag=Flag("--pin-clearance", "mm per side between pin and hole", float, hold="MM"),
    )  # fmt: skip
    """None for the shop's."""

    def rule(self, shop: Shop) -> PinRule:
        """What holds for the pins of this piece."""
        clearance = shop.pin_clearance_mm if self.pin_clearance_mm is None else self.pin_clearance_mm
        given = {"diameters_mm": self.pin_diameters_mm} if self.pin_diameters_mm else {}
        return PinRule(clearance_mm=clearance, least_wall_mm=shop.pin_wall_mm, **given)
