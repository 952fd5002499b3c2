"""What lies at a spot of a layer, in words."""

from __future__ import annotations

import numpy as np

from wideberth.core.layers import OPEN, STATES, LayerPicture
from wideberth.core.predict import Prediction

NEAR_TIP_MM = 0.6


def told_at(p: Prediction, layer: int, x_mm: float, y_mm: float, picture: LayerPicture) -> str:
    """The tip, component, support or cup at a spot, with its figures."""
    for i, tip in enumerate(p.verdict.tips):
        load = float(p.loads.tip_load_n[layer, i])
        if abs(load) > 1e-9 and np.hypot(tip.x_mm - x_mm, tip.y_mm - y_mm) < max(NEAR_TIP_MM, tip.diameter_mm):
            return tip_text(p, layer, i)
    sections = p.printed.part_sections
    c = sections.component_at(layer, x_mm, y_mm)
    if c >= 0:
        body = int(picture.body_of[c - sections.first[layer]]) + 1
        whole = f"body {body} of {picture.bodies}, " if picture.bodies > 1 else ""
        return (
            f"{whole}{sections.area_mm2[c]:.1f} mm², outline {sections.perimeter_mm[c]:.1f} mm, peels with "
            f"{p.loads.part_peel_n[c]:.2f} N"
        )
    everything = p.printed.sections
    c = everything.component_at(layer, x_mm, y_mm)
    if c >= 0:
        return f"support, {everything.area_mm2[c]:.1f} mm², peels with {p.loads.component_peel_n[c]:.2f} N"
    o = p.printed.openings
    for i in np.flatnonzero((o.layer == layer) & (o.state != OPEN)):
        if np.hypot(o.x_mm[i] - x_mm, o.y_mm[i] - y_mm) < np.sqrt(o.area_mm2[i] / np.pi):
            return cup_text(p, int(i))
    return "resin"


def tip_text(p: Prediction, layer: int, tip: int) -> str:
    """A tip's share and margin in a layer."""
    load, most = float(p.loads.tip_load_n[layer, tip]), float(p.loads.tip_capacity_n[layer, tip])
    if load <= 0:
        return f"tip {tip + 1}, pushed with {-load:.2f} N"
    return f"tip {tip + 1}, {p.verdict.tips[tip].size_text}: {load:.2f} of {most:.2f} N, ×{most / load:.1f}"


def cup_text(p: Prediction, opening: int) -> str:
    """An opening of a cup with its suction."""
    o, drawn = p.printed.openings, p.loads.suction
    state = STATES[int(o.state[opening])]
    return f"{state} cup {o.area_mm2[opening]:.0f} mm² · {drawn.force_n[opening]:.1f} N"
