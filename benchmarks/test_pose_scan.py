"""Quality of the search for poses: an exhaustive scan of the sphere beside its picks, by each measure that a pick claims."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
import trimesh

from conftest import as_mesh
from wideberth.core.bench import load_bench
from wideberth.core.model import read_model
from wideberth.core.orient import PoseCost, covering, hull_corners, light_of, pose_of, search_poses, weigh_pose
from wideberth.demo import mesh_path

APART_DEG = 2.0
MEASURES = {
    "balanced": None, "least pull": lambda c: c.peak_n + c.suction_n, "least on young layers": lambda c: c.young_n,
    "least on each tip": lambda c: c.tip_load_n, "fewest finishing minutes": lambda c: c.mark_min,
    "least support": lambda c: c.support_ml, "quickest": lambda c: c.hours, "lowest": lambda c: c.height_mm,
}  # fmt: skip
SOLIDS = {
    "cube": lambda: as_mesh(trimesh.creation.box((50, 50, 50))),
    "name plate": lambda: as_mesh(trimesh.creation.box((60, 40, 4))),
    "whelk": lambda: read_model(mesh_path("whelk")).mesh,
}


@pytest.mark.parametrize("name", SOLIDS)
def test_picks_beside_a_scan_of_every_two_degrees(name: str) -> None:
    mesh, bench = SOLIDS[name](), load_bench()
    found = search_poses(mesh, bench)
    light = light_of(mesh)
    corners = hull_corners(light.mesh)
    ups = covering(round(4 * np.pi / np.radians(APART_DEG) ** 2))

    def weigh(up: np.ndarray) -> PoseCost:
        return weigh_pose(light, pose_of(up, corners, bench.printer, bench.supports.gap_mm), bench)

    with ThreadPoolExecutor(2) as side_by_side:
        scanned = [c for c in side_by_side.map(weigh, ups) if c.fits]
    print(f"\n{name}: {len(found.costs)} ways up searched, {len(scanned)} scanned")
    worst = 0.0
    for pick, of in MEASURES.items():
        value = of or (lambda c: c.total(bench.house))
        best, own = min(value(c) for c in scanned), value(found.picks[pick])
        behind = (own - best) / max(best, 1e-9)
        worst = max(worst, behind)
        print(f"  {pick:26s} search {own:8.3f}  scan {best:8.3f}  {behind:+7.1%}")
    assert worst <= 0.03
