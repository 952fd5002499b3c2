"""Pictures for sheets, drawn from the runs: the plate from the front, one layer, and the height log."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from wideberth.core.handover._kernels import paint_over
from wideberth.core.layers import Runs
from wideberth.core.predict import Prediction
from wideberth.fonts import font_path

PAPER, INK, WATER, SAND, HAZARD, FAINT = "#FFFDF6", "#22374F", "#A9CBDA", "#EADBB0", "#A8195F", "#8C8A78"
SCALE = 2


def picture_font(size: int) -> ImageFont.FreeTypeFont:
    """The face of what is printed in pictures, at a size in points."""
    return ImageFont.truetype(str(font_path()), size * SCALE)


def front_view(prediction: Prediction, width: int = 420, height: int = 420, from_behind: bool = False) -> Image.Image:
    """The plate seen along y, or against it from behind: what lies nearest in each column, shaded by its slope; supports in
    ink."""
    part, rest = prediction.printed.part, prediction.printed.supports
    low = np.min([s.low for s in prediction.solids], axis=0)
    high = np.max([s.high for s in prediction.solids], axis=0)
    margin = 24
    pixels_per_mm = min((width - 2 * margin) / (high[0] - low[0]), (height - 2 * margin) / high[2]) * SCALE
    columns = int((high[0] - low[0]) * pixels_per_mm) + 1
    rows = int(high[2] * pixels_per_mm) + 1
    way = -1.0 if from_behind else 1.0
    near_part, near_rest = (_nearest(runs, low[0], pixels_per_mm, columns, rows, way) for runs in (part, rest))
    if from_behind:
        near_part, near_rest = near_part[:, ::-1], near_rest[:, ::-1]
    picture = np.full((rows, columns, 3), (214, 229, 236), np.uint8)
    shade = _shade(near_part, pixels_per_mm)
    solid = np.isfinite(near_part)
    picture[solid] = (np.array([247, 242, 226]) * shade[solid][:, None]).astype(np.uint8)
    posts = np.isfinite(near_rest) & (~solid | (near_rest < near_part))
    picture[posts] = (74, 96, 120)
    sheet = Image.new("RGB", (width * SCALE, height * SCALE), (214, 229, 236))
    drawn = Image.fromarray(np.ascontiguousarray(picture[::-1]))
    left = (width * SCALE - columns) // 2
    sheet.paste(drawn, (left, height * SCALE - margin * SCALE - rows))
    pen = ImageDraw.Draw(sheet)
    ground = height * SCALE - margin * SCALE
    pen.line([(20, ground), (width * SCALE - 20, ground)], fill=INK, width=3)
    size = f"{high[0] - low[0]:.1f} × {high[1] - low[1]:.1f} × {high[2]:.1f} mm"
    pen.text((24, ground + 8), f"{'from behind' if from_behind else 'from the front'} · {size}", INK, picture_font(11))
    return sheet


def _nearest(runs: Runs, x_low: float, pixels_per_mm: float, columns: int, rows: int, way: float) -> NDArray[np.float64]:
    """Least y of the solid at each pixel, or least -y where `way` is -1; inf where there is none."""
    grid = runs.grid
    near = np.full((rows, columns), np.inf)
    if runs.x0.size == 0:
        return near
    ray = runs.row_index()
    y = way * (grid.y0_mm + (ray % grid.rows) * grid.pitch_mm)
    k = ray // grid.rows
    order = np.argsort(-y, kind="stable")
    first = np.clip(((runs.x0 - x_low) * pixels_per_mm).astype(int), 0, columns - 1)[order]
    last = np.clip(((runs.x1 - x_low) * pixels_per_mm).astype(int), 0, columns - 1)[order]
    bottom = np.clip((k * grid.layer_mm * pixels_per_mm).astype(int), 0, rows - 1)[order]
    y = y[order]
    paint_over(bottom, first, last + 1, y, near)
    empty = ~np.isfinite(near).any(axis=1)
    for r in np.flatnonzero(empty):
        if 0 < r < rows - 1:
            near[r] = near[r - 1]
    return near


def _shade(near: NDArray[np.float64], pixels_per_mm: float) -> NDArray[np.float64]:
    """Light from the upper left on a surface given by its distance at each pixel, 0.55 to 1."""
    filled = np.where(np.isfinite(near), near, np.nan)
    with np.errstate(invalid="ignore"):
        dz, dx = np.gradient(filled * pixels_per_mm)
    slope_x, slope_z = np.nan_to_num(dx), np.nan_to_num(dz)
    length = np.sqrt(slope_x**2 + slope_z**2 + 1)
    light = (0.45 * slope_x + 0.35 * slope_z + 0.82) / length
    return np.clip(0.55 + 0.45 * light, 0.55, 1.0)


def layer_view(prediction: Prediction, layer: int, width: int = 420, height: int = 300) -> Image.Image:
    """One layer as it will be exposed, with a scale bar; sand for solid."""
    runs = prediction.printed.all
    grid = runs.grid
    low = np.min([s.low for s in prediction.solids], axis=0)
    high = np.max([s.high for s in prediction.solids], axis=0)
    mm = min((width - 40) / (high[0] - low[0]), (height - 60) / (high[1] - low[1])) * SCALE
    sheet = Image.new("RGB", (width * SCALE, height * SCALE), (214, 229, 236))
    pen = ImageDraw.Draw(sheet)
    left = (width * SCALE - (high[0] - low[0]) * mm) / 2
    top = 36 * SCALE
    for j in range(grid.rows):
        lo, hi = runs.offsets[layer * grid.rows + j], runs.offsets[layer * grid.rows + j + 1]
        y = top + (high[1] - (grid.y0_mm + j * grid.pitch_mm)) * mm
        for i in range(lo, hi):
            a, b = left + (runs.x0[i] - low[0]) * mm, left + (runs.x1[i] - low[0]) * mm
            pen.rectangle([a, y - grid.pitch_mm * mm / 2, b, y + grid.pitch_mm * mm / 2], fill=SAND)
    z = (layer + 0.5) * prediction.layer_mm
    pen.text((16, 10), f"layer {layer} · {z:.2f} mm · {prediction.loads.area_mm2[layer]:.0f} mm²", INK, picture_font(11))
    bar = 10 * mm
    pen.line([(24, height * SCALE - 24), (24 + bar, height * SCALE - 24)], fill=INK, width=4)
    pen.text((30 + bar, height * SCALE - 40), "10 mm", INK, picture_font(10))
    return sheet


def log_view(prediction: Prediction, width: int = 640, height: int = 420) -> Image.Image:
    """The height log: area, pull (peel and suction stacked) and margins over height."""
    loads, v = prediction.loads, prediction.verdict
    sheet = Image.new("RGB", (width * SCALE, height * SCALE), PAPER)
    pen = ImageDraw.Draw(sheet)
    z_top = loads.layers * prediction.layer_mm
    top, bottom = 44 * SCALE, (height - 16) * SCALE
    tracks = [("Area", "mm²", loads.area_mm2, None, SAND), ("Pull", "N", loads.pull_n, loads.peel_n, WATER)]
    left = 52 * SCALE
    span = (width - 60) * SCALE / 3

    def y_of(z: float) -> float:
        return bottom - (bottom - top) * z / max(z_top, 1e-9)

    ys = [y_of((k + 0.5) * prediction.layer_mm) for k in range(loads.layers)]
    for number, (name, unit, values, inner, fill) in enumerate(tracks):
        x = left + number * span
        most = max(float(values.max()), 1e-9)
        wide = span - 14 * SCALE
        pen.text((x, 6 * SCALE), name, INK, picture_font(12))
        pen.text((x, 22 * SCALE), f"{unit}, full width {most:.4g}", FAINT, picture_font(9))
        edge = [(x + wide * float(a) / most, y) for a, y in zip(values, ys, strict=True)]
        pen.polygon([(x, bottom), *edge, (x, top)], fill=HAZARD if inner is not None else fill)
        if inner is not None:
            core = [(x + wide * float(a) / most, y) for a, y in zip(inner, ys, strict=True)]
            pen.polygon([(x, bottom), *core, (x, top)], fill=fill)
        pen.line(edge, fill=INK, width=2)
        pen.rectangle([x, top, x + wide, bottom], outline=FAINT)
    x, wide = left + 2 * span, span - 14 * SCALE
    pen.text((x, 6 * SCALE), "Hold", INK, picture_font(12))
    pen.text((x, 22 * SCALE), "×, 0 to 6; ×1 and ×2 marked", FAINT, picture_font(9))
    pen.rectangle([x, top, x + wide, bottom], outline=FAINT)
    for mark, colour in ((1, HAZARD), (2, INK)):
        pen.line([(x + wide * mark / 6, top), (x + wide * mark / 6, bottom)], fill=colour, width=1)
    for values, colour in ((loads.hold_margin, INK), (loads.plate_margin, FAINT)):
        line = [(x + wide * min(float(m), 6) / 6, y) for m, y in zip(values, ys, strict=True) if np.isfinite(m)]
        if len(line) > 1:
            pen.line(line, fill=colour, width=3)
    step = next(s for s in (1, 2, 5, 10, 20, 50, 100) if z_top / s <= 12 or s == 100)
    for z in np.arange(0, z_top + 1e-6, step):
        pen.text((10 * SCALE, y_of(float(z)) - 7 * SCALE), f"{z:g}", INK, picture_font(10))
        pen.line([(left - 8 * SCALE, y_of(float(z))), (left, y_of(float(z)))], fill=INK, width=1)
    for f in v.findings:
        if f.severity != "note":
            y = y_of(min(f.z_mm, z_top))
            pen.polygon([(left - 7, y), (left, y - 7), (left + 7, y), (left, y + 7)], fill=HAZARD)
    return sheet
