"""What each print on a plate weighs, pulls and holds: the prediction of the plate, told by print."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers import Standing
from wideberth.core.loads import suction_at
from wideberth.core.plate import covers, standing_outline
from wideberth.core.predict.gaps import stance_of
from wideberth.core.predict.prediction import Prediction
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress, quiet

G_PER_MM3_KG_PER_M3 = 1e-6


@dataclass(frozen=True)
class PrintTold:
    """One print of a plate.

    id : of its placement. weight_g : part, supports and base, cured. pull_n, pull_layer : the strongest pull of all that stands
    connected with it, and where. margin : of its weakest tip, inf where none is pulled. joined : names of prints that it is one
    body with.
    """

    id: str
    name: str
    weight_g: float
    pull_n: float
    pull_layer: int
    margin: float
    joined: tuple[str, ...]


def told_by_print(seen: Prediction, stages: Stages, progress: Progress | None = None) -> tuple[PrintTold, ...]:
    """Every print of a prediction, in the order of its placements.

    A body that stands on the plate belongs to the print whose footprint its contact lies in; to several where they touch, and
    each of them then pulls with the whole body. What hangs on nothing belongs to none.
    """
    progress = progress or quiet()
    bench, printed = seen.job.bench, seen.printed
    settings = bench.supports
    ground = []
    for number, solids in enumerate(seen.solids):
        progress.at(number / len(seen.solids), "looking at each print")
        ground.append(
            standing_outline(stages.footprint(solids.placed.part, settings).outline, stance_of(solids.placed.placement))
        )
    owners = [[n for n, outline in enumerate(ground) if covers(outline, body.spots_mm).any()] for body in printed.standing]
    pulls = _pulls(seen)
    told = []
    for n, solids in enumerate(seen.solids):
        own = [(body, who) for body, who in zip(printed.standing, owners, strict=True) if n in who]
        mm3 = sum(float(body.area_mm2.sum()) / len(who) for body, who in own) * printed.all.grid.layer_mm
        pull = np.sum([_pull_of(body, pulls, printed.sections.layer, seen.loads.layers) for body, _ in own], axis=0)
        at = int(np.argmax(pull)) if own else 0
        others = sorted({other for _, who in own for other in who} - {n})
        told.append(
            PrintTold(
                solids.placed.placement.id,
                solids.placed.name,
                mm3 * bench.resin.solid_density_kg_per_m3 * G_PER_MM3_KG_PER_M3,
                float(pull[at]) if own else 0.0,
                at,
                min((tip.margin for tip in seen.verdict.tips if tip.part == n), default=np.inf),
                tuple(seen.solids[other].placed.name for other in others),
            )
        )
    return tuple(told)


def _pulls(seen: Prediction) -> NDArray[np.float64]:
    """Peel and suction on each component of all that is printed, (components,) N."""
    sucked = suction_at(seen.printed, seen.printed.sections, seen.loads.suction.force_n)
    return np.asarray(seen.loads.component_peel_n + sucked)


def _pull_of(body: Standing, pulls: NDArray[np.float64], layer: NDArray[np.int64], layers: int) -> NDArray[np.float64]:
    """Pull on a body at each layer, (layers,) N."""
    return np.bincount(layer[body.components], pulls[body.components], layers).astype(np.float64)
