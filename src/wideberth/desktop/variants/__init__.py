"""The variants tray: states of the job side by side."""

from wideberth.desktop.variants.page import VariantsPage

__all__ = ["VariantsPage"]
