"""Five hundred random plates: no two prints nearer than the gap, by exact solids; and beside a shelf of boxes, twenty sets."""

from __future__ import annotations

import time

import numpy as np

from reference.plates import box_mm2, least_gap, random_prints, shelf_mm2, stands
from wideberth.core.bench import load_bench
from wideberth.core.plate import Goal, Item, pack

PLATES, SETS, LESS = 500, 20, 0.10


def test_no_two_prints_come_nearer_than_the_gap_on_five_hundred_plates() -> None:
    least, plates, seed = [], 0, 0
    while plates < PLATES:
        chance = np.random.default_rng(1000 + seed)
        gap, meshes = float(chance.uniform(0.0, 6.0)), random_prints(1000 + seed, int(chance.integers(4, 14)))
        size = (float(chance.uniform(60, 200)), float(chance.uniform(60, 130)))
        places = pack([Item((m,), str(n), m.volume_mm3) for n, m in enumerate(meshes)], size, gap, list(Goal)[seed % 3])
        for number in {p.plate for p in places if p is not None}:
            on = [stands(m, p) for m, p in zip(meshes, places, strict=True) if p is not None and p.plate == number]
            assert all((np.abs([m.low[:2], m.high[:2]]) <= 0.5 * np.array(size)).all() for m in on)
            if len(on) > 1:
                least.append(least_gap(on, 8.0) - gap)
            plates += 1
        seed += 1
    print(
        f"\n{plates} plates: the nearest two prints {min(least):.3f} mm beyond the gap, {np.median(least):.2f} mm in the median"
    )
    assert min(least) >= -1e-6


def test_true_outlines_beside_a_shelf_of_boxes_on_twenty_sets() -> None:
    printer, saved, seconds = load_bench().printer, [], []
    size = (printer.plate_x_mm, printer.plate_y_mm)
    for seed in range(SETS):
        meshes = random_prints(seed, int(np.random.default_rng(seed + 100).integers(8, 18)))
        began = time.perf_counter()
        places = pack([Item((m,), str(n)) for n, m in enumerate(meshes)], size, 3.0)
        seconds.append(time.perf_counter() - began)
        on = [stands(m, p) for m, p in zip(meshes, places, strict=True) if p is not None and p.plate == 0]
        assert len(on) == len(meshes)
        saved.append(1 - box_mm2(on) / shelf_mm2(meshes, printer, 3.0))
    print(
        f"\nless of the plate: {min(saved):.0%} to {max(saved):.0%}, median {np.median(saved):.0%}; {max(seconds):.1f} s at most"
    )
    assert np.median(saved) >= LESS
