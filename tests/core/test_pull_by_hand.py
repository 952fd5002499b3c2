"""Pulls of whole solids: a cube three ways by hand, ten random solids by dense pixels, and what must not change them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, moved, printed_of, set_down, tube_with_floor, turned, weightless
from reference.dense import dense_mask, poisson_integral, random_blobs
from wideberth.core.bench import Bench
from wideberth.core.layers import Bore, Touch
from wideberth.core.loads import bond_factors, loads, peel_n
from wideberth.core.model import Mesh

GAP = 4.0


def rectangle_mm4(a: float, b: float) -> float:
    """Squeeze integral of a rectangle by its series; b the shorter side."""
    a, b = max(a, b), min(a, b)
    odd = np.arange(1, 60, 2)
    return float(a * b**3 / 12 * (1 - 192 * b / (np.pi**5 * a) * (np.tanh(odd * np.pi * a / (2 * b)) / odd**5).sum()))


def pull_by_hand(area: float, around: float, squeeze: float, bench: Bench) -> float:
    return float(peel_n(np.array([area]), np.array([around]), np.array([squeeze]), bench)[0])


def held_cube(solid: trimesh.Trimesh, spots: list[tuple[float, float, float]]):  # type: ignore[no-untyped-def]
    """A cube on posts of 1 mm with tips of 0.8 mm at spots of its surface."""
    mesh = set_down(solid, GAP)
    touches = tuple(Touch(0, f"contact-{i}", x, y, z, 0.8, 0.3, z, 1.0, x, y, z) for i, (x, y, z) in enumerate(spots))
    rods = [moved(trimesh.creation.cylinder(0.5, z + 0.2, sections=24), x, y, (z + 0.2) / 2) for x, y, z in spots]
    return printed_of(mesh, pitch=0.2, layer=0.1, supports=as_mesh(trimesh.util.concatenate(rods)), touches=touches)


def test_cube_flat_on_its_edge_and_on_its_corner(bench: Bench) -> None:
    """Flat: 50 N at once on young layers. On an edge: a higher peak, next to nothing on young layers. On the corner likewise."""
    light = weightless(bench)
    cube = trimesh.creation.box((50, 50, 50))
    grid = [(x, y, GAP) for x in (-20, -10, 0, 10, 20) for y in (-20, -10, 0, 10, 20)]
    flat = loads(held_cube(cube, grid), light)
    young, last = int(GAP / 0.1), -3
    by_hand = pull_by_hand(2500, 200, 0.035144 * 50**4, bench)
    assert by_hand == pytest.approx(50.07, abs=0.05)
    assert flat.tip_load_n[young + 3].sum() == pytest.approx(by_hand, rel=0.02)
    assert flat.tip_load_n[last] == pytest.approx(np.full(25, by_hand / 25), rel=0.05)

    edge_z = [(0.0, y, GAP + 0.05) for y in (-24, -12, 0, 12, 24)]
    sides = [(x, y, GAP + abs(x)) for x in (-12.0, 12.0) for y in (-20.0, 20.0)]
    edge = loads(held_cube(turned(cube, 45, (0, 1, 0)), edge_z + sides), light)
    widest = 50 * np.sqrt(2)
    peak = pull_by_hand(50 * widest, 100 + 2 * widest, rectangle_mm4(widest, 50), bench)
    assert edge.tip_load_n.sum(axis=1).max() == pytest.approx(peak, rel=0.02)
    assert peak > 1.35 * by_hand
    five = pull_by_hand(50 * 0.9, 100.0 + 1.8, rectangle_mm4(50, 0.9), bench)  # the fifth layer lies 0.45 mm over the edge
    assert edge.tip_load_n[young + 4].sum() == pytest.approx(five, rel=0.12)
    assert five < 0.1 * by_hand

    standing = turned(turned(cube, 45, (1, 0, 0)), np.degrees(np.arctan(1 / np.sqrt(2))), (0, 1, 0))
    low = np.asarray(set_down(standing, GAP).points)
    foot = low[low[:, 2].argmin()]
    corner = loads(held_cube(standing, [(float(foot[0]), float(foot[1]), GAP + 0.05)]), light)
    hexagon = 3 * np.sqrt(3) / 4 * 50**2
    top = int(0.5 * corner.layers)
    assert corner.area_mm2.max() == pytest.approx(hexagon, rel=0.01)
    assert corner.peel_n[top] > by_hand
    assert corner.tip_load_n[young + 4].sum() < 0.02 * by_hand


@pytest.mark.parametrize("seed", range(10))
def test_ten_random_solids_pull_as_dense_pixels_say(seed: int, bench: Bench) -> None:
    """Area, pieces and squeeze from plain pixels of spheres, outline from the circles' arcs: peel within 4 % where it matters."""
    blobs = random_blobs(seed)
    mesh = as_mesh(blobs)
    printed = printed_of(mesh, pitch=0.1, layer=0.2)
    found = loads(printed, bench)
    mask, area, _ = dense_mask(blobs, printed.all.grid)
    bond = bond_factors(found.layers, bench)
    looked = [k for k in range(20, found.layers, 31) if area[k] > 15]
    assert looked
    for k in looked:
        assert found.area_mm2[k] == pytest.approx(area[k], rel=0.01, abs=0.3)
        square = mask[k][:, ::2]  # pixels of 0.1 mm both ways
        own = printed.sections.layer == k
        around = float(printed.sections.perimeter_mm[own].sum())
        # the pixels' boundary lies half a pixel too far out: dS = δ ∮(∂u/∂n)² ds, at least δ A²/P
        squeeze = poisson_integral(np.pad(square, 1), 0.1) - 0.05 * area[k] ** 2 / around
        assert float(found.squeeze_mm4[k]) == pytest.approx(squeeze, rel=0.05), (seed, k)
        line = 0.02 * around * bond[k]
        viscous = float(found.peel_n[k]) - line
        one = 0.016 * area[k] * (squeeze / (area[k] * 50)) ** 0.25 * bond[k]
        assert viscous == pytest.approx(one, rel=0.05) or own.sum() > 1


