"""What is solid on one grid: the parts, what their drilled holes took of them, and their supports."""

from __future__ import annotations

import threading
import weakref
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Generic, TypeVar

from wideberth.core.layers.runs import Runs, on_grid, union

Made = TypeVar("Made")


@dataclass(frozen=True, eq=False)
class Solid:
    """Parts on their supports.

    Attributes
    ----------
    part : the parts alone, their holes drilled. supports : these alone, bases with them.
    plugs : what the holes took, on any window of the same lattice; None where there are none.

    Notes
    -----
    What is plugged is put together each time it is asked for: it is large, seldom wanted, and nearly what there is already.
    """

    part: Runs
    supports: Runs
    plugs: Runs | None = None

    @cached_property
    def all(self) -> Runs:
        """Everything; the very parts where nothing supports them."""
        return self.part if self.supports.x0.size == 0 else union(self.part, self.supports)

    @property
    def part_plugged(self) -> Runs:
        """The parts with their holes filled; the very parts where there are none."""
        return self._with_plugs(self.part)

    @property
    def all_plugged(self) -> Runs:
        """Everything with the holes filled; the very same as `all` where there are none."""
        return self._with_plugs(self.all)

    def _with_plugs(self, runs: Runs) -> Runs:
        return runs if self.plugs is None else union(runs, on_grid(self.plugs, runs.grid))


class Lent(Generic[Made]):
    """Something large that is made when it is asked for, and let go as soon as nobody holds it any more."""

    def __init__(self, make: Callable[[], Made]) -> None:
        self._make = make
        self._lent: weakref.ref[Made] | None = None
        self._lock = threading.Lock()

    def get(self) -> Made:
        """The thing; the same one for all that hold it at a time."""
        with self._lock:
            made = None if self._lent is None else self._lent()
            if made is None:
                made = self._make()
                self._lent = weakref.ref(made)
            return made
