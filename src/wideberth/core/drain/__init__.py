"""Drain holes: drilled through the wall, proposed where they relieve most; chambers, what stays in them, plugs and light."""

from wideberth.core.drain.chambers import Chamber, VoidCells, Way, void_cells
from wideberth.core.drain.hole import DROP, OUTLINES, OVAL, ROUND, Drilled, Hole, drill, drills_mesh, flow_radius_mm
from wideberth.core.drain.light import Lit, lit_walls
from wideberth.core.drain.plug import plug
from wideberth.core.drain.pools import Emptying, Pools, best_pose, emptying, pools, sill_mm, spread_directions
from wideberth.core.drain.probe import Probe, Probed
from wideberth.core.drain.propose import Spot, hole_diameter_mm, is_clear_of, near_refused, propose_for_chamber, propose_for_cups

__all__ = [
    "DROP", "OUTLINES", "OVAL", "ROUND", "Chamber", "Drilled", "Emptying", "Hole", "Lit", "Pools", "Probe", "Probed",
    "Spot", "VoidCells", "Way", "best_pose", "drill", "drills_mesh", "emptying", "flow_radius_mm",
    "hole_diameter_mm",
    "is_clear_of", "lit_walls", "near_refused", "plug", "pools", "propose_for_chamber", "propose_for_cups", "sill_mm",
    "spread_directions", "void_cells",
]  # fmt: skip
