"""The report as plain data: what `wide-berth check --json` writes. Its shape is kept stable; see docs/formats.md."""

from __future__ import annotations

import dataclasses
import json
import math
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import tested_text
from wideberth.core.layers import union
from wideberth.core.loads import Failure, Pushed, Removal, Snap
from wideberth.core.predict import Prediction
from wideberth.core.saving import write_safely
from wideberth.core.units import MM3_PER_ML
from wideberth.core.verdict import CupRecord, Finding, HoleRecord, Totals

FORMAT = "wide-berth check"
VERSION = 1
NARROW_SOLVED = "the model's own narrow ways are solved as creeping flow between wide voids of 5 mm and more"
NARROW_OPEN = "the model's own narrow gaps count as open ways for liquid; only drilled holes are solved"


def report(prediction: Prediction) -> dict[str, Any]:
    """Everything predicted, ready for JSON: no NaN, no infinity, plain lists."""
    v, loads = prediction.verdict, prediction.loads
    return {
        "format": FORMAT,
        "version": VERSION,
        "model": _model(prediction),
        "bench": {b.key: {"value": b.value, "unit": b.unit, "source": b.source} for b in prediction.job.bench.values()},
        "tested": tested_text(prediction.job.bench),
        "layers": _layers(prediction),
        "islands": [_picked(i, "layer", "z_mm", "x_mm", "y_mm", "area_mm2", "supported") for i in v.islands],
        "cups": [_cup(c) for c in v.cups],
        "traps": [
            _picked(t, "z_from_mm", "z_to_mm") | {"volume_ml": _round(t.volume_mm3 / MM3_PER_ML, 6)}
            for t in v.traps
            if not t.shut_by_supports
        ],
        "tips": _tips(prediction),
        "totals": _totals(v.totals),
        "influences": [
            {"key": i.key, "low": i.low, "high": i.high} | _picked(i, "hold_low", "hold_high", "plate_low", "plate_high")
            for i in loads.ranges.influences
        ],
        "failure": None if loads.failure is None else _failure(loads.failure),
        "posts": _posts(loads.posts),
        "holes": [_hole(h) for h in v.holes],
        "drainage": _drainage(prediction),
        "coming_off": [_removal(r) for r in v.removals],
        "first_light": None if v.first_light is None else _whole(v.first_light),
        "after": _whole(v.care),
        "finishing_min": _plain(v.finishing_min),
        "marks": [_whole(m) for m in v.marks or ()],
        "findings": [_finding(f) for f in v.findings],
    }


def _model(prediction: Prediction) -> dict[str, Any]:
    sources = [part.source for part in {s.placed.part.id: s.placed.part for s in prediction.solids}.values()]
    low = np.min([s.box_mm[0] for s in prediction.solids], axis=0)
    high = np.max([s.box_mm[1] for s in prediction.solids], axis=0)
    solved = prediction.printed.narrow or not prediction.printed.may_be_narrow
    return {
        "triangles": sum(s.mesh.triangles for s in sources),
        "watertight": all(s.mesh.watertight for s in sources),
        "volume_ml": _round(_outer_mm3(prediction) / MM3_PER_ML, 6),
        "extents_mm": [_round(float(x)) for x in high - low],
        "notes": [note for s in sources for note in s.notes] + [NARROW_SOLVED if solved else NARROW_OPEN],
    }


def _layers(prediction: Prediction) -> dict[str, Any]:
    loads = prediction.loads
    return {
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
    }


def _tips(prediction: Prediction) -> list[dict[str, Any]]:
    """Every tip with its place, its size as drawn and as printed, why it is there, what it holds and how surely, and on what."""
    v = prediction.verdict
    marks = {(m.part, m.contact): m for m in v.marks or () if m.contact}
    figures = ("x_mm", "y_mm", "z_mm", "diameter_mm", "printed_mm", "strength_mpa", "margin", "worst_layer")
    told, order = [], {s.tip: number for number, s in enumerate(v.snaps)}
    for n, t in enumerate(v.tips):
        need, mark = prediction.need_of(n), marks.get((t.part, t.contact))
        on = {} if mark is None else {"surface": mark.surface, "marked": mark.marked, "finishing_min": _round(mark.minutes)}
        why = {"id": t.contact, "load_n": _round(t.worst_load_n), "reason": need.short, "why": need.words}
        off = {} if n not in order else _snap(v.snaps[order[n]]) | {"comes_off": order[n] + 1}
        told.append(_picked(t, *figures) | why | on | off)
    return told


