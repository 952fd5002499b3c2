"""Findings of the part's own necks: sections that alone hold what hangs beyond them."""

from __future__ import annotations

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.layers import Printed
from wideberth.core.loads import Loads
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding
from wideberth.core.verdict.table import severity_of, told

MOST = 12
LEAST_MPA = 1e-3
NECKS_APART_MM = 3.0
PIXELS_THAT_SHOW = 2.0
"""Less than so many pixels may show or not."""
ROWS_THAT_SHOW = 2.0


def weak_necks(printed: Printed, loads: Loads, bench: Bench) -> dict[int, float]:
    """Margins of the weakest neck of each stretch of heights that deserves a word, the weakest first, by component."""
    part, grid = printed.part_sections, printed.all.grid
    if part.count == 0:
        return {}
    apart = NECKS_APART_MM / grid.layer_mm
    shows = max(PIXELS_THAT_SHOW * bench.printer.pixel_x_mm * bench.printer.pixel_y_mm, (ROWS_THAT_SHOW * grid.pitch_mm) ** 2)
    stress = np.where(part.area_mm2 >= shows, loads.necks.stress_n_per_mm2, 0.0)
    weak: dict[int, float] = {}
    for c in np.argsort(-stress / np.maximum(loads.neck_strength_n_per_mm2, LEAST_MPA))[: MOST * 50]:
        margin = float(loads.neck_strength_n_per_mm2[c]) / max(float(stress[c]), 1e-12)
        if severity_of(Code.NECK, margin, bench.house) is None or len(weak) == MOST:
            break
        if all(abs(int(part.layer[c]) - int(part.layer[other])) >= apart for other in weak):
            weak[int(c)] = margin
    return weak


def neck_findings(printed: Printed, loads: Loads, bench: Bench) -> list[Finding]:
    """The weakest neck of each stretch of heights, when its margin deserves a word."""
    part, grid, necks, findings = printed.part_sections, printed.all.grid, loads.necks, []
    for c, margin in weak_necks(printed, loads, bench).items():
        z, peeling = float(grid.z_of(int(part.layer[c]))), float(grid.z_of(int(necks.peeling[c])))
        force, moment = float(necks.pull_n[c]), float(necks.moment_nmm[c])
        stress, strength = float(necks.stress_n_per_mm2[c]), float(loads.neck_strength_n_per_mm2[c])
        holds = (
            f"{stress:.1f} of {strength:.1f} MPa, margin ×{margin:.2f}."
            if margin > 0.1
            else f"over ten times what {strength:.1f} MPa hold."
        )
        message = (
            f"A neck of {part.area_mm2[c]:.2f} mm² at {z:.2f} mm alone holds what hangs beyond it: at {peeling:.2f} mm it "
            f"carries {force:.2f} N and {moment:.1f} N·mm, {holds}"
        )
        findings += told(Code.NECK, bench.house, message, z, figure=margin, x_mm=float(part.x_mm[c]), y_mm=float(part.y_mm[c]))
    return findings
