"""How bodies come off the plate: fronts by closed form, efforts by hand, first light against a whole new prediction."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import moved, printed_of, set_down, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.layers import front_mm
from wideberth.core.loads import (
    BY_HAND,
    DAMAGE,
    WITH_BLADE,
    least_first_light,
    loads,
    peel_strength,
    plate_strength,
    removals,
    with_first_light,
)

Z = (0.0, 0.0, 1.0)


def front_of(solid: trimesh.Trimesh, pitch: float = 0.1) -> tuple[float, float]:
    runs = printed_of(set_down(solid), pitch=pitch, layer=0.5).all
    own = runs.offsets[runs.grid.rows]
    y = runs.grid.y0_mm + (runs.row_index()[:own] % runs.grid.rows) * runs.grid.pitch_mm
    return front_mm(runs.x0[:own], runs.x1[:own], y, runs.grid.pitch_mm)


@pytest.mark.parametrize("pitch", [0.2, 0.05])
def test_a_disc_opens_along_its_diameter_whichever_way(pitch: float) -> None:
    disc = trimesh.creation.cylinder(15.0, 1.0, sections=256)
    assert front_of(disc, pitch)[0] == pytest.approx(30.0, rel=0.01)


@pytest.mark.parametrize("degrees", [0.0, 20.0, 45.0, 90.0, 130.0])
def test_a_bar_opens_from_its_end(degrees: float) -> None:
    """Its short side, whichever way it lies; off the grid of directions by at most 2.5°: b / cos 2.5°."""
    wide, towards = front_of(turned(trimesh.creation.box([40.0, 6.0, 1.0]), degrees, Z))
    assert wide == pytest.approx(6.0, rel=0.02)
    assert min(abs(towards - degrees), 180 - abs(towards - degrees)) <= 5.0


@pytest.mark.parametrize("degrees", [0.0, 35.0])
def test_pads_come_one_after_the_other(degrees: float) -> None:
    pads = [moved(trimesh.creation.cylinder(3.0, 1.0, sections=128), x, 0, 0) for x in (-20.0, 0.0, 20.0)]
    assert front_of(turned(trimesh.util.concatenate(pads), degrees, Z))[0] == pytest.approx(6.0, rel=0.02)


def test_a_ring_opens_along_its_longest_chords() -> None:
    """Just inside the hole's edge both chords together: 2 √(R² - r²)."""
    ring = trimesh.creation.annulus(9.0, 12.0, 1.0, sections=256)
    assert front_of(ring, 0.05)[0] == pytest.approx(2 * np.sqrt(12**2 - 9**2), rel=0.02)


def chord_mm(boxes: list[tuple[np.ndarray, float, np.ndarray]], angle: float, at: float) -> float:
    """Length of a line across turned boxes, exactly: the union of what each cuts from it."""
    way = np.array([np.cos(angle), np.sin(angle)])
    along = np.array([-way[1], way[0]])
    cuts = []
    for size, degrees, middle in boxes:
        turn = np.radians(degrees) + np.array([0.0, np.pi / 2])
        axes = np.stack([np.cos(turn), np.sin(turn)], axis=1)
        start, rate = axes @ (at * way - middle), axes @ along
        ends = np.sort((np.array([[-0.5], [0.5]]) * size - start) / np.where(rate == 0, 1e-12, rate), axis=0)
        cuts.append((ends[0].max(), ends[1].min()))
    length, reached = 0.0, -np.inf
    for low, high in sorted(c for c in cuts if c[1] > c[0]):
        length += max(0.0, high - max(low, reached))
        reached = max(reached, high)
    return float(length)


@pytest.mark.prove
@pytest.mark.parametrize("seed", [0, *further(range(1, 12))])
def test_the_front_agrees_with_lines_drawn_across_four_turned_boxes(seed: int) -> None:
    chance = np.random.default_rng(seed)
    boxes = [(chance.uniform(4, 16, 2), chance.uniform(0, 180), chance.uniform(-12, 12, 2)) for _ in range(4)]
    solid = trimesh.boolean.union(
        [moved(turned(trimesh.creation.box([*size, 1.0]), degrees, Z), *middle, 0) for size, degrees, middle in boxes]
    )
    lines = np.arange(-24, 24, 0.1)
    fronts = [max(chord_mm(boxes, angle, at) for at in lines) for angle in np.pi * np.arange(36) / 36]
    assert front_of(solid, 0.05)[0] == pytest.approx(min(fronts), rel=0.01)


def test_effort_is_the_grip_times_depth_times_front(bench: Bench) -> None:
    """A post of 30 mm, first layers of 120 mJ/cm², on which σp is stated: 0.25 N/mm² · 1 mm · 30 mm."""
    printed = printed_of(set_down(trimesh.creation.cylinder(15.0, 8.0, sections=128)))
    body = removals(printed, loads(printed, bench), bench)[0]
    assert body.effort_n == pytest.approx(0.25 * 1.0 * 30, rel=0.01) and body.effort == BY_HAND
    assert body.contact_mm2 == pytest.approx(np.pi * 225, rel=0.005)
    brighter = bench.with_value("print.first_exposure_s", 60.0)
    assert peel_strength(brighter) == pytest.approx(0.25 * (1 + 0.25 * np.log(2)))
    rough = bench.with_value("printer.removal_factor", 3.0)
    assert removals(printed, loads(printed, rough), rough)[0].effort == WITH_BLADE
    worse = rough.with_value("laws.removal_mm", 10.0)
    assert removals(printed, loads(printed, worse), worse)[0].effort == DAMAGE


