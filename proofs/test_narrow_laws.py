"""The laws of slits, bores and notches against what the cells find, over turns, tilts, walls, sizes and pitches: `make prove`.

Prints the table of docs/validation.md. Slow, so never part of the normal run.
"""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from conftest import turned
from core.test_narrow_ways import bore, bore_law, closely, cup, slit, slit_law

TURNS = (0, 17, 30, 45)
PITCHES = (0.05, 0.1, 0.2)
HIGH = 12.0
BELOW_RIM = 430
"""A layer of the tilted cups under the lower side of their rim, and over their bores."""


def shares(kind: str, size: float, wall: float, across: float) -> list[float]:
    """Found over law, for every turn and pitch."""
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


WIDTHS = {"slit": (0.2, 0.3, 0.5, 1.0, 1.5), "bore": (1.0, 1.5, 2.0, 3.0, 4.0)}


@pytest.mark.parametrize(
    ("across", "wall"), [(20.0, 2.0), (20.0, 5.0), (40.0, 2.0), (40.0, 3.0), (40.0, 8.0), (74.0, 3.0), (80.0, 8.0)]
)
@pytest.mark.parametrize(("kind", "size"), [(kind, size) for kind, sizes in WIDTHS.items() for size in sizes])
def test_ways_pass_what_the_laws_say(kind: str, size: float, wall: float, across: float) -> None:
    found = shares(kind, size, wall, across)
    print(
        f"| {kind} of {size:g} mm | {wall:g} mm | {across:g} mm | {min(found):.2f} to {max(found):.2f} | {np.median(found):.2f} |"
    )
    assert min(found) > 0.75 and max(found) < 1.25


def tilted_by_20(solid: trimesh.Trimesh, turn: float) -> trimesh.Trimesh:
    return turned(turned(solid, turn, (0, 0, 1)), 20, (1, 0, 0))


@pytest.mark.parametrize("turn", TURNS)
@pytest.mark.parametrize("size", [1.0, 2.0, 4.0])
def test_bores_of_tilted_cups_pass_what_the_law_says(turn: float, size: float) -> None:
    ways = closely(tilted_by_20(cup(40, 3, 24, bore(size, 40, 3, 6.0)), turn), 0.1).ways
    share = ways.conductance_mm3[:, BELOW_RIM].max(initial=0.0) / bore_law(size, 3.0)
    print(f"| bore of {size:g} mm, tilted by 20°, turned by {turn}° | 3 mm | 40 mm | {share:.2f} | |")
    assert 0.75 < share < 1.25


@pytest.mark.parametrize("turn", TURNS)
@pytest.mark.parametrize("size", [0.3, 1.0])
def test_slits_of_tilted_cups_pass_what_the_law_says(turn: float, size: float) -> None:
    """The slit counts from its lower end to the film, below the lower side of the rim."""
    solid = tilted_by_20(cup(40, 3, 24, slit(size, 40, 3, 24)), turn)
    end = trimesh.Trimesh([[18.5, 0, 2.0], [0, 0, 0], [0, 0, 1]], [[0, 1, 2]], process=False)
    low = tilted_by_20(end, turn).vertices[0, 2] - solid.bounds[0, 2]
    high = ((BELOW_RIM + 1) * 0.05 - low) / np.cos(np.radians(20))
    ways = closely(solid, 0.1).ways
    share = ways.conductance_mm3[:, BELOW_RIM].max(initial=0.0) / slit_law(size, high, 3.0)
    print(f"| slit of {size:g} mm, tilted by 20°, turned by {turn}° | 3 mm | 40 mm | {share:.2f} | |")
    assert 0.75 < share < 1.25
