"""The support step: its panel, its leaves, and the tool that edits tips in the 3D view."""

from wideberth.desktop.steps.support.step import SupportStep

__all__ = ["SupportStep"]
