"""The compiled loops: pulls shared over what holds, pressures balanced over holes, stress in necks, push on posts, what
holds all round."""

from wideberth.core.loads._kernels.all_round import gaps_within, nearer_by_tips
from wideberth.core.loads._kernels.holes import HolesAt, Openings, balance, through_holes
from wideberth.core.loads._kernels.necks import Links, neck_stresses
from wideberth.core.loads._kernels.push import hardest_pushes
from wideberth.core.loads._kernels.springs import LEAST_MPA, Limits, Others, Pulled, Springs, overloads, share_pulls

__all__ = [
    "LEAST_MPA",
    "HolesAt",
    "Limits",
    "Links",
    "Openings",
    "Others",
    "Pulled",
    "Springs",
    "balance",
    "gaps_within",
    "hardest_pushes",
    "nearer_by_tips",
    "neck_stresses",
    "overloads",
    "share_pulls",
    "through_holes",
]
