"""A plate put together from its parts' own runs, each moved to where its prints stand: moving one casts nothing anew."""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import reduce

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.layers import Grid, Printed, Runs, empty, grid_over, moved_runs, on_grid, union
from wideberth.core.predict.fineness import Fineness
from wideberth.core.predict.solids import PrintSolids
from wideberth.core.predict.stage import PartRuns
from wideberth.core.predict.stages import WHOLE_ROWS_MM, Stages
from wideberth.core.progress import Progress, quiet

MOST_RAYS = 40_000_000
MOST_LAYERS = 10_000_000
"""More than any plate has: a part's own runs reach up to its top."""


def plate_grid(solids: tuple[PrintSolids, ...], bench: Bench, fineness: Fineness) -> Grid:
    """The grid over all parts and their supports.

    Raises
    ------
    BadJob : when it would be too large, as for a model in the wrong unit.
    """
    low = np.min([s.low for s in solids], axis=0)
    high = np.max([s.high for s in solids], axis=0)
    layer = bench.print.layer_height_mm
    rays = (high[1] - low[1]) / fineness.pitch_mm * high[2] / layer
    if rays > MOST_RAYS:
        raise BadJob(
            f"the parts would need {rays / 1e6:.0f} million rays ({high[1] - low[1]:.0f} mm across, {high[2]:.0f} mm tall).",
            where="plate",
            remedy="Check the scale: is the model in another unit?",
        )
    return grid_over(low, high, fineness.pitch_mm, layer)


def grid_across(solids: tuple[PrintSolids, ...], along: Grid) -> Grid:
    """The grid for runs along y: its rows are columns of x, its layers those of another grid."""
    low = np.min([s.low for s in solids], axis=0)[[1, 0, 2]]
    high = np.max([s.high for s in solids], axis=0)[[1, 0, 2]]
    return replace(grid_over(low, high, along.pitch_mm, along.layer_mm), layers=along.layers)


def put_together(
    prints: tuple[PrintSolids, ...],
    stages: Stages,
    grid: Grid,
    light: bool = False,
    progress: Progress | None = None,
    across: Grid | None = None,
    slab: bool = False,
) -> Printed:
    """All prints of a plate on one grid.

    Parameters
    ----------
    light : take the parts' lighter stand-ins. across : also the runs along y, on this grid (see `grid_across`).
    slab : cast no more than the grid's own layers; else a part is cast as tall as it is, to be found again on other grids.
    """
    progress = progress or quiet()
    with ThreadPoolExecutor(1) as beside:
        other = beside.submit(_on_plate, prints, stages, across, light, quiet(), True, slab) if across is not None else None
        own = _on_plate(prints, stages, grid, light, progress, False, slab)
        if other is None:
            part_across = all_across = plugged_across = None
        else:
            turned = other.result()
            part_across = turned.cut
            all_across, plugged_across = turned.with_supports()
    whole, whole_plugged = own.with_supports()
    bores = tuple(b for solids in prints for b in solids.bores)
    touches = tuple(t for solids in prints for t in solids.touches)
    return Printed(
        own.plugged,
        own.cut,
        whole_plugged,
        whole,
        own.supports,
        bores,
        touches,
        own.cavities,
        part_across,
        all_across,
        plugged_across,
    )


@dataclass(frozen=True, eq=False)
class _OnPlate:
    """Parts with their holes plugged, with them cut (the very same without any), supports, and cavities, as runs."""

    plugged: Runs
    cut: Runs
    supports: Runs
    cavities: Runs

    def with_supports(self) -> tuple[Runs, Runs]:
        """Everything, with the holes cut and with them plugged."""
        if self.supports.x0.size == 0:
            return self.cut, self.plugged
        whole = union(self.cut, self.supports)
        return whole, whole if self.plugged is self.cut else union(self.plugged, self.supports)


def _on_plate(
    prints: tuple[PrintSolids, ...], stages: Stages, grid: Grid, light: bool, progress: Progress, across: bool, slab: bool
) -> _OnPlate:
    """The parts' own runs, moved to where each print stands and united."""
    placed = []
    for number, solids in enumerate(prints):
        progress.at(number / len(prints), "slicing")
        runs, along_mm, rows = _part_runs(solids, stages, grid, light, across, slab)
        placed.append(_moved(runs, along_mm, rows, grid))
    plugged = _united([p.plugged for p in placed], grid)
    drilled = any(p.cut is not p.plugged for p in placed)
    return _OnPlate(
        plugged,
        _united([p.cut for p in placed], grid) if drilled else plugged,
        _united([p.supports for p in placed if p.supports is not None], grid),
        _united([p.cavity for p in placed if p.cavity is not None], grid),
    )


def _part_runs(
    solids: PrintSolids, stages: Stages, grid: Grid, light: bool, across: bool, slab: bool
) -> tuple[PartRuns, float, int]:
    """A print's runs around its part's own place, and how far they are to be moved along themselves and by how many rows.

    What is left beside whole rows is cast so: a part on whole rows, wherever it stands, is cast once.
    """
    x, y, _ = (float(v) for v in solids.shift_mm)
    along_mm, over_mm = (y, x) if across else (x, y)
    rows = math.floor(over_mm / grid.pitch_mm + WHOLE_ROWS_MM)
    off_mm = round(over_mm - rows * grid.pitch_mm, 7) + 0.0
    lattice = grid if slab else grid.windowed(0, 1, 0, MOST_LAYERS)
    return stages.part_runs(solids.at_home, lattice, light, max(off_mm, 0.0), across), along_mm, rows


def _moved(runs: PartRuns, along_mm: float, rows: int, grid: Grid) -> PartRuns:
    """A part's runs where a print of it stands, on the plate's grid."""

    def there(r: Runs) -> Runs:
        return on_grid(moved_runs(r, along_mm, rows), grid)

    plugged = there(runs.plugged)
    return PartRuns(
        plugged,
        plugged if runs.cut is runs.plugged else there(runs.cut),
        None if runs.supports is None else there(runs.supports),
        None if runs.cavity is None else there(runs.cavity),
    )


def _united(several: list[Runs], grid: Grid) -> Runs:
    return reduce(union, several) if several else empty(grid)
