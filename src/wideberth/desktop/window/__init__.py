"""Main window, course, verdict strip and status line."""

from wideberth.desktop.window.main_window import MainWindow

__all__ = ["MainWindow"]
