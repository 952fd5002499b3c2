"""Cups, traps and components against dense voxels flooded with SciPy, on random hollow solids."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import as_mesh, moved, printed_of, set_down
from reference.voxels import flooded, label_components, voxels
from wideberth.core.layers import OPEN, Printed, cast, difference, empty, grid_over
from wideberth.core.model import Mesh

PITCH, LAYER = 0.6, 0.5


def hollow_blob(seed: int) -> tuple[Mesh, Mesh]:
    """A lump of spheres, and smaller ones cut out of it: closed chambers, cups and passages as chance will have it."""
    chance = np.random.default_rng(seed)
    lumps = [moved(trimesh.creation.icosphere(2, chance.uniform(5, 8)), *chance.uniform(-4, 4, 3)) for _ in range(3)]
    rooms = [moved(trimesh.creation.icosphere(2, chance.uniform(1.5, 4)), *chance.uniform(-8, 8, 3)) for _ in range(5)]
    lump, room = as_mesh(trimesh.util.concatenate(lumps)), as_mesh(trimesh.util.concatenate(rooms))
    up = np.array([0.0, 0.0, -lump.low[2]])
    return lump.moved(up), room.moved(up)


def printed_blob(seed: int) -> Printed:
    lump, room = hollow_blob(seed)
    grid = grid_over(lump.low, lump.high, PITCH, LAYER)
    runs = difference(cast(lump.points, lump.faces, grid), cast(room.points, room.faces, grid))
    return Printed(runs, empty(runs.grid))


@settings(max_examples=10, deadline=None)
@given(seed=st.integers(0, 500))
def test_cups_and_traps_agree_with_flooded_voxels(seed: int) -> None:
    printed = printed_blob(seed)
    runs = printed.part
    x_low, x_high = float(runs.x0.min()), float(runs.x1.max())
    step = 0.02  # coarser voxels close gaps that runs keep open: at 0.05 mm some layers of some lumps differ
    slow = flooded(voxels(runs, x_low, x_high, step), step * PITCH, LAYER)
    o = printed.openings
    closed = np.bincount(o.layer, o.area_mm2, runs.grid.layers)
    near = np.abs(closed - slow.closed_mm2) <= 0.06 * slow.closed_mm2.max() + 1.0
    assert near.mean() > 0.9
    trapped = sum(t.volume_mm3 for t in printed.traps)
    assert trapped == pytest.approx(slow.trapped_mm3, rel=0.06, abs=3.0)


@settings(max_examples=10, deadline=None)
@given(seed=st.integers(0, 500))
def test_components_agree_with_labelled_voxels(seed: int) -> None:
    printed = printed_blob(seed)
    runs, s = printed.part, printed.part_sections
    step = 0.01
    pieces, largest = label_components(voxels(runs, float(runs.x0.min()), float(runs.x1.max()), step))
    mine = np.diff(s.first)
    assert (mine != pieces).sum() <= 2
    area = np.zeros(runs.grid.layers)
    np.maximum.at(area, s.layer, s.area_mm2)
    same = mine == pieces
    assert area[same] == pytest.approx(largest[same] * step * PITCH, rel=0.05, abs=1.0)


def test_every_cup_that_is_never_open_ends_as_a_trap_or_at_the_top() -> None:
    """A chamber that closes over is a trap; a cup that stays open to the film until the last layer is none."""
    pot = trimesh.boolean.difference(
        [moved(trimesh.creation.box((16, 16, 12)), 0, 0, 6), moved(trimesh.creation.box((10, 10, 12)), 0, 0, 8)],
        engine="manifold",
    )
    assert printed_of(as_mesh(pot)).traps == []
    lid = moved(trimesh.creation.box((16, 16, 1)), 0, 0, 12.4)
    (trap,) = printed_of(as_mesh(trimesh.util.concatenate([pot, lid]))).traps
    assert trap.volume_mm3 == pytest.approx(100 * 9.9, rel=0.01)


def test_cup_keeps_its_number_and_merged_cups_the_lower() -> None:
    """Two pots in one block whose rooms meet above a low partition: two cups, then one."""
    block = moved(trimesh.creation.box((30, 12, 14)), 0, 0, 7)
    rooms = [moved(trimesh.creation.box((12, 8, 20)), x, 0, 12) for x in (-7, 7)]
    bridge = moved(trimesh.creation.box((10, 8, 20)), 0, 0, 18)
    printed = printed_of(as_mesh(trimesh.boolean.difference([block, *rooms, bridge], engine="manifold")), 0.2, 0.1)
    o = printed.openings
    low, high = o.layer < 78, o.layer > 82
    assert len(np.unique(o.cup[low])) == 2
    assert len(np.unique(o.cup[high])) == 1
    assert o.cup[high][0] == o.cup[low].min()
    assert o.volume_mm3[high][-1] == pytest.approx(2 * 12 * 8 * 12 + 2 * 8 * 6, rel=0.02)


def test_leaning_cup_is_closed_until_its_rim_lets_out() -> None:
    """An open tube lying on its side is no cup; leaning by 30° with its floor down it is one up to its lower rim."""
    tube = trimesh.boolean.difference(
        [trimesh.creation.cylinder(8, 20, sections=96), moved(trimesh.creation.cylinder(6, 20, sections=96), 0, 0, 2)],
        engine="manifold",
    )
    lying = tube.copy()
    lying.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, [1, 0, 0]))
    assert printed_of(set_down(lying), 0.2, 0.1).openings.count == 0
    leaning = tube.copy()
    leaning.apply_transform(trimesh.transformations.rotation_matrix(np.radians(30), [1, 0, 0]))
    o = printed_of(set_down(leaning), 0.2, 0.1).openings
    # the lowest point of the inner rim: the rim circle's centre is 10 mm along the axis, its low point 6 sin 30° below
    base = 10 * np.cos(np.radians(30)) + 8 * np.sin(np.radians(30))
    rim = base + 10 * np.cos(np.radians(30)) - 6 * np.sin(np.radians(30))
    assert o.layer.max() * 0.1 == pytest.approx(rim, abs=0.25)
    assert (o.state != OPEN).all()
