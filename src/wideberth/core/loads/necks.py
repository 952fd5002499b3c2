"""Necks: sections through which all that hangs beyond them is held, in tension and bending."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers import Sections
from wideberth.core.loads import _kernels as kernels

STRIDE_MM = 0.5
NARROWS = 0.97
"""A section is looked at where it is narrower than what it stands on, and otherwise every half millimetre."""


@dataclass(frozen=True, eq=False)
class Necks:
    """Greatest stress in each section of the part from what hangs beyond it, at the layer that pulls it most.

    Attributes (arrays of (components,))
    ----------
    stress_n_per_mm2 : σ = F/A + M/W; 0 where the section was not looked at, or is not the only way. pull_n, moment_nmm : F
    and M then. peeling : the layer being peeled then.
    """

    stress_n_per_mm2: NDArray[np.float64]
    pull_n: NDArray[np.float64]
    moment_nmm: NDArray[np.float64]
    peeling: NDArray[np.int64]


def necks(
    part: Sections,
    layer: NDArray[np.int64],
    x_mm: NDArray[np.float64],
    y_mm: NDArray[np.float64],
    force_n: NDArray[np.float64],
    component: NDArray[np.int64],
    held: NDArray[np.int64],
) -> Necks:
    """Look for necks from the film's side down to the plate.

    Parameters
    ----------
    part : sections of the part alone. layer, x_mm, y_mm, force_n, component : (pulls,) each on a component. held : components
        that tips hold.

    Notes
    -----
    What lies beyond a section and touches no tip hangs on it alone when it meets the layer in no other section; the pull of
    every later layer there then passes through it. Where there are several ways the load is shared and nothing is said.
    """
    stride = max(1, round(STRIDE_MM / part.runs.grid.layer_mm))
    below_area = np.bincount(part.upper, part.area_mm2[part.lower], part.count)
    asked = (part.layer % stride == 0) | (part.area_mm2 < NARROWS * below_area)
    tipped = np.zeros(part.count, bool)
    tipped[held[held >= 0]] = True
    own = np.array([np.bincount(component, w, part.count) for w in (force_n, force_n * x_mm, force_n * y_mm)], float)
    links = kernels.Links(part.first, np.searchsorted(part.upper, np.arange(part.count + 1)), part.lower)
    area, x, y = (np.ascontiguousarray(values) for values in (part.area_mm2, part.x_mm, part.y_mm))
    stress, pull, moment, peeling = kernels.neck_stresses(links, area, x, y, part.principal, asked, tipped, own)
    return Necks(stress, pull, moment, peeling.astype(np.int64))
