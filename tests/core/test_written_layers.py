"""Whole jobs as the printer gets them, compared with sections of the exported plate by a second method."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source
from reference.further import further
from reference.written import assert_same, screen, written
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.hollow import Shell
from wideberth.core.job import Job, Part, job_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Prediction, Stages, fine, look_closer, predict, preview, resting
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


@pytest.mark.prove
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


def two_turned(bench: Bench, stages: Stages) -> Job:
    """A hollow, drilled block that leans on its tips and a mirrored cone, hundreds of layers."""
    hole = Hole(0.0, -6.0, 0.0, 2.0, "by hand")
    leaning = Pose(turned_xyz(20, 12, 31), 4.0)
    block = Part("Block", as_source(as_mesh(trimesh.creation.box((16, 12, 10)))), shell=Shell(2.0), holes=(hole,), pose=leaning)
    cone = Part("Cone", as_source(as_mesh(trimesh.creation.cone(4.0, 9.0, sections=60))), pose=Pose(turned_xyz(65, 0, 15), 3.0))
    job = job_of("Two", screen(bench, 60, 50, 0.08, 0.05), (block, cone), [(-9.3, 1.2), (12.1, -2.7)])
    one, other = job.plates[0].placements
    job = job.with_placement(replace(one, turn_deg=37.0)).with_placement(replace(other, turn_deg=205.0, mirrored=True))
    for part in job.parts:
        job = propose_support(job, part.id, stages).job
    return job


def assert_written_as_fresh(seen: Prediction, warm: Stages, folder: Path) -> None:
    """What one session wrote after much else, byte for byte as in one of its own and as the exported plate's sections are."""
    fresh = Stages()
    for name in ("warm", "fresh"):
        (folder / name).mkdir()
    manifest, package, plate = written(seen, warm, folder / "warm", 0)
    again, alike, _ = written(predict(seen.job, fresh, fine()), fresh, folder / "fresh", 0)
    files = [layer["file"] for layer in manifest["layers"]]
    assert manifest["layer_count"] > 200 and manifest["layers"] == again["layers"]
    assert all(package.read(file) == alike.read(file) for file in files)
    assert_same(manifest, package, plate, 37)


@pytest.mark.prove
def test_two_turned_parts_are_written_the_same_after_other_supports_were_tried(bench: Bench, tmp_path: Path) -> None:
    """Predicted on fewer supports first, then on all."""
    warm = Stages()
    job = two_turned(bench, warm)
    for part in job.parts:
        fewer = replace(part, supports=part.supports.without({part.supports.contacts[0].id}))
        predict(job.with_part(fewer), warm, fine())
    seen = predict(job, warm, fine())
    assert warm.computed.count("plated_bare") < warm.computed.count("plated")  # the parts alone were not made anew
    assert_written_as_fresh(seen, warm, tmp_path)


@pytest.mark.prove
def test_two_turned_parts_are_written_the_same_after_what_was_shown_rested(
    bench: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As in the window: each coarse, fine and closer look lies in a file before the next begins."""
    monkeypatch.setattr(resting, "LARGE_BYTES", 1 << 10)
    monkeypatch.setattr(resting, "WORTH_BYTES", 1 << 16)
    warm = Stages()
    job = two_turned(bench, warm)
    coarse = predict(job, warm, preview(job.bench))
    laid = [warm.lay_to_rest(coarse)]
    seen = predict(job, warm, fine())
    laid.append(warm.lay_to_rest(seen))
    assert seen.may_be_closer
    seen = look_closer(seen, warm)
    laid.append(warm.lay_to_rest(seen))
    assert min(laid) > 0
    assert_written_as_fresh(seen, warm, tmp_path)
