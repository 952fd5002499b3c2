"""Footprint: what a part covers of the plate, seen from above."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Mesh
from wideberth.core.plate import Footprint, footprint_of
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class FootprintInput:
    """Set down round the part's own place, neither turned nor mirrored. drawn : a stand-in of the outer surface, or that
    itself."""

    outer: Mesh
    supports: Mesh | None
    drawn: Mesh


def footprint(of: FootprintInput, _: Progress) -> Footprint:
    """Outlines of part and supports, and the cells of both."""
    return footprint_of(of.outer, of.supports, of.drawn)
