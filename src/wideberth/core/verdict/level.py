"""Large flat faces that hang parallel to the plate: all of such a face begins in one layer, and peels there for the first
time."""

from __future__ import annotations

import math
from dataclasses import dataclass

from wideberth.core.bench import Bench
from wideberth.core.loads import Loads
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding
from wideberth.core.verdict.table import told

LEAST_TILT_DEG = 5.0


@dataclass(frozen=True)
class LevelFace:
    """A flat face that hangs parallel to the plate. long_mm : the longer side of the smallest box round it."""

    area_mm2: float
    long_mm: float
    x_mm: float
    y_mm: float
    z_mm: float


def level_findings(level: tuple[LevelFace, ...], loads: Loads, bench: Bench, layer_mm: float) -> list[Finding]:
    """A finding of the largest, with what a tilt would make of it.

    Parameters
    ----------
    level : the largest first. layer_mm : of the layers that the loads are of.

    Notes
    -----
    Tilted by θ along its length L a face of area A begins as strips of A t/(L tan θ), layer by layer, over L sin θ/t layers.
    """
    if not level:
        return []
    face, tilt = level[0], math.radians(max(bench.house.tilt_deg, LEAST_TILT_DEG))
    at = min(int(face.z_mm / layer_mm + 1e-6), loads.layers - 1)
    per_mm2 = float(loads.peel_n[at] / max(float(loads.area_mm2[at]), 1e-9))
    t, rises = bench.print.layer_height_mm, face.long_mm * math.sin(tilt)
    strip = min(face.area_mm2, face.area_mm2 / face.long_mm * t / math.tan(tilt))
    message = (
        f"A flat face of {face.area_mm2:.0f} mm² hangs parallel to the plate at {face.z_mm:.1f} mm: all of it begins in one "
        f"layer, with {per_mm2 * face.area_mm2:.1f} N on fresh resin."
    )
    remedy = (
        f"Tilted by {math.degrees(tilt):.0f}° it would begin over {math.ceil(rises / t)} layers, {strip:.1f} mm² and "
        f"{per_mm2 * strip:.2f} N at a time, and rise by {rises:.0f} mm."
    )
    figure = face.area_mm2 / max(bench.house.face_raised_mm2, 1e-9)
    return told(Code.FACE_RAISED, bench.house, message, face.z_mm, figure=figure, remedy=remedy, x_mm=face.x_mm, y_mm=face.y_mm)
