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
    section
    of the part between it and the bulk, and the pull that breaks it. sides : from how many of 16
    sides snips reach it."""

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
    above = _Above.of(sections.lower, sections.upper, sections.count)
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
        sides = _sides(printed, touch.x_mm, touch.y_mm, touch.z_mm - JAWS_MM)
        at, size = int(sections.layer[neck]), float(sections.area_mm2[neck])
        snap = Snap(n, breaks, size, float(z[at]), size * float(strength[at]), sides)
        out = float(np.hypot(*(np.array([touch.x_mm, touch.y_mm]) - middles[touch.part])))
        first = -round(snap.risk, 2) if snap.risk >= bench.house.snip_share else 0.0
        found.append(((touch.part, first, -round(out, 1), round(touch.diameter_mm, 3), n), snap))
    return tuple(snap for _, snap in sorted(found, key=lambda pair: pair[0]))


@dataclass(frozen=True, eq=False)
class _Above:
    """Components that lie on each component, in the layer above."""

    first: NDArray[np.int64]
    upper: NDArray[np.int32]

    @classmethod
    def of(cls, lower: NDArray[np.int32], upper: NDArray[np.int32], count: int) -> _Above:
        order = np.argsort(lower, kind="stable")
        return cls(np.searchsorted(lower[order], np.arange(count + 1)).astype(np.int64), upper[order])

    def widest(self, component: int, area_mm2: Values) -> int:
        """The largest of those on a component, -1 for none."""
        mine = self.upper[self.first[component] : self.first[component + 1]]
        return int(mine[area_mm2[mine].argmax()]) if len(mine) else -1


def _neck(component: int, start: int, above: _Above, sections: Sections) -> int:
    """The smallest section on the way up from a contact's component, from a layer on, before half of all on that way is
    passed."""
    way = [component]
    while (upper := above.widest(way[-1], sections.area_mm2)) >= 0:
        way.append(upper)
    area = sections.area_mm2[way]
    bulk = int(np.searchsorted(np.cumsum(area), 0.5 * area.sum()))
    first = min(int(np.searchsorted(sections.layer[way], start)), len(way) - 1)
    last = max(bulk, first)
    return way[first + int(area[first : last + 1].argmin())]


def _sides(printed: Printed, x_mm: float, y_mm: float, z_mm: float) -> int:
    """From how many sides a level way to a place is free of the part."""
    sections, grid = printed.part_sections, printed.part.grid
    layer = int(grid.layer_of(max(z_mm, 0.0)))
    if layer >= grid.layers:
        return WAYS
    turns = 2 * np.pi * np.arange(WAYS) / WAYS
    out = np.arange(STEP_MM, FAR_MM + STEP_MM, STEP_MM)
    x, y = x_mm + np.outer(np.cos(turns), out), y_mm + np.outer(np.sin(turns), out)
    rows = np.asarray(grid.row_of(y)).astype(np.int64)
    taken = np.zeros(x.shape, bool)
    runs = sections.runs
    for row in np.unique(rows[(rows >= 0) & (rows < grid.rows)]):
        a, b = runs.offsets[layer * grid.rows + row], runs.offsets[layer * grid.rows + row + 1]
        here = rows == row
        for i in range(a, b):
            taken[here] |= (x[here] >= runs.x0[i]) & (x[here] <= runs.x1[i])
    return int((~taken.any(axis=1)).sum())
