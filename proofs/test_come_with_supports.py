"""Crowded models that come with our own supports, posts on the part among them, are told apart again."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache
from pathlib import Path

import numpy as np
import pytest
import pyvista
import trimesh

from conftest import ONE, as_mesh, as_source
from wideberth.core.bench import load_bench
from wideberth.core.job import job_of, taken_in
from wideberth.core.model import Mesh, as_solid, joined, resolved
from wideberth.core.model import as_mesh as of_solid
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages
from wideberth.core.propose import propose_found, propose_support
from wideberth.core.support import Supports, recognised


def bracket() -> Mesh:
    wall = trimesh.creation.box((3, 30, 20)).apply_translation((-18.5, 0, 8.5))
    boards = [trimesh.creation.box((40, 30, 3)).apply_translation((0, 0, 17 * n)) for n in range(2)]
    return as_mesh(trimesh.boolean.union([wall, *boards], engine="manifold"))


def shelves() -> Mesh:
    wall = trimesh.creation.box((3, 24, 40)).apply_translation((-18, 0, 20))
    boards = [trimesh.creation.box((36, 24, 2.5)).apply_translation((0, 0, 3 + 11 * n)) for n in range(4)]
    return as_mesh(trimesh.boolean.union([wall, *boards], engine="manifold"))


CASES: tuple[tuple[Callable[[], Mesh], tuple[float, float, float]], ...] = (
    (bracket, (8.0, -6.0, 0.0)), (bracket, (4.0, 5.0, 30.0)), (bracket, (-5.0, 7.0, 12.0)), (bracket, (6.0, 4.0, 75.0)),
    (shelves, (1.76, 16.09, -1.83)), (shelves, (2.5, 16.4, -2.2)), (shelves, (9.0, 4.0, 30.0)), (shelves, (-6.0, 8.0, 10.0)),
)  # fmt: skip
WITHIN_MM = 0.8
"""A tip against a steep side meets it at a small angle."""


@cache
def held(shape: Callable[[], Mesh], turn: tuple[float, float, float]) -> tuple[Supports, Mesh, Mesh]:
    """Supports proposed for a shape, its outer mesh, and the mesh of its supports."""
    bench, stages = load_bench(), Stages()
    part = replace(taken_in(as_source(shape())), pose=Pose(turned_xyz(*turn), 4.0))
    part = propose_support(job_of("held", bench, (part,)), ONE, stages).job.part(ONE)
    solids = stages.solids(part, bench.supports)
    assert solids.supports is not None
    return part.supports, solids.outer, solids.supports


ASIDE_MM = ((0.0, 0.0), (0.0137, -0.023), (0.0012, 0.045), (-0.0238, -0.0202), (-0.0414, -0.0263), (0.0443, 0.0011))
"""Where on its rays and rows a model stands decides what of it runs together in its sections."""


@pytest.mark.parametrize("fused", [True, False], ids=["fused", "shells"])
def test_of_all_tips_of_brackets_and_shelves_98_of_100_are_found(fused: bool) -> None:
    bench, count = load_bench(), _Count()
    for shape, turn in CASES:
        own, outer, supports = held(shape, turn)
        stages = Stages()
        job = job_of("s", bench, (taken_in(as_source(_whole(outer, supports, fused))),))
        again = propose_found(job, ONE, stages).job.part(ONE)
        count.add(own, again.supports)
        assert stages.cut(again).volume_mm3 == pytest.approx(outer.volume_mm3, rel=0.002)
    count.told("fused" if fused else "shells")


def test_so_are_they_wherever_the_model_stands() -> None:
    bench, count = load_bench(), _Count()
    for shape, turn in CASES:
        own, outer, supports = held(shape, turn)
        whole = _whole(outer, supports, True)
        for aside in ASIDE_MM:
            found = recognised(whole.moved(np.array([*aside, 0.0])), bench.supports)
            assert found is not None
            count.add(own, found.supports)
    count.told("aside")


def _union(*bodies: trimesh.Trimesh) -> trimesh.Trimesh:
    return trimesh.boolean.union(bodies, engine="manifold")


def _box(x: float, y: float, z: float, at: tuple[float, float, float] = (0, 0, 0)) -> trimesh.Trimesh:
    return trimesh.creation.box((x, y, z)).apply_translation(at)


def _ant() -> trimesh.Trimesh:
    return trimesh.load(Path(pyvista.__file__).parent / "examples" / "ant.ply", force="mesh")


def _letters() -> trimesh.Trimesh:
    surface = pyvista.Text3D("Quay 7", depth=0.3).triangulate().clean()
    made = trimesh.Trimesh(surface.points, surface.faces.reshape(-1, 4)[:, 1:])
    made.fix_normals()
    return made


def _spiky_ball() -> trimesh.Trimesh:
    ways = trimesh.creation.icosphere(0, 1).vertices
    spikes = [trimesh.creation.cone(1.6, 12).apply_transform(trimesh.geometry.align_vectors((0, 0, 1), way)) for way in ways]
    return _union(
        trimesh.creation.icosphere(3, 8), *[spike.apply_translation(7 * way) for spike, way in zip(spikes, ways, strict=True)]
    )


def _lattice() -> trimesh.Trimesh:
    at = list(itertools.product((-12, 0, 12), repeat=2))
    along_x, along_y = [_box(26, 2, 2, (0, a, b)) for a, b in at], [_box(2, 30, 2, (a, 0, b)) for a, b in at]
    return _union(*along_x, *along_y, *[_box(2, 2, 26, (a, b, 0)) for a, b in at])


def _fork() -> trimesh.Trimesh:
    tines = [_box(3, 3, 24, (x, 0, -14)) for x in (-12, -4, 4, 12)]
    return _union(_box(30, 4, 6), *tines, _box(4, 4, 20, (0, 0, 12)))


@pytest.mark.parametrize(
    ("shape", "most_lost", "most_made_up"),
    [(_ant, 0.08, 0.04), (_letters, 0.04, 0.03), (_spiky_ball, 0.06, 0.03), (_lattice, 0.02, 0.01), (_fork, 0.02, 0.01)],
    ids=lambda value: value.__name__[1:] if callable(value) else "",
)
def test_limbs_as_slender_as_posts_are_the_part_s_own(
    shape: Callable[[], trimesh.Trimesh], most_lost: float, most_made_up: float
) -> None:
    """Five turns and sizes of each, fused: most of their tips are told, and the part stays whole."""
    rng, bench, count, whole = np.random.default_rng(7), load_bench(), _Count(), []
    for _ in range(5):
        solid = shape()
        solid.apply_scale(rng.uniform(18, 60) / max(solid.extents))
        stages, pose = Stages(), Pose(turned_xyz(*rng.uniform(-180, 180, 3)), 4.0)
        part = replace(taken_in(as_source(as_mesh(solid))), pose=pose)
        part = propose_support(job_of("slender", bench, (part,)), ONE, stages).job.part(ONE)
        solids = stages.solids(part, bench.supports)
        assert solids.supports is not None
        fused = taken_in(as_source(_whole(solids.outer, solids.supports, True)))
        again = propose_found(job_of("slender", bench, (fused,)), ONE, stages).job.part(ONE)
        count.add(part.supports, again.supports, aligned=True)
        whole.append(stages.cut(again).volume_mm3 / solids.outer.volume_mm3)
    count.told(shape.__name__[1:], most_lost, most_made_up, 0.9)
    print("of its volume " + ", ".join(f"{share:.1%}" for share in whole))
    assert np.median(np.abs(np.array(whole) - 1)) < 0.01


def _whole(outer: Mesh, supports: Mesh, fused: bool) -> Mesh:
    return of_solid(as_solid(resolved(supports)) + as_solid(outer)) if fused else joined([outer, supports])


@dataclass
class _Count:
    """Tips that there were, that were not found, that were none, and by how much the diameters of the others are off [mm]."""

    tips: int = 0
    lost: int = 0
    made_up: int = 0
    off: list[float] = field(default_factory=list)

    def add(self, own: Supports, found: Supports, aligned: bool = False) -> None:
        """aligned : around the middle of what was found as the part, which what stayed of a support may have moved."""
        mine, theirs = (np.array([c.spot_mm for c in s.contacts]) for s in (own, found))
        for _ in range(3 if aligned else 0):
            near = np.linalg.norm(mine[:, None] - theirs[None], axis=2).argmin(axis=1)
            theirs = theirs + np.median(mine - theirs[near], axis=0) * (1, 1, 0)
        apart = np.linalg.norm(mine[:, None] - theirs[None], axis=2)
        near = apart.argmin(axis=1)
        self.tips += len(mine)
        self.lost += int((apart.min(axis=1) > WITHIN_MM).sum())
        self.made_up += int((apart.min(axis=0) > WITHIN_MM).sum())
        sizes = np.array([[c.diameter_mm for c in own.contacts], [found.contacts[n].diameter_mm for n in near]])
        self.off += np.abs(np.diff(sizes, axis=0))[0][apart.min(axis=1) <= WITHIN_MM].tolist()

    def told(self, of: str, most_lost: float = 0.02, most_made_up: float = 0.01, least_near: float = 0.98) -> None:
        share = float(np.mean(np.array(self.off) < 0.05))
        print(f"| {of} | {self.tips} tips | {self.lost} lost | {self.made_up} too many | {share:.1%} within 0.05 |")
        assert self.lost <= most_lost * self.tips and self.made_up <= most_made_up * self.tips and share >= least_near
