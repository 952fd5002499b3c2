"""The report as plain data: what `wide-berth check --json` writes. Its shape is kept stable; see docs/formats.md."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers import union
from wideberth.core.predict import Prediction
from wideberth.core.saving import write_safely
from wideberth.core.units import MM3_PER_ML

FORMAT = "wide-berth check"
VERSION = 1


def report(prediction: Prediction) -> dict[str, Any]:
    """Everything predicted, ready for JSON: no NaN, no infinity, plain lists."""
    v, loads = prediction.verdict, prediction.loads
    parts = {s.placed.part.id: s.placed.part for s in prediction.solids}
    sources, order = [part.source for part in parts.values()], list(parts)
    low = np.min([s.box_mm[0] for s in prediction.solids], axis=0)
    high = np.max([s.box_mm[1] for s in prediction.solids], axis=0)
    narrow = (
        "the model's own narrow ways are solved as creeping flow between wide voids of 5 mm and more"
        if prediction.printed.narrow or not prediction.printed.may_be_narrow
        else "the model's own narrow gaps count as open ways for liquid; only drilled holes are solved"
    )
    t = v.totals
    return {
        "format": FORMAT,
        "version": VERSION,
        "model": {
            "triangles": sum(s.mesh.triangles for s in sources),
            "watertight": all(s.mesh.watertight for s in sources),
            "volume_ml": _round(_outer_mm3(prediction) / MM3_PER_ML, 6),
            "extents_mm": [_round(float(x), 4) for x in high - low],
            "notes": [note for s in sources for note in s.notes] + [narrow],
        },
        "bench": {b.key: {"value": b.value, "unit": b.unit, "source": b.source} for b in prediction.job.bench.values()},
        "layers": {
            "height_mm": prediction.layer_mm,
            "count": loads.layers,
            "area_mm2": _list(loads.area_mm2),
            "perimeter_mm": _list(loads.perimeter_mm),
            "squeeze_mm4": _list(loads.squeeze_mm4),
            "components": [int(n) for n in loads.components],
            "peel_n": _list(loads.peel_n),
            "suction_n": _list(loads.suction_n),
            "hold_margin": _list(loads.hold_margin),
            "plate_margin": _list(loads.plate_margin),
            "hold_margin_low": _list(loads.ranges.hold_low),
            "hold_margin_high": _list(loads.ranges.hold_high),
            "plate_margin_low": _list(loads.ranges.plate_low),
            "plate_margin_high": _list(loads.ranges.plate_high),
            "seconds": _list(loads.seconds),
        },
        "islands": [
            {
                "layer": i.layer,
                "z_mm": _round(i.z_mm),
                "x_mm": _round(i.x_mm),
                "y_mm": _round(i.y_mm),
                "area_mm2": _round(i.area_mm2),
                "supported": i.supported,
            }
            for i in v.islands
        ],
        "cups": [
            {
                "cup": c.cup,
                "state": c.state,
                "z_from_mm": _round(c.z_from_mm),
                "z_to_mm": _round(c.z_to_mm),
                "max_area_mm2": _round(c.max_area_mm2),
                "volume_ml": _round(c.volume_ml, 6),
                "peak_suction_n": _round(c.peak_suction_n),
                "vents": c.vents,
                "narrow_kpa": _round(c.narrow_kpa),
            }
            for c in v.cups
        ],
        "traps": [
            {"z_from_mm": _round(t.z_from_mm), "z_to_mm": _round(t.z_to_mm), "volume_ml": _round(t.volume_mm3 / 1000, 6)}
            for t in v.traps
            if not t.shut_by_supports
        ],
        "tips": [
            {
                "x_mm": _round(t.x_mm),
                "y_mm": _round(t.y_mm),
                "z_mm": _round(t.z_mm),
                "diameter_mm": _round(t.diameter_mm),
                "margin": _round(t.margin),
                "worst_layer": t.worst_layer,
                "id": t.contact,
                "why": prediction.need_of(n).words,
            }
            for n, t in enumerate(v.tips)
        ],
        "totals": {
            "resin_ml": _round(t.resin_ml),
            "part_ml": _round(t.part_ml),
            "support_ml": _round(t.support_ml),
            "seconds": _round(t.seconds, 1),
            "price": float(f"{t.price:.6g}") if t.price is not None else None,
        },
        "influences": [
            {
                "key": i.key,
                "low": i.low,
                "high": i.high,
                "hold_low": _known(i.hold_low),
                "hold_high": _known(i.hold_high),
                "plate_low": _known(i.plate_low),
                "plate_high": _known(i.plate_high),
            }
            for i in loads.ranges.influences
        ],
        "failure": None
        if loads.failure is None
        else {
            "tip": loads.failure.tip,
            "layer": loads.failure.layer,
            "expected": loads.failure.expected,
            "others": [tip for tip, _ in loads.failure.others],
            "rest_margin": _round(loads.failure.rest_margin),
            "lost_layer": loads.failure.lost_layer,
        },
        "posts": [
            {
                "tips": list(tips),
                "push_n": _round(push),
                "length_mm": _round(length),
                "diameter_mm": _round(thick),
                "margin": _round(margin),
            }
            for tips, push, length, thick, margin in zip(
                loads.posts.tips,
                loads.posts.push_n,
                loads.posts.length_mm,
                loads.posts.diameter_mm,
                loads.posts.margin,
                strict=True,
            )
        ],
        "holes": [
            {
                "part": h.part,
                "number": h.number,
                "id": h.id,
                "z_mm": _round(h.z_mm),
                "relieves_from_mm": _known(h.from_mm),
                "sealed_below_mm": _round(h.sealed_below_mm),
                "sealed_n": _round(h.before_n),
                "vented_n": _round(h.after_n),
            }
            for h in v.holes
        ],
        "drainage": [
            {
                "part": order.index(d.part),
                "hanging_ml": _round(d.hanging.stays_ml),
                "side_ml": _round(d.side.stays_ml),
                "best_ml": _round(d.best.stays_ml),
                "best_down": [_round(x) for x in d.best.down],
                "shut_ml": _round(d.best.shut_ml),
                "seconds": _round(d.seconds, 1),
                "dark_share": _known(d.lit.dark_share if d.lit is not None else None),
                "thinnest_wall_mm": _known(d.wall.thinnest_mm if d.wall is not None else None),
                "chambers": [
                    {
                        "volume_ml": _round(c.volume_ml),
                        "widest_mm": _round(c.widest_mm),
                        "ways": [{"to": w.to, "hole": w.hole, "width_mm": _round(w.width_mm)} for w in c.ways],
                    }
                    for c in d.cells.chambers
                ],
            }
            for d in prediction.drainage
        ],
        "findings": [
            {
                "code": f.code,
                "severity": f.severity,
                "z_mm": _round(f.z_mm),
                "message": f.message,
                "remedy": f.remedy,
                "spots": [[_round(v) for v in spot] for spot in f.spots],
            }
            for f in v.findings
        ],
    }


def _outer_mm3(prediction: Prediction) -> float:
    """Volume within the outer surfaces, by the same rows as all other volumes: shells and holes filled."""
    printed = prediction.printed
    solid = printed.part_plugged if printed.cavities is None else union(printed.part_plugged, printed.cavities)
    return solid.volume_mm3


def write_report(prediction: Prediction, path: Path) -> None:
    """Write the report as JSON; see `report`."""
    text = json.dumps(report(prediction), ensure_ascii=False, allow_nan=False, indent=1)
    write_safely(path, text.encode())


def _round(value: float, digits: int = 4) -> float | None:
    """A rounded plain number, or None for what is no number."""
    return round(float(value), digits) if math.isfinite(value) else None


def _known(value: float | None) -> float | None:
    return None if value is None else _round(value)


def _list(values: NDArray[np.float64]) -> list[float | None]:
    return [_round(float(x), 6) for x in values]
