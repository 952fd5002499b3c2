"""What follows on its plate when one print is lost where it is weakest: what lies on the film then, and whom it may reach."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers import Runs
from wideberth.core.predict.gaps import along_outlines, nearest_spots
from wideberth.core.predict.plate import plating
from wideberth.core.predict.prediction import Prediction
from wideberth.core.predict.stage import part_runs
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress, quiet

ML_PER_MM3 = 1e-3


@dataclass(frozen=True)
class Reached:
    """A print beside one that is lost, by the id of its placement. away_mm : between their outlines, seen from above."""

    id: str
    name: str
    away_mm: float


@dataclass(frozen=True)
class Loss:
    """One print that is lost where it is weakest.

    id : of its placement. margin : of its weakest tip; by_plate : of the plate instead, where it hangs on no tip. layer, z_mm :
    of the peel that loses it. lies_mm2 : of it on the film then. rest_ml : resin that its further layers would set on what
    lies there. reached : prints within its own height, which it may topple or be pushed under; the nearest first.
    """

    id: str
    name: str
    margin: float
    by_plate: bool
    layer: int
    z_mm: float
    lies_mm2: float
    rest_ml: float
    reached: tuple[Reached, ...]


def losses(seen: Prediction, stages: Stages, progress: Progress | None = None) -> tuple[Loss, ...]:
    """Every print of a plate as if it were lost where it is weakest, the weakest first.

    Notes
    -----
    What is torn off stays on the film, face down, as tall as it is by then; each return presses on it, so that it may topple over
    or be pushed aside as far as it is tall. Its further layers set on it all the same.
    """
    progress, printed = progress or quiet(), seen.printed
    areas = _areas(seen, stages)
    outlines = [along_outlines(solids, stages, seen.job.bench.supports) for solids in seen.solids]
    plate = seen.loads.plate_margin
    weakest_plate = int(np.nanargmin(plate)) if np.isfinite(plate).any() else 0
    found = []
    for number, solids in enumerate(seen.solids):
        progress.at(number / len(seen.solids), "letting go of each print")
        tips = [tip for tip in seen.verdict.tips if tip.part == number and np.isfinite(tip.margin)]
        weak = min(tips, key=lambda tip: tip.margin, default=None)
        layer = weakest_plate if weak is None else weak.worst_layer
        margin = float(plate[layer]) if weak is None else weak.margin
        low, area = areas[number]
        z, at = (layer + 1) * printed.all.grid.layer_mm, layer - low
        height = z - float(solids.box_mm[0, 2])
        reached = [
            Reached(other.placed.placement.id, other.placed.name, away)
            for n, other in enumerate(seen.solids)
            if n != number and (away := nearest_spots(outlines[number], outlines[n])[1]) <= height
        ]
        found.append(
            Loss(
                solids.placed.placement.id,
                solids.placed.name,
                margin,
                weak is None,
                layer,
                z,
                float(area[at]) if 0 <= at < len(area) else 0.0,
                float(area[max(0, at + 1) :].sum()) * printed.all.grid.layer_mm * ML_PER_MM3,
                tuple(sorted(reached, key=lambda r: (r.away_mm, r.name))),
            )
        )
    return tuple(sorted(found, key=lambda loss: (loss.margin if np.isfinite(loss.margin) else np.inf, loss.name)))


def _areas(seen: Prediction, stages: Stages) -> list[tuple[int, NDArray[np.float64]]]:
    """For each print the layer that its own runs begin at, and the area of each from there on [mm²]."""
    made = plating(seen.solids, stages, seen.printed.all.grid, seen.fineness.stand_ins)
    parts: list[Runs] = [part_runs(placed.casts)[0] for placed in made.along]
    return [(runs.grid.first_layer, runs.layer_area_mm2()) for runs in parts]
