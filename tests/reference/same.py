"""The same part in other triangles, and what is proposed for it."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved, turned
from wideberth.core.bench import Bench
from wideberth.core.job import Part, job_of
from wideberth.core.orient import Pose
from wideberth.core.predict import Stages
from wideberth.core.propose import propose_support
from wideberth.core.support import Contact


def shape(name: str) -> trimesh.Trimesh:
    import pyvista

    if name == "box":
        made = trimesh.creation.box((30, 20, 10))
    elif name == "torus":
        made = trimesh.creation.torus(12, 4, 48, 24)
    else:
        got = getattr(pyvista.examples, f"load_{name}")().triangulate().clean()
        made = trimesh.Trimesh(got.points, got.faces.reshape(-1, 4)[:, 1:])
        made.apply_scale(30 / made.extents.max())
    return turned(made, 34, (1, 0.3, 0.2))


def proposed(mesh: trimesh.Trimesh, bench: Bench) -> tuple[Contact, ...]:
    part = Part("x", as_source(as_mesh(mesh)), pose=Pose(gap_mm=5.0))
    return propose_support(job_of("x", bench, (part,)), ONE, Stages()).job.parts[0].supports.contacts


def shuffled(mesh: trimesh.Trimesh) -> trimesh.Trimesh:
    chance = np.random.default_rng(3)
    order = chance.permutation(len(mesh.vertices))
    faces = np.argsort(order)[mesh.faces[chance.permutation(len(mesh.faces))]]
    return trimesh.Trimesh(mesh.vertices[order], faces, process=False)


def assert_same_supports(bench: Bench, name: str) -> None:
    """However its triangles are listed, cut or moved.

    What idles is found one after the other, by margins that the rows move by a thousandth: now and then another one goes.
    """
    mesh = shape(name)
    plain = proposed(mesh, bench)
    size = sum(t.diameter_mm**2 for t in plain)
    for other in (shuffled(mesh), mesh.subdivide(), moved(mesh, 3.37, -11.2, 5.01)):
        tips = proposed(other, bench)
        assert len(tips) == pytest.approx(len(plain), abs=2, rel=0.1)
        assert sum(t.diameter_mm**2 for t in tips) == pytest.approx(size, rel=0.2)