def test_order_of_triangles_changes_nothing_at_all(bench: Bench) -> None:
    mesh = as_mesh(random_blobs(3))
    order = np.random.default_rng(1).permutation(mesh.triangles)
    shuffled = Mesh(mesh.points, np.roll(mesh.faces[order], 1, axis=1))
    a, b = loads(printed_of(mesh, layer=0.2), bench), loads(printed_of(shuffled, layer=0.2), bench)
    assert (a.area_mm2 == b.area_mm2).all()
    assert (a.peel_n == b.peel_n).all()
    assert (a.squeeze_mm4 == b.squeeze_mm4).all()


def test_doubled_speed_doubles_a_vented_cups_suction_and_leaves_a_sealed_ones(bench: Bench) -> None:
    fast = bench.with_value("print.lift_mm_per_min", 120.0)
    vase = printed_of(as_mesh(tube_with_floor()), layer=0.2)
    sealed = [loads(vase, b).suction_n[-1] for b in (bench, fast)]
    assert sealed[0] > 10
    assert sealed[1] == pytest.approx(sealed[0])
    drill = trimesh.creation.cylinder(1.0, 8.0, sections=64)
    drill.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    drill.apply_translation((16.0, 0, 4.0))
    hole = Bore(0, 0, (17.0, 0.0, 4.0), (-1.0, 0.0, 0.0), 1.0, 2.0, (18.0, 0.0, 4.0), (14.0, 0.0, 4.0))
    vented = replace(printed_of(as_mesh(tube_with_floor()), layer=0.2, drill=as_mesh(drill), bores=(hole,)))
    deep = [replace(b, print=replace(b.print, resin_depth_mm=200.0)) for b in (bench, fast)]
    drawn = [loads(vented, b).suction_n[-1] for b in deep]
    assert drawn[1] == pytest.approx(2 * drawn[0], rel=1e-3)


def test_finer_rows_bring_the_pull_nearer_to_the_closed_form(bench: Bench) -> None:
    """A disc of 9.3 mm turned off the rows: the error falls with the rows."""
    disc = set_down(trimesh.creation.cylinder(9.3, 2, sections=720))
    exact = pull_by_hand(np.pi * 9.3**2, 2 * np.pi * 9.3, np.pi * 9.3**4 / 8, bench)
    plain = replace(bench, print=replace(bench.print, first_layers=0, transition_layers=0))
    errors = [abs(loads(printed_of(disc, pitch=pitch, layer=0.5), plain).peel_n[-1] / exact - 1) for pitch in (0.8, 0.4, 0.1)]
    assert errors[2] < errors[0]
    assert errors[2] < 0.004
