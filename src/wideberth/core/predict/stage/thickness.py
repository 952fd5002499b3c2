"""Thickness: walls and gaps of a part at its size, before it is cut or hollowed."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Mesh, Thickness, measure_thickness
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class ThicknessInput:
    """mesh : sized."""

    mesh: Mesh


def thickness(of: ThicknessInput, _: Progress) -> Thickness:
    """See `measure_thickness`."""
    return measure_thickness(of.mesh)
