"""Whether a bench was tested as it stands: on which printer, with which resin and film, how warm; and what the test said."""

from __future__ import annotations

import contextlib
import dataclasses
import math
from functools import lru_cache
from pathlib import Path
from typing import cast

from scipy.special import ndtri

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.cure import critical_exposure
from wideberth.core.bench.exposure_test import ExposureTest
from wideberth.core.bench.load import load_file, user_folder
from wideberth.core.bench.schema import Tested
from wideberth.core.errors import BadBench

AS_WARM_C = 3.0
"""A test speaks for the vat within so many degrees."""


def tested_bench(bench: Bench, test: ExposureTest) -> Bench:
    """The bench with a test of one's own kept on it."""
    kept = Tested(
        test.name,
        test.printer,
        test.resin,
        test.film or bench.film.name,
        test.vat_c,
        test.date,
        test.plate_exposure_s or bench.print.exposure_s,
        test.growth_mm,
        test.smallest_mm,
    )
    return dataclasses.replace(bench, tested=kept)


def retested(bench: Bench) -> Bench:
    """The bench with the newest kept test that was made just so; with the test it has where there is none."""
    fitting = [bench_of for test in _kept() if not differs_from_test(bench_of := tested_bench(bench, test))]
    newest = max(fitting, key=lambda b: b.tested.date if b.tested is not None else "", default=bench)
    return bench if newest.tested == bench.tested else newest


def _kept() -> list[ExposureTest]:
    """The user's own exposure tests that can be read."""
    kept = []
    for path in sorted((user_folder() / "exposure").glob("*.toml")):
        with contextlib.suppress(BadBench, OSError):
            now = path.stat()
            kept.append(_read(path, now.st_mtime_ns, now.st_size))
    return kept


@lru_cache(maxsize=256)
def _read(path: Path, _changed_ns: int, _size: int) -> ExposureTest:
    """An exposure test, read anew only once its file has changed: each change of a bench asks for all of them."""
    return cast(ExposureTest, load_file("exposure", path))


def differs_from_test(bench: Bench) -> tuple[str, ...]:
    """What of a bench is not as it was tested, in words; nothing where all is, or where it never was."""
    of = bench.tested
    if of is None:
        return ()
    others = [
        f"another {what}"
        for what, tested, now in (
            ("printer", of.printer, bench.printer.name),
            ("resin", of.resin, bench.resin.name),
            ("film", of.film, bench.film.name),
        )
        if tested != now
    ]
    off = bench.print.vat_c - of.vat_c
    if abs(off) > AS_WARM_C:
        others.append(f"{abs(off):.0f} °C {'warmer' if off > 0 else 'colder'}")
    return tuple(others)


def tested_text(bench: Bench) -> str:
    """`tested 2026-11-20`, `untested`, or what differs from the test."""
    if bench.tested is None:
        return "untested"
    differs = differs_from_test(bench)
    return f"untested: {', '.join(differs)}" if differs else f"tested {bench.tested.date}".rstrip()


def outline_growth_mm(bench: Bench) -> float:
    """How far an outline of normal layers grows outward: as tested, and by b ln(E/E_test) for another exposure; 0 untested."""
    of = bench.tested
    if of is None or of.growth_mm is None or differs_from_test(bench):
        return 0.0
    return of.growth_mm + bench.laws.edge_bleed_mm * math.log(bench.print.exposure_s / of.exposure_s)


def smallest_feature_mm(bench: Bench) -> float | None:
    """The smallest feature that the test showed legible, for this printer and resin; None where none is known."""
    return None if bench.tested is None or differs_from_test(bench) else bench.tested.smallest_mm


def growth_beyond_blur_mm(bench: Bench) -> float:
    """How much farther out [mm] the tested outline was than a blurred straight edge at the test's dose would stand; 0 untested.

    The edge of a wide shape stands where E_w Φ(-x/s) = E_c, x = -s Φ⁻¹(E_c/E_w). What a test measured beyond that is the same for
    every outline.
    """
    of, resin, p = bench.tested, bench.resin, bench.print
    if of is None or of.growth_mm is None or differs_from_test(bench):
        return 0.0
    dose = bench.printer.irradiance_mw_per_cm2 * of.exposure_s * math.exp(-p.layer_height_mm / resin.penetration_depth_mm)
    ratio = dose / critical_exposure(resin, of.vat_c)
    return 0.0 if ratio <= 1 else of.growth_mm + bench.printer.blur_mm * float(ndtri(1 / ratio))
