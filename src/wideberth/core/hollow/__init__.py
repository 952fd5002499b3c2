"""Shells: the cavity under a wall of given thickness, and whether it pays."""

from wideberth.core.hollow.cavity import Hollowed, can_be_open, cavity_mesh, hollow_out, node_step_mm
from wideberth.core.hollow.gussets import Ceilings, Gussets, gussets_in
from wideberth.core.hollow.lattice import LEAST_SHARE, MOST_SHARE, Bars, Keepout, lattice_in, measured_share, wall_gives_mm
from wideberth.core.hollow.measured import WallMeasured, measured_wall
from wideberth.core.hollow.propose import HollowAdvice, usual_shell, weigh_hollow
from wideberth.core.hollow.shell import GYROID, STRUTS, Lattice, Level, Shell, Thicker

__all__ = [
    "GYROID", "LEAST_SHARE", "MOST_SHARE", "STRUTS", "Bars", "Ceilings", "Gussets", "HollowAdvice", "Hollowed", "Keepout",
    "Lattice", "Level", "Shell", "Thicker", "WallMeasured", "can_be_open", "cavity_mesh", "gussets_in", "hollow_out",
    "lattice_in", "measured_share", "measured_wall", "node_step_mm", "usual_shell", "wall_gives_mm", "weigh_hollow",
]  # fmt: skip
