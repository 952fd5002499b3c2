"""Taking models in: what is mended at once because it can only be meant so, and which repairs would help."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.job.job import Job
from wideberth.core.job.part import Part
from wideberth.core.model import Health, Mend, Source
from wideberth.core.naming import cleaned

ORDER = ("weld", "tidy", "orient", "debris", "fill", "rebuild")
"""Repairs in the order that serves: joined corners first, since they close most holes; rebuilding only when all else fails."""


def taken_in(source: Source) -> Part:
    """A part of a source. A closed mesh that is inside out as a whole is turned, and its recipe says so."""
    mesh = source.mesh
    inside_out = mesh.watertight and mesh.volume_mm3 < 0
    return Part(cleaned(source.name), source, mends=(Mend("orient"),) if inside_out else ())


def advised_mends(health: Health) -> tuple[Mend, ...]:
    """The repairs that would help, in the order to try them; none when only notes were found."""
    wanted = {f.mend for f in health.flaws if f.mend and f.severity != "note"}
    if "fill" in wanted:
        wanted |= {"weld", "orient"}
    if wanted & {"fill", "tidy"}:
        wanted.discard("rebuild")  # the others may do; if they do not, it is advised the next time
    return tuple(Mend(kind) for kind in ORDER if kind in wanted)


def with_mend(part: Part, mend: Mend) -> Part:
    """The part with one more repair. Its surface may move, so supports are dropped."""
    return replace(part, mends=(*part.mends, mend)).unsupported()


def without_mends(job: Job, id: str) -> Job:
    """The job with a part as its file has it."""
    return job.with_part(replace(job.part(id), mends=()).unsupported())
