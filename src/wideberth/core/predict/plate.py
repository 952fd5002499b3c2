"""A plate put together from its parts' own runs, each moved to where its prints stand: moving one casts nothing anew."""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.layers import Grid, Printed, grid_over
from wideberth.core.predict.fineness import Fineness
from wideberth.core.predict.solids import PrintSolids
from wideberth.core.predict.stage import OnSupports, PlacedCasts, Plating, plated, plated_bare
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
    light: int = 0,
    progress: Progress | None = None,
    across: Grid | None = None,
    slab: bool = False,
) -> Printed:
    """All prints of a plate on one grid.

    Parameters
    ----------
    light : triangles of the parts' stand-ins that are taken, 0 for the parts themselves. across : also the runs along y, on this
    grid (see `grid_across`).
    slab : cast no more than the grid's own layers; else a part is cast as tall as it is, to be found again on other grids.
    """
    of = plating(prints, stages, grid, light, progress, across, slab)
    return plated(OnSupports(plated_bare(of.bare, quiet()), of), quiet())


def plating(
    prints: tuple[PrintSolids, ...],
    stages: Stages,
    grid: Grid,
    light: int = 0,
    progress: Progress | None = None,
    across: Grid | None = None,
    slab: bool = False,
) -> Plating:
    """What a plate is put together from; see `put_together`."""
    progress = progress or quiet()
    with ThreadPoolExecutor(1) as beside:
        other = beside.submit(_placed, prints, stages, across, light, quiet(), True, slab) if across is not None else None
        along = _placed(prints, stages, grid, light, progress, False, slab)
        turned = () if other is None else other.result()
    bores = tuple(b for solids in prints for b in solids.bores)
    touches = tuple(t for solids in prints for t in solids.touches)
    return Plating(along, grid, turned, across, bores, touches)


def _placed(
    prints: tuple[PrintSolids, ...], stages: Stages, grid: Grid, light: int, progress: Progress, across: bool, slab: bool
) -> tuple[PlacedCasts, ...]:
    """What is cast of each print around its part's own place, and how far it is to be moved.

    What is left beside whole rows is cast so: a part on whole rows, wherever it stands, is cast once.
    """
    lattice = grid if slab else grid.windowed(0, 1, 0, MOST_LAYERS)
    placed = []
    for number, solids in enumerate(prints):
        progress.at(number / len(prints), "slicing")
        x, y, _ = (float(v) for v in solids.shift_mm)
        along_mm, over_mm = (y, x) if across else (x, y)
        rows = math.floor(over_mm / grid.pitch_mm + WHOLE_ROWS_MM)
        off_mm = max(round(over_mm - rows * grid.pitch_mm, 7) + 0.0, 0.0)
        placed.append(PlacedCasts(stages.casts(solids.at_home, lattice, light, off_mm, across), along_mm, rows))
    return tuple(placed)
