"""What stands on the plate: each body's contact, the front that a scraper meets under it, and its sections up to its top."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from wideberth.core.layers.sections import Sections

Values = NDArray[np.float64]
DIRECTIONS = 36
"""Ways to come from, five degrees apart: a front is as wide from behind as from before."""
SHARPEST = 1e-3
"""Of a row's height: a run's end counts as slanting by at least this, so that its width changes over some length."""


@dataclass(frozen=True, eq=False)
class Standing:
    """One body that stands on the plate.

    x_mm, y_mm : middle of its contact. contact_mm2 : its area. front_mm, direction_deg : see `front_mm`. area_mm2 : (layers,) of
    its sections. spots_mm : (runs, 2) in its contact. components : of all that is printed, that are its own.
    """

    x_mm: float
    y_mm: float
    contact_mm2: float
    front_mm: float
    direction_deg: float
    area_mm2: Values
    spots_mm: Values
    components: NDArray[np.int64]


def standing(whole: Sections) -> tuple[Standing, ...]:
    """Every body of a print that reaches the plate, once all is printed."""
    grid = whole.runs.grid
    ground = int(whole.first[1]) if whole.layers else 0
    if ground == 0:
        return ()
    links = coo_array((np.ones(len(whole.upper), np.int8), (whole.upper, whole.lower)), (whole.count, whole.count))
    body = np.asarray(connected_components(links, directed=False)[1], np.int64)
    area = coo_array((whole.area_mm2, (body, whole.layer)), (body.max() + 1, whole.layers)).tocsr()
    rows = whole.runs.offsets[grid.rows]  # runs of the first layer
    x0, x1 = whole.runs.x0[:rows], whole.runs.x1[:rows]
    y = grid.y0_mm + (whole.runs.row_index()[:rows] % grid.rows) * grid.pitch_mm
    of_run = body[whole.label[:rows]]
    found = []
    for one in np.unique(body[:ground]):
        own = of_run == one
        contact = (x1[own] - x0[own]) * grid.pitch_mm
        found.append(
            Standing(
                float(np.average(0.5 * (x0[own] + x1[own]), weights=contact)),
                float(np.average(y[own], weights=contact)),
                float(contact.sum()),
                *front_mm(x0[own], x1[own], y[own], grid.pitch_mm),
                area[[int(one)]].toarray()[0],
                np.column_stack((0.5 * (x0[own] + x1[own]), y[own])),
                np.flatnonzero(body == one),
            )
        )
    return tuple(found)


def front_mm(x0: Values, x1: Values, y: Values, pitch_mm: float) -> tuple[float, float]:
    """Widest front [mm] in the best direction, and that direction [degrees from +x towards +y].

    Parameters
    ----------
    x0, x1, y : (runs,) of the contact's rows, each `pitch_mm` high.

    Notes
    -----
    The front at a place along the way is the sum of all chords across it. Each run is a rectangle, whose chords make a trapezium
    along the way; the sum of trapezia is linear between their corners, so its greatest value stands at one of them.
    """
    best = (np.inf, 0.0)
    for angle in np.pi * np.arange(DIRECTIONS) / DIRECTIONS:
        across = _widest(x0, x1, y, pitch_mm, float(np.cos(angle)), float(np.sin(angle)))
        if across < best[0] * (1 - 1e-9):
            best = (across, float(np.degrees(angle)))
    return best


def _widest(x0: Values, x1: Values, y: Values, pitch_mm: float, cos: float, sin: float) -> float:
    """The widest front of rectangles on a way along (cos, sin)."""
    long, short = abs(cos) * (x1 - x0), np.full(len(y), abs(sin) * pitch_mm)
    ramp = np.maximum(np.minimum(long, short), SHARPEST * pitch_mm)
    half = 0.5 * (np.maximum(long, short) + ramp)
    middle = 0.5 * (x0 + x1) * cos + y * sin
    slope = (x1 - x0) * pitch_mm / ((2 * half - ramp) * ramp)  # area over the trapezium's mean width, over its ramp
    at = np.concatenate((middle - half, middle - half + ramp, middle + half - ramp, middle + half))
    bend = np.concatenate((slope, -slope, -slope, slope))
    order = np.argsort(at, kind="stable")
    rise = np.cumsum(bend[order])
    return float(np.cumsum(rise[:-1] * np.diff(at[order])).max(initial=0.0))
