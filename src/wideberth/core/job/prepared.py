"""The prepared mesh of a part: what any other program would slice."""

from __future__ import annotations

from wideberth.core.errors import BadModel
from wideberth.core.job.stages import PartSolids
from wideberth.core.model import Mesh, as_mesh, as_solid, joined

TOLERANCE_MM = 0.02


def prepared_mesh(solid: PartSolids, name: str) -> tuple[Mesh, str]:
    """A part less its cavity (but for the lattice in it) and drain holes, as one mesh, and a note when that was not exact.

    In the plate's frame. A mesh that is not a closed manifold cannot be cut exactly: then its shells are given one inside the
    other, its drain holes and lattice are missing from the mesh (never from the layers), and the note says so.
    """
    if solid.cavity is None and solid.drills is None:
        return solid.outer, ""
    try:
        body = as_solid(solid.outer, name)
        bars = None if solid.bars is None else as_solid(solid.bars.mesh.transformed(solid.matrix), name)
        for chamber in solid.chambers:
            void = as_solid(chamber, name)
            body = body - (void if bars is None else void - bars)
        if solid.drills is not None:
            body = body - as_solid(solid.drills, name)
        return as_mesh(body.simplify(TOLERANCE_MM)), ""
    except BadModel:
        inner = [Mesh(c.points, c.faces[:, ::-1].copy()) for c in solid.chambers]
        note = (
            f"{name} is not a closed solid: its drain holes and lattice are in the layers but not in the exported mesh"
        )
        return joined([solid.outer, *inner]), note if solid.drills is not None else ""
