"""The height log."""

from wideberth.desktop.heightlog.view import HeightLog

__all__ = ["HeightLog"]
