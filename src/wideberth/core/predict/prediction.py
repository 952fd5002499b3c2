"""From a job to its prediction, coarse for previews or fine for the verdict: only the grid differs."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.job import Job
from wideberth.core.layers import UNKNOWN, Printed
from wideberth.core.loads import (
    Loads,
    Sag,
    Undersides,
    ceilings_of,
    loads,
    nothing_sags,
    sag_of,
    spread_radius_mm,
    together,
    undersides_of,
)
from wideberth.core.model import Mesh
from wideberth.core.predict.drainage import Drainage, drainage, drainage_findings
from wideberth.core.predict.fineness import Fineness, fine
from wideberth.core.predict.prepared import feet_on_part
from wideberth.core.predict.solids import PartSolids
from wideberth.core.predict.stages import Same, Stages
from wideberth.core.predict.together import grid_across, plate_grid, put_together
from wideberth.core.progress import Progress, quiet
from wideberth.core.verdict import (
    DOUBTFUL,
    LOST,
    NOTE,
    Finding,
    Strongest,
    Verdict,
    aftercare_findings,
    counted,
    judge,
    settings_findings,
    spread,
)

SAGGING_TRIANGLES = 250_000
"""Sag is measured on meshes up to this size as they are, on stand-ins beyond: rays through more would take a second."""


@dataclass(frozen=True, eq=False)
class Prediction:
    """All that is predicted of a job. layer_mm is the printed layer height times `layers_as_one`; previews know no sag.

    drainage : how each part with voids drains, once it was looked at closer.
    """

    job: Job
    fineness: Fineness
    solids: tuple[PartSolids, ...]
    printed: Printed
    loads: Loads
    sag: Sag
    verdict: Verdict
    layer_mm: float
    seconds_taken: float
    drainage: tuple[Drainage, ...] = ()
    looked_closer: bool = False

    @property
    def may_be_closer(self) -> bool:
        """Whether `look_closer` was not asked yet."""
        return not self.fineness.light and not self.looked_closer

    def drainage_of(self, part: int) -> Drainage | None:
        """How a part of the recipe drains; None when it has no voids, or was not looked at yet."""
        return next((d for d in self.drainage if d.part == part), None)

    def solids_of(self, part: int) -> PartSolids:
        """Solids of a part itself, not of its copies."""
        return self.solids[next(i for i, placed in enumerate(self.job.placed) if placed.part == part)]


def predict(job: Job, stages: Stages, fineness: Fineness | None = None, progress: Progress | None = None) -> Prediction:
    """Predict a job.

    Raises
    ------
    BadJob : when there is no part, or the grid would be too large. BadModel : when a stage cannot be carried out.
    Cancelled : when the progress is cancelled.
    """
    progress = progress or quiet()
    fineness = fineness or fine()
    began = time.perf_counter()
    if not job.parts:
        raise BadJob("there is no part on the plate.", where=job.title, remedy="Open a model first.")
    bench = _coarser(job.bench, fineness.layers_as_one)
    solids = stages.all_solids(job, progress.part(0, 0.5))
    progress.at(0.5, "slicing")
    grid = plate_grid(solids, bench, fineness)
    across = None if fineness.light else grid_across(solids, grid)

    def built() -> Printed:
        made = put_together(solids, stages, grid, fineness.light, progress.part(0.5, 0.75), across)
        progress.at(0.75, "labelling sections and voids")
        made.label()
        return made

    key = (tuple(Same(s) for s in solids), grid, across)
    printed = built() if fineness.light else stages.recall_latest("printed", key, built)
    return _weighed(job, stages, fineness, solids, printed, progress.part(0.85, 1.0), began)


def look_closer(seen: Prediction, stages: Stages, progress: Progress | None = None) -> Prediction:
    """A fine prediction once more with the model's own narrow ways looked at, and how its voids drain; the same one if it was."""
    if not seen.may_be_closer:
        return seen
    progress = progress or quiet()
    began = time.perf_counter()
    job, count = seen.job, len(seen.job.parts)
    shares = [progress.part(0.4 * n / count, 0.4 * (n + 1) / count) for n in range(count)]
    voids = tuple(d for n in range(count) if (d := drainage(job, n, stages, shares[n])) is not None)
    printed = seen.printed
    if printed.may_be_narrow:
        printed = printed.looked_closer(progress.part(0.4, 0.8))
    found = _weighed(job, stages, seen.fineness, seen.solids, printed, progress.part(0.8, 1.0), began, seen.sag, voids)
    return replace(found, looked_closer=True)


