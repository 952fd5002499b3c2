"""Whole jobs as the printer gets them, compared with sections of the exported plate by a second method."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source
from reference.further import further
from reference.written import assert_same, screen, written
from wideberth.core.bench import Bench
from wideberth.core.job import Part, job_of
from wideberth.core.orient import Pose
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.propose import propose_support


@pytest.mark.parametrize(
    ("layers", "layer", "grey"), [(5, 0.05, 0), (400, 0.02, 8), *further([(400, 0.05, 0), (5, 0.02, 4)], True)]
)
def test_cone_is_written_as_it_stands(bench: Bench, tmp_path: Path, layers: int, layer: float, grey: int) -> None:
    """A slanting elliptic cone off the plate's middle: no two layers are alike, and left, right, up and down differ."""
    cone = trimesh.creation.cone(6.0, layers * layer, sections=90)
    cone.vertices = cone.vertices @ np.array([[1, 0, 0], [0, 0.6, 0], [0.3, 0.1, 1]])
    part = Part("Cone", as_source(as_mesh(cone)), pose=Pose())
    stages = Stages()
    prediction = predict(job_of("Cone", screen(bench, 24.05, 20.05, 0.05, layer), (part,), [(2.63, -3.41)]), stages, fine())
    manifest, package, plate = written(prediction, stages, tmp_path, grey)
    assert manifest["layer_count"] == layers
    assert_same(manifest, package, plate, max(1, layers // 16))


@pytest.mark.parametrize(("grey", "pixel", "turn"), [(0, 0.08, 30.0)])
def test_turned_scan_on_supports_is_written_as_it_stands(
    bench: Bench, tmp_path: Path, grey: int, pixel: float, turn: float
) -> None:
    """A scan that a package ships, turned and on tips: hundreds of layers with separate pieces."""
    import pyvista

    scan = pyvista.examples.load_ant()
    faces = scan.faces.reshape(-1, 4)[:, 1:]
    mesh = trimesh.Trimesh(scan.points, faces).apply_scale(20.0 / np.ptp(scan.points, axis=0).max())
    rotation = trimesh.transformations.rotation_matrix(np.radians(turn), (0.3, 1.0, 0.2))
    mesh.apply_transform(rotation)
    part = Part("Ant", as_source(as_mesh(mesh)), pose=Pose(gap_mm=4.0))
    stages = Stages()
    job = propose_support(job_of("Ant", screen(bench, 52, 50, pixel, 0.05), (part,), [(-1.87, 2.21)]), ONE, stages).job
    prediction = predict(job, stages, fine())
    manifest, package, plate = written(prediction, stages, tmp_path, grey)
    assert manifest["layer_count"] > 150
    assert_same(manifest, package, plate, 41)
