"""Tips under a flat underside stand as far apart as the young sheet between them bears by one layer."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import set_down
from wideberth.core.bench import Bench, load_named
from wideberth.core.loads import GRID, plate_sag_mm, spacing_mm
from wideberth.core.support import propose_tips


def test_the_standard_spacing_by_hand(bench: Bench) -> None:
    """0.05 · 400 · 0.25³/(0.06 · 0.016) to the quarter; at the reference dose nothing else counts."""
    assert spacing_mm(bench) == pytest.approx((0.05 * 400 * 0.25**3 / (0.06 * 0.016)) ** 0.25, rel=1e-6)
    assert spacing_mm(bench) == pytest.approx(4.25, abs=0.01)


@pytest.mark.parametrize("key_value", [("print.exposure_s", 3.5), ("print.lift_mm_per_min", 90.0), ("print.vat_c", 21.0)])
def test_a_square_of_tips_so_far_apart_sags_by_one_layer(bench: Bench, key_value: tuple[str, float]) -> None:
    """The verdict's own law at the same pull and stiffness gives one layer back."""
    from wideberth.core.bench import own_ratios, strength_factor, vat_viscosity

    bench = bench.with_value(*key_value)
    apart = spacing_mm(bench)
    plain = replace(bench, print=replace(bench.print, first_layers=0, transition_layers=0))
    stiff = 400 * float(strength_factor(own_ratios(np.array([bench.print.vat_c]), plain), plain)[0])
    pull = 0.016 * (vat_viscosity(bench) / 0.2 * bench.print.lift_mm_per_min / 60) ** 0.6
    pull *= 1 + 0.25 * np.log(4 * bench.print.exposure_s / 10)
    assert 2 < apart < 8
    assert plate_sag_mm(GRID, pull, apart / np.sqrt(2), 0.25, stiff) == pytest.approx(0.05, rel=1e-6)


def test_a_spacing_of_one_s_own_counts_and_thick_layers_stand_farther(bench: Bench) -> None:
    assert spacing_mm(bench.with_value("supports.spacing_mm", 6.5)) == 6.5
    thin, thick = (replace(bench, print=load_named("print", n)) for n in ("single-002", "standard"))
    assert spacing_mm(thin) < spacing_mm(thick)


@pytest.mark.prove
def test_closer_tips_where_the_sheet_is_softer(bench: Bench) -> None:
    slab = set_down(trimesh.creation.box((30, 24, 4)), 5.0)
    stiff, soft = (
        len(propose_tips(slab, bench.with_value("resin.green_modulus_mpa", e)).supports.contacts) for e in (1200.0, 150.0)
    )
    assert soft > 1.5 * stiff
