"""Jobs that former versions of the program saved, and what these predicted of each."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from wideberth.core.job import open_job
from wideberth.core.predict import Stages, look_closer, predict

FOLDER = Path(__file__).parents[1] / "saved" / "v1"
SAID = json.loads((FOLDER / "verdicts.json").read_text(encoding="utf-8"))
FIGURES = ("hold_margin", "plate_margin", "pull_n", "suction_n", "trapped_ml", "resin_ml", "support_ml", "seconds")


SOFT = ("tip_margin", "neck", "post_buckles", "sags", "curls", "ceiling_sags", "unsteady")
"""Findings of what gives way: these became fewer since what was printed is known to set on."""


def assert_opens_as_it_was(name: str) -> None:
    """A job of version 1 opens, as it is; and at the reference dose, in sharp light, it has the verdict that it had.

    Pulls, plate, suction, resin and time are the same. Then nothing had set on by the light of later layers: so every tip's
    margin is now what it was or more, and what was said of tips, necks and undersides may not be said any more.
    """
    said, stages = SAID[name], Stages()
    opened = open_job(FOLDER / f"{name}.3mf")
    dose = opened.bench.print.exposure_s * opened.bench.printer.irradiance_mw_per_cm2
    bench = opened.bench
    for key, value in (
        ("resin.reference_energy_mj_per_cm2", dose),
        ("resin.reference_layer_mm", bench.print.layer_height_mm),
        ("printer.blur_mm", 0.0),
    ):
        bench = bench.with_value(key, value)
    seen = look_closer(predict(replace(opened, bench=bench), stages), stages)
    v = seen.verdict
    now = {key: getattr(v, key, None) if hasattr(v, key) else getattr(v.totals, key) for key in FIGURES}
    for key in FIGURES[1:]:
        assert now[key] == pytest.approx(said[key], rel=2e-3, abs=1e-6), key
    assert (len(v.tips), len(v.holes), seen.loads.layers) == (said["tips"], said["holes"], said["layers"])
    margins = sorted(t.margin for t in v.tips if np.isfinite(t.margin))
    assert (np.array(margins) >= np.array(said["tip_margins"]) * 0.995 - 2e-4).all()
    assert (now["hold_margin"] or 0) >= (said["hold_margin"] or 0) * 0.998
    had = [(code, s) for code, s, _ in said["findings"] if code not in SOFT]
    assert sorted((f.code, f.severity) for f in v.findings if f.code not in SOFT) == sorted(had)
    assert {f.code for f in v.findings} <= {code for code, _, _ in said["findings"]}
