"""The state that all views look at."""

from wideberth.desktop.session.cursor import LAYER_KEYS
from wideberth.desktop.session.session import Session
from wideberth.desktop.session.sight import Coloured
from wideberth.desktop.session.tool import Canvas, Spot, SpotTool, Tool

__all__ = ["LAYER_KEYS", "Canvas", "Coloured", "Session", "Spot", "SpotTool", "Tool"]
