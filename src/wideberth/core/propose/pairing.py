"""Pegs and the bores of a kit that they go into, found by their diameters, and how each pair comes out in the present poses."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from wideberth.core.bench import Drawn, FitTold, fit_told
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Part, with_marked
from wideberth.core.model import Bored, MarkKind, wall_of
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.split import Rebore

NARROWEST_MM = 0.3
TIGHTEST_MM, LOOSEST_MM = -0.15, 0.8
"""By so much a bore may be wider than its peg, on the whole diameter, to be taken for the one that it goes into."""


@dataclass(frozen=True)
class RoundOf:
    """A peg or a bore of a part, in its own frame."""

    part: str
    name: str
    shape: Bored

    def drawn(self, part: Part) -> Drawn:
        """As it is drawn in the part's pose."""
        upright = min(abs(float(part.pose.rotation[2] @ np.asarray(self.shape.axis))), 1.0)
        return Drawn(self.shape.diameter_mm, self.shape.is_hole, float(np.degrees(np.arccos(upright))))


@dataclass(frozen=True)
class Pair:
    """A peg, the bore that it goes into, and what comes of both."""

    peg: RoundOf
    bore: RoundOf
    told: FitTold


def with_fit(job: Job, bore: RoundOf, widen_mm: float) -> Job:
    """The job with a bore wider by so much on each side, or narrower below zero; its peg, its tips and all else stay.

    Raises
    ------
    BadJob : for a bore of a part that is not there, for what is no bore, or what would close it.
    """
    part, shape = job.part(bore.part), bore.shape
    diameter = shape.diameter_mm + 2 * widen_mm
    if not shape.is_hole or diameter < NARROWEST_MM:
        raise BadJob(f"a bore of {diameter:.2f} mm is none.", where=part.name, remedy="Make its peg thinner instead.")
    made = Rebore(shape.axis, *shape.centre_mm, shape.length_mm, shape.diameter_mm, diameter)
    return job.with_part(replace(part, rebores=(*part.rebores, made)))


def kept_for_fit(job: Job, rounds: Sequence[RoundOf], stages: Stages) -> Job:
    """The job with the faces of pegs and bores marked as mating: no tip and no hole is put on them.

    Of the source's faces those are meant that look square to the axis, with all corners at its radius and along its length.

    Raises
    ------
    BadJob : when none of the faces is one of a source, as of what a cut, a key or another bore made.
    """
    made, count = job, 0
    for each in rounds:
        part = made.part(each.part)
        mesh, shape = stages.regions(part).mesh, each.shape
        on = wall_of(mesh, shape.axis, shape.centre_mm, shape.length_mm, shape.diameter_mm)
        count += int(on.sum())
        made = made.with_part(with_marked(part, MarkKind.MATING, np.flatnonzero(on)))
    if count == 0:
        raise BadJob(
            "none of these faces is one of the model's own.",
            where=", ".join(dict.fromkeys(each.name for each in rounds)),
            kept="No mark was changed.",
            remedy="What a cut laid bare is kept free already.",
        )
    return made


def pairs_in(job: Job, stages: Stages, progress: Progress | None = None) -> tuple[Pair, ...]:
    """Pairs of a job's pegs and bores, the tightest first. Each is in one pair at most, the best matched ones together.

    A peg goes into a bore of another part; into one of its own part only where the job has no other.

    Raises
    ------
    BadModel : as the parts' stages. Cancelled : when the progress is cancelled.
    """
    progress, rounds = progress or quiet(), []
    for number, part in enumerate(job.parts):
        progress.at(number / max(len(job.parts), 1), "looking for pegs and bores")
        rounds += [RoundOf(part.id, part.name, shape) for shape in stages.rounds(part)]
    pegs, bores = ([r for r in rounds if r.shape.is_hole is hole] for hole in (False, True))
    matches = [
        (abs(wider), n, m)
        for n, peg in enumerate(pegs)
        for m, bore in enumerate(bores)
        if (peg.part != bore.part or len(job.parts) == 1)
        and TIGHTEST_MM <= (wider := bore.shape.diameter_mm - peg.shape.diameter_mm) <= LOOSEST_MM
    ]
    taken: dict[int, int] = {}
    for _, n, m in sorted(matches):
        if n not in taken and m not in taken.values():
            taken[n] = m
    pairs = []
    for n, m in taken.items():
        peg, bore = pegs[n], bores[m]
        told = fit_told(peg.drawn(job.part(peg.part)), bore.drawn(job.part(bore.part)), job.bench)
        pairs.append(Pair(peg, bore, told))
    return tuple(sorted(pairs, key=lambda pair: pair.told.mean_mm))
