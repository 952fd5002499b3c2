"""The findings list."""

from wideberth.desktop.findings.view import FindingsView

__all__ = ["FindingsView"]
