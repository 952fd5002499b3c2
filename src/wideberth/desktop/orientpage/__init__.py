"""The page of ways up: the sphere of directions as a chart, and picks side by side."""

from wideberth.desktop.orientpage.page import OrientPage

__all__ = ["OrientPage"]
