"""Necks once more, with sets and lists: what is beyond each section, and how much it pulls."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers import Sections


@dataclass(eq=False)
class _Beyond:
    """What is connected on the film's side of a layer: pulls and their first moments at each layer, and whether tips hold it."""

    force: NDArray[np.float64]
    by_x: NDArray[np.float64]
    by_y: NDArray[np.float64]
    held: bool = False
    here: list[int] = field(default_factory=list)


def necks_slowly(
    part: Sections,
    layer: NDArray[np.int64],
    x_mm: NDArray[np.float64],
    y_mm: NDArray[np.float64],
    force_n: NDArray[np.float64],
    component: NDArray[np.int64],
    held: NDArray[np.int64],
    axes: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Stress, pull and moment in every section that alone holds what lies beyond it, (components, 3)."""
    layers = part.layers
    own = [np.bincount(component, w, part.count) for w in (force_n, force_n * x_mm, force_n * y_mm)]
    links = np.searchsorted(part.upper, np.arange(part.count + 1))
    below_area = np.bincount(part.upper, part.area_mm2[part.lower], part.count)
    tipped = np.zeros(part.count, bool)
    tipped[held[held >= 0]] = True
    result = np.zeros((part.count, 3))
    stride = max(1, round(0.5 / part.runs.grid.layer_mm))
    open_ones: list[_Beyond] = []
    for k in range(layers - 1, -1, -1):
        feet = [{int(c) for u in b.here for c in part.lower[links[u] : links[u + 1]]} for b in open_ones]
        groups: dict[int, _Beyond] = {}
        for c in range(part.first[k], part.first[k + 1]):
            alone = [b for b, f in zip(open_ones, feet, strict=True) if f == {c} and not b.held]
            if alone and (k % stride == 0 or part.area_mm2[c] < 0.97 * below_area[c]):
                _weigh(part, c, k, alone, axes, result)
        for b, f in zip(open_ones, feet, strict=True):
            joined = list({id(groups[c]): groups[c] for c in f if c in groups}.values())
            keeper = _joined([b, *joined]) if f else b
            keeper.here = sorted(f | {c for g in joined for c in g.here}) if f else []
            for c in keeper.here:
                groups[c] = keeper
        for c in range(part.first[k], part.first[k + 1]):
            if c not in groups:
                none = np.zeros(layers)
                groups[c] = _Beyond(none, none.copy(), none.copy(), here=[c])
            group = groups[c]
            group.force[k] += own[0][c]
            group.by_x[k] += own[1][c]
            group.by_y[k] += own[2][c]
            group.held = group.held or bool(tipped[c])
        open_ones = list({id(g): g for g in groups.values()}.values())
    return result


def _joined(several: list[_Beyond]) -> _Beyond:
    """Several as one; a single one stays as it is."""
    first = several[0]
    for other in several[1:]:
        first.force += other.force
        first.by_x += other.by_x
        first.by_y += other.by_y
        first.held = first.held or other.held
    return first


def _weigh(part: Sections, c: int, k: int, alone: list[_Beyond], axes: NDArray[np.float64], result: NDArray[np.float64]) -> None:
    """Stress of one section at the layer that pulls it most."""
    force, by_x, by_y = (sum(getattr(b, name)[k + 1 :] for b in alone) for name in ("force", "by_x", "by_y"))
    cos, sin, modulus_u, modulus_v = axes[c]
    aside_x, aside_y = by_x - part.x_mm[c] * force, by_y - part.y_mm[c] * force
    moment_u, moment_v = np.abs(cos * aside_y - sin * aside_x), np.abs(cos * aside_x + sin * aside_y)
    stress = force / part.area_mm2[c] + moment_u / modulus_u + moment_v / modulus_v
    if len(stress):
        worst = int(stress.argmax())
        result[c] = stress[worst], force[worst], np.hypot(moment_u[worst], moment_v[worst])
