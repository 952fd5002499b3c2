"""After the print: films by Jeffreys' law and by a second method, baths by mass, lamps by dose, the time's range."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from scipy.integrate import quad, solve_ivp

from conftest import printed_of, set_down
from wideberth.core.bench import (
    Bench,
    bath_room_g,
    bath_share,
    cure_dose_j_per_cm2,
    cure_min,
    film_mm,
    inner_cure_min,
    lit_mm,
    load_bench,
    load_named,
    worth_waiting_min,
)
from wideberth.core.bench.load import bench_from
from wideberth.core.loads import loads
from wideberth.core.verdict import Care, judge
from wideberth.core.verdict.care import care_of


def test_a_film_by_the_law_s_own_figures() -> None:
    """0.2 Pa·s, 50 mm, upright: 0.12 mm after a minute, 0.04 after twelve; the mean is two thirds of the end's."""
    assert film_mm(50.0, 1.0, 1.0, 0.2, 1100.0) == pytest.approx(0.124, abs=0.001)
    assert film_mm(50.0, 12.0, 1.0, 0.2, 1100.0) == pytest.approx(0.036, abs=0.001)
    mean = quad(lambda z: float(film_mm(z, 1.0, 1.0, 0.2, 1100.0)), 0, 50)[0] / 50
    assert mean == pytest.approx(2 / 3 * float(film_mm(50.0, 1.0, 1.0, 0.2, 1100.0)), rel=1e-6)


@pytest.mark.prove
def test_a_film_agrees_with_the_flow_solved_in_time() -> None:
    """Second method: ∂h/∂t = -∂/∂z (ρ g h³/(3 μ)) on a grid, from a thick film that is even at first."""
    mu, rho, length, cells, minutes = 0.2, 1100.0, 0.05, 400, 12.0
    dz = length / cells

    def rate(_t: float, h: np.ndarray) -> np.ndarray:
        flow = rho * 9.80665 * np.maximum(h, 0) ** 3 / (3 * mu)
        return -np.diff(flow, prepend=0.0) / dz

    h = solve_ivp(rate, (0, minutes * 60), np.full(cells, 1e-3), method="LSODA", rtol=1e-6).y[:, -1]
    z_mm = (np.arange(cells) + 0.5) * dz * 1000
    there = z_mm > 5
    assert h[there] * 1000 == pytest.approx(film_mm(z_mm, minutes, 1.0, mu, rho)[there], rel=0.02)


def test_a_leaning_wall_holds_a_thicker_film() -> None:
    """Gravity along the wall falls with cos α: at 60° from upright √2 as thick."""
    assert film_mm(30.0, 5.0, 0.5, 0.2, 1100.0) == pytest.approx(np.sqrt(2) * film_mm(30.0, 5.0, 1.0, 0.2, 1100.0))


def care(solid: trimesh.Trimesh, bench: Bench) -> Care:
    printed = printed_of(set_down(solid))
    return care_of(loads(printed, bench), bench, printed.all.grid.layer_mm)


@pytest.mark.parametrize("minutes", [2.0, 10.0, 40.0])
def test_what_clings_to_an_upright_slab_by_hand(bench: Bench, minutes: float) -> None:
    """Outline times height times two thirds of the film at its end, and the end face at the whole of it over its lean."""
    slab = trimesh.creation.box([20.0, 4.0, 30.0])
    found = care(slab, replace(bench, house=replace(bench.house, drip_min=minutes)))
    end = float(film_mm(30.0, minutes, 1.0, 0.2, 1100.0))
    face = 80 * float(film_mm(30.0, minutes, 0.2, 0.2, 1100.0))
    assert found.clings_ml == pytest.approx((48 * 30 * end * 2 / 3 + face) / 1000, rel=0.02)
    assert found.half_min == 4 * minutes  # it falls off as 1/√τ
    twice = care(slab, replace(bench, house=replace(bench.house, drip_min=4 * minutes)))
    assert twice.clings_ml == pytest.approx(0.5 * found.clings_ml, rel=1e-6)


@pytest.mark.parametrize("worth", [0.5, 3.0])
def test_waiting_pays_up_to_the_minute_that_a_search_finds(worth: float) -> None:
    """Second method: the least of minutes waited and minutes' worth of what is left."""
    at = np.linspace(0.05, 60, 60_000)
    cost = at + worth * 2.0 * np.sqrt(10.0) / np.sqrt(at)
    assert worth_waiting_min(2.0, 10.0, worth, 1e3) == pytest.approx(at[cost.argmin()], abs=0.01)
    assert worth_waiting_min(2.0, 10.0, 1e6, 30.0) == 30.0


