"""Terms that vanish at the bench's defaults, looked at where they do not."""

from __future__ import annotations

import math

import numpy as np
import pytest

from wideberth.core.bench import Bench, exposure_of_layer
from wideberth.core.loads import bond_factors, layer_seconds, plate_strength


def test_transition_layers_bond_by_their_own_exposure(bench: Bench) -> None:
    """Three first layers, four in between: each bonds by 1 + κ ln(E/E_normal), falling from the first's to 1."""
    b = bench.with_value("print.first_layers", 3).with_value("print.transition_layers", 4)
    factors = bond_factors(10, b)
    expected = [
        min(
            1 + b.laws.exposure_gain * math.log(exposure_of_layer(b.print, k) / b.print.exposure_s),
            b.laws.exposure_factor_limit,
        )
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


@pytest.mark.parametrize(
    "key", ["print.wait_before_s", "print.wait_after_s", "print.wait_lifted_s", "printer.overhead_s"]
)
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
