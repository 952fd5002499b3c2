"""The shelf: bottles and their lots, what is in each vat, and mixes weighed out."""

from wideberth.core.shelf.file import ShelfFile, as_json, shelf_path
from wideberth.core.shelf.shelf import (
    EMPTY,
    Bottle,
    Shelf,
    Vat,
    corrected,
    emptied,
    of_resin,
    on_shelf,
    poured,
    poured_back,
    stirred,
    taken_away,
    used_up,
)
from wideberth.core.shelf.weighing import Portion, weighed_out

__all__ = [
    "EMPTY",
    "Bottle",
    "Portion",
    "Shelf",
    "ShelfFile",
    "Vat",
    "as_json",
    "corrected",
    "emptied",
    "of_resin",
    "on_shelf",
    "poured",
    "poured_back",
    "shelf_path",
    "stirred",
    "taken_away",
    "used_up",
    "weighed_out",
]
