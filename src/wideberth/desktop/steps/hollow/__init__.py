"""The hollow step: its panel, its leaves, and what it does by itself."""

from wideberth.desktop.steps.hollow.step import HollowStep

__all__ = ["HollowStep"]
