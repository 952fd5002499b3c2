"""Cup cells: the voids of all cups as cells, to be drawn."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.layers import CupCells, Printed, cup_cells
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class CupCellsInput:
    """step_mm : side of a cell."""

    printed: Printed
    step_mm: float


def cells_of_cups(of: CupCellsInput, _: Progress) -> CupCells:
    """See `cup_cells`."""
    return cup_cells(of.printed, of.step_mm)
