"""The demo scenario: a harbour museum makes replicas that its visitors may touch. All names are made up."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

MESHES = {
    "whelk": "whelk.ply",
    "bell": "bell.ply",
    "claw": "claw.3mf",
    "name plate": "name_plate.stl",
    "cleat": "cleat.obj",
    "lighthouse": "lighthouse.ply",
}


def mesh_path(name: str) -> Path:
    """File of a demo mesh: whelk, bell, claw, name plate, cleat or lighthouse."""
    return Path(str(resources.files("wideberth.demo") / "meshes" / MESHES[name]))


def job_path() -> Path:
    """The finished demo job."""
    return Path(str(resources.files("wideberth.demo") / "demo_job.3mf"))
