"""The compiled loops: pulls shared over what holds, pressures balanced over holes, stress in necks, what holds all round."""

from wideberth.core.loads._kernels.all_round import gaps_within, nearer_by_tips
from wideberth.core.loads._kernels.holes import HolesAt, Openings, balance, through_holes
from wideberth.core.loads._kernels.necks import Links, neck_stresses
from wideberth.core.loads._kernels.springs import Pulled, Springs, share_pulls

__all__ = [
    "HolesAt",
    "Links",
    "Openings",
    "Pulled",
    "Springs",
    "balance",
    "gaps_within",
    "nearer_by_tips",
    "neck_stresses",
    "share_pulls",
    "through_holes",
]
