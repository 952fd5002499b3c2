"""Bases that models come with: pads that no post stands on are found again, so that the plate holds as it did."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
import trimesh
from manifold3d import Manifold

from conftest import ONE, as_mesh, as_source, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.job import job_of, taken_in
from wideberth.core.layers import cast, grid_over
from wideberth.core.model import as_mesh as of_solid
from wideberth.core.model import as_solid, resolved
from wideberth.core.orient import Pose
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.propose import propose_found, propose_support
from wideberth.core.support import BaseKind, Supports, recognised
from wideberth.core.support.base import base_mesh
from wideberth.core.support.found_base import FoundBase
from wideberth.core.support.graph import Foot
from wideberth.core.support.standing import with_outriggers


def spread(seed: int, count: int, apart_mm: float) -> np.ndarray:
    """Places by chance, well apart from each other, (count, 2) [mm]."""
    chance, places = np.random.default_rng(seed), []
    while len(places) < count:
        at = chance.uniform(-22, 22, 2).round(2)
        if all(np.hypot(*(at - other)) >= apart_mm for other in places):
            places.append(at)
    return np.array(places)


@pytest.mark.parametrize("kind", [BaseKind.PADS, BaseKind.ALONE, BaseKind.SLAB])
@pytest.mark.parametrize("seed", [3, *further(range(4, 16))])
def test_pads_that_no_post_stands_on_are_found_where_they_are(kind: BaseKind, seed: int, bench: Bench) -> None:
    """On bases of three to seven feet with none to three more, and what kind of base it is."""
    many, more = 3 + seed % 5, seed % 4
    places = spread(seed, many + more, 9.0)
    feet, beside = places[:many], places[many:]
    posts = tuple(Foot(f"foot-{n}", x, y, 0.0) for n, (x, y) in enumerate(feet.tolist()))
    supports = with_outriggers(replace(Supports(), feet=posts, base=kind), beside)
    mesh = base_mesh(supports, bench.supports)
    assert mesh is not None
    grid = grid_over(mesh.low, mesh.high, 0.05, 0.05)
    seen = FoundBase.of(cast(mesh.points, mesh.faces, grid), grid.layers - 2)
    assert seen.kind(bench.supports.pad_mm) is kind
    if kind is BaseKind.SLAB:
        again = replace(supports, feet=())
        drawn = base_mesh(with_outriggers(again, seen.corners_of_slab(bench.supports.pad_mm)), bench.supports)
        assert drawn is not None and drawn.volume_mm3 == pytest.approx(mesh.volume_mm3, rel=0.02)
    else:
        found = seen.pads_beside(feet)
        assert len(found) == more
        for pad in beside:
            assert np.hypot(*(found - pad).T).min() <= 0.5


FOREIGN = {
    "plate": (Manifold.cube((60, 40, 1), True).translate((0, 0, 0.5)), BaseKind.SLAB),
    "disc": (Manifold.cylinder(1, 24, 24, 128), BaseKind.SLAB),
    "bars": (
        sum(
            (Manifold.cube((30, 2, 1), True).translate((0, y, 0.5)) for y in (-8, 0, 8)),
            Manifold.cube((2, 20, 1), True).translate((0, 0, 0.5)),
        ),
        BaseKind.PADS,
    ),
    "strips": (sum((Manifold.cube((30, 0.9, 1), True).translate((0, y, 0.5)) for y in (-8, 0, 8)), Manifold()), BaseKind.ALONE),
}


@pytest.mark.parametrize("name", FOREIGN)
@pytest.mark.parametrize("degrees", [31.0, *further([0.0, 77.0])])
def test_a_foreign_base_is_drawn_as_broad_as_it_was(name: str, degrees: float, bench: Bench) -> None:
    """Nine posts under a block; all are found on a base of its kind, a slab to 3 % of its area."""
    base, kind = FOREIGN[name]
    whole = base + Manifold.cube((30, 22, 5), True).translate((0, 0, 11.4))
    for x, y in itertools.product((-12, 0, 12), (-8, 0, 8)):
        post = Manifold.cylinder(7, 0.7, 0.7, 24) + Manifold.cylinder(2.02, 0.7, 0.2, 24).translate((0, 0, 6.98))
        whole += post.translate((x, y, 0))
    found = recognised(of_solid(whole.rotate((0, 0, degrees))), bench.supports)
    assert found is not None and found.supports.base is kind and len(found.supports.posts) == 9
    if kind is BaseKind.SLAB:
        drawn = base_mesh(found.supports, bench.supports)
        assert drawn is not None
        top = as_solid(drawn).slice(bench.supports.slab_mm - 0.05).area()
        assert top == pytest.approx(base.slice(0.5).area(), rel=0.03)


@pytest.mark.parametrize("cells", [np.zeros((5, 5), bool), np.eye(9, dtype=bool), np.ones((1, 9), bool)])
def test_what_has_no_width_is_no_slab(cells: np.ndarray) -> None:
    rows, columns = cells.shape
    base = FoundBase(np.pad(cells, 1), np.arange(columns + 2.0), np.arange(rows + 2.0))
    assert base.kind(5.0) is not BaseKind.SLAB
    assert len(base.pads_beside(np.zeros((1, 2)))) == 0 and len(base.corners_of_slab(5.0)) == 0


@pytest.mark.prove
@pytest.mark.parametrize("kind", [BaseKind.ALONE, *further([BaseKind.SLAB, BaseKind.PADS])])
def test_a_base_of_another_kind_holds_as_it_did(kind: BaseKind, bench: Bench) -> None:
    """Pads that stand alone were drawn tied together, and seemed to hold three times as much."""
    stages, own = Stages(), bench.with_value("supports.base", str(kind))
    tee = [trimesh.creation.box((4, 4, 24)), trimesh.creation.box((26, 6, 3)).apply_translation((0, 0, 12))]
    solid = turned(trimesh.boolean.union(tee, engine="manifold"), 40, (1, 0.4, 0))
    part = replace(taken_in(as_source(as_mesh(solid))), pose=Pose(gap_mm=4.0))
    job = propose_support(job_of("tee", own, (part,)), ONE, stages).job
    solids = stages.solids(job.part(ONE), own.supports)
    assert solids.supports is not None
    whole = of_solid(as_solid(resolved(solids.outer)) + as_solid(resolved(solids.supports)))
    again = propose_found(job_of("read", bench, (taken_in(as_source(whole)),)), ONE, stages).job
    holds, held = (predict(j, stages, fine()).verdict.plate_margin for j in (again, job))
    assert holds == pytest.approx(held, rel=0.12)


@pytest.mark.parametrize("degrees", [150.0, *further([135.0, 20.0])])
def test_an_own_export_stands_on_the_plate_as_firmly_when_it_is_read_back(degrees: float, bench: Bench) -> None:
    """A rod whose base has a pad that carries nothing; without it the plate would seem to hold a third less."""
    stages = Stages()
    rod = as_mesh(turned(trimesh.creation.cylinder(4, 40), degrees, (1, 0.5, 0)))
    part = replace(taken_in(as_source(rod)), pose=Pose(gap_mm=4.0))
    job = propose_support(job_of("rod", bench, (part,)), ONE, stages).job
    solids = stages.solids(job.part(ONE), bench.supports)
    assert solids.supports is not None and job.part(ONE).supports.outriggers
    whole = of_solid(as_solid(resolved(solids.outer)) + as_solid(resolved(solids.supports)))
    read = job_of("read", bench, (taken_in(as_source(whole)),))
    again = propose_found(read, ONE, stages)
    part = again.job.part(ONE)
    assert part.supports.outriggers and "beside them" in again.why
    holds, held = (predict(j, stages, fine()).verdict.plate_margin for j in (again.job, job))
    assert holds == pytest.approx(held, rel=0.12)
    bare = replace(part, supports=part.supports.without_outriggers())
    assert predict(again.job.with_part(bare), stages, fine()).verdict.plate_margin < 0.75 * held
