"""The split step: its panel and its leaves."""

from wideberth.desktop.steps.split.step import SplitStep

__all__ = ["SplitStep"]
