"""Plane cuts through parts that are too big."""

from wideberth.core.split.cut import Cut, apply_cuts, fits, propose_cut

__all__ = ["Cut", "apply_cuts", "fits", "propose_cut"]
