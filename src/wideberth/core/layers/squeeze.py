"""The squeeze integral of every component: few exact solves, the rest by a shape number that changes slowly.

S = ∫ u dA with ∇²u = -1 inside and u = 0 on the boundary. Saint-Venant's rule for torsion, J ≈ A⁴/(40 Ip) with J = 4 S,
says that s = S·Ip/A⁴ is near 1/160 for any compact section; for thin rings and strips it is constant too. So s is
solved at the ends of each chain of alike components, and halved down until the middle is told by its ends.

Source: de Saint-Venant (1856), Mémoire sur la torsion des prismes; physics of squeeze films: Stefan (1874).
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cache

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import squeeze as kernels
from wideberth.core.layers.runs import Runs
from wideberth.core.layers.sections import Sections

COMPACT_SHAPE = 1 / 160
COMPACT_AREA_MM2 = 4.0
LEAST_ROUNDNESS = 0.6
LEAST_CELLS = 900
CELLS_ACROSS = 8
SPECK_MM2 = 0.3
MOST_ADDED = 0.25
THREADS = 2
BATCHES = 8


@dataclass(frozen=True)
class SqueezeEffort:
    """How exactly squeeze integrals are found. The pull goes with the fourth root of S or so: 12 % of it are 3 % of the pull.

    cells : about how many a solve has. tolerance : share of S by which a check solve may be off. most_change : a span is also
    halved while its area changes by more than this. least_share : components under this share of their layer's area take
    Saint-Venant's rule. side_by_side : on both cores; not where whole predictions already are.
    """

    cells: int
    tolerance: float
    most_change: float
    least_share: float
    side_by_side: bool = True


Solved = dict[tuple[float, float, float], float]
"""Squeeze integrals by area, perimeter and polar moment: sections that share all three to a millionth are the same one."""
FINE_SQUEEZE = SqueezeEffort(5000, 0.04, 1.35, 0.0)
PREVIEW_SQUEEZE = SqueezeEffort(500, 0.12, 2.0, 0.05)
GLANCE_SQUEEZE = SqueezeEffort(250, 0.2, 2.5, 0.1)
POSE_SQUEEZE = replace(PREVIEW_SQUEEZE, side_by_side=False)


def squeeze_of(sections: Sections, component: int, cells: int = FINE_SQUEEZE.cells, across: Runs | None = None) -> float:
    """Squeeze integral S [mm⁴] of one component.

    It is solved on square cells, eight across its mean width 2A/P, no more than `cells` in all, and no finer than the
    rows. Where the sections know their runs across the rows, `across`, the boundary is exact in both directions.
    """
    runs, grid = sections.runs, sections.runs.grid
    area = sections.area_mm2[component]
    wanted = (CELLS_ACROSS * sections.perimeter_mm[component] / 2) ** 2 / area
    side = np.sqrt(area / np.clip(wanted, min(LEAST_CELLS, cells), cells))
    stride = max(1, round(side / grid.pitch_mm))
    across = sections.lines_across() if across is None else across
    of = kernels.Component(
        component,
        int(sections.layer[component]),
        int(sections.row_low[component]),
        int(sections.row_high[component]),
        float(sections.x_low_mm[component]),
        float(sections.x_high_mm[component]),
    )
    value, _ = kernels.squeeze(runs.rays, across.rays, sections.label, of, stride)
    return float(value)


def squeeze_integrals(
    sections: Sections, effort: SqueezeEffort = FINE_SQUEEZE, wanted: NDArray[np.bool_] | None = None, known: Solved | None = None
) -> tuple[NDArray[np.float64], int]:
    """Squeeze integral [mm⁴] of every component, and how many were solved.

    Parameters
    ----------
    sections : to measure. effort : how exactly.
    wanted : (components,) which to solve; the others take Saint-Venant's rule. known : what was solved before, looked up and
    added to: parts that stay as they are need not be solved again.

    Notes
    -----
    Small round components (under 4 mm², 4πA/P² over 0.6: posts, tips) always take Saint-Venant's rule, which is within
    2 % for discs and squares.
    """
    compact = sections.area_mm2**4 / np.maximum(sections.polar_mm4, 1e-12) * COMPACT_SHAPE
    values = compact.copy()
    roundness = 4 * np.pi * sections.area_mm2 / np.maximum(sections.perimeter_mm, 1e-9) ** 2
    solve = (sections.area_mm2 >= COMPACT_AREA_MM2) | ((roundness < LEAST_ROUNDNESS) & (sections.area_mm2 > SPECK_MM2))
    if wanted is not None:
        solve &= wanted
    if effort.least_share > 0:
        solve &= sections.area_mm2 >= effort.least_share * sections.per_layer(sections.area_mm2)[sections.layer]
    chains = sorted(_chains(sections, solve), key=len, reverse=True)
    across = cache(sections.lines_across)  # held from the first solve to the last, if there is any

    def some(first: int) -> int:
        """Solve every so-manieth chain; how many solves that took."""
        solves = 0
        for chain in chains[first::BATCHES]:
            shape, solved = _along(sections, chain, effort, {} if known is None else known, across)
            values[chain] = shape * compact[chain] / COMPACT_SHAPE
            solves += solved
        return solves

    if not effort.side_by_side:
        return values, sum(some(batch) for batch in range(BATCHES))
    with ThreadPoolExecutor(THREADS) as side_by_side:
        return values, sum(side_by_side.map(some, range(BATCHES)))


def squeeze_with_supports(
    everything: Sections,
    part: Sections,
    part_mm4: NDArray[np.float64],
    part_in_all: NDArray[np.int64],
    effort: SqueezeEffort = FINE_SQUEEZE,
    known: Solved | None = None,
) -> tuple[NDArray[np.float64], int]:
    """Squeeze integral [mm⁴] of components of everything, (n,), from those of the part that they hold, (m,); and how many were
    solved.

    Where posts and tips add little to a component of the part, its S is the sum of the parts' own and of the added
    area taken as one disc; only components that are mostly support (the base) are solved anew. S of pieces joined by
    slender bridges is very nearly the sum of theirs.
    """
    inside = part_in_all >= 0
    area = np.bincount(part_in_all[inside], part.area_mm2[inside], everything.count)
    held = np.bincount(part_in_all[inside], part_mm4[inside], everything.count)
    added = np.maximum(everything.area_mm2 - area, 0.0)
    mostly_part = added < MOST_ADDED * everything.area_mm2
    values, solved = squeeze_integrals(everything, effort, ~mostly_part, known)
    return np.where(mostly_part, held + added**2 / (8 * np.pi), values), solved


def _chains(sections: Sections, wanted: NDArray[np.bool_]) -> list[NDArray[np.int64]]:
    """Stretches of components that follow each other one to one, and change in area by no more than a fifth a layer."""
    ups = np.bincount(sections.lower, minlength=sections.count)
    downs = np.bincount(sections.upper, minlength=sections.count)
    single = (downs[sections.upper] == 1) & (ups[sections.lower] == 1) & wanted[sections.upper] & wanted[sections.lower]
    ratio = sections.area_mm2[sections.upper] / np.maximum(sections.area_mm2[sections.lower], 1e-12)
    single &= (ratio > 0.8) & (ratio < 1.25)
    follows = np.full(sections.count, -1, np.int64)
    follows[sections.lower[single]] = sections.upper[single]
    begins = wanted.copy()
    begins[sections.upper[single]] = False
    chains = []
    for start in np.flatnonzero(begins):
        chain = [int(start)]
        while follows[chain[-1]] >= 0:
            chain.append(int(follows[chain[-1]]))
        chains.append(np.array(chain))
    return chains


def _along(
    sections: Sections, chain: NDArray[np.int64], effort: SqueezeEffort, known: Solved, across: Callable[[], Runs]
) -> tuple[NDArray[np.float64], int]:
    """Shape number s along a chain: solved at its ends, halved until a check solve in the middle agrees.

    A check can agree by chance, so a span is also halved while its area changes much.
    """
    shape = np.zeros(len(chain))
    solved = 0

    def solve(i: int) -> None:
        nonlocal solved
        c = int(chain[i])
        measures = (sections.area_mm2[c], sections.perimeter_mm[c], sections.polar_mm4[c])
        name = (round(float(measures[0]), 6), round(float(measures[1]), 6), round(float(measures[2]), 4))
        value = known.get(name, -1.0)
        if value < 0:
            value = known[name] = squeeze_of(sections, c, effort.cells, across())
            solved += 1
        floor = sections.area_mm2[c] ** 4 / max(sections.polar_mm4[c], 1e-12)
        shape[i] = value / floor if value > 0 else COMPACT_SHAPE

    last = len(chain) - 1
    solve(0)
    if last > 0:
        solve(last)
    spans = [(0, last)] if last > 1 else []
    while spans:
        a, b = spans.pop()
        middle = (a + b) // 2
        solve(middle)
        share = (middle - a) / (b - a)
        guess = shape[a] + share * (shape[b] - shape[a])
        areas = sections.area_mm2[chain[a : b + 1]]
        close = abs(guess - shape[middle]) <= effort.tolerance * shape[middle] and areas.max() < effort.most_change * areas.min()
        for lo, hi in ((a, middle), (middle, b)):
            if hi - lo < 2:
                continue
            if close:
                shape[lo : hi + 1] = np.linspace(shape[lo], shape[hi], hi - lo + 1)
            else:
                spans.append((lo, hi))
    return shape, solved
