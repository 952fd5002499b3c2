"""A logbook that is killed -9 while it is written to, at 200 moments: nothing lost, nothing half."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from reference.logging import assert_whole, killed_after

MOMENTS = 200
LATEST_S = 0.4


def test_nothing_is_lost_and_nothing_is_half_written(tmp_path: Path) -> None:
    draw, path, written = np.random.default_rng(7), tmp_path / "logbook.sqlite", 0
    there = 0
    for number in range(MOMENTS):
        told = killed_after(path, 10_000 * number, float(draw.uniform(0, LATEST_S)))
        written += sum(t[0] == "done" for t in told)
        there = assert_whole(path, told, 10_000 * number, there)
    print(f"killed {MOMENTS} times, {written} prints finished in between: all there, none half")
    assert written > MOMENTS
