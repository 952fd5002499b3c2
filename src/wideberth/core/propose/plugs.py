"""Plugs for a part's drain holes: as files with names that match, or as parts on the same plate."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from wideberth.core.bench import outline_growth_mm
from wideberth.core.drain import plug
from wideberth.core.job import Job, Part
from wideberth.core.model import Mesh, binary_stl, frame_along, parse_model
from wideberth.core.orient import Pose, as_turn
from wideberth.core.predict import Stages
from wideberth.core.saving import write_safely


def plug_name(part: Part, number: int) -> str:
    """Name of the plug of a hole, counted from 0: "Whelk, plug 2"."""
    return f"{part.name}, plug {number + 1}"


def plugs(job: Job, id: str, stages: Stages) -> tuple[list[tuple[str, Mesh]], list[str]]:
    """Plugs of a part's holes in its own frame by name, and notes on what was not exact.

    Raises
    ------
    BadModel : when a clearance leaves nothing of a plug.
    """
    part, outer = job.part(id), stages.cut(job.part(id))
    clearance = job.bench.house.plug_clearance_mm + 2 * outline_growth_mm(job.bench)  # the hole shrinks as the plug grows
    made, notes = [], []
    for number, drilled in enumerate(stages.drilled(part)):
        mesh, note = plug(outer, drilled, clearance, plug_name(part, number))
        made.append((plug_name(part, number), mesh))
        notes += [note] if note else []
    return made, notes


def export_plugs(job: Job, id: str, stages: Stages, folder: Path) -> tuple[list[Path], list[str]]:
    """Write each plug as an STL of its own, named as the part and the hole; returns paths and notes.

    Raises
    ------
    CannotWrite : when the folder cannot be written. BadModel : as `plugs`.
    """
    made, notes = plugs(job, id, stages)
    paths = []
    for name, mesh in made:
        path = folder / (name.replace("/", "-").replace(", ", " ") + ".stl")
        write_safely(path, binary_stl(mesh))
        paths.append(path)
    return paths, notes


def with_plugs(job: Job, id: str, stages: Stages) -> tuple[Job, list[str]]:
    """The job with the plugs of a part as further parts, standing on their inner ends, to be arranged; and notes."""
    made, notes = plugs(job, id, stages)
    parts = []
    for (name, mesh), drilled in zip(made, stages.drilled(job.part(id)), strict=True):
        source = parse_model(name, ".stl", binary_stl(mesh))
        parts.append(Part(name, source.named(name), pose=Pose(as_turn(frame_along(-np.asarray(drilled.along))))))
    return job.with_more(*parts), notes
