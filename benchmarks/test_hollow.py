"""Hollowing and draining: seconds, memory and walls of a large scan and of the demo's parts. Run with `make bench`."""

from __future__ import annotations

import resource
import time

import numpy as np
import pytest
from test_engine import rough_ball

from wideberth.core.drain import best_pose, pools, void_cells
from wideberth.core.hollow import STRUTS, Lattice, Shell, cavity_mesh, hollow_out, lattice_in, measured_wall
from wideberth.core.model import Mesh, read_model
from wideberth.demo import MESHES, mesh_path

WALL_MM = 2.0


@pytest.fixture(scope="module")
def scan() -> Mesh:
    ball = rough_ball(871_000)
    return Mesh(ball.points * (100 / ball.extents_mm.max()), ball.faces)


def test_871_000_triangles_of_100_mm_hollowed(benchmark, scan: Mesh) -> None:  # type: ignore[no-untyped-def]
    hollow_out(rough_ball(2_000), Shell(WALL_MM))  # compiles
    found = benchmark.pedantic(lambda: hollow_out(scan, Shell(WALL_MM)), rounds=3)
    wall = measured_wall(scan, found.chambers, Shell(WALL_MM))
    assert wall is not None
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    print(f"\nnodes {found.step_mm:.2f} mm apart, peak {peak:.2f} GB")
    print(f"thinnest {wall.thinnest_mm:.3f} mm, {wall.within:.2%} within 0.1 mm")


def test_the_same_with_passages_filled(benchmark, scan: Mesh) -> None:  # type: ignore[no-untyped-def]
    benchmark.pedantic(lambda: hollow_out(scan, Shell(WALL_MM, passage_mm=1.5)), rounds=3)


def test_walls_lattices_and_draining_of_the_demo_s_parts() -> None:
    heads = (
        "part",
        "wall",
        "step",
        "hollow s",
        "within 0.1",
        "thinnest",
        "chambers",
        "bars s",
        "share",
        "voids s",
        "a pose s",
        "best s",
    )
    print("\n" + " ".join(f"{h:>10}" for h in heads))
    for name in MESHES:
        outer = read_model(mesh_path(name)).mesh
        for wall in (1.2, WALL_MM):
            shell = Shell(wall, 0.05, 1.0)
            made, seconds = timed(lambda o=outer, s=shell: hollow_out(o, s))  # type: ignore[misc]
            cavity, measured = cavity_mesh(made.chambers), measured_wall(outer, made.chambers, shell)
            cells = [f"{name[:10]:>10}", f"{wall:>10}", f"{made.step_mm:>10.2f}", f"{seconds:>10.2f}"]
            if cavity is not None and measured is not None:
                bars, barring = timed(lambda c=cavity: lattice_in(c, Lattice(STRUTS), np.array([0, 0, 1.0])))  # type: ignore[misc]
                voids, looking = timed(lambda o=outer, c=cavity: void_cells(o, c, None))  # type: ignore[misc]
                _, pooling = timed(lambda v=voids: pools(v, np.array([0, 0, 1.0])))  # type: ignore[misc]
                rough = void_cells(outer, cavity, None, (), 90_000)
                _, searching = timed(lambda r=rough: best_pose(r))  # type: ignore[misc]
                cells += [f"{measured.within:>10.2%}", f"{measured.thinnest_mm:>10.3f}", f"{len(made.chambers):>10}"]
                cells += [f"{v:>10.3f}" for v in (barring, bars.share, looking, pooling, searching)]
            print(" ".join(cells))


def timed(act):  # type: ignore[no-untyped-def]
    began = time.perf_counter()
    result = act()
    return result, time.perf_counter() - began
