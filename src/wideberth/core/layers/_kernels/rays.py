"""Runs as the compiled loops take them."""

from typing import NamedTuple

import numpy as np


class Rays(NamedTuple):
    """Runs of a solid on parallel rays, `rows` of them in each layer, ray j at first_mm + j pitch_mm; see `Runs`."""

    offsets: np.ndarray
    x0: np.ndarray
    x1: np.ndarray
    rows: int
    layers: int
    first_mm: float
    pitch_mm: float
