"""Terms that vanish at the bench's defaults, looked at where they do not."""

from __future__ import annotations

import math

import numpy as np
import pytest

from wideberth.core.bench import Bench, exposure_of_layer
from wideberth.core.loads import Undersides, air_flow_factor, bond_factors, layer_seconds, plate_strength, sag_of


def test_transition_layers_bond_by_their_own_exposure(bench: Bench) -> None:
    """Three first layers, four in between: each bonds by 1 + κ ln(E/E_normal), falling from the first's to 1."""
    b = bench.with_value("print.first_layers", 3).with_value("print.transition_layers", 4)
    factors = bond_factors(10, b)
    expected = [
        min(1 + b.laws.exposure_gain * math.log(exposure_of_layer(b.print, k) / b.print.exposure_s), b.laws.exposure_factor_limit)
        for k in range(10)
    ]
    assert factors == pytest.approx(expected)
    assert (np.diff(factors[2:8]) <= 0).all() and factors[3] > factors[6] > 1 == factors[7] == factors[9]


@pytest.mark.parametrize("times", [0.6, 1.0, 1.7])
def test_longer_first_light_holds_the_plate_by_its_logarithm(bench: Bench, times: float) -> None:
    reference = bench.laws.plate_reference_exposure_s
    b = bench.with_value("print.first_exposure_s", times * reference)
    expected = b.laws.plate_adhesion_n_per_mm2 * (1 + b.laws.exposure_gain * math.log(times))
    assert plate_strength(b) == pytest.approx(expected)


@pytest.mark.parametrize("key", ["print.wait_before_s", "print.wait_after_s", "print.wait_lifted_s", "printer.overhead_s"])
def test_every_wait_is_in_the_time_of_each_layer(bench: Bench, key: str) -> None:
    area = np.full(7, 300.0)
    now = next(value.value for value in bench.values() if value.key == key)
    longer = bench.with_value(key, float(now) + 1.3)  # type: ignore[arg-type]
    assert layer_seconds(area, longer) - layer_seconds(area, bench) == pytest.approx(np.full(7, 1.3))


def test_a_laser_takes_longer_for_a_larger_section(bench: Bench) -> None:
    b = (
        bench.with_value("printer.writes_mm2_per_s", 900.0)
        .with_value("print.first_layers", 2)
        .with_value("print.transition_layers", 0)
    )
    seconds = layer_seconds(np.array([50.0, 50.0, 100.0, 400.0, 0.0]), b)
    assert seconds[3] - seconds[2] == pytest.approx(300 / 900)
    assert seconds[2] - seconds[4] == pytest.approx(100 / 900)


def test_air_flows_by_bernoulli_s_law(bench: Bench) -> None:
    """Cd π r² √(2/ρ) in mm³/s for each √Pa, r in mm."""
    b = bench.with_value("laws.air_kg_per_m3", 1.05).with_value("laws.discharge", 0.7)
    assert air_flow_factor(1.5, b) == pytest.approx(0.7 * math.pi * 1.5e-3**2 * math.sqrt(2 / 1.05) * 1e9)


def test_a_sloping_underside_sags_under_the_next_layer_s_pull_as_a_plate_that_thickens(bench: Bench) -> None:
    """A spot at 2.07 mm, 40° steep, held 1.5 mm away all round: layers of 0.1 mm, so it is the 21st layer after it that pulls."""
    b = bench.with_value("print.layer_height_mm", 0.1)
    ways = 16
    spot = Undersides(np.array([[0.0, 0.0, 2.07]]), np.array([40.0]), np.full((1, ways), 1.5), np.zeros(1), False)
    pull = 0.001 * np.arange(60.0)
    sag = sag_of(spot, (), pull, b)
    thick = b.laws.young_layers * 0.1 + 0.5 * 1.5 * math.tan(math.radians(40.0))
    expected = 0.06 * pull[21] * (math.sqrt(2) * 1.5) ** 4 / (b.resin.green_modulus_mpa * thick**3)
    assert sag.sag_mm[0] == pytest.approx(expected) and sag.pull_n_per_mm2[0] == pull[21]
