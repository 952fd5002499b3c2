"""The drain step: its panel, its leaves, and what it does by itself."""

from wideberth.desktop.steps.drain.step import DrainStep

__all__ = ["DrainStep"]
