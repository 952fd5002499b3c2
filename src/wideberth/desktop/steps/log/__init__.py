"""The log step: its panel and its leaves."""

from wideberth.desktop.steps.log.step import LogStep

__all__ = ["LogStep"]
