"""What an exposure test says of a resin, put on the bench; and what of a bench was learnt from prints."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.cure import critical_exposure
from wideberth.core.bench.exposure_test import ExposureTest, WorkingCurve
from wideberth.core.bench.schema import Resin

FITTED = "fitted from "


def source_of_fit(prints: int) -> str:
    """As a bench value says where it comes from: `fitted from 12 prints`."""
    return f"{FITTED}{prints:,} print{'s' if prints != 1 else ''}"


def fitted_prints(bench: Bench) -> int:
    """From how many prints the coefficients of a bench were fitted, the most of any; 0 for none."""
    counts = [0]
    for _, source in bench.sources:
        if source.startswith(FITTED) and source.endswith(("print", "prints")):
            number = source.removeprefix(FITTED).split()[0].replace(",", "")
            counts.append(int(number) if number.isdigit() else 0)
    return max(counts)


def fitted_keys(bench: Bench) -> tuple[str, ...]:
    """Coefficients that were fitted from prints, without their ranges."""
    of_prints = {key for key, source in bench.sources if source.startswith(FITTED) and source.endswith(("print", "prints"))}
    return tuple(sorted(key for key in of_prints if not key.startswith(("ranges.", "laws.time_"))))


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
