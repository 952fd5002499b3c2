"""The model's own narrow ways by the pressure solve: a bore, a slit, a ring of posts, a neck between two chambers."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, moved, printed_of, weightless
from wideberth.core.bench import Bench
from wideberth.core.layers import OPEN, VENTED, Bore, Printed, cups
from wideberth.core.layers.narrow import narrow_ways
from wideberth.core.loads import Loads, hole_resistance, loads

MU, LIFT, FOLLOW = 0.2, 1.0, 0.5


def cut(body: trimesh.Trimesh, *tools: trimesh.Trimesh) -> trimesh.Trimesh:
    return trimesh.boolean.difference([body, *tools], engine="manifold")


def beaker(inside: float = 15.0, wall: float = 4.0, tall: float = 24.0, floor: float = 3.0) -> trimesh.Trimesh:
    """A square beaker on the plate, open towards the film."""
    outer = moved(trimesh.creation.box((inside + 2 * wall, inside + 2 * wall, tall)), 0, 0, tall / 2)
    return cut(outer, moved(trimesh.creation.box((inside, inside, tall)), 0, 0, tall / 2 + floor))


def looked_at(solid: trimesh.Trimesh, bench: Bench, **kept: object) -> tuple[Printed, Loads]:
    printed = replace(printed_of(as_mesh(solid), layer=0.1, **kept), narrow=True)  # type: ignore[arg-type]
    return printed, loads(printed, weightless(bench))


def pressure_pa(printed: Printed, found: Loads, layer: int) -> float:
    rows = printed.openings.layer == layer
    return float(1000 * found.suction.pressure_kpa[rows].max(initial=0.0))


def own_ways_pa(solid: trimesh.Trimesh, layer: int) -> float:
    """What the model's own ways take in one layer [Pa], small or not."""
    printed = printed_of(as_mesh(solid), layer=0.1)
    _, by_gaps, _ = cups(printed.all_plugged, printed.all, np.empty((0, 3)))
    here = by_gaps.layer == layer
    told = narrow_ways(printed.all_plugged, by_gaps, here, by_gaps.bounds_mm, ())
    return float(MU * (1 - FOLLOW) * LIFT * told.max())


def drawn(area: float) -> float:
    """Flow that an opening wants [mm³/s]."""
    return (1 - FOLLOW) * area * LIFT


def test_bore_of_the_model_itself_resists_like_poiseuille(bench: Bench) -> None:
    """A bore of 2 mm through a wall of 8 mm, not drilled but modelled: 128 μ L Q/(π d⁴)."""
    wall = 8.0
    body = beaker(wall=wall)
    bore = moved(trimesh.creation.cylinder(1.0, 12.0, sections=64), 0, 0, 0)
    bore.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    bore.apply_translation((7.5 + wall / 2, 0, 6.0))
    printed, found = looked_at(cut(body, bore), bench)
    by_hand = 128 * MU * wall * drawn(225) / (np.pi * 2.0**4)
    assert pressure_pa(printed, found, 200) == pytest.approx(by_hand, rel=0.3)
    cup = printed.openings.state[printed.openings.layer == 200]
    assert (cup == VENTED).all()


def test_slit_is_taken_at_most_three_times_too_narrow() -> None:
    """A slit of 1 mm, 12 tall, through 4 mm of wall: 12 μ L Q/(b w³), and 32/12 of that on the safe side."""
    slit = moved(trimesh.creation.box((6.0, 1.0, 12.0)), 9.5, 0, 10.0)
    by_hand = 12 * MU * 4.0 * drawn(225) / (12.0 * 1.0**3)
    assert by_hand * 0.9 < own_ways_pa(cut(beaker(), slit), 220) < by_hand * 32 / 12 * 1.35


def test_wide_ways_are_simply_open(bench: Bench) -> None:
    """A gate of 6 x 10 mm in the wall, and a dome on posts 6 mm apart: no cup, no suction."""
    gate = moved(trimesh.creation.box((10.0, 6.0, 10.0)), 9.5, 0, 9.0)
    printed, found = looked_at(cut(beaker(), gate), bench)
    assert pressure_pa(printed, found, 200) < 100
    assert (printed.openings.state[printed.openings.layer == 200] == OPEN).all()
    assert found.suction_n[150:].max() == pytest.approx(0.0, abs=0.05)


