"""Snapping tips off: what each takes, and the thinnest section of the part beside it, which a pull may take along instead."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import Printed, Sections
from wideberth.core.loads.loads import Loads

Values = NDArray[np.float64]
WAYS, FAR_MM, STEP_MM, JAWS_MM = 16, 12.0, 0.4, 1.0
"""Snips come level from one of so many sides; what lies within their reach has to be free, a jaw's height under the contact."""


@dataclass(frozen=True)
class Snap:
    """How one tip comes off. tip : its number. breaks_n : pull at which it snaps. neck_mm2, neck_z_mm, neck_n : the thinnest
    section of the part between it and the bulk, and the pull that breaks it. sides : from how many of 16 sides snips reach it."""

    tip: int
    breaks_n: float
    neck_mm2: float
    neck_z_mm: float
    neck_n: float
    sides: int

    @property
    def risk(self) -> float:
        """Pull that snaps the tip over the one that breaks the part beside it."""
        return self.breaks_n / max(self.neck_n, 1e-9)


def snaps(printed: Printed, loads: Loads, bench: Bench) -> tuple[Snap, ...]:
    """Every tip that touches, print by print, in the order in which they are best taken off.

    Those that could take a neck along come first, while all others still hold the part, the weakest neck first; then the rest
    from the outside inward, so that snips always have room, and of equals the thinnest.

    Notes
    -----
    Both break as they have set when all is printed: σ_g A, of the tip as it is printed, and of the least section on the way up
    from the contact to where half of all that hangs above it is passed.
    """
    sections, grid = printed.part_sections, printed.part.grid
    if not printed.touches or not sections.count:
        return ()
    z = np.asarray(grid.z_of(np.arange(grid.layers)))
    newest = np.full(len(z), len(z) - 1)
    strength = bench.resin.green_strength_mpa * loads.young.factor(loads.young.layers_at(z), newest)
    above, sides = _widest_above(sections), _sides(printed)
    prints = {t.part for t in printed.touches}
    middles = {p: np.mean([(t.x_mm, t.y_mm) for t in printed.touches if t.part == p], axis=0) for p in prints}
    found: list[tuple[tuple[float, ...], Snap]] = []
    for n, touch in enumerate(printed.touches):
        if printed.touched[n] < 0:
            continue
        area = np.pi * float(loads.tips.printed_mm[n]) ** 2 / 4
        start = int(np.clip(grid.layer_of(touch.z_mm + touch.depth_mm + 0.5 * touch.diameter_mm), 0, grid.layers - 1))
        breaks = float(strength[int(np.clip(grid.layer_of(touch.z_mm), 0, grid.layers - 1))]) * area
        neck = _neck(int(printed.touched[n]), start, above, sections)
        at, size = int(sections.layer[neck]), float(sections.area_mm2[neck])
        snap = Snap(n, breaks, size, float(z[at]), size * float(strength[at]), int(sides[n]))
        out = float(np.hypot(*(np.array([touch.x_mm, touch.y_mm]) - middles[touch.part])))
        first = -round(snap.risk, 2) if snap.risk >= bench.house.snip_share else 0.0
        found.append(((touch.part, first, -round(out, 1), round(touch.diameter_mm, 3), n), snap))
    return tuple(snap for _, snap in sorted(found, key=lambda pair: pair[0]))


def _widest_above(sections: Sections) -> list[int]:
    """The largest of those that lie on each component, -1 where none does."""
    above = np.full(sections.count, -1, np.int64)
    order = np.argsort(sections.area_mm2[sections.upper], kind="stable")  # the last that is written is the largest
    above[sections.lower[order]] = sections.upper[order]
    return [int(c) for c in above]


def _neck(component: int, start: int, above: list[int], sections: Sections) -> int:
    """The smallest section on the way up from a contact's component, from a layer on, before half of all on that way is
    passed."""
    way = [component]
    while above[way[-1]] >= 0:
        way.append(above[way[-1]])
    area = sections.area_mm2[way]
    bulk = int(np.searchsorted(np.cumsum(area), 0.5 * area.sum()))
    first = min(max(start - int(sections.layer[component]), 0), len(way) - 1)
    last = max(bulk, first)
    return way[first + int(area[first : last + 1].argmin())]


def _sides(printed: Printed) -> NDArray[np.int64]:
    """From how many sides a level way to each tip, a jaw's height under its contact, is free of the part, (tips,)."""
    runs, grid = printed.part, printed.part.grid
    at = np.array([(t.x_mm, t.y_mm, max(t.z_mm - JAWS_MM, 0.0)) for t in printed.touches])
    turns = 2 * np.pi * np.arange(WAYS) / WAYS
    out = np.arange(STEP_MM, FAR_MM + STEP_MM, STEP_MM)
    x = at[:, 0, None, None] + np.outer(np.cos(turns), out)
    y = at[:, 1, None, None] + np.outer(np.sin(turns), out)
    row = np.asarray(grid.row_of(y)).astype(np.int64)
    layer = np.asarray(grid.layer_of(at[:, 2])).astype(np.int64)[:, None, None]
    within = (row >= 0) & (row < grid.rows) & (layer < grid.layers)
    run = runs.at(np.where(within, layer * grid.rows + row, -1), x)
    taken = (run >= 0) & (x <= runs.x1[run])
    return np.asarray((~taken.any(axis=2)).sum(axis=1))
