"""What each drilled hole does for the pressure in the present pose: from which height it breathes, and what it takes off."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.layers import OUTSIDE, SEALED, UNKNOWN, VENTED, Printed
from wideberth.core.loads import Loads
from wideberth.core.units import N_PER_MM2_PER_KPA


@dataclass(frozen=True)
class HoleRecord:
    """A hole at work.

    part, number : whose, and which of that part's. from_mm : height at which it first breathes for a cup, None when it never
    does. sealed_below_mm : how much of that cup's height is printed before, sealed. before_n, after_n : the cup's greatest
    suction were the hole not there, over the layers it breathes for, and with it.
    """

    part: int
    number: int
    z_mm: float
    from_mm: float | None
    sealed_below_mm: float
    before_n: float
    after_n: float
    id: str = ""

    @property
    def relieves(self) -> bool:
        return self.from_mm is not None

    @property
    def words(self) -> str:
        """What it does, in a line."""
        if self.from_mm is None:
            return "relieves no cup in this pose"
        late = f", after {self.sealed_below_mm:.1f} mm sealed" if self.sealed_below_mm > 0.05 else ""
        return f"relieves from {self.from_mm:.1f} mm up{late}: {self.after_n:.1f} N for {self.before_n:.0f} N sealed"


def hole_records(printed: Printed, loads: Loads, bench: Bench) -> tuple[HoleRecord, ...]:
    """All holes in the order of `printed.bores`."""
    o, grid, sets = printed.openings, printed.all.grid, printed.mouths.sets
    sealed_n = bench.laws.seal_kpa * N_PER_MM2_PER_KPA * o.area_mm2
    records = []
    for b, bore in enumerate(printed.bores):
        inner, outer = sets[o.layer, 2 * b], sets[o.layer, 2 * b + 1]
        joins = (inner != UNKNOWN) & (outer != UNKNOWN) & (inner != outer)
        beside = (o.void_set == inner) | (o.void_set == outer)
        # a void next door breathes by the hole too, through the model's own way to it
        for w in range(printed.ways.count):
            a, c = (sets[o.layer, 2 * (len(printed.bores) + w) + side] for side in (0, 1))
            leads = (printed.ways.conductance_mm3[w, o.layer] > 0) & (a != UNKNOWN) & (c != UNKNOWN)
            for near, far in ((a, c), (c, a)):
                beside |= leads & (o.void_set == far) & (near != OUTSIDE) & ((near == inner) | (near == outer))
        served = joins & (o.state == VENTED) & (o.void_set != OUTSIDE) & beside
        rows = np.flatnonzero(served)
        if len(rows) == 0:
            records.append(HoleRecord(bore.part, bore.number, bore.z_mm, None, 0.0, 0.0, 0.0, bore.id))
            continue
        first = int(o.layer[rows].min())
        cups = np.unique(o.cup[rows])
        early = np.isin(o.cup, cups) & (o.state == SEALED) & (o.layer < first)
        layers = len(np.unique(o.layer[early]))
        before = np.bincount(o.layer[rows], sealed_n[rows]).max()
        after = np.bincount(o.layer[rows], loads.suction.force_n[rows]).max()
        records.append(
            HoleRecord(
                bore.part,
                bore.number,
                bore.z_mm,
                first * grid.layer_mm,
                layers * grid.layer_mm,
                float(before),
                float(after),
                bore.id,
            )
        )
    return tuple(records)