def _snap(s: Snap) -> dict[str, Any]:
    return _picked(s, "breaks_n", "neck_mm2", "neck_z_mm", "neck_n") | {"free_sides": s.sides}


def _cup(c: CupRecord) -> dict[str, Any]:
    told = _picked(c, "cup", "state", "z_from_mm", "z_to_mm", "max_area_mm2", "peak_suction_n", "vents", "narrow_kpa")
    return told | {"volume_ml": _round(c.volume_ml, 6)}


def _totals(t: Totals) -> dict[str, Any]:
    price = float(f"{t.price:.6g}") if t.price is not None else None
    return _picked(t, "resin_ml", "part_ml", "support_ml", "clinging_ml", "stays_ml") | {
        "seconds": _round(t.seconds, 1),
        "price": price,
    }


def _failure(failure: Failure) -> dict[str, Any]:
    told = _picked(failure, "tip", "layer", "expected", "rest_margin", "lost_layer")
    return told | {"others": [tip for tip, _ in failure.others]}


def _posts(posts: Pushed) -> list[dict[str, Any]]:
    figures = zip(posts.tips, posts.push_n, posts.length_mm, posts.diameter_mm, posts.margin, strict=True)
    return [
        {
            "tips": list(tips),
            "push_n": _round(push),
            "length_mm": _round(length),
            "diameter_mm": _round(thick),
            "margin": _round(margin),
        }
        for tips, push, length, thick, margin in figures
    ]


def _hole(h: HoleRecord) -> dict[str, Any]:
    return _picked(h, "part", "number", "id", "z_mm", "sealed_below_mm") | {
        "relieves_from_mm": _plain(h.from_mm),
        "sealed_n": _round(h.before_n),
        "vented_n": _round(h.after_n),
    }


def _drainage(prediction: Prediction) -> list[dict[str, Any]]:
    order = list(dict.fromkeys(s.placed.part.id for s in prediction.solids))
    return [
        {
            "part": order.index(d.part),
            "hanging_ml": _round(d.hanging.stays_ml),
            "side_ml": _round(d.side.stays_ml),
            "best_ml": _round(d.best.stays_ml),
            "best_down": [_round(x) for x in d.best.down],
            "shut_ml": _round(d.best.shut_ml),
            "seconds": _round(d.seconds, 1),
            "dark_share": _plain(d.lit.dark_share if d.lit is not None else None),
            "thinnest_wall_mm": _plain(d.wall.thinnest_mm if d.wall is not None else None),
            "chambers": [
                _picked(c, "volume_ml", "widest_mm") | {"ways": [_picked(w, "to", "hole", "width_mm") for w in c.ways]}
                for c in d.cells.chambers
            ],
        }
        for d in prediction.drainage
    ]


def _removal(body: Removal) -> dict[str, Any]:
    return _whole(body) | _picked(body, "neck_breaks", "sheet_breaks")


def _finding(f: Finding) -> dict[str, Any]:
    told = _picked(f, "code", "severity", "z_mm", "message", "remedy")
    return told | {"spots": [[_round(v) for v in spot] for spot in f.spots]}


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


def _plain(value: Any) -> Any:
    """A rounded number; what is none stays as it is."""
    return _round(value) if isinstance(value, float) else value


def _picked(thing: object, *names: str) -> dict[str, Any]:
    """Some fields of a thing by their names."""
    return {name: _plain(getattr(thing, name)) for name in names}


def _whole(record: Any) -> dict[str, Any]:
    """All fields of a flat record."""
    return _picked(record, *(f.name for f in dataclasses.fields(record)))


def _list(values: NDArray[np.float64]) -> list[float | None]:
    return [_round(float(x), 6) for x in values]
