"""The section view."""

from wideberth.desktop.section.view import SectionView

__all__ = ["SectionView"]
