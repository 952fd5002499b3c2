"""Models that come with supports: told from the part, and taken over as tips of the job."""

from __future__ import annotations

from dataclasses import dataclass, replace

from wideberth.core.bench import SupportSettings
from wideberth.core.errors import BadJob
from wideberth.core.job import Job
from wideberth.core.model import Mend, Mesh, Source, binary_stl, mended, parse_model, unfolded
from wideberth.core.orient import Pose
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress
from wideberth.core.propose.proposal import Proposal, of_part, only
from wideberth.core.support import Found, recognised

WELD_MM, ROUNDS = 0.001, 8
"""Corners on rims that are nearer are one. Where they become one others may lie on each other, and so on, so many times."""


@dataclass(frozen=True)
class _Looking:
    """outer : the model as it stands, supports and all."""

    outer: Mesh
    settings: SupportSettings


def _found(of: _Looking, progress: Progress) -> Found | None:
    return recognised(of.outer, of.settings, progress)


@of_part
def propose_found(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Proposal:
    """The job with a model that came with supports taken apart: the part alone, its open contacts filled, on tips of its own.

    The supports that it came with are drawn anew: contacts, posts, feet and pads of the base where they were, a base of the same
    kind as high as the bench has it.

    Raises
    ------
    BadJob : when it already hangs on tips, or is cut, hollowed or drilled.
    """
    part = job.part(id)
    if part.supports or part.cuts or part.shell is not None or part.holes:
        raise BadJob(
            "only a model as it was opened can be looked through for supports of its own.",
            where=part.name,
            kept="Nothing was changed.",
            remedy="Open it again.",
        )
    outer = stages.solids(part, job.bench.supports).outer
    found = stages.cache.run(_found, _Looking(outer, job.bench.supports), progress)
    if found is None:
        return only("support", "find supports", "it comes with no supports that can be told from it", job, needed=False)
    alone = replace(
        part,
        source=_as_source(part.source.name, found.part),
        mends=(Mend("weld", WELD_MM), Mend("fill")),
        scale=1.0,
        stretch=(1.0, 1.0, 1.0),
        mirrored=False,
        marks=(),
        pose=Pose(gap_mm=found.gap_mm),
        supports=found.supports,
    )
    return only("support", f"take {part.name} off its supports", f"{found.words}; drawn anew as tips", job.with_part(alone))


def _as_source(name: str, mesh: Mesh) -> Source:
    """A mesh as if read from a file, without the walls of no thickness that ends of tips leave in it: each of its holes can be
    filled."""
    left = parse_model(name, ".stl", binary_stl(mesh)).mesh  # which makes corners one that are one to the file
    for _ in range(ROUNDS):
        before, left = left.triangles, unfolded(mended(left, Mend("weld", WELD_MM))[0])
        if left.triangles == before:
            break
    return parse_model(name, ".stl", binary_stl(left))
