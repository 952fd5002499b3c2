"""Crowded models that come with our own supports, posts on the part among them, are told apart again."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache

import numpy as np
import pytest
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


def _whole(outer: Mesh, supports: Mesh, fused: bool) -> Mesh:
    return of_solid(as_solid(resolved(supports)) + as_solid(outer)) if fused else joined([outer, supports])


@dataclass
class _Count:
    """Tips that there were, that were not found, that were none, and by how much the diameters of the others are off [mm]."""

    tips: int = 0
    lost: int = 0
    made_up: int = 0
    off: list[float] = field(default_factory=list)

    def add(self, own: Supports, found: Supports) -> None:
        mine, theirs = (np.array([c.spot_mm for c in s.contacts]) for s in (own, found))
        apart = np.linalg.norm(mine[:, None] - theirs[None], axis=2)
        near = apart.argmin(axis=1)
        self.tips += len(mine)
        self.lost += int((apart.min(axis=1) > WITHIN_MM).sum())
        self.made_up += int((apart.min(axis=0) > WITHIN_MM).sum())
        sizes = np.array([[c.diameter_mm for c in own.contacts], [found.contacts[n].diameter_mm for n in near]])
        self.off += np.abs(np.diff(sizes, axis=0))[0][apart.min(axis=1) <= WITHIN_MM].tolist()

    def told(self, of: str) -> None:
        share = float(np.mean(np.array(self.off) < 0.05))
        print(f"| {of} | {self.tips} tips | {self.lost} lost | {self.made_up} too many | {share:.1%} within 0.05 |")
        assert self.lost <= 0.02 * self.tips and self.made_up <= 0.01 * self.tips and share >= 0.98
