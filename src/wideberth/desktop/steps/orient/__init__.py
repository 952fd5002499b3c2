"""The orient step: its panel, its leaves, and what it does by itself."""

from wideberth.desktop.steps.orient.step import OrientStep

__all__ = ["OrientStep"]
