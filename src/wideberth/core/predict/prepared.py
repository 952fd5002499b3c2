"""The prepared meshes of a part and its supports: what any other program would slice."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.job import Job
from wideberth.core.layers import Touch
from wideberth.core.model import Exact, Mesh, hollowed, joined, pieces_cut, resolved, rod
from wideberth.core.predict.solids import PartSolids
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress, quiet

TOLERANCE_MM, FINE_MM = 0.02, 0.005
FOOT_ROOM_MM = 3.0
"""How far round a foot on the part its post is trimmed."""
SIDES = 16


@dataclass(frozen=True)
class _Preparing:
    """A print's solids; depth_mm, pad_mm : contact depth of tips and height of the base."""

    solids: PartSolids
    depth_mm: float
    pad_mm: float


def _prepared(of: _Preparing, progress: Progress) -> tuple[Mesh, str, Mesh | None]:
    """A part's mesh around its own place with a note, and its supports'."""
    mesh, note = prepared_mesh(of.solids, progress)
    return mesh, note, prepared_supports(of.solids, of.depth_mm, of.pad_mm)


def plate_meshes(
    job: Job, stages: Stages, progress: Progress | None = None, plate: str = ""
) -> tuple[list[tuple[str, Mesh, str]], list[str]]:
    """Prepared meshes and supports of all prints on a plate, "" for the first one, and notes about what was not exact."""
    settings = job.bench.supports
    meshes, notes = [], []
    prints = stages.solids_on(job, plate)
    for solids, share in zip(prints, (progress or quiet()).evenly(len(prints)), strict=True):
        name = solids.placed.name
        share.at(0.0, f"preparing {name}")
        of = _Preparing(solids.at_home, settings.contact_depth_mm, solids.placed.part.supports.base_mm(settings))
        mesh, note, supports = stages.cache.run(_prepared, of, share)
        meshes.append((name, mesh.moved(solids.shift_mm), "model"))
        if note and solids.placed.first:
            notes.append(f"{name} {note}")
        if supports is not None:
            meshes.append((f"{name}, supports", supports.moved(solids.shift_mm), "support"))
    return meshes, notes


def prepared_mesh(solid: PartSolids, progress: Progress | None = None) -> tuple[Mesh, str]:
    """A part less its cavity (but for what stands in it) and drain holes, as one mesh, and a note when that was not exact.

    Around the part's own place. A mesh that is not a closed manifold cannot be cut exactly: then its shells are given one inside
    the other, its drain holes and lattice are missing from the mesh (never from the layers), and the note says so.
    """
    if solid.cavity is None and solid.drills is None:
        return solid.outer, ""
    try:
        standing = [mesh.transformed(solid.matrix) for mesh in solid.fillings]
        return hollowed(solid.outer, solid.chambers, standing, solid.drills, TOLERANCE_MM, progress), ""
    except BadModel:
        inner = [Mesh(c.points, c.faces[:, ::-1].copy()) for c in solid.chambers]
        note = "is not a closed solid: its drain holes and lattice are in the layers but not in the exported mesh"
        return joined([solid.outer, *inner]), note if solid.drills is not None else ""


def prepared_supports(solid: PartSolids, depth_mm: float, pad_mm: float) -> Mesh | None:
    """A part's supports as they are printed: a foot on the part goes no deeper into it than a tip does, a pad beside a
    part on the plate ends at it, and nothing stands in a chamber.

    Where part or supports are no exact solids the supports stay as they are: in the layers both are joined anyway.

    Parameters
    ----------
    depth_mm : contact depth of tips and feet. pad_mm : height of the base.
    """
    feet = feet_on_part(solid.touches)
    on_plate = float(solid.box_mm[0, 2]) < depth_mm
    if solid.supports is None or not (feet or on_plate or solid.cavity is not None):
        return solid.supports
    try:
        supports = solid.supports
        if rooms := [_room(foot) for foot in feet] + ([_over_plate(solid.supports, pad_mm)] if on_plate else []):
            lower = solid.outer.moved(np.array([0.0, 0.0, -depth_mm]))
            inside = Exact.solid(lower) ^ Exact.solid(resolved(joined(rooms)))
            supports = pieces_cut(supports, _boxes(rooms), lambda pieces: [(p - inside).simplified(FINE_MM) for p in pieces])
        if solid.chambers:  # of many triangles: what reaches there is united first
            voids = Exact.all_of([Exact.solid(chamber) for chamber in solid.chambers])
            supports = pieces_cut(
                supports, _boxes(solid.chambers), lambda pieces: [(Exact.all_of(pieces) - voids).simplified(FINE_MM)]
            )
        return supports
    except BadModel:
        return solid.supports


def _boxes(meshes: Sequence[Mesh]) -> NDArray[np.float64]:
    """Low and high corners of some meshes, (meshes, 2, 3)."""
    return np.array([[mesh.low, mesh.high] for mesh in meshes])


def feet_on_part(touches: tuple[Touch, ...]) -> list[tuple[float, float, float, float]]:
    """Where posts stand on the part itself: x, y, z and the post's diameter, each once."""
    return sorted({(t.post_x_mm, t.post_y_mm, t.post_foot_mm, t.post_diameter_mm) for t in touches if t.post_foot_mm > 0})


def _room(foot: tuple[float, float, float, float]) -> Mesh:
    """A cylinder round a foot, from below it to a little above."""
    x, y, z, thick = foot
    low, high = np.array([x, y, z - FOOT_ROOM_MM]), np.array([x, y, z + FOOT_ROOM_MM])
    return rod(low, high, thick, thick, SIDES)


def _over_plate(supports: Mesh, pad_mm: float) -> Mesh:
    """A slab over all pads, as high as these."""
    middle = 0.5 * (supports.low + supports.high)
    reach = float(np.hypot(*(supports.high - supports.low)[:2])) + FOOT_ROOM_MM
    return rod(np.array([*middle[:2], -1.0]), np.array([*middle[:2], pad_mm + 0.01]), reach, reach, SIDES)
