"""The plate: where each part stands."""

from wideberth.core.plate.align import Boxes, Line, evenly_spread, in_line
from wideberth.core.plate.footprint import (
    Footprint,
    Loops,
    Stance,
    Stood,
    covers,
    footprint_of,
    moved_outline,
    silhouette,
    standing_loops,
    standing_outline,
    touch,
    turned_outline,
)
from wideberth.core.plate.outline import CellSizes, Outline, outline_of
from wideberth.core.plate.pack import Goal, Item, Packed, pack

__all__ = [
    "Boxes",
    "CellSizes",
    "Footprint",
    "Goal",
    "Item",
    "Line",
    "Loops",
    "Outline",
    "Packed",
    "Stance",
    "Stood",
    "covers",
    "evenly_spread",
    "footprint_of",
    "in_line",
    "moved_outline",
    "outline_of",
    "pack",
    "silhouette",
    "standing_loops",
    "standing_outline",
    "touch",
    "turned_outline",
]
