"""How a part's voids drain, wash and cure: in the printer, on its side, and in the best pose; and what to say about it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.drain import Emptying, Lit, Pools, VoidCells, emptying
from wideberth.core.hollow import WallMeasured
from wideberth.core.job import Job
from wideberth.core.predict.stage import PoolsInput, held
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress
from wideberth.core.verdict import DrainFacts


@dataclass(frozen=True, eq=False)
class Drainage:
    """Voids of one part of a job, by its id, and what becomes of the liquid in them.

    hanging : as it hangs in the printer. side : on the best of its four sides. best : of many poses. runs : how each chamber
    runs out in the best pose. lit : inner walls of the shell that light reaches, and wall as measured; None without a shell.
    Directions are in the part's own frame.
    """

    part: str
    cells: VoidCells
    hanging: Pools
    side: Pools
    best: Pools
    runs: tuple[Emptying, ...]
    lit: Lit | None
    wall: WallMeasured | None

    @property
    def seconds(self) -> float:
        """Until the slowest chamber has run out in the best pose."""
        return max((r.seconds for r in self.runs), default=0.0)


def drainage(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Drainage | None:
    """How a part of a job drains; None when it closes in no void of any size."""
    part = job.part(id)
    voids = stages.voids(part, progress)
    if voids is None:
        return None
    hanging, side = stages.cache.run(held, PoolsInput(voids, part.pose.turn))
    best = min((voids.best, side, hanging), key=lambda p: p.stays_ml)
    wall = stages.wall(part) if voids.lit is not None else None
    return Drainage(id, voids.cells, hanging, side, best, emptying(voids.cells, best, job.bench), voids.lit, wall)


def hold_words(down: NDArray[np.float64], turn: NDArray[np.float64]) -> str:
    """How to hold a part so that a direction of its own points down, from how it stands: `turn` (3, 3) is its pose's."""
    x, y, z = turn @ down
    lean = float(np.degrees(np.arccos(np.clip(-z, -1, 1))))
    if lean < 10:
        return "standing as on the plate"
    if lean > 170:
        return "hanging as in the printer"
    side = ("right", "back", "left", "front")[round(float(np.degrees(np.arctan2(y, x))) / 90) % 4]
    return f"tipped {lean:.0f}° to the {side}"


def drain_facts(job: Job, drained: Drainage, z_mm: float) -> DrainFacts:
    """What is to be said of how a part drains; `z_mm` : its lowest point on the plate."""
    part, best, lit = job.part(drained.part), drained.best, drained.lit
    worst = max(drained.cells.chambers, key=lambda c: best.of_chamber_ml[c.number])
    quiet = job.bench.house.quiet_stays_ml
    held = next((r for r in drained.runs if r.held and r.stays_ml > quiet), None)
    tight = [(c.number + 1, w.to + 1, w.width_mm) for c in drained.cells.chambers for w in c.ways if w.to > c.number]
    return DrainFacts(
        part.name,
        z_mm,
        best.stays_ml - best.shut_ml,  # what is shut in for good is a trap, and told as one
        hold_words(best.down, part.pose.rotation),
        drained.hanging.stays_ml,
        worst.volume_ml,
        len(worst.ways),
        held.stays_ml if held is not None else 0.0,
        held.chamber + 1 if held is not None else 0,
        min(tight, key=lambda t: t[2], default=None),
        None if lit is None else 1 - lit.dark_share,
        0.0 if lit is None else lit.dark_mm2,
        any(c.ways for c in drained.cells.chambers),
    )
