"""Necks: sections through which all that hangs beyond them is held, in tension and bending."""

from __future__ import annotations

from dataclasses import dataclass, field

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


@dataclass(eq=False)
class _Beyond:
    """What is connected on the film's side of a layer: pulls and their first moments at each layer, and whether tips hold it."""

    force: NDArray[np.float64]
    by_x: NDArray[np.float64]
    by_y: NDArray[np.float64]
    held: bool = False
    here: list[int] = field(default_factory=list)


def necks(part: Sections, layer: NDArray[np.int64], x_mm: NDArray[np.float64], y_mm: NDArray[np.float64],
          force_n: NDArray[np.float64], component: NDArray[np.int64], held: NDArray[np.int64]) -> Necks:  # fmt: skip
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
    layers = part.layers
    own = [np.bincount(component, w, part.count) for w in (force_n, force_n * x_mm, force_n * y_mm)]
    axes = _principal(part)
    links = np.searchsorted(part.upper, np.arange(part.count + 1))
    below_area = np.bincount(part.upper, part.area_mm2[part.lower], part.count)
    tipped = np.zeros(part.count, bool)
    tipped[held[held >= 0]] = True
    result = Necks(np.zeros(part.count), np.zeros(part.count), np.zeros(part.count), np.zeros(part.count, np.int64))
    stride = max(1, round(STRIDE_MM / part.runs.grid.layer_mm))
    open_ones: list[_Beyond] = []
    for k in range(layers - 1, -1, -1):
        feet = [{int(c) for u in b.here for c in part.lower[links[u] : links[u + 1]]} for b in open_ones]
        groups: dict[int, _Beyond] = {}
        for c in range(part.first[k], part.first[k + 1]):
            alone = [b for b, f in zip(open_ones, feet, strict=True) if f == {c} and not b.held]
            if alone and (k % stride == 0 or part.area_mm2[c] < NARROWS * below_area[c]):
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


def _weigh(part: Sections, c: int, k: int, alone: list[_Beyond], axes: NDArray[np.float64], result: Necks) -> None:
    """Stress of one section at the layer that pulls it most."""
    force, by_x, by_y = (sum(getattr(b, name)[k + 1 :] for b in alone) for name in ("force", "by_x", "by_y"))
    cos, sin, modulus_u, modulus_v = axes[c]
    aside_x, aside_y = by_x - part.x_mm[c] * force, by_y - part.y_mm[c] * force
    moment_u = np.abs(cos * aside_y - sin * aside_x)  # of the pull's place along v
    moment_v = np.abs(cos * aside_x + sin * aside_y)
    stress = force / part.area_mm2[c] + moment_u / modulus_u + moment_v / modulus_v
    if len(stress) == 0:
        return
    worst = int(stress.argmax())
    result.stress_n_per_mm2[c] = stress[worst]
    result.pull_n[c] = force[worst]
    result.moment_nmm[c] = float(np.hypot(moment_u[worst], moment_v[worst]))
    result.peeling[c] = k + 1 + worst


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
