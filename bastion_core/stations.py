"""All stations, in the order of the work. A new one is a folder and a line here."""

from typing import Any

from bastion_core.assemble.station import AssembleStation
from bastion_core.cut.station import CutStation
from bastion_core.engine.graph import in_order
from bastion_core.engine.recipe import Recipe, registered
from bastion_core.engine.station import Station
from bastion_core.finish.station import FinishStation
from bastion_core.fit.motion_station import MotionStation
from bastion_core.fit.station import FitStation
from bastion_core.join.station import JoinStation
from bastion_core.measure.station import MeasureStation
from bastion_core.pieces.station import PiecesStation
from bastion_core.plates.station import PlatesStation
from bastion_core.print.station import PrintStation

STATIONS: tuple[Station[Any, Any, Any], ...] = (
    MeasureStation(), PiecesStation(), FitStation(), CutStation(), JoinStation(), PrintStation(), AssembleStation(),
    FinishStation(),
)  # fmt: skip
"""Of a piece."""
BUILD_STATIONS: tuple[Station[Any, Any, Any], ...] = (MotionStation(), PlatesStation())
"""Of a build."""
RECIPES: tuple[type[Recipe], ...] = tuple(s.recipe for s in STATIONS if s.recipe is not None)
BUILD_RECIPES: tuple[type[Recipe], ...] = tuple(s.recipe for s in BUILD_STATIONS if s.recipe is not None)
DECISIONS = registered(RECIPES)
"""Which recipe each decision of a piece belongs to."""
BUILD_DECISIONS = registered(BUILD_RECIPES)
in_order(STATIONS)
in_order(BUILD_STATIONS)
