"""One logged print as a fit sees it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from wideberth.core.logbook.expected import Expected
from wideberth.core.logbook.measured import Measured
from wideberth.core.logbook.record import Entry

if TYPE_CHECKING:
    from wideberth.core.logbook.store import Logbook


@dataclass(frozen=True, eq=False)
class Shown:
    """A print of the log with what was expected and measured of it; `own`: whether it is of the very printer, resin and film."""

    entry: Entry
    expected: Expected
    measured: Measured | None
    own: bool = True

    @property
    def sound_layers(self) -> int:
        """Layers until anything went wrong: what is measured after that is of another print than was expected."""
        bad = [p.lost_layer for p in self.entry.parts if p.lost_layer is not None]
        bad += [] if self.entry.off_plate is None else [self.entry.off_plate]
        unknown = any(p.fate == "lost" and p.lost_layer is None for p in self.entry.parts) and self.entry.off_plate is None
        return 0 if unknown or self.entry.film_torn else min([self.expected.layers, *bad])


def shown_prints(log: Logbook, entries: list[Entry], group: tuple[str, str, str]) -> list[Shown]:
    """Those entries that can teach anything of a group: what was expected of them is known."""
    made = []
    for entry in entries:
        if entry.ended == "printing":
            continue
        expected = log.expected(entry.id)
        if expected is not None:
            made.append(Shown(entry, expected, log.measured(entry.id), entry.group == group))
    return made


def thinned(layers: int, most: int) -> np.ndarray:
    """At most so many layers, evenly."""
    return np.unique(np.linspace(0, layers - 1, min(layers, most)).astype(int)) if layers > 0 else np.zeros(0, int)