def test_a_bath_fills_up_by_mass(bench: Bench) -> None:
    """4 L of isopropanol, 785 g/L: 3,140 g; spent at 15 %: 3,140 · 0.15/0.85 = 554 g of resin."""
    station = bench.station
    pure, weak = replace(station, strength_share=1.0), replace(station, strength_share=0.5)
    assert bath_room_g(4000.0, pure) == pytest.approx(554.1, abs=0.1) == pytest.approx(2 * bath_room_g(4000.0, weak), abs=0.1)
    assert bath_share(554.1, 4000.0, pure) == pytest.approx(0.15, abs=1e-4)
    thinned = replace(pure, strength_share=0.8)  # a fifth of it is water, which takes no resin
    assert bath_share(554.1, 4000.0, thinned) == pytest.approx(554.1 / (554.1 + 0.8 * 4000.0 * 0.785), rel=1e-3)
    bench = replace(bench, station=replace(station, strength_share=1.0))
    full = replace(bench, station=replace(pure, bath_load_g=554.0, spent_share=0.15))
    slab = trimesh.creation.box([20.0, 4.0, 30.0])
    fresh, spent = care(slab, bench), care(slab, full)
    assert fresh.bath_prints == int(554.117 / fresh.to_bath_g) and not fresh.bath_spent
    assert fresh.to_bath_g == pytest.approx(fresh.clings_ml * 1.1)
    tall = care(trimesh.creation.box([60.0, 60.0, 20.0]), full)
    assert tall.to_bath_g > 0.2 and tall.bath_spent and spent.bath_share == pytest.approx(554 / 3694)
    printed = printed_of(set_down(trimesh.creation.box([60.0, 60.0, 20.0])))
    assert "bath_spent" in {f.code for f in judge(printed, loads(printed, full), full).findings}


def test_minutes_under_the_lamp_by_the_dose(bench: Bench) -> None:
    """3 J/cm² at 12 mW/cm², half the time in the light: 3000/6 s; behind a wall e^(w/Dp) as long, or not at all."""
    assert cure_min(3.0, bench.station) == pytest.approx(3000 / 6 / 60)
    assert cure_dose_j_per_cm2(bench.station) == pytest.approx(600 * 6 / 1000)
    assert lit_mm(bench.resin) == pytest.approx(0.36)
    assert inner_cure_min(3.0, 0.24, bench) == pytest.approx(cure_min(3.0, bench.station) * np.e**2)
    assert inner_cure_min(3.0, 2.0, bench) is None


def test_the_time_s_range_and_what_stays_in_the_vat(bench: Bench) -> None:
    printed = printed_of(set_down(trimesh.creation.box([10.0, 10.0, 10.0])))
    found = loads(printed, bench)
    t = judge(printed, found, bench).totals
    assert (t.seconds_low, t.seconds_high) == pytest.approx((0.95 * t.seconds, 1.25 * t.seconds))
    assert t.resin_ml == pytest.approx(1.0 + t.clinging_ml + 2.0, rel=1e-3) and t.stays_ml == 2.0


def test_retired_keys_of_older_files_give_their_values_to_their_heirs() -> None:
    told = bench_from({"laws": {"time_spread": 0.2, "clinging_mm": 0.3, "scrape_factor": 1.5}}, "", "old")
    assert (told.laws.time_less_share, told.laws.time_more_share) == (0.2, 0.2)
    both = bench_from({"laws": {"time_spread": 0.2, "time_more_share": 0.4}}, "", "older and newer")
    assert (both.laws.time_less_share, both.laws.time_more_share) == (0.2, 0.4)


def test_a_mix_is_cared_for_as_its_most_careful_resin() -> None:
    mix = load_named("resin", "grey-with-tough")
    parts = [load_named("resin", i.resin) for i in mix.ingredients]
    assert mix.cure_low_j_per_cm2 == max(p.cure_low_j_per_cm2 for p in parts) <= mix.cure_high_j_per_cm2
    assert mix.longest_wet_min == min(p.longest_wet_min for p in parts)
    assert load_bench().film.lasts_h == 125.0 and load_bench().film.treatment_factor == 1.0
