"""All parts on one grid: outer less cavity, less drills; supports kept out of the shells' chambers."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.layers import Grid, Printed, Runs, difference, empty, grid_over, union
from wideberth.core.model import Mesh
from wideberth.core.predict.fineness import Fineness
from wideberth.core.predict.solids import PartSolids
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress, quiet

MOST_RAYS = 40_000_000


def plate_grid(solids: tuple[PartSolids, ...], bench: Bench, fineness: Fineness) -> Grid:
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
            where="plate", remedy="Check the scale: is the model in another unit?",
        )  # fmt: skip
    return grid_over(low, high, fineness.pitch_mm, layer)


def grid_across(solids: tuple[PartSolids, ...], along: Grid) -> Grid:
    """The grid for runs along y: its rows are columns of x, its layers those of another grid."""
    low = np.min([s.low for s in solids], axis=0)[[1, 0, 2]]
    high = np.max([s.high for s in solids], axis=0)[[1, 0, 2]]
    return replace(grid_over(low, high, along.pitch_mm, along.layer_mm), layers=along.layers)


def put_together(solids: tuple[PartSolids, ...], stages: Stages, grid: Grid, light: bool = False,
                 progress: Progress | None = None, across: Grid | None = None) -> Printed:  # fmt: skip
    """All parts on one grid.

    Parameters
    ----------
    light : take the parts' lighter stand-ins. across : also the runs along y, on this grid (see `grid_across`).
    """
    progress = progress or quiet()
    with ThreadPoolExecutor(1) as beside:
        if light:  # casts from the other end of the row, until both meet
            for mesh in reversed([m for part in solids for m in _meshes(part, stages, light)]):
                beside.submit(stages.runs, mesh, grid)
        other = beside.submit(_merged, solids, stages, across, light, quiet(), True) if across is not None else None
        plugged, cut, rest, cavities = _merged(solids, stages, grid, light, progress, False)
        lone = rest.x0.size == 0
        part_across = all_across = plugged_across = None
        if other is not None:
            plugged_across, part_across, rest_across, _ = other.result()
            same = plugged_across is part_across
            all_across = part_across if lone else union(part_across, rest_across)
            if not lone:
                plugged_across = all_across if same else union(plugged_across, rest_across)
    whole = cut if lone else union(cut, rest)
    whole_plugged = whole if plugged is cut else plugged if lone else union(plugged, rest)
    bores = tuple(replace(b, part=number) for number, part in enumerate(solids) for b in part.bores)
    touches = tuple(replace(t, part=number) for number, part in enumerate(solids) for t in part.touches)
    return Printed(plugged, cut, whole_plugged, whole, rest, bores, touches, cavities, part_across, all_across,
                   plugged_across)  # fmt: skip


def _meshes(part: PartSolids, stages: Stages, light: bool) -> list[Mesh]:
    """What is cast of a part, in the order it is wanted."""
    found = [stages.light(part.own, part.matrix) if light else part.outer]
    found += [m for m in (_cavity(part, stages, light), part.drills, part.supports) if m is not None]
    return found


def _cavity(part: PartSolids, stages: Stages, light: bool) -> Mesh | None:
    """A part's chambers on the plate, or their stand-in."""
    if part.own_cavity is None:
        return None
    return stages.light(part.own_cavity, part.matrix) if light else part.cavity


def _merged(solids: tuple[PartSolids, ...], stages: Stages, grid: Grid, light: bool, progress: Progress,
            across: bool) -> tuple[Runs, Runs, Runs, Runs]:  # fmt: skip
    """Parts with their holes plugged, with them cut, supports, and cavities, as runs."""
    plugged = cut = empty(grid)
    rest, cavities = empty(grid), empty(grid)
    for number, part in enumerate(solids):
        progress.at(number / len(solids), "slicing")
        own = stages.runs(stages.light(part.own, part.matrix) if light else part.outer, grid, across)
        hollow, cavity = _cavity(part, stages, light), None
        if hollow is not None:
            cavity = stages.runs(hollow, grid, across)
            if part.own_filling is None:
                own = difference(own, cavity)
            else:
                filling = stages.filling_cast(part.own_filling, part.matrix, grid, light, across)
                own = difference(own, difference(cavity, filling))
            cavities = union(cavities, cavity)
        own_cut = own if part.drills is None else difference(own, stages.runs(part.drills, grid, across))
        so_far, plugged = plugged, union(plugged, own)
        cut = plugged if cut is so_far and part.drills is None else union(cut, own_cut)
        if part.supports is not None:
            posts = stages.runs(part.supports, grid, across)
            rest = union(rest, posts if cavity is None else difference(posts, cavity))
    return plugged, cut, rest, cavities