def _weighed(job: Job, stages: Stages, fineness: Fineness, solids: tuple[PartSolids, ...], printed: Printed,
             progress: Progress, began: float, sag: Sag | None = None,
             voids: tuple[Drainage, ...] = ()) -> Prediction:  # fmt: skip
    """Loads, sag and verdict of what is printed."""
    bench = _coarser(job.bench, fineness.layers_as_one)
    progress.at(0.0, "sharing loads")
    found = loads(printed, bench, fineness.squeeze, fineness.layers_as_one, stages.solved(fineness))
    progress.at(0.6, "looking between the tips")
    if sag is None:
        sag = nothing_sags() if fineness.light else _sags(solids, stages, printed, found, bench)
    progress.at(0.8, "weighing")
    known = _recipe_findings(job, stages, solids, printed)
    known += settings_findings(job.bench, strongest(found, printed), float(found.seconds.sum()) / 3600)
    sizes = [(part.name, stages.cut(part).extents_mm) for part in job.parts]
    known += aftercare_findings(job.bench, sizes)
    for drained in voids:
        low = next(s.low[2] for s, placed in zip(solids, job.placed, strict=True) if placed.part == drained.part)
        known += drainage_findings(job, drained, float(low))
    verdict = judge(printed, found, bench, tuple(known), tuple(p.name for p in job.placed), sag)
    progress.at(1.0, "done")
    taken = time.perf_counter() - began
    return Prediction(job, fineness, solids, printed, found, sag, verdict, bench.print.layer_height_mm, taken,
                      voids)  # fmt: skip


def _sags(solids: tuple[PartSolids, ...], stages: Stages, printed: Printed, found: Loads, bench: Bench) -> Sag:
    """Sag of every part's undersides and of its chambers' ceilings, under each layer's pull on its area."""
    pull = found.peel_n / np.maximum(found.area_mm2, 1e-9)
    young = (bench.print.layer_height_mm, bench.laws.young_layers)
    sags = []
    for number, solid in enumerate(solids):
        tips = tuple(t for t in printed.touches if t.part == number)
        place = (solid.matrix.tobytes(), *young)
        under = stages.recall("undersides", (solid.own, *place), partial(_undersides, solid, stages, bench))
        sags.append(sag_of(under, tips, pull, bench))
        if solid.own_cavity is not None:
            key = (solid.own_cavity, solid.own_filling, *place)
            over = stages.recall("ceilings of chambers", key, partial(_ceilings, solid, stages, bench))
            sags.append(sag_of(over, (), pull, bench))
    return together(sags)


def _undersides(solid: PartSolids, stages: Stages, bench: Bench) -> Undersides:
    return undersides_of(_bearable(solid.outer, solid.own, solid.matrix, stages), bench)


def _ceilings(solid: PartSolids, stages: Stages, bench: Bench) -> Undersides:
    assert solid.own_cavity is not None and solid.cavity is not None
    own, matrix = solid.own_filling, solid.matrix
    filling = None if own is None else _bearable(stages.placed(own, matrix), own, matrix, stages)
    return ceilings_of(_bearable(solid.cavity, solid.own_cavity, matrix, stages), filling, bench)


def _bearable(placed: Mesh, own: Mesh, matrix: NDArray[np.float64], stages: Stages) -> Mesh:
    """A mesh on the plate, or its stand-in when it is a very large one."""
    return placed if placed.triangles <= SAGGING_TRIANGLES else stages.light(own, matrix)


def strongest(found: Loads, printed: Printed) -> Strongest:
    """The pull of a print that draws the film farthest, and the radius it is spread over; the loudest twenty are looked at."""
    everything = printed.sections
    loudest = np.argsort(found.pull_n)[-20:]
    spread = []
    for layer in loudest:
        own = slice(everything.first[layer], everything.first[layer + 1])
        spread.append(spread_radius_mm(everything.area_mm2[own], everything.x_mm[own], everything.y_mm[own]))
    at = int(np.argmax(found.pull_n[loudest] / np.maximum(spread, 1.0)))
    return Strongest(float(found.pull_n[loudest[at]]), spread[at], f"layer {loudest[at] + 1}")


