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
from wideberth.core.verdict import DOUBTFUL, NOTE, Finding

NARROW_MM = 1.0
DARK_SHARE = 0.25


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
    """How to hold a part so that a direction of its own points down, from how it stands: `turn` is its pose's rotation."""
    x, y, z = turn @ down
    lean = float(np.degrees(np.arccos(np.clip(-z, -1, 1))))
    if lean < 10:
        return "standing as on the plate"
    if lean > 170:
        return "hanging as in the printer"
    side = ("right", "back", "left", "front")[round(float(np.degrees(np.arctan2(y, x))) / 90) % 4]
    return f"tipped {lean:.0f}° to the {side}"


def drainage_findings(job: Job, found: Drainage, z_of_part_mm: float) -> list[Finding]:
    """What stays in a part, what solvent can hardly reach, and what light does not."""
    part, house = job.part(found.part), job.bench.house
    findings = []
    stays = found.best.stays_ml - found.best.shut_ml  # what is shut in for good is a trap, and told as one
    if stays > house.quiet_stays_ml:
        worst = max(found.cells.chambers, key=lambda c: found.best.of_chamber_ml[c.number])
        findings.append(
            Finding("drains_badly", DOUBTFUL, z_of_part_mm,
                    f"{stays:.1f} mL stay in {part.name} even in its best pose "
                    f"({hold_words(found.best.down, part.pose.rotation)}): most in a chamber of {worst.volume_ml:.1f} mL with "
                    f"{_ways(len(worst.ways))}; hanging in the printer {found.hanging.stays_ml:.1f} mL.",
                    "Another hole where it stays, or wash by turning it over and over.", "drain")
        )  # fmt: skip
    held = [r for r in found.runs if r.held and r.stays_ml > house.quiet_stays_ml]
    if held and stays <= house.quiet_stays_ml:
        findings.append(
            Finding("air_locked", DOUBTFUL, z_of_part_mm,
                    f"{held[0].stays_ml:.1f} mL of chamber {held[0].chamber + 1} of {part.name} stay behind a hole that lets "
                    "no air in: 4 Γ/d holds the head above it.",
                    "A second hole for air, or a wider one.", "drain")
        )  # fmt: skip
    tight = [(c, w) for c in found.cells.chambers for w in c.ways if w.to > c.number and w.width_mm < NARROW_MM]
    if tight:
        chamber, way = min(tight, key=lambda t: t[1].width_mm)
        findings.append(
            Finding("narrow_passage", NOTE, z_of_part_mm,
                    f"Chambers {chamber.number + 1} and {way.to + 1} of {part.name} join by a way of about "
                    f"{way.width_mm:.1f} mm: solvent hardly gets through.",
                    "Fill it (smallest passage), or give each its own holes.", "hollow")
        )  # fmt: skip
    if found.lit is not None and found.lit.dark_share > DARK_SHARE and any(c.ways for c in found.cells.chambers):
        findings.append(
            Finding("uncured_inside", NOTE, z_of_part_mm,
                    f"Light reaches {1 - found.lit.dark_share:.0%} of {part.name}'s inner walls through its openings; "
                    f"{found.lit.dark_mm2 / 100:.0f} cm² stay dark and wet to the touch.",
                    "Wash well inside, shine in through the holes, or add one across from them.", "drain")
        )  # fmt: skip
    return findings


def _ways(count: int) -> str:
    return f"{count} way{'s' if count != 1 else ''} out" if count else "no way out"
