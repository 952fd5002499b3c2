"""A level of a field, found a few layers at a time: the surface that it has as a whole."""

from __future__ import annotations

import numpy as np
import pytest
import scipy
from skimage.measure import marching_cubes

from wideberth.core.model import Mesh, at_level
from wideberth.core.model import level as room

STEP_MM, LOW_MM = 0.25, np.array([3.0, -2.0, 1.0])


@pytest.mark.parametrize("layers", [1, 2, 5, 8])
@pytest.mark.parametrize("seed", [0, 1, 2])
def test_lots_of_layers_give_the_surface_of_the_whole(layers: int, seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """A cloud: as many points and triangles as in one lot, closed, and the library's own volume and area."""
    cloud = scipy.ndimage.gaussian_filter(np.random.default_rng(seed).normal(size=(23, 40, 31)), 2)
    field = np.pad((cloud / cloud.std()).astype(np.float32), 1, constant_values=-1)
    points, faces, _, _ = marching_cubes(field, level=0.4)
    whole = Mesh(points[:, ::-1].astype(float) * STEP_MM + LOW_MM, faces.astype(np.int32))
    in_one = at_level(field, 0.4, STEP_MM, LOW_MM)
    monkeypatch.setattr(room, "AT_A_TIME", layers * field[0].size)
    made = at_level(field, 0.4, STEP_MM, LOW_MM)
    assert made.watertight and (len(made.points), made.triangles) == (len(in_one.points), in_one.triangles)
    assert made.volume_mm3 == pytest.approx(whole.volume_mm3, rel=1e-4)
    assert made.face_area_mm2.sum() == pytest.approx(whole.face_area_mm2.sum(), rel=1e-4)


@pytest.mark.parametrize("inward_mm", [0.0, 0.25, 0.5, 0.75])
def test_a_box_whose_sides_lie_on_nodes_stays_closed(inward_mm: float, monkeypatch: pytest.MonkeyPatch) -> None:
    """Depth inside a box of 9.75 x 7.25 x 4.75 mm: whole steps at every node, so that the level is met there exactly, and no lots
    can meet. The library bevels its edges, by a step at most."""
    z, y, x = np.indices((30, 40, 50))
    depth = STEP_MM * np.minimum.reduce([x - 5, 44 - x, y - 5, 34 - y, z - 5, 24 - z]).astype(np.float32)
    monkeypatch.setattr(room, "AT_A_TIME", 7 * depth[0].size)
    made = at_level(depth, inward_mm, STEP_MM, LOW_MM)
    assert made.watertight
    assert made.volume_mm3 == pytest.approx(np.prod(np.array([9.75, 7.25, 4.75]) - 2 * inward_mm), rel=0.02)
    assert made.low == pytest.approx(LOW_MM + 5 * STEP_MM + inward_mm, abs=1e-3)


def test_a_level_that_is_nowhere_has_no_faces() -> None:
    assert at_level(np.full((4, 5, 6), -1.0, np.float32), 0.0, STEP_MM, LOW_MM).triangles == 0
