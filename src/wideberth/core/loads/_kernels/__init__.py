"""The compiled loops: pulls shared over what holds, pressures balanced over holes, stress in necks."""

from wideberth.core.loads._kernels.holes import HolesAt, Openings, balance, through_holes
from wideberth.core.loads._kernels.necks import Links, neck_stresses
from wideberth.core.loads._kernels.springs import Pulled, Springs, share_pulls

__all__ = ["HolesAt", "Links", "Openings", "Pulled", "Springs", "balance", "neck_stresses", "share_pulls", "through_holes"]
