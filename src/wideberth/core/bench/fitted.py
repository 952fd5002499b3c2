"""What an exposure test says of a resin, put on the bench."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.cure import critical_exposure
from wideberth.core.bench.exposure_test import ExposureTest, WorkingCurve
from wideberth.core.bench.schema import Resin


def fitted_bench(bench: Bench, curve: WorkingCurve, test: ExposureTest) -> Bench:
    """The bench with a curve's values; Ec is stated for the resin's reference temperature.

    Raises
    ------
    BadBench : when a value is out of range.
    """
    source = f"fitted from {curve.pairs} pairs"
    bench = bench.with_value("resin.penetration_depth_mm", curve.dp_mm, source)
    return bench.with_value("resin.critical_exposure_mj_per_cm2", ec_at_reference(bench.resin, curve, test), source)


def ec_at_reference(resin: Resin, curve: WorkingCurve, test: ExposureTest) -> float:
    """Ec [mJ/cm²] of a curve, carried from the test's temperature to the resin's reference."""
    at_test = replace(resin, critical_exposure_mj_per_cm2=curve.ec_mj_per_cm2, reference_c=test.vat_c)
    return critical_exposure(at_test, resin.reference_c)
