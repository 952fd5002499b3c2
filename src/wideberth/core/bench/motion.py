"""How the plate moves between two layers: lift, return and waits, of the first layers and of the others."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench.bench import Bench
from wideberth.core.units import mm_per_s

MOVES = (
    "lift_mm", "lift_mm_per_min", "second_lift_mm", "second_lift_mm_per_min", "return_mm_per_min", "slow_return_mm",
    "slow_return_mm_per_min", "wait_before_s", "wait_after_s", "wait_lifted_s", "rest_s",
)  # fmt: skip
"""Keys of the print settings that make a motion; `first_` before one is the first layers' own."""


def move_s(distance_mm: float, mm_per_min: float, acceleration_mm_per_s2: float) -> float:
    """Time [s] of one move from rest to rest with finite acceleration: trapezoidal, or triangular when it is short."""
    if distance_mm <= 0:
        return 0.0
    speed = mm_per_s(mm_per_min)
    if distance_mm * acceleration_mm_per_s2 >= speed**2:
        return distance_mm / speed + speed / acceleration_mm_per_s2
    return 2 * math.sqrt(distance_mm / acceleration_mm_per_s2)


@dataclass(frozen=True)
class Motion:
    """From one light to the next.

    motion_factor : how much longer this printer takes for a move than speed and acceleration say. rest_s : all of it from
    light-off to light-on, where that is what was entered; the wait before the light is what the rest leaves. overhead_s : the
    printer's own, within that rest.
    """

    lift_mm: float
    lift_mm_per_min: float
    second_lift_mm: float
    second_lift_mm_per_min: float
    return_mm_per_min: float
    slow_return_mm: float
    slow_return_mm_per_min: float
    wait_entered_s: float
    wait_after_s: float
    wait_lifted_s: float
    rest_s: float | None
    acceleration_mm_per_s2: float
    motion_factor: float
    overhead_s: float

    @property
    def total_lift_mm(self) -> float:
        return self.lift_mm + self.second_lift_mm

    @property
    def slow_mm(self) -> float:
        """Last stretch of the return, no longer than the lift."""
        return min(self.slow_return_mm, self.total_lift_mm)

    @cached_property
    def lift_s(self) -> tuple[float, float]:
        """Both stages of the lift."""
        return self._takes_s(self.lift_mm, self.lift_mm_per_min), self._takes_s(self.second_lift_mm, self.second_lift_mm_per_min)

    @cached_property
    def return_s(self) -> tuple[float, float]:
        """Both stretches of the return."""
        fast = self.total_lift_mm - self.slow_mm
        return self._takes_s(fast, self.return_mm_per_min), self._takes_s(self.slow_mm, self.slow_return_mm_per_min)

    def _takes_s(self, distance_mm: float, mm_per_min: float) -> float:
        return self.motion_factor * move_s(distance_mm, mm_per_min, self.acceleration_mm_per_s2)

    @property
    def moving_s(self) -> float:
        return sum(self.lift_s) + sum(self.return_s)

    @property
    def spare_s(self) -> float:
        """What the rest leaves for the wait before the light; below zero when the motion alone takes longer."""
        if self.rest_s is None:
            return self.wait_entered_s
        return self.rest_s - self.moving_s - self.wait_after_s - self.wait_lifted_s - self.overhead_s

    @property
    def wait_before_s(self) -> float:
        """Wait before the light: as entered, or what a rest `from light-off, motion included` leaves."""
        return max(0.0, self.spare_s)

    @property
    def still_s(self) -> float:
        """All waits."""
        return self.wait_before_s + self.wait_after_s + self.wait_lifted_s

    @property
    def seconds(self) -> float:
        """From light-off to light-on."""
        return self.moving_s + self.still_s + self.overhead_s

    @property
    def closing_mm_per_min(self) -> float:
        """Speed at which the layer's gap closes: the slow last stretch where there is one."""
        return self.slow_return_mm_per_min if self.slow_return_mm > 0 else self.return_mm_per_min


def motion(bench: Bench, first: bool = False) -> Motion:
    """Motion of the first layers or of the others; what the first layers do not have of their own is as the others'.

    A rest of the first layers' own, or a wait of their own, takes the place of the others' rest.
    """
    p, printer = bench.print, bench.printer
    taken = {key: getattr(p, key) for key in MOVES}
    if first:
        own = {key: value for key in MOVES if (value := getattr(p, f"first_{key}")) is not None}
        if "wait_before_s" in own and "rest_s" not in own:
            own["rest_s"] = None
        taken |= own
    taken["wait_entered_s"] = taken.pop("wait_before_s")
    a, factor = printer.acceleration_mm_per_s2, printer.motion_factor
    return Motion(**taken, acceleration_mm_per_s2=a, motion_factor=factor, overhead_s=printer.overhead_s)


def has_first_motion(bench: Bench) -> bool:
    """Whether the first layers move in a way of their own."""
    return bench.print.first_layers > 0 and motion(bench, first=True) != motion(bench)


def by_layer(bench: Bench, layers: int, of: Callable[[Motion], float]) -> NDArray[np.float64]:
    """A figure of each layer's motion, (layers,): `of` the first layers' for these, of the others' for the rest."""
    values = np.full(layers, of(motion(bench)))
    values[: bench.print.first_layers] = of(motion(bench, first=True))
    return values