def _coarser(bench: Bench, layers_as_one: int) -> Bench:
    """The bench with several layers taken as one."""
    if layers_as_one == 1:
        return bench
    p = bench.print
    coarse = replace(
        p, layer_height_mm=p.layer_height_mm * layers_as_one, first_layers=-(-p.first_layers // layers_as_one),
        transition_layers=p.transition_layers // layers_as_one,
    )  # fmt: skip
    return replace(bench, print=coarse)


def _recipe_findings(job: Job, stages: Stages, solids: tuple[PartSolids, ...], printed: Printed) -> list[Finding]:
    """What only the recipe can tell: size, open meshes, holes that serve nothing, tips left out."""
    found = []
    printer = job.bench.printer
    for placed, solid in zip(job.placed, solids, strict=True):
        part = job.parts[placed.part]
        low, high = solid.low, solid.high
        if high[2] > printer.height_mm + 1e-6:
            found.append(
                Finding("too_tall", LOST, float(printer.height_mm),
                        f"{placed.name} reaches {high[2]:.1f} mm; the printer ends at {printer.height_mm:g} mm.",
                        "Turn it, scale it or split it.", "split")
            )  # fmt: skip
        over = max(
            high[0] - printer.plate_x_mm / 2, -printer.plate_x_mm / 2 - low[0],
            high[1] - printer.plate_y_mm / 2, -printer.plate_y_mm / 2 - low[1],
        )  # fmt: skip
        if over > 1e-6:
            found.append(
                Finding("off_plate", LOST, 0.0, f"{placed.name} reaches {over:.1f} mm over the edge of the plate.",
                        "Move it, turn it, or split it.", "plate")
            )  # fmt: skip
        if placed.copy:
            continue  # what follows is the same for all copies
        sound = stages.sound(part)
        if not sound.mesh.watertight:
            found.append(
                Finding("open_mesh", DOUBTFUL, float(low[2]),
                        f"{part.name} is not watertight: rows that did not close were mended from their neighbours.",
                        "Mend the mesh; until then trust areas, not walls.", "model")
            )  # fmt: skip
        elif sound.changes:
            found.append(
                Finding("sound_copy", NOTE, float(low[2]),
                        f"{part.name} is predicted and printed as a sound copy of its mesh: {', '.join(sound.changes)}.",
                        "Look at what Mend it would change, and whether that is what was meant.", "model")
            )  # fmt: skip
        if part.shell is not None and not solid.chambers:
            found.append(
                Finding("no_chamber", NOTE, float(low[2]),
                        f"A wall of {part.shell.wall_mm:g} mm leaves no chamber in {part.name}: it is printed solid.",
                        "A thinner wall, or keep it solid.", "hollow")
            )  # fmt: skip
        feet = feet_on_part(solid.touches)
        if feet:
            heights = spread([z for _, _, z, _ in feet], 1)
            stand = "post stands" if len(feet) == 1 else "posts stand"
            found.append(
                Finding("foot_on_part", NOTE, feet[0][2],
                        f"{len(feet)} {stand} on {part.name} itself, at {heights} mm: each foot leaves a mark there.",
                        "Turn the part, or keep it where the mark does not show.", "support", feet[0][0], feet[0][1],
                        spots=tuple((x, y, z) for x, y, z, _ in feet))
            )  # fmt: skip
        if solid.left_out:
            shift_x, shift_y = part.pose.x_mm, part.pose.y_mm
            spots = tuple((t.x_mm + shift_x, t.y_mm + shift_y, t.z_mm) for t in solid.left_out)
            found.append(
                Finding("tip_in_hole", NOTE, spots[0][2],
                        f"{counted(len(spots), 'tip')} of {part.name} would stand in a drain hole and had to be left out.",
                        "The margins count without; move the hole if a beginning wants one.", "support", spots[0][0], spots[0][1],
                        spots=spots)
            )  # fmt: skip
    if printed.part.broken_rays:
        found.append(
            Finding("broken_rows", NOTE, 0.0, f"{printed.part.broken_rays:,} rows did not close and were mended.",
                    "Mend the mesh.", "model")
        )  # fmt: skip
    found += _hole_findings(printed)
    return found


def _hole_findings(printed: Printed) -> list[Finding]:
    """Holes with solid at a mouth, or with the same void at both."""
    found = []
    for b, bore in enumerate(printed.bores):
        inner, outer = (int(s) for s in printed.mouths.sets[-1, 2 * b : 2 * b + 2])
        if UNKNOWN in (inner, outer):
            which = "its inner mouth ends in solid" if inner == UNKNOWN else "its outer mouth is blocked"
            found.append(
                Finding("hole_blind", DOUBTFUL, bore.z_mm,
                        f"Drain hole {bore.number + 1} serves nothing: {which} (wall {bore.wall_mm:.1f} mm).",
                        "Move it to where the wall leads to void.", "drain", bore.entry_mm[0], bore.entry_mm[1])
            )  # fmt: skip
    return found
