"""From a job to its prediction, coarse for previews or fine for the verdict: only the grid differs."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from wideberth.core import mapped
from wideberth.core.bench import Bench, has_first_motion
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Placed
from wideberth.core.layers import Printed
from wideberth.core.loads import Loads, Sag, loads, nothing_sags, sag_of, spread_radius_mm, together
from wideberth.core.model import Mesh
from wideberth.core.predict.drainage import Drainage, drain_facts, drainage
from wideberth.core.predict.fineness import Fineness, fine
from wideberth.core.predict.level import level_faces
from wideberth.core.predict.marked import marks_on
from wideberth.core.predict.plate import grid_across, plate_grid, plating
from wideberth.core.predict.prepared import feet_on_part
from wideberth.core.predict.solids import PrintSolids
from wideberth.core.predict.stage import (
    CeilingsInput,
    OnSupports,
    UndersidesInput,
    ceilings_under,
    plated,
    plated_bare,
    undersides_under,
)
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.support import Need
from wideberth.core.verdict import (
    Finding,
    PrintFacts,
    Strongest,
    Verdict,
    aftercare_findings,
    drain_findings,
    judge,
    print_findings,
    settings_findings,
)

SAGGING_TRIANGLES = 250_000
"""Sag is measured on meshes up to this size as they are, on stand-ins beyond: rays through more would take a second."""

RAISED_LAYERS = 2.5
"""A face that begins higher than so many layers hangs."""

SHAPING = ("printer", "supports", "house")
"""Sections of a bench that shape what is printed; the others move, light and judge it."""


@dataclass(frozen=True, eq=False)
class Prediction:
    """All that is predicted of a job. layer_mm is the printed layer height times `layers_as_one`; previews know no sag.

    plate : id of the plate it is of. solids : of each print on it, in the order of its placements. drainage : how each part with
    voids drains, once it was looked at closer.
    """

    job: Job
    plate: str
    fineness: Fineness
    solids: tuple[PrintSolids, ...]
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

    @property
    def placed(self) -> tuple[Placed, ...]:
        """Every print on the plate."""
        return tuple(s.placed for s in self.solids)

    def drainage_of(self, part: str) -> Drainage | None:
        """How a part drains, by its id; None when it has no voids, or was not looked at yet."""
        return next((d for d in self.drainage if d.part == part), None)

    def solids_of(self, part: str) -> PrintSolids | None:
        """Solids of the first print of a part, by its id; None when it is not on this plate."""
        return next((s for s in self.solids if s.placed.part.id == part), None)

    @property
    def boxes(self) -> list[tuple[str, NDArray[np.float64], NDArray[np.float64]]]:
        """Name, low and high corner (3,) of each print."""
        return [(s.placed.name, *s.box_mm) for s in self.solids]

    def need_of(self, tip: int) -> Need:
        """Why a tip is there, by its number in the verdict."""
        record = self.verdict.tips[tip]
        return self.solids[record.part].placed.part.supports.contact[record.contact].need


def predict(
    job: Job, stages: Stages, fineness: Fineness | None = None, progress: Progress | None = None, plate: str = ""
) -> Prediction:
    """Predict a plate of a job, "" for the first one.

    Raises
    ------
    BadJob : when there is no part, or the grid would be too large. BadModel : when a stage cannot be carried out.
    Cancelled : when the progress is cancelled.
    """
    progress = progress or quiet()
    fineness = fineness or fine()
    began = time.perf_counter()
    if not job.plates or not job.plate(plate).placements:
        raise BadJob("there is no part on the plate.", where=job.title, remedy="Open a model first.")
    bench = _coarser(job.bench, fineness.layers_as_one)
    prints = stages.solids_on(job, plate, progress.part(0, 0.5), fineness)
    progress.at(0.5, "slicing")
    grid = plate_grid(prints, bench, fineness)
    across = None if fineness.light else grid_across(prints, grid)
    of = plating(prints, stages, grid, fineness.stand_ins, progress.part(0.5, 0.7), across)
    if fineness.light:
        made = plated(OnSupports(plated_bare(of.bare, progress), of), progress)
    else:  # on other supports the parts alone stay what they are
        bare = stages.cache.run_latest(plated_bare, of.bare)
        made = stages.cache.run_latest(plated, OnSupports(bare, of))
        stages.lay_aside(of)
    progress.at(0.7, "labelling sections and voids")
    made.label(liquid=not fineness.brief)
    if not fineness.light and not fineness.brief:
        stages.lay_to_rest()
    seen = _Seen(job, job.plate(plate).id, fineness, prints, made)
    return _weighed(seen, stages, progress.part(0.85, 1.0), began)


def weighed_again(seen: Prediction, job: Job, stages: Stages, progress: Progress | None = None) -> Prediction:
    """A job that differs from a predicted one in light, warmth and motion alone: the same plate, weighed anew.

    Any other difference makes it a whole prediction. What sags is looked at again in fine ones; how voids drain is not.

    Raises
    ------
    BadJob, BadModel, Cancelled : as `predict`.
    """
    progress = progress or quiet()
    if not _prints_alike(seen.job, job):
        return predict(job, stages, seen.fineness, progress, seen.plate)
    again = _Seen(job, seen.plate, seen.fineness, seen.solids, seen.printed)
    return _weighed(again, stages, progress, time.perf_counter())


def _prints_alike(one: Job, other: Job) -> bool:
    """Whether two jobs make the same solids on the same rows and layers."""
    a, b = one.bench, other.bench
    same_bench = all(getattr(a, section) == getattr(b, section) for section in SHAPING)
    return same_bench and a.print.layer_height_mm == b.print.layer_height_mm and replace(one, bench=b) == other


@dataclass(frozen=True, eq=False)
class _Seen:
    """What a prediction is weighed from; sag : where it is known already."""

    job: Job
    plate: str
    fineness: Fineness
    solids: tuple[PrintSolids, ...]
    printed: Printed
    sag: Sag | None = None
    drainage: tuple[Drainage, ...] = ()
    looked_closer: bool = False


def look_closer(seen: Prediction, stages: Stages, progress: Progress | None = None) -> Prediction:
    """A fine prediction once more with the model's own narrow ways looked at, and how its voids drain; the same one if it was."""
    if not seen.may_be_closer:
        return seen
    progress = progress or quiet()
    began = time.perf_counter()
    ids = list(dict.fromkeys(p.part.id for p in seen.placed))
    shares = progress.part(0.0, 0.4).evenly(len(ids))
    voids = tuple(d for id, share in zip(ids, shares, strict=True) if (d := drainage(seen.job, id, stages, share)) is not None)
    stages.lay_to_rest(seen)
    printed = seen.printed
    if printed.may_be_narrow:
        printed = printed.looked_closer(progress.part(0.4, 0.8))
    closer = _Seen(seen.job, seen.plate, seen.fineness, seen.solids, printed, seen.sag, voids, looked_closer=True)
    return _weighed(closer, stages, progress.part(0.8, 1.0), began)


