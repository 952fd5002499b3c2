"""Jobs that former versions of the program saved, and what these predicted of each."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from wideberth.core.job import open_job
from wideberth.core.predict import Stages, look_closer, predict

FOLDER = Path(__file__).parents[1] / "saved" / "v1"
SAID = json.loads((FOLDER / "verdicts.json").read_text(encoding="utf-8"))
FIGURES = ("hold_margin", "plate_margin", "pull_n", "suction_n", "trapped_ml", "resin_ml", "support_ml", "seconds")


def assert_opens_as_it_was(name: str) -> None:
    """A job of version 1 opens with the verdict that it had."""
    said = SAID[name]
    stages = Stages()
    seen = look_closer(predict(open_job(FOLDER / f"{name}.3mf"), stages), stages)
    v = seen.verdict
    now = {key: getattr(v, key, None) if hasattr(v, key) else getattr(v.totals, key) for key in FIGURES}
    for key in FIGURES:
        assert now[key] == pytest.approx(said[key], rel=2e-3, abs=1e-6), key
    assert (len(v.tips), len(v.holes), seen.loads.layers) == (said["tips"], said["holes"], said["layers"])
    margins = sorted(t.margin for t in v.tips if np.isfinite(t.margin))
    assert margins == pytest.approx(said["tip_margins"], rel=5e-3, abs=2e-4)
    assert sorted((f.code, f.severity) for f in v.findings) == sorted((code, s) for code, s, _ in said["findings"])
