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
FIGURES = ("hold_margin", "plate_margin", "suction_n", "trapped_ml", "support_ml", "seconds")
SKIN_MM = 0.1
"""Resin that clung to everything then, however long it dripped."""
NEW = (
    *("face_on_plate", "face_raised", "mark_forbidden", "sheet_breaks", "hard_to_scrape", "rest_short", "bath_spent"),
    *("limb_in_part", "tips_together", "tip_too_fine", "no_way_for_snips"),
)
"""Findings that were not made then, or by another rule."""
SLACK = 50.0
"""A tip with more margin than this hardly bears: how little depends on its neighbours' posts. Then a post that several tips
share was taken as thick as any, however stout it was."""
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
    assert seen.loads.pull_n.max() == pytest.approx(said["pull_n"], rel=2e-3)
    wetted = v.care.wetted_mm2 + seen.loads.area_mm2[0]
    skin_ml = wetted * SKIN_MM / 1000
    assert v.totals.part_ml + v.totals.support_ml + skin_ml == pytest.approx(said["resin_ml"], rel=2e-3)
    assert (len(v.tips), len(v.holes), seen.loads.layers) == (said["tips"], said["holes"], said["layers"])
    margins, were = np.array(sorted(t.margin for t in v.tips if np.isfinite(t.margin))), np.array(said["tip_margins"])
    assert (margins >= were * np.where(were > SLACK, 0.9, 0.995) - 2e-4).all()
    assert (now["hold_margin"] or 0) >= (said["hold_margin"] or 0) * 0.998
    had = [(code, s) for code, s, _ in said["findings"] if code not in (*SOFT, *NEW)]
    assert sorted((f.code, f.severity) for f in v.findings if f.code not in (*SOFT, *NEW)) == sorted(had)
    assert {f.code for f in v.findings} - set(NEW) <= {code for code, _, _ in said["findings"]}
