"""Sections of a solid: its components in each layer, their measures and what each rests on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import label as kernels
from wideberth.core.layers.runs import Runs, empty
from wideberth.core.layers.solid import Lent

MEASURED = ("layer", "area_mm2", "perimeter_mm", "x_mm", "y_mm", "polar_mm4", "x_low_mm", "x_high_mm", "row_low", "row_high")
"""What each component has of its own."""


@dataclass(frozen=True, eq=False)
class Sections:
    """Components of every layer.

    Attributes
    ----------
    label : (runs,) component of each run. `first` : (layers + 1,) first component of each layer.
    layer : (components,) layer of each component. area_mm2, perimeter_mm, x_mm, y_mm (centroid), polar_mm4 (polar
    moment of area about the centroid) : (components,).
    x_low_mm, x_high_mm, row_low, row_high : bounds of each component.
    upper, lower : (pairs,) components that touch, the second in the layer below; sorted by the first.
    across : runs of the same solid along y, on a grid whose rows are columns of x, lent when asked for; left out for previews.
    """

    runs: Runs
    label: NDArray[np.int32]
    first: NDArray[np.int64]
    layer: NDArray[np.int64]
    area_mm2: NDArray[np.float64]
    perimeter_mm: NDArray[np.float64]
    x_mm: NDArray[np.float64]
    y_mm: NDArray[np.float64]
    polar_mm4: NDArray[np.float64]
    x_low_mm: NDArray[np.float64]
    x_high_mm: NDArray[np.float64]
    row_low: NDArray[np.int64]
    row_high: NDArray[np.int64]
    upper: NDArray[np.int32]
    lower: NDArray[np.int32]
    across: Lent[Runs] | None = None

    @property
    def count(self) -> int:
        return len(self.area_mm2)

    @property
    def layers(self) -> int:
        return self.runs.grid.layers

    def lines_across(self) -> Runs:
        """The runs along y, lent; no rows at all where they were left out."""
        return empty(replace(self.runs.grid, rows=0, layers=0)) if self.across is None else self.across.get()

    @cached_property
    def rests_on_something(self) -> NDArray[np.bool_]:
        """Whether a component touches one in the layer below, (components,)."""
        resting = np.zeros(self.count, bool)
        resting[self.upper] = True
        return resting

    @cached_property
    def principal(self) -> NDArray[np.float64]:
        """Principal axes and section moduli of each component, (components, 4): cosine and sine of the turn from x to u, and
        second moment over the farthest fibre about u and about v [mm³].

        The turn is ½ atan2(2 Ixy, Iyy - Ixx), as textbooks of strength of materials have it; a slanting web is weakest about its
        own axis.
        """
        runs, grid, of = self.runs, self.runs.grid, self.label
        pitch, length = grid.pitch_mm, runs.x1 - runs.x0
        y = grid.y0_mm + (runs.row_index() % grid.rows) * pitch - self.y_mm[of]
        middle = 0.5 * (runs.x0 + runs.x1) - self.x_mm[of]
        about_x = np.bincount(of, pitch * length * (y**2 + pitch**2 / 12), self.count)
        about_y = np.bincount(of, pitch * (length * middle**2 + length**3 / 12), self.count)
        mixed = np.bincount(of, pitch * length * middle * y, self.count)
        turn = 0.5 * np.arctan2(2 * mixed, about_y - about_x)
        cos, sin = np.cos(turn), np.sin(turn)
        about_u = about_x * cos**2 + about_y * sin**2 - 2 * mixed * sin * cos
        about_v = about_x * sin**2 + about_y * cos**2 + 2 * mixed * sin * cos
        far_u, far_v = kernels.farthest(of, middle, length, y, cos, sin, pitch, self.count)
        return np.column_stack((cos, sin, (about_u / far_v).clip(1e-9), (about_v / far_u).clip(1e-9)))

    def per_layer(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """Sum of a value per component over each layer, (layers,)."""
        return np.bincount(self.layer, values, self.layers).astype(np.float64)

    def component_at(self, layer: int, x_mm: float, y_mm: float, reach_mm: float = 0.0) -> int:
        """The component of a layer that holds a point, or the nearest one within `reach_mm`; -1 when there is none."""
        runs, grid = self.runs, self.runs.grid
        if not 0 <= layer < grid.layers:
            return -1
        where = layer, int(grid.row_of(y_mm)), float(x_mm), float(y_mm), float(reach_mm)
        return int(
            kernels.nearest_component(runs.offsets, runs.x0, runs.x1, self.label, grid.rows, grid.y0_mm, grid.pitch_mm, where)
        )


def sections(runs: Runs, across: Lent[Runs] | None = None) -> Sections:
    """Label and measure the components of every layer of a solid.

    Parameters
    ----------
    across : runs of the same solid along y, so that thin walls along x have an exact boundary in squeeze solves.
    """
    grid = runs.grid
    label, first = kernels.components(runs.offsets, runs.x0, runs.x1, grid.rows, grid.layers)
    count = int(first[-1])
    m = kernels.measures(runs.offsets, runs.x0, runs.x1, label, count, grid.rows, grid.layers, grid.y0_mm, grid.pitch_mm)
    around = kernels.perimeters(runs.offsets, runs.x0, runs.x1, label, count, grid.rows, grid.layers, grid.pitch_mm)
    upper, lower = kernels.links(runs.offsets, runs.x0, runs.x1, label, grid.rows, grid.layers, count)
    pairs = np.unique(upper.astype(np.int64) * (count + 1) + lower)
    upper, lower = (pairs // (count + 1)).astype(np.int32), (pairs % (count + 1)).astype(np.int32)
    return Sections(
        runs,
        label,
        first,
        m[:, 8].astype(np.int64),
        m[:, 0],
        around,
        m[:, 1],
        m[:, 2],
        m[:, 3],
        m[:, 4],
        m[:, 5],
        m[:, 6].astype(np.int64),
        m[:, 7].astype(np.int64),
        upper,
        lower,
        across,
    )


def sections_below(runs: Runs, alike: Sections, upto: int, across: Lent[Runs] | None = None) -> Sections:
    """Sections of a solid that from the layer `upto` on has the very runs of another one, whose sections are known: only what is
    below is labelled and measured, and its first layer above for what that rests on."""
    grid = runs.grid
    if upto >= grid.layers:
        return sections(runs, across)
    below = sections(runs.lowest(upto + 1))
    low, high = int(below.first[upto]), int(alike.first[upto])
    before, beyond = int(runs.offsets[upto * grid.rows]), int(alike.runs.offsets[upto * grid.rows])
    later = int(np.searchsorted(alike.upper, alike.first[upto + 1]))

    shift = np.int32(low - high)
    return Sections(
        runs=runs,
        label=np.concatenate((below.label[:before], alike.label[beyond:] + shift)),
        first=np.concatenate((below.first[:upto], alike.first[upto:] + shift)),
        upper=np.concatenate((below.upper, alike.upper[later:] + shift)),
        lower=np.concatenate((below.lower, alike.lower[later:] + shift)),
        across=across,
        **{of: np.concatenate((getattr(below, of)[:low], getattr(alike, of)[high:])) for of in MEASURED},
    )


@dataclass(frozen=True, eq=False)
class Bodies:
    """What is connected, layer by layer.

    Attributes
    ----------
    root : (components,) name of the body of each component at its own layer.
    volume_mm3 : (components,) volume of that body up to and with that layer.
    tracked : (layers, tracked) body of each tracked component at each layer, -1 before its own layer.
    """

    root: NDArray[np.int64]
    volume_mm3: NDArray[np.float64]
    tracked: NDArray[np.int32]


def bodies(sections: Sections, tracked: NDArray[np.int64]) -> Bodies:
    """Sweep upward and say which components belong together at each layer; `tracked` components (t,) are followed on."""
    volume = sections.area_mm2 * sections.runs.grid.layer_mm
    link_first = np.searchsorted(sections.upper, np.arange(sections.count + 1)).astype(np.int64)
    root, grown, roots = kernels.sweep_bodies(
        sections.first, sections.upper, sections.lower, link_first, volume, tracked.astype(np.int64), sections.layers
    )
    return Bodies(root, grown, roots)
