"""Bodies and flows by general tools: connected components of a graph, and a root finder."""

from __future__ import annotations

import networkx as nx
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from skimage.measure import perimeter_crofton

from wideberth.core.layers import Sections


def bodies_at(found: Sections, layer: int) -> dict[int, int]:
    """For each component up to a layer, the lowest component of its body, by a graph of touching components."""
    graph = nx.Graph()
    upto = np.flatnonzero(found.layer <= layer)
    graph.add_nodes_from(int(c) for c in upto)
    graph.add_edges_from((int(a), int(b)) for a, b in zip(found.upper, found.lower, strict=True) if found.layer[a] <= layer)
    return {c: min(body) for body in nx.connected_components(graph) for c in body}


def naive_links(found: Sections) -> set[tuple[int, int]]:
    """Pairs of components that touch from layer to layer, by comparing every run with every run."""
    runs, grid = found.runs, found.runs.grid
    ray = runs.row_index()
    layer, row = ray // grid.rows, ray % grid.rows
    pairs = set()
    for i in range(len(ray)):
        for j in np.flatnonzero((layer == layer[i] - 1) & (np.abs(row - row[i]) <= 1)):
            if runs.x0[i] < runs.x1[j] and runs.x0[j] < runs.x1[i]:
                pairs.add((int(found.label[i]), int(found.label[j])))
    return pairs


def outline_length(found: Sections, component: int) -> float:
    """Perimeter of a component from its pixels, by Crofton's formula (scikit-image)."""
    runs, grid = found.runs, found.runs.grid
    ray = runs.row_index()
    mine = np.flatnonzero(found.label == component)
    x = np.arange(found.x_low_mm[component] - 1, found.x_high_mm[component] + 1, grid.pitch_mm)
    image = np.zeros((grid.rows, len(x)), bool)
    for i in mine:
        image[ray[i] % grid.rows] |= (x > runs.x0[i]) & (x < runs.x1[i])
    return float(perimeter_crofton(image, directions=4)) * grid.pitch_mm


def balanced(wanted: NDArray[np.float64], to_outside: NDArray[np.float64], between: NDArray[np.float64]) -> NDArray[np.float64]:
    """Pressures of sets joined by linear resistances, from the full set of balance equations."""
    n = len(wanted)

    def error(p: NDArray[np.float64]) -> NDArray[np.float64]:
        out = np.divide(p, to_outside, out=np.zeros(n), where=np.isfinite(to_outside))
        out[np.isinf(to_outside)] = 0
        for i in range(n):
            for j in range(n):
                if np.isfinite(between[i, j]) and i != j:
                    out[i] += (p[i] - p[j]) / between[i, j]
        return out - wanted

    return np.asarray(least_squares(error, np.full(n, 100.0), xtol=1e-14, ftol=1e-14).x)
