"""Shells: the cavity under a wall of given thickness, and whether it pays."""

from wideberth.core.hollow.propose import HollowAdvice, usual_shell, weigh_hollow
from wideberth.core.hollow.shell import Shell, cavity_mesh, hollow_out

__all__ = ["HollowAdvice", "Shell", "cavity_mesh", "hollow_out", "usual_shell", "weigh_hollow"]
