"""Turned, doubled and missing faces change no figure: what is predicted is predicted of a sound copy."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, as_source
from wideberth.core.bench import Bench
from wideberth.core.handover import report
from wideberth.core.job import job_of, taken_in
from wideberth.core.model import Mesh, sound_copy
from wideberth.core.predict import Prediction, Stages, fine, predict


def scan(name: str) -> trimesh.Trimesh:
    """A closed mesh that a package ships, 28 mm long."""
    import pyvista

    if name == "torus":
        made = trimesh.creation.torus(12, 4, 64, 32)
    else:
        got = getattr(pyvista.examples, f"load_{name}")().triangulate().clean()
        made = trimesh.Trimesh(got.points, got.faces.reshape(-1, 4)[:, 1:])
    return made.apply_scale(28 / made.extents.max())


def predicted(points: np.ndarray, faces: np.ndarray, bench: Bench) -> Prediction:
    source = as_source(Mesh(np.asarray(points, float), np.asarray(faces, np.int32)))
    return predict(job_of("x", bench, (taken_in(source),)), Stages(), fine(0.15))


def harmed(faces: np.ndarray, how: str, chance: np.random.Generator) -> np.ndarray:
    faces = np.array(faces)
    if "doubled" in how:
        share = 1.0 if how.startswith("all") else 0.1
        faces = np.concatenate((faces, faces[chance.random(len(faces)) < share]))
    if "turned" in how:
        share = 0.05 if how.startswith("some") else 0.5
        turn = chance.random(len(faces)) < share
        faces[turn] = faces[turn][:, ::-1]
    return faces[chance.permutation(len(faces))]


@pytest.mark.parametrize("name", ["torus", "nut", "ant"])
@pytest.mark.parametrize("how", ["half turned", "some turned", "doubled", "doubled and turned", "all doubled"])
def test_turned_and_doubled_faces_change_nothing(bench: Bench, name: str, how: str) -> None:
    mesh = scan(name)
    whole = predicted(mesh.vertices, mesh.faces, bench)
    other = predicted(mesh.vertices, harmed(mesh.faces, how, np.random.default_rng(4)), bench)
    assert other.verdict.totals.part_ml == pytest.approx(whole.verdict.totals.part_ml, rel=1e-3)
    assert other.loads.area_mm2 == pytest.approx(whole.loads.area_mm2, rel=1e-3, abs=1e-6)
    for what in ("islands", "cups", "traps"):
        assert len(getattr(other.verdict, what)) == len(getattr(whole.verdict, what))
    assert any(f.code == "sound_copy" for f in other.verdict.findings)
    found = report(other)
    assert found["model"]["watertight"] is (how == "all doubled")
    assert found["model"]["volume_ml"] == pytest.approx(found["totals"]["part_ml"], rel=1e-3)


@pytest.mark.parametrize("name", ["nut", "torus"])
def test_missing_patches_are_filled(bench: Bench, name: str) -> None:
    """Patches of up to 4 mm across, 4 % of the surface: sections within 2 % of the largest, no island, one volume."""
    mesh = scan(name)
    chance, gone = np.random.default_rng(7), np.zeros(len(mesh.faces), bool)
    while mesh.area_faces[gone].sum() < 0.04 * mesh.area:
        seed = mesh.triangles_center[chance.integers(len(gone))]
        gone |= np.linalg.norm(mesh.triangles_center - seed, axis=1) < 2.0
    whole, torn = predicted(mesh.vertices, mesh.faces, bench), predicted(mesh.vertices, mesh.faces[~gone], bench)
    layers = min(len(whole.loads.area_mm2), len(torn.loads.area_mm2))
    off = np.abs(whole.loads.area_mm2[:layers] - torn.loads.area_mm2[:layers])
    assert off.max() < 0.02 * whole.loads.area_mm2.max()
    assert torn.verdict.totals.part_ml == pytest.approx(whole.verdict.totals.part_ml, rel=0.01)
    assert len(torn.verdict.islands) == len(whole.verdict.islands)
    assert report(torn)["model"]["watertight"] is False


def test_a_fin_of_no_thickness_is_no_solid() -> None:
    """Two faces on one another that stick out of a box go; the box stays whole."""
    box = trimesh.creation.box((10, 10, 10))
    points = np.concatenate((box.vertices, [[9.0, 0.0, 9.0]]))
    a, b = box.edges_unique[0]
    faces = np.concatenate((box.faces, [[a, b, 8], [b, a, 8]]))
    sound = sound_copy(Mesh(points, faces.astype(np.int32)))
    assert sound.mesh.watertight
    assert sound.mesh.volume_mm3 == pytest.approx(1000)
    assert sound.mesh.triangles == 12


def test_sound_meshes_stay_the_very_same() -> None:
    mesh = as_mesh(trimesh.creation.icosphere(3, 5))
    assert sound_copy(mesh).mesh is mesh
