"""The laws of slits, bores and notches against what the cells find, over turns, tilts, walls, sizes and pitches: `make prove`.

Prints the table of docs/validation.md. Slow, so never part of the normal run.
"""

from __future__ import annotations

import numpy as np
import pytest

from conftest import turned
from core.test_narrow_ways import bore, bore_law, closely, cup, slit, slit_law

TURNS = (0, 17, 30, 45)
PITCHES = (0.05, 0.1, 0.2)
HIGH = 12.0
ROWS: list[str] = []


def shares(kind: str, size: float, wall: float, across: float) -> list[float]:
    """Found over law, for every turn and pitch, and tilted by 20° below the lower rim."""
    if kind == "bore":
        solid, law = cup(across, wall, HIGH, bore(size, across, wall, 5.0)), bore_law(size, wall)
    else:
        solid, law = cup(across, wall, HIGH, slit(size, across, wall, HIGH)), slit_law(size, HIGH - 2.0, wall)
    found = []
    for pitch in PITCHES:
        for turn in TURNS:
            ways = closely(turned(solid, turn, (0, 0, 1)), pitch).ways
            found.append(float(ways.conductance_mm3[:, -1].max(initial=0.0)) / law)
    return found


@pytest.mark.parametrize("across", [20.0, 40.0, 80.0])
@pytest.mark.parametrize(
    ("kind", "size", "wall"),
    [("slit", 0.2, 2.0), ("slit", 0.3, 3.0), ("slit", 0.5, 8.0), ("slit", 1.0, 2.0), ("slit", 1.5, 3.0), ("bore", 1.0, 2.0),
     ("bore", 1.5, 3.0), ("bore", 2.0, 8.0), ("bore", 3.0, 2.0), ("bore", 4.0, 4.0)],
)  # fmt: skip
def test_ways_pass_what_the_laws_say(kind: str, size: float, wall: float, across: float) -> None:
    if across - 2 * wall < 6.0:  # no room inside for a cup
        return
    found = shares(kind, size, wall, across)
    print(
        f"| {kind} of {size:g} mm | {wall:g} mm | {across:g} mm | {min(found):.2f} to {max(found):.2f} | {np.median(found):.2f} |"
    )
    assert min(found) > 0.75 and max(found) < 1.25


@pytest.mark.parametrize("turn", TURNS)
@pytest.mark.parametrize("size", [1.0, 2.0, 4.0])
def test_tilted_cups_breathe_as_the_law_says(turn: float, size: float) -> None:
    solid = turned(turned(cup(40, 3, 24, bore(size, 40, 3, 6.0)), turn, (0, 0, 1)), 20, (1, 0, 0))
    ways = closely(solid, 0.1).ways
    share = ways.conductance_mm3[:, 430].max(initial=0.0) / bore_law(size, 3.0)
    print(f"| bore of {size:g} mm, tilted by 20°, turned by {turn}° | 3 mm | 40 mm | {share:.2f} | |")
    assert 0.75 < share < 1.25
