"""Supports of random solids pass clear of them: exact intersections, contacts and feet on the part aside."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from conftest import set_down
from wideberth.core.bench import load_bench
from wideberth.core.loads import spacing_mm
from wideberth.core.model import Mesh, as_solid, joined, resolved, rod
from wideberth.core.support import Need, Supports, supports_mesh
from wideberth.core.support.bearing import Trial
from wideberth.core.support.routing import Clearance, find_route
from wideberth.core.support.spots import wanted_spots

SOLIDS = 1000
NEAR_MM = 0.7
"""What a tip or foot buries lies within that of its spot."""


def random_solid(chance: np.random.Generator) -> trimesh.Trimesh:
    """Some boxes, balls and cylinders, turned and grown together."""
    pieces = []
    for _ in range(chance.integers(1, 5)):
        kind, size = chance.integers(3), chance.uniform(3, 16, 3)
        if kind == 0:
            piece = trimesh.creation.box(size)
        elif kind == 1:
            piece = trimesh.creation.icosphere(2, size[0] / 2)
        else:
            piece = trimesh.creation.cylinder(size[0] / 2.5, size[1], sections=24)
        piece.apply_transform(trimesh.transformations.random_rotation_matrix(chance.random(3)))
        piece.apply_translation(chance.uniform(-8, 8, 3))
        pieces.append(piece)
    return trimesh.boolean.union(pieces, engine="manifold")


def buried_mm3(supports: Supports, part: Mesh) -> float:
    """Volume of supports inside the part beyond contacts and feet."""
    settings = load_bench().supports
    solid = supports_mesh(supports, settings)
    assert solid is not None
    inside = as_solid(resolved(solid)) ^ as_solid(part)
    spots = [c.spot_mm for c in supports.contacts]
    spots += [supports.foot[supports.post[p].foot].point_mm for p in supports.feet_on_part]
    reach = [NEAR_MM] * len(supports.contacts) + [1.6] * len(supports.feet_on_part)
    balls = [rod(s - [0, 0, r], s + [0, 0, r], r, r, 24) for s, r in zip(spots, reach, strict=True)]
    return float((inside - as_solid(resolved(joined(balls)))).volume())


@pytest.mark.parametrize(("solids", "stoutest_mm"), [(SOLIDS, 1.8), (SOLIDS // 4, 5.0)])
def test_no_post_twig_or_bend_passes_through_a_random_solid(solids: int, stoutest_mm: float) -> None:
    bench = load_bench().with_value("supports.stoutest_post_mm", stoutest_mm)
    chance = np.random.default_rng(41)
    routes, bends, narrow, worst = 0, 0, 0, 0.0
    for number in range(solids):
        part = set_down(random_solid(chance), 3.0)
        spots, _ = wanted_spots(part, Trial(part, bench).alone(), bench.supports, spacing_mm(bench))
        room, supports = Clearance(part, bench.supports), Supports()
        for point, normal in zip(spots.points, spots.normals, strict=True):
            route = find_route(point, normal, room, bench.supports, supports)
            if route is not None:
                supports = supports.with_route(route, bench.supports.tip_mm, Need())
                bends += bool(route.bends_mm)
                narrow += route.narrow
        if not supports.contacts:
            continue
        routes += len(supports.contacts)
        buried = buried_mm3(supports, part)
        worst = max(worst, buried)
        assert buried < 1e-3, number
    print(
        f"\n{solids} solids, {routes} tips, {bends} of them on ways that bend, {narrow} on posts that have no room to get stouter"
    )
    print(f"most buried beside contacts and feet {worst:.1e} mm³")
