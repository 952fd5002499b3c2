"""The page of the logbook."""

from wideberth.desktop.logpage.page import LogPage

__all__ = ["LogPage"]
