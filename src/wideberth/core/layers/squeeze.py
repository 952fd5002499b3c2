"""The squeeze integral of every component: few exact solves, the rest by a shape number that changes slowly.

S = ∫ u dA with ∇²u = -1 inside and u = 0 on the boundary. Saint-Venant's rule for torsion, J ≈ A⁴/(40 Ip) with J = 4 S,
says that s = S·Ip/A⁴ is near 1/160 for any compact section; for thin rings and strips it is constant too. So s is
solved at the ends of each chain of alike components, and halved down until the middle is told by its ends.

Source: de Saint-Venant (1856), Mémoire sur la torsion des prismes; physics of squeeze films: Stefan (1874).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import squeeze as kernels
from wideberth.core.layers.sections import Sections

COMPACT_SHAPE = 1 / 160
COMPACT_AREA_MM2 = 4.0
LEAST_ROUNDNESS = 0.6
CELLS = 5000
PREVIEW_CELLS = 700
TOLERANCE = 0.03


def squeeze_of(found: Sections, component: int, cells: int = CELLS) -> float:
    """Squeeze integral S [mm⁴] of one component, solved on about `cells` square cells or the finest the rows allow."""
    runs, grid = found.runs, found.runs.grid
    side = np.sqrt(found.area_mm2[component] / cells)
    stride = max(1, round(side / grid.pitch_mm))
    value, _ = kernels.squeeze(
        runs.offsets, runs.x0, runs.x1, found.label, component, int(found.layer[component]), grid.rows, grid.pitch_mm,
        int(found.row_low[component]), int(found.row_high[component]),
        float(found.x_low_mm[component]), float(found.x_high_mm[component]), stride,
    )  # fmt: skip
    return float(value)


def squeeze_integrals(found: Sections, cells: int = CELLS, known: Sections | None = None,
                      known_mm4: NDArray[np.float64] | None = None) -> tuple[NDArray[np.float64], int]:  # fmt: skip
    """Squeeze integral [mm⁴] of every component, and how many were solved.

    Parameters
    ----------
    found : sections to measure.
    cells : about how many cells a solve has.
    known, known_mm4 : sections of a solid on the same grid that were measured before; equal components are copied.

    Notes
    -----
    Small round components (under 4 mm², 4πA/P² over 0.6: posts, tips) take Saint-Venant's rule, which is within
    2 % for discs and squares.
    """
    compact = found.area_mm2**4 / np.maximum(found.polar_mm4, 1e-12) * COMPACT_SHAPE
    values = compact.copy()
    roundness = 4 * np.pi * found.area_mm2 / np.maximum(found.perimeter_mm, 1e-9) ** 2
    wanted = (found.area_mm2 >= COMPACT_AREA_MM2) | (roundness < LEAST_ROUNDNESS)
    if known is not None and known_mm4 is not None:
        copied = _matching(found, known)
        values = np.where(copied >= 0, known_mm4[copied], values)
        wanted &= copied < 0
    solved = 0
    for chain in _chains(found, wanted):
        shape, extra = _along(found, chain, cells)
        values[chain] = shape * compact[chain] / COMPACT_SHAPE
        solved += extra
    return values, solved


def _matching(found: Sections, known: Sections) -> NDArray[np.int64]:
    """For each component the equal one of other sections on the same grid, or -1."""
    table = {
        key: i for i, key in enumerate(zip(known.layer, known.area_mm2, known.x_mm, known.y_mm, strict=True))
    }  # equal runs give equal sums, bit for bit
    keys = zip(found.layer, found.area_mm2, found.x_mm, found.y_mm, strict=True)
    return np.array([table.get(key, -1) for key in keys], np.int64)


def _chains(found: Sections, wanted: NDArray[np.bool_]) -> list[NDArray[np.int64]]:
    """Stretches of components that follow each other one to one, and change in area by no more than a fifth a layer."""
    ups = np.bincount(found.lower, minlength=found.count)
    downs = np.bincount(found.upper, minlength=found.count)
    single = (downs[found.upper] == 1) & (ups[found.lower] == 1) & wanted[found.upper] & wanted[found.lower]
    ratio = found.area_mm2[found.upper] / np.maximum(found.area_mm2[found.lower], 1e-12)
    single &= (ratio > 0.8) & (ratio < 1.25)
    follows = np.full(found.count, -1, np.int64)
    follows[found.lower[single]] = found.upper[single]
    begins = wanted.copy()
    begins[found.upper[single]] = False
    chains = []
    for start in np.flatnonzero(begins):
        chain = [int(start)]
        while follows[chain[-1]] >= 0:
            chain.append(int(follows[chain[-1]]))
        chains.append(np.array(chain))
    return chains


def _along(found: Sections, chain: NDArray[np.int64], cells: int) -> tuple[NDArray[np.float64], int]:
    """Shape number s along a chain: solved at its ends, halved until a check solve in the middle agrees."""
    shape = np.zeros(len(chain))
    solved = 0

    def solve(i: int) -> None:
        nonlocal solved
        c = int(chain[i])
        value = squeeze_of(found, c, cells)
        floor = found.area_mm2[c] ** 4 / max(found.polar_mm4[c], 1e-12)
        shape[i] = value / floor if value > 0 else COMPACT_SHAPE
        solved += 1

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
        close = abs(guess - shape[middle]) <= TOLERANCE * shape[middle]
        for lo, hi in ((a, middle), (middle, b)):
            if hi - lo < 2:
                continue
            if close:
                shape[lo : hi + 1] = np.linspace(shape[lo], shape[hi], hi - lo + 1)
            else:
                spans.append((lo, hi))
    return shape, solved
