"""Drain holes: drilled through the wall, and proposed where they relieve most."""

from wideberth.core.drain.hole import Drilled, Hole, drill, drills_mesh
from wideberth.core.drain.propose import Spot, hole_diameter_mm, propose_for_chamber, propose_for_cups

__all__ = [
    "Drilled", "Hole", "Spot", "drill", "drills_mesh", "hole_diameter_mm", "propose_for_chamber", "propose_for_cups",
]  # fmt: skip