def _weighed(seen: _Seen, stages: Stages, progress: Progress, began: float) -> Prediction:
    """Loads, sag and verdict of what is printed."""
    job, printed, prints, sag = seen.job, seen.printed, seen.solids, seen.sag
    bench = _coarser(job.bench, seen.fineness.layers_as_one)
    progress.at(0.0, "sharing loads")
    of = seen.fineness
    borne = loads(printed, bench, of.squeeze, of.layers_as_one, stages.solved(of), not of.brief, progress)
    if not of.light:
        mapped.let_go()  # sections rest, and all of them were read
    progress.at(0.6, "looking between the tips")
    if sag is None:
        sag = nothing_sags() if of.light or of.brief else _sags(prints, stages, borne, bench)
    progress.at(0.8, "weighing")
    asked = partial(marks_on, prints, borne.tips.printed_mm, house=bench.house)
    marks = (
        asked(stages=stages, progress=progress.part(0.8, 0.95))
        if seen.looked_closer
        else stages.at_hand(lambda known: asked(stages=known))  # what surfaces a scan has takes longer than all its layers
    )
    names = tuple(p.placed.name for p in prints)
    worth, raised = bench.house.face_raised_mm2, RAISED_LAYERS * bench.print.layer_height_mm
    seen_on = [(stages.still(s.own) if seen.fineness.light else s.own, s.matrix) for s in prints if s.placed.first]
    level = tuple(face for own, matrix in seen_on for face in level_faces(own, matrix, worth, raised))
    largest = tuple(sorted(level, key=lambda f: -f.area_mm2))
    verdict = judge(printed, borne, bench, _known(seen, stages, borne, bench), names, sag, marks, largest, of.brief)
    progress.at(1.0, "done")
    taken = time.perf_counter() - began
    return Prediction(
        job,
        seen.plate,
        seen.fineness,
        prints,
        printed,
        borne,
        sag,
        verdict,
        bench.print.layer_height_mm,
        taken,
        seen.drainage,
        seen.looked_closer,
    )