def test_each_body_is_its_own_and_connected_ones_are_one(bench: Bench) -> None:
    legs = [moved(trimesh.creation.box([4.0, 4.0, 6.0]), x, 0, 3) for x in (-10.0, 10.0)]
    bridge = moved(trimesh.creation.box([30.0, 4.0, 3.0]), 0, 0, 6.5)
    alone = moved(trimesh.creation.box([6.0, 12.0, 5.0]), 0, 20, 2.5)
    printed = printed_of(set_down(trimesh.util.concatenate([trimesh.boolean.union([*legs, bridge]), alone])))
    found = removals(printed, loads(printed, bench), bench)
    assert [r.contact_mm2 for r in found] == pytest.approx([72.0, 32.0], rel=0.02)
    assert [r.front_mm for r in found] == pytest.approx([6.0, 4.0], rel=0.02)
    assert found[0].y_mm - found[1].y_mm == pytest.approx(20.0, abs=0.1)


def test_the_weakest_section_below_the_bulk_and_a_thin_sheet(bench: Bench) -> None:
    """A waist of 2 mm under a heavy head breaks at A σ_g, set by all later light; a sheet by 6 g λ/h²."""
    foot = moved(trimesh.creation.cylinder(12.0, 2.0, sections=128), 0, 0, 1)
    waist = moved(trimesh.creation.cylinder(1.0, 6.0, sections=128), 0, 0, 4)
    head = moved(trimesh.creation.cylinder(8.0, 20.0, sections=128), 0, 0, 16.5)
    printed = printed_of(set_down(trimesh.boolean.union([foot, waist, head])))
    found = loads(printed, bench)
    body = removals(printed, found, bench)[0]
    assert body.neck_mm2 == pytest.approx(np.pi, rel=0.03) and 2 < body.neck_z_mm < 7
    own = 10 * np.exp(-0.05 / 0.12) / 4
    whole = own * sum(np.exp(-j * 0.05 / 0.12) for j in range(60))
    set_by_then = (1 - np.exp(-(whole - 1))) / (1 - np.exp(-(own - 1)))
    assert body.neck_n == pytest.approx(np.pi * 8.0 * set_by_then, rel=0.03)
    assert not body.neck_breaks and not body.sheet_breaks and body.sheet_mm == pytest.approx(2.0)
    flat = printed_of(set_down(trimesh.creation.box([40.0, 40.0, 0.2])))
    sheet = removals(flat, loads(flat, bench), bench)[0]
    assert sheet.sheet_mm == pytest.approx(0.2)
    brittle = bench.with_value("resin.green_strength_mpa", 2.0)
    assert removals(flat, loads(flat, brittle), brittle)[0].sheet_least_mm == pytest.approx(2 * sheet.sheet_least_mm)


@pytest.mark.parametrize("exposure_s", [4.0, 12.0, 30.0, 75.0])
def test_another_first_light_is_what_a_new_prediction_says(bench: Bench, exposure_s: float) -> None:
    printed = printed_of(set_down(trimesh.creation.box([30.0, 18.0, 6.0])))
    told = with_first_light(loads(printed, bench), bench, 18.0, exposure_s)
    other = bench.with_value("print.first_exposure_s", exposure_s)
    anew = loads(printed, other)
    assert told.margin == pytest.approx(np.nanmin(anew.plate_margin), rel=1e-6)
    assert told.effort_n == pytest.approx(removals(printed, anew, other)[0].effort_n, rel=0.01)
    assert told.growth_mm == pytest.approx(0.05 * np.log(exposure_s / 2.5))


def test_the_least_first_light_grips_and_a_little_less_does_not(bench: Bench) -> None:
    """A tall plate of 3 N/mm² of pull on a narrow foot: there is a first exposure at which it just holds twice."""
    hammer = trimesh.boolean.union(
        [trimesh.creation.box([5.0, 5.0, 4.0]), moved(trimesh.creation.box([40.0, 30.0, 2.0]), 0, 0, 2.5)]
    )
    printed = printed_of(set_down(hammer))
    known = loads(printed, bench)
    middle = with_first_light(known, bench, 5.0, 40.0).margin
    assert middle is not None
    least = least_first_light(known, bench, 5.0, middle)
    assert least is not None and least.exposure_s == pytest.approx(40.0, rel=0.01)
    anew = replace(bench, print=replace(bench.print, first_exposure_s=least.exposure_s * 0.9))
    assert np.nanmin(loads(printed, anew).plate_margin) < middle
    assert least_first_light(known, bench, 5.0, 1e6) is None
    assert plate_strength(bench) == pytest.approx(0.25)