def ring_of_posts(gap: float) -> tuple[trimesh.Trimesh, int]:
    """An upturned bowl with a flat roof on a ring of square posts on the plate, so far apart."""
    radius, post, high = 12.0, 3.0, 4.0
    count = int(2 * np.pi * radius / (2.0 + gap))
    width = 2 * np.pi * radius / count - gap
    posts = []
    for n in range(count):
        one = trimesh.creation.box((post, width, high))
        one.apply_translation((radius, 0, high / 2))
        one.apply_transform(trimesh.transformations.rotation_matrix(2 * np.pi * n / count, (0, 0, 1)))
        posts.append(one)
    wall = cut(moved(trimesh.creation.cylinder(13.5, 3.0, sections=128), 0, 0, high + 1.5 - 0.01),
               moved(trimesh.creation.cylinder(10.5, 9.0, sections=128), 0, 0, high + 1.5))  # fmt: skip
    return trimesh.boolean.union([wall, *posts], engine="manifold"), count


def test_ring_of_posts_lets_in_what_all_its_gaps_do() -> None:
    """Gaps side by side: p = Q/(N G), G between a slit's and 12/32 of it, posts 4 mm tall; a single gap would be N times more."""
    gap = 1.0
    solid, count = ring_of_posts(gap)
    r = np.linspace(10.5, 13.5, 400)
    width = 2 * np.pi * r / count - (2 * np.pi * 12.0 / count - gap)  # the posts are straight, so the gaps are wedges
    slit = 4.0 / (12 * MU * 3.0 * (1 / width**3).mean())
    by_hand = drawn(np.pi * 10.5**2) / (count * slit)
    assert 0.9 * by_hand < own_ways_pa(solid, 65) < 32 / 12 * 2.0 * by_hand
    assert own_ways_pa(ring_of_posts(3.0)[0], 65) < by_hand


def test_hole_in_one_chamber_behind_a_neck_to_the_other(bench: Bench) -> None:
    """Chamber A has the hole, chamber B opens to the film; between them a bore of 2 mm: both resist in a row."""
    outer = moved(trimesh.creation.box((40, 18, 24)), 0, 0, 12)
    a = moved(trimesh.creation.box((12, 12, 8)), -12, 0, 8)
    b = moved(trimesh.creation.box((14, 12, 24)), 10, 0, 16)
    neck = trimesh.creation.cylinder(1.0, 14.0, sections=64)
    neck.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    neck.apply_translation((-1.5, 0, 8.0))
    drill = trimesh.creation.cylinder(1.5, 8.0, sections=64)
    drill.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    drill.apply_translation((-20.0, 0, 8.0))
    hole = Bore(0, 0, (-20.0, 0.0, 8.0), (1.0, 0.0, 0.0), 1.5, 2.0, (-21.5, 0.0, 8.0), (-16.5, 0.0, 8.0))
    printed, found = looked_at(cut(outer, a, b, neck), bench, drill=as_mesh(drill), bores=(hole,))
    layer = 200
    q = drawn(14 * 12)
    by_hand = q * (hole_resistance(1.5, 2.0, MU) + 128 * MU * 9.0 / (np.pi * 2.0**4))
    assert pressure_pa(printed, found, layer) == pytest.approx(by_hand, rel=0.35)
    blind = replace(printed, narrow=False)
    without = pressure_pa(blind, loads(blind, weightless(bench)), layer)
    assert without == pytest.approx(q * hole_resistance(1.5, 2.0, MU), rel=0.02)


def test_narrower_way_never_sucks_less() -> None:
    told = []
    for wide in (1.2, 0.9, 0.6):
        slit = moved(trimesh.creation.box((6.0, wide, 12.0)), 9.5, 0, 10.0)
        told.append(own_ways_pa(cut(beaker(), slit), 220))
    assert told[0] < told[1] < told[2]
