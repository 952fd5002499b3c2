"""The plate step: its panel, its leaves, and what it does by itself."""

from wideberth.desktop.steps.plate.facts import PlateFacts
from wideberth.desktop.steps.plate.hands import Hands
from wideberth.desktop.steps.plate.step import PlateStep

__all__ = ["Hands", "PlateFacts", "PlateStep"]
