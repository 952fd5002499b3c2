"""States of a job side by side: what each comes to, in the measures that one chooses by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.job import Job
from wideberth.core.model import Mesh, joined
from wideberth.core.predict import Fineness, Stages, fine, look_closer, predict
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.proposal import Better, Difference, Measure, differences

Values = NDArray[np.float64]
PICTURED = 1_400
"""Triangles of all parts together, for a small picture."""


@dataclass(frozen=True, eq=False)
class Compared:
    """What a state of a job comes to.

    measures : by name; one that is not known is missing. z_mm, pull_n, hold, plate : (layers,) heights, greatest pull and both
    margins of each layer. mesh : all parts as they stand, light; None where nothing does.
    """

    measures: tuple[Measure, ...]
    z_mm: Values
    pull_n: Values
    hold: Values
    plate: Values
    mesh: Mesh | None

    def measure(self, name: str) -> Measure | None:
        """A measure by its name; None where it is not known."""
        return next((m for m in self.measures if m.name == name), None)

    def differences(self, now: Compared) -> dict[str, Difference]:
        """What its measures differ in from another state's, by name."""
        return {d.name: d for d in differences(self.measures, now.measures)}


def compared(job: Job, stages: Stages, progress: Progress | None = None, fineness: Fineness | None = None) -> Compared:
    """What a job comes to on its first plate, as finely as a verdict is.

    Raises
    ------
    BadJob, BadModel, Cancelled : as `predict`.
    """
    progress = progress or quiet()
    seen = look_closer(predict(job, stages, fineness or fine(), progress.part(0.0, 0.7)), stages, progress.part(0.7, 1.0))
    v, t, loads = seen.verdict, seen.verdict.totals, seen.loads
    currency = t.currency or "of the bench's money"
    known: list[tuple[str, float | None, str, Better]] = [
        ("resin", t.resin_ml, "mL", Better.LESS),
        ("time", t.seconds / 3600, "h", Better.LESS),
        ("price", t.price, currency, Better.LESS),
        ("hold", v.hold_margin, "×", Better.MORE),
        ("plate", v.plate_margin, "×", Better.MORE),
        ("finishing", v.finishing_min, "min", Better.LESS),
        ("suction", v.suction_n, "N", Better.LESS),
        ("trapped", v.trapped_ml, "mL", Better.LESS),
        ("pull", v.pull_n, "N", Better.LESS),
    ]
    measures = tuple(Measure(name, float(value), unit, better) for name, value, unit, better in known if value is not None)
    each = max(200, PICTURED // max(1, len(seen.solids)))
    parts = [stages.light(s.own, s.matrix, each) for s in seen.solids]
    z = np.asarray(seen.printed.all.grid.z_of(np.arange(loads.layers)), float)
    mesh = joined(parts) if parts else None
    return Compared(measures, z, loads.own_pull_n, loads.hold_margin, loads.plate_margin, mesh)
