"""A pole gauge to print: a paddle that holds one disc between two marked sides, so that every other magnet is set the right way round."""

from shapely import Point, box
from shapely.affinity import translate
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.solid import Solid, prism
from bastion_core.join.marks import letters_drawn
from bastion_core.pieces.hardware import GLUE_MM
from bastion_core.statics.magnets import Disc

_LONG_MM, _RIM_MM, _FLOOR_MM, _MARK_MM, _DEEP_MM = 56.0, 5.0, 0.8, 9.0, 0.4


def pole_gauge(disc: Disc, gap_mm: float) -> Solid:
    """The paddle as it lies on the bed: the disc goes into the side marked +, a thin floor lets the side marked - pull through it."""
    wide = disc.diameter_mm + 2 * _RIM_MM
    wide = max(wide, _MARK_MM + 4)
    high = disc.thick_mm + GLUE_MM + _FLOOR_MM
    body = prism(box(0, 0, _LONG_MM, wide).buffer(-3).buffer(3), 0.0, high)
    at = (wide / 2, wide / 2)
    pocket = prism(Point(*at).buffer(disc.diameter_mm / 2 + gap_mm, quad_segs=24), _FLOOR_MM, high + 1)
    plus = prism(_mark("+", wide), high - _DEEP_MM, high + 1)
    minus = prism(_mark("-", wide), -1.0, _DEEP_MM)
    return body.minus([pocket, plus, minus])


def _mark(text: str, wide: float) -> BaseGeometry:
    drawn = letters_drawn(text, _MARK_MM).buffer(0.3)
    low_x, low_y, high_x, high_y = drawn.bounds
    return translate(drawn, _LONG_MM - wide / 2 - 2 - (low_x + high_x) / 2, wide / 2 - (low_y + high_y) / 2)
