"""No island in a chamber, over scans, walls, poses and rows: `make prove`. Meshes that others made stand beside our own."""

from __future__ import annotations

import numpy as np
import pytest
import pyvista
import trimesh

from core.test_gussets import DENTED, SHELL, begins_inside, knobbly, standing
from wideberth.core.hollow import Ceilings, Shell, cavity_mesh, gussets_in, hollow_out
from wideberth.core.layers import difference
from wideberth.core.model import Mesh, read_model, sound_copy
from wideberth.core.orient import Pose, turned_xyz
from wideberth.demo import mesh_path

TURNS = ((0, 0, 0), (180, 0, 0), (90, 0, 0), (35, 20, 0), (215, -20, 0), (-10, 4, 60), (70, 50, 10))


def figure(name: str) -> Mesh:
    if name == "knobbly":
        return knobbly()
    if name in ("ant", "airplane"):
        scale = {"ant": 2.0, "airplane": 0.08}[name]
        scan = pyvista.read(getattr(pyvista.examples, {"ant": "antfile", "airplane": "planefile"}[name])).triangulate().clean()
        mesh = Mesh(np.asarray(scan.points, float) * scale, scan.faces.reshape(-1, 4)[:, 1:].astype(np.int32))
        return sound_copy(mesh).mesh
    return read_model(mesh_path(name)).mesh


@pytest.mark.parametrize("wall", [1.0, 2.0, 3.0])
@pytest.mark.parametrize("name", ["whelk", "bell", "claw", "cleat", "ant", "airplane", "knobbly"])
def test_no_scan_has_islands_inside(name: str, wall: float) -> None:
    outer = figure(name)
    cavity = cavity_mesh(hollow_out(outer, Shell(wall, SHELL.smallest_chamber_ml, SHELL.passage_mm)).chambers)
    if cavity is None:
        print(f"| {name} | {wall:g} mm | no chamber | | |")
        return
    ceilings, before, volumes = Ceilings(cavity), 0, [0.0]
    for turn in TURNS:
        pose = Pose(turned_xyz(*turn), 3.0)
        gussets = gussets_in(ceilings, pose.rotation[2])
        before += begins_inside(standing(outer, cavity, None, pose, 0.1, 0.05)[0])
        printed, bare = standing(outer, cavity, gussets, pose, 0.1, 0.05)
        assert begins_inside(printed) == 0
        assert difference(bare, printed.part).volume_mm3 == 0.0
        if gussets is not None:
            assert len(gussets.uncarried_mm) == 0
            volumes.append(gussets.volume_ml)
    print(f"| {name} | {wall:g} mm | {before} | 0 | {max(volumes):.2f} of {cavity.volume_mm3 / 1000:.1f} mL |")


@pytest.mark.parametrize("turn", [(20, 0, 0), (-10, 4, 60), (45, 45, 0)])
@pytest.mark.parametrize("name", DENTED)
def test_no_dented_block_has_islands_inside_at_any_rows(name: str, turn: tuple[float, float, float]) -> None:
    outer, _ = DENTED[name]
    finer = trimesh.Trimesh(outer.points, outer.faces).subdivide()
    outer = Mesh(np.asarray(finer.vertices), np.asarray(finer.faces, np.int32))
    cavity = cavity_mesh(hollow_out(outer, SHELL).chambers)
    assert cavity is not None
    pose = Pose(turned_xyz(*turn), 3.0)
    gussets = gussets_in(Ceilings(cavity), pose.rotation[2])
    for pitch, layer in ((0.05, 0.02), (0.1, 0.05), (0.2, 0.1), (0.4, 0.2)):
        assert begins_inside(standing(outer, cavity, gussets, pose, pitch, layer)[0]) == 0
