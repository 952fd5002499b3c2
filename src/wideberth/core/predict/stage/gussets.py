"""Gussets: what carries the bumps of the chambers' ceilings in the part's pose."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.hollow import Ceilings, Gussets, Keepout, Level, gussets_in
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class GussetInput:
    """up : away from the plate in the part's own frame. clear_of : its drilled holes. open_below : where there is no wall."""

    ceilings: Ceilings
    up: tuple[float, float, float]
    clear_of: tuple[Keepout, ...]
    open_below: Level | None


def gussets(of: GussetInput, progress: Progress) -> Gussets | None:
    """See `gussets_in`."""
    return gussets_in(of.ceilings, np.array(of.up), of.clear_of, of.open_below, progress)
