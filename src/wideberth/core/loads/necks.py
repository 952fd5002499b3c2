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
    own = np.stack([np.bincount(component, w, part.count) for w in (force_n, force_n * x_mm, force_n * y_mm)])
    links = kernels.Links(part.first, np.searchsorted(part.upper, np.arange(part.count + 1)), part.lower)
    stress, pull, moment, peeling = kernels.neck_stresses(
        links, part.area_mm2, part.x_mm, part.y_mm, _principal(part), asked, tipped, own
    )
    return Necks(stress, pull, moment, peeling.astype(np.int64))


def _principal(part: Sections) -> NDArray[np.float64]:
    """Principal axes and section moduli of each component, (components, 4): cosine and sine of the turn from x to u, and second
    moment over the farthest fibre about u and about v [mm³].

    The turn is ½ atan2(2 Ixy, Iyy - Ixx), as textbooks of strength of materials have it; a slanting web is weakest about its
    own axis.
    """
    runs, grid = part.runs, part.runs.grid
    pitch, length = grid.pitch_mm, runs.x1 - runs.x0
    y = grid.y0_mm + (runs.row_index() % grid.rows) * pitch - part.y_mm[part.label]
    middle = 0.5 * (runs.x0 + runs.x1) - part.x_mm[part.label]
    about_x = np.bincount(part.label, pitch * length * (y**2 + pitch**2 / 12), part.count)
    about_y = np.bincount(part.label, pitch * (length * middle**2 + length**3 / 12), part.count)
    mixed = np.bincount(part.label, pitch * length * middle * y, part.count)
    turn = 0.5 * np.arctan2(2 * mixed, about_y - about_x)
    cos, sin = np.cos(turn), np.sin(turn)
    about_u = about_x * cos**2 + about_y * sin**2 - 2 * mixed * sin * cos
    about_v = about_x * sin**2 + about_y * cos**2 + 2 * mixed * sin * cos
    far_u, far_v = kernels.farthest(part.label, middle, length, y, cos, sin, pitch, part.count)
    return np.column_stack((cos, sin, (about_u / far_v).clip(1e-9), (about_v / far_u).clip(1e-9)))