def _known(seen: _Seen, stages: Stages, borne: Loads, bench: Bench) -> tuple[Finding, ...]:
    """Findings that the loads alone do not tell: of the recipe, the settings, what comes after, and how voids drain."""
    job, prints = seen.job, seen.solids
    findings = print_findings([_facts(s, stages, seen) for s in prints], seen.printed, bench)
    own = job.bench.print.first_layers if has_first_motion(job.bench) else 0
    others, first = (strongest(borne, seen.printed, slice(*cut)) for cut in ((own, None), (0, own)))
    findings += settings_findings(job.bench, others, float(borne.seconds.sum()) / 3600, first)
    parts = list({s.placed.part.id: s.placed.part for s in prints}.values())
    findings += aftercare_findings(job.bench, [(part.name, stages.cut(part).extents_mm) for part in parts])
    for drained in seen.drainage:
        low = next(s.low[2] for s in prints if s.placed.part.id == drained.part)
        findings += drain_findings(drain_facts(job, drained, float(low)), bench.house)
    return tuple(findings)


def _sags(prints: tuple[PrintSolids, ...], stages: Stages, borne: Loads, bench: Bench) -> Sag:
    """Sag of every print's undersides and of its chambers' ceilings, under each layer's pull on its area."""
    pull = borne.peel_n / np.maximum(borne.area_mm2, 1e-9)
    young = (bench.print.layer_height_mm, bench.laws.young_layers)
    sags = []
    for solids in prints:
        home = solids.at_home
        outer = _bearable(home.outer, home.own, home.matrix, stages)
        under = stages.cache.run(undersides_under, UndersidesInput(outer, *young))
        there = [sag_of(under, home.touches, pull, bench, borne.sheet_stiff)]
        if home.own_cavity is not None and home.cavity is not None:
            cavity = _bearable(home.cavity, home.own_cavity, home.matrix, stages)
            own = home.own_filling
            filling = None if own is None else _bearable(own.transformed(home.matrix), own, home.matrix, stages)
            over = stages.cache.run(ceilings_under, CeilingsInput(cavity, filling, *young))
            there.append(sag_of(over, (), pull, bench, borne.sheet_stiff))
        sags += [replace(s, points_mm=s.points_mm + solids.shift_mm) for s in there]
    return together(sags)


def _bearable(placed: Mesh, own: Mesh, matrix: NDArray[np.float64], stages: Stages) -> Mesh:
    """A mesh at its part's place, or its stand-in when it is a very large one."""
    return placed if placed.triangles <= SAGGING_TRIANGLES else stages.light(own, matrix)


def strongest(borne: Loads, printed: Printed, layers: slice = slice(None)) -> Strongest | None:
    """The pull of a print, or of some of its layers, that draws the film farthest, and the radius that it is spread over.

    The loudest twenty layers are looked at; None where there are no layers.
    """
    everything = printed.sections
    asked = np.arange(borne.layers)[layers]
    loudest = asked[np.argsort(borne.pull_n[asked])[-20:]]
    if len(loudest) == 0:
        return None
    spread = []
    for layer in loudest:
        own = slice(everything.first[layer], everything.first[layer + 1])
        spread.append(spread_radius_mm(everything.area_mm2[own], everything.x_mm[own], everything.y_mm[own]))
    at = int(np.argmax(borne.pull_n[loudest] / np.maximum(spread, 1.0)))
    return Strongest(float(borne.pull_n[loudest[at]]), spread[at], f"layer {loudest[at] + 1}")


def _coarser(bench: Bench, layers_as_one: int) -> Bench:
    """The bench with several layers taken as one."""
    if layers_as_one == 1:
        return bench
    p = bench.print
    coarse = replace(
        p,
        layer_height_mm=p.layer_height_mm * layers_as_one,
        first_layers=-(-p.first_layers // layers_as_one),
        transition_layers=p.transition_layers // layers_as_one,
    )
    return replace(bench, print=coarse)


def _facts(solids: PrintSolids, stages: Stages, seen: _Seen) -> PrintFacts:
    """What the recipe tells of one print; previews do not look along its supports."""
    part, sound = solids.placed.part, stages.sound(solids.placed.part)
    x, y, _ = (float(v) for v in solids.shift_mm)
    feet = tuple((at[0], at[1], at[2]) for at in feet_on_part(solids.touches))
    left_out = tuple((c.x_mm + x, c.y_mm + y, c.z_mm) for c in solids.at_home.left_out)
    of = seen.fineness
    own = () if of.light or of.brief else stages.clashes(part, seen.job.bench.supports)
    through = tuple(_spot(solids.matrix[:3] @ np.append(spot, 1.0)) for spot in own)
    wall = part.shell.wall_mm if part.shell is not None else None
    return PrintFacts(
        solids.placed.name,
        part.id,
        _spot(solids.low),
        _spot(solids.high),
        sound.mesh.watertight,
        sound.changes,
        wall,
        len(solids.own_chambers),
        feet,
        left_out,
        through,
    )


def _spot(at: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(at[0]), float(at[1]), float(at[2])
