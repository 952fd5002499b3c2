"""Islands, cups, traps and tips as records, for lists, logs and files."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.layers import OPEN, STATES, VENTED, Printed
from wideberth.core.loads import Loads


@dataclass(frozen=True)
class IslandRecord:
    """Where a part begins in mid-liquid, whether a support is there, and whether it is inside a shell's chamber, where no tip may
    stand."""

    layer: int
    z_mm: float
    x_mm: float
    y_mm: float
    area_mm2: float
    supported: bool
    inside: bool = False


@dataclass(frozen=True)
class CupRecord:
    """A stretch of layers in which a cup keeps one state. Volume is of its void at the end of the stretch; `narrow_kpa` the most
    that the model's own narrow ways take. `cutting`: its hole is still being printed."""

    cup: int
    state: str
    z_from_mm: float
    z_to_mm: float
    max_area_mm2: float
    volume_ml: float
    peak_suction_n: float
    vents: int
    x_mm: float
    y_mm: float
    narrow_kpa: float = 0.0
    cutting: bool = False


@dataclass(frozen=True)
class TipRecord:
    """A tip with its margin at its worst layer. part : which print on the plate. contact : id of its contact in that part;
    `touches` is False for one that ends short of the part; printed_mm : what its diameter is printed as; strength_mpa : its
    green strength at its worst layer."""

    part: int
    contact: str
    x_mm: float
    y_mm: float
    z_mm: float
    diameter_mm: float
    margin: float
    worst_layer: int
    worst_load_n: float
    touches: bool
    printed_mm: float = 0.0
    strength_mpa: float = 0.0

    @property
    def size_text(self) -> str:
        """What it is drawn as and printed as: `0.30 mm drawn, 0.27 printed`; one figure where both are the same."""
        drawn, printed = f"{self.diameter_mm:.2f}", f"{self.printed_mm:.2f}"
        return f"{drawn} mm" if drawn == printed else f"{drawn} mm drawn, {printed} printed"


def island_records(printed: Printed) -> tuple[IslandRecord, ...]:
    """Islands of the part from the plate up; an island is supported when what holds it in everything rests on something."""
    part, everything, grid = printed.part_sections, printed.sections, printed.all.grid
    return tuple(
        IslandRecord(
            int(part.layer[c]),
            float(grid.z_of(int(part.layer[c]))),
            float(part.x_mm[c]),
            float(part.y_mm[c]),
            float(part.area_mm2[c]),
            bool(everything.rests_on_something[printed.part_in_all[c]]),
            bool(inside),
        )
        for c, inside in zip(printed.islands, printed.alone.in_chamber(printed.islands), strict=True)
    )


def cup_records(printed: Printed, loads: Loads) -> tuple[CupRecord, ...]:
    """Cups by number and height, a new record at each change of state."""
    o, t = printed.openings, printed.all.grid.layer_mm
    force, vents = loads.suction.force_n, loads.suction.vents
    records = []
    for cup in np.unique(o.cup):
        rows = np.flatnonzero(o.cup == cup)
        layers = np.unique(o.layer[rows])
        state = {int(k): int(o.state[rows[o.layer[rows] == k][0]]) for k in layers}
        begin = int(layers[0])
        for i, k in enumerate(layers):
            last = i + 1 == len(layers)
            if not last and layers[i + 1] == k + 1 and state[int(layers[i + 1])] == state[int(k)]:
                continue
            mine = rows[(o.layer[rows] >= begin) & (o.layer[rows] <= k)]
            area = np.bincount(o.layer[mine] - begin, o.area_mm2[mine])
            pull = np.bincount(o.layer[mine] - begin, force[mine])
            widest = mine[o.area_mm2[mine].argmax()]
            # while its hole is being printed a cup breathes through a slot: it is not open yet
            cutting = state[int(k)] == OPEN and float(pull.max()) > 0
            records.append(
                CupRecord(
                    int(cup),
                    STATES[VENTED if cutting else state[int(k)]],
                    begin * t,
                    float((k + 1) * t),
                    float(area.max()),
                    float(o.volume_mm3[mine].max() / 1000),
                    float(pull.max()),
                    int(vents[mine].max()),
                    float(o.x_mm[widest]),
                    float(o.y_mm[widest]),
                    float(loads.suction.narrow_kpa[mine].max()),
                    cutting,
                )
            )
            begin = int(layers[i + 1]) if not last else begin
    return tuple(records)


def tip_records(printed: Printed, loads: Loads) -> tuple[TipRecord, ...]:
    """All tips in the order of the recipe."""
    records = []
    for i, touch in enumerate(printed.touches):
        worst = int(loads.tip_worst_layer[i])
        records.append(
            TipRecord(
                touch.part,
                touch.contact,
                touch.x_mm,
                touch.y_mm,
                touch.z_mm,
                touch.diameter_mm,
                float(loads.tip_margin[i]),
                worst,
                float(loads.tip_load_n[worst, i]),
                bool(loads.tip_touches[i] >= 0),
                float(loads.tips.printed_mm[i]),
                float(loads.tips.strength_n_per_mm2[worst, i]) if loads.layers else 0.0,
            )
        )
    return tuple(records)
