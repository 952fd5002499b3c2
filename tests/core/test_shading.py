"""Meshes made ready to be drawn: normals are the true ones on smooth shapes and break at sharp edges."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, turned
from wideberth.core.model import Mesh, shaded


def test_a_ball_is_smooth_all_over() -> None:
    mesh = as_mesh(trimesh.creation.icosphere(4, 7.0))
    seen = shaded(mesh, 40)
    assert len(seen.points) == len(mesh.points)
    assert seen.normals == pytest.approx(seen.points / 7.0, abs=0.01)
    assert seen.points[seen.faces] == pytest.approx(mesh.points[mesh.faces], abs=1e-5)


@pytest.mark.parametrize("turn", [0.0, 37.0])
def test_a_box_breaks_at_its_edges_and_a_cylinder_only_at_its_rims(turn: float) -> None:
    box = as_mesh(turned(trimesh.creation.box((3, 4, 5)), turn, (1, 1, 0)))
    seen = shaded(box, 40)
    assert len(seen.points) == 24  # each of eight corners once for each of three sides
    assert seen.normals[seen.faces] == pytest.approx(np.repeat(box.normals[:, None], 3, axis=1), abs=1e-6)
    can = as_mesh(turned(trimesh.creation.cylinder(5, 9, sections=64), turn, (1, 1, 0)))
    seen = shaded(can, 40)
    assert len(seen.points) == 4 * 64 + 2  # both rims twice, and the middles of the lids
    assert np.linalg.norm(seen.normals, axis=1) == pytest.approx(np.ones(len(seen.points)), abs=1e-5)


def test_one_triangle_and_a_torn_mesh_are_drawn_too() -> None:
    torn = as_mesh(trimesh.creation.icosphere(2, 4.0))
    torn = Mesh(torn.points, torn.faces[5:])
    assert len(shaded(torn, 40).faces) == torn.triangles
    lone = Mesh(np.array([(0.0, 0, 0), (1, 0, 0), (0, 1, 0)]), np.array([(0, 1, 2)], np.int32))
    assert shaded(lone, 40).normals == pytest.approx(np.array([(0.0, 0, 1)] * 3))
