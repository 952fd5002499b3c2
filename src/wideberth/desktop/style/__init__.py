"""Colours, type and symbols: every look-and-feel constant."""

from wideberth.desktop.style.hatches import hatch_icon
from wideberth.desktop.style.pages import SheetPage
from wideberth.desktop.style.palette import BODIES, DAY, Palette
from wideberth.desktop.style.plain import ElidedLabel, PlainGrid, PlainLabel, tip, worded
from wideberth.desktop.style.polygon import polygon
from wideberth.desktop.style.sheet import apply_style, style_sheet, typeface
from wideberth.desktop.style.symbols import draw_cased, draw_severity, draw_waypoint
from wideberth.desktop.style.tables import reading_table

__all__ = [
    "BODIES",
    "DAY",
    "ElidedLabel",
    "Palette",
    "PlainGrid",
    "PlainLabel",
    "SheetPage",
    "apply_style",
    "draw_cased",
    "draw_severity",
    "draw_waypoint",
    "hatch_icon",
    "polygon",
    "reading_table",
    "style_sheet",
    "tip",
    "typeface",
    "worded",
]
