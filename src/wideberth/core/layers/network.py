"""Cells of a narrow way as a network: what flows between two void sets, a bore's ends included."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels.network import pressures, reached

Values = NDArray[np.float64]
TOLERANCE = 1e-5
ROUND_SHARE = 1 / (8 * np.pi)
"""S/A² of a disc; of a strip it is w/(12 b)."""
NEARLY = 0.94
"""From this share of it on a section counts as round: it is measured to a few hundredths."""


@dataclass(frozen=True)
class Flow:
    """What flows between two sets: conductance with its ends, section of a duct that does the same."""

    conductance: float
    area: float


@dataclass(frozen=True, eq=False)
class Network:
    """Cells and the links between them: conductance, volume and speed per pressure gradient of each, and which way it runs."""

    a: NDArray[np.int64]
    b: NDArray[np.int64]
    g: Values
    volume: Values
    speed: Values
    axis: NDArray[np.int8]

    def flows_from(self, first: int, others: list[int], sets: NDArray[np.int64]) -> dict[int, Flow]:
        """What flows from one set to each of some others, for unit pressure between it and all others."""
        nodes, places = np.unique(np.concatenate((self.a, self.b)), return_inverse=True)
        if len(nodes) == 0:
            return {}
        a, b = places[: len(self.a)], places[len(self.a) :]
        own = sets[nodes]
        fixed = own >= 0
        start = np.where(own == first, 1.0, 0.0)
        lost = ~reached(a, b, fixed)
        pressure = pressures(a, b, self.g, fixed | lost, start, TOLERANCE)
        drop = pressure[a] - pressure[b]
        flow = self.g * drop
        net = np.bincount(a, flow, len(nodes)) - np.bincount(b, flow, len(nodes))
        out: dict[int, Flow] = {}
        for other in others:
            passed = -float(net[own == other].sum())
            if passed > 1e-12:
                out[other] = self._with_ends(passed, 0.5 * (pressure[a] + pressure[b]), drop, flow)
        return out

    def _with_ends(self, conductance: float, pressure: Values, drop: Values, flow: Values) -> Flow:
        """The same with what a bore's ends resist, judged by the middle of the way, where the pressure falls from 3/4 to 1/4.

        There Q = ū A G and V = A Δp / G: what flows, the mean speed per gradient ū, the volume V and the pressure Δp that is
        lost in it give the gradient G and the section A of a duct that does the same.
        """
        middle = np.abs(pressure - 0.5) < 0.25
        spent = np.bincount(self.axis[middle], (flow * drop)[middle], 3)
        own = middle & (self.axis == spent.argmax())
        volume = float(self.volume[own].sum())
        if volume <= 0 or spent.sum() <= 0:
            return Flow(conductance, 0.0)
        speed = float((self.speed * self.volume)[own].sum()) / volume
        lost = float(spent.sum()) / conductance
        area = float(np.sqrt(conductance * volume / (speed * lost)))
        through = speed * area
        alike = min(1.0, through / area**2 / (NEARLY * ROUND_SHARE))
        radius = (8 * through / np.pi) ** 0.25
        return Flow(1.0 / (1.0 / conductance + 3.0 * alike**4 / radius**3), area)
