"""Bases that models come with: pads that no post stands on are found again, so that the plate holds as it did."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

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
from wideberth.core.support import BaseKind, Supports
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
    assert seen.kind(feet) is kind
    if kind is BaseKind.SLAB:
        again = replace(supports, feet=())
        drawn = base_mesh(with_outriggers(again, seen.corners_of_slab(bench.supports.pad_mm)), bench.supports)
        assert drawn is not None and drawn.volume_mm3 == pytest.approx(mesh.volume_mm3, rel=0.02)
    else:
        found = seen.pads_beside(feet)
        assert len(found) == more
        for pad in beside:
            assert np.hypot(*(found - pad).T).min() <= 0.5


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


@pytest.mark.parametrize("degrees", [150.0, *further([130.0, 20.0])])
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
