"""What an hour of a printer costs beside filament."""

POWER_W = 120.0
"""Of a printer of ordinary size while it prints, bed and hot end together; common practice (80 to 200 W), no source."""
POWER_PRICE_PER_KWH = 0.32
"""A round figure; change it in the shop."""
WEAR_PER_H = 0.15
"""Nozzles, belts, build surfaces, by the hour; common practice (0.1 to 0.3), no source."""
CORE_G = 200.0
"""An empty spool; common practice (140 to 260 g by maker), no source. Weigh one of your own."""


def hour_costs(power_w: float, price_per_kwh: float, wear_per_h: float) -> float:
    """Money an hour of printing takes."""
    return power_w / 1000 * price_per_kwh + wear_per_h
