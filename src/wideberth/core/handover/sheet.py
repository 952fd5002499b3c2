"""The job sheet, in HTML and PDF: pictures, numbers, findings and cautions."""

from __future__ import annotations

import base64
import io
from dataclasses import dataclass
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np
from jinja2 import Environment
from PIL import Image as PilImage

from wideberth.core.bench import BenchValue, facts_of, number_text, tested_text
from wideberth.core.handover.assembly import apart_view
from wideberth.core.handover.pictures import front_view, layer_view, log_view
from wideberth.core.handover.quote_file import quote_rows, total_text
from wideberth.core.job import assembly_lines
from wideberth.core.plan import (
    CAUTIONS,
    DEFERS,
    HONEST,
    ROUGH,
    checklist_of,
    moments,
    quote_of,
    says_text,
    usage_of,
)  # fmt: skip
from wideberth.core.predict import Prediction
from wideberth.core.saving import write_safely
from wideberth.core.units import duration_range_text, duration_text, money_text
from wideberth.core.verdict import by_margin, care_lines, coming_off_lines, counted, first_light_text, taking_off_lines

SIGNS = {"lost": "◆", "doubtful": "◇", "note": "•"}
SETTINGS = (
    "print.layer_height_mm", "print.exposure_s", "print.first_layers", "print.first_exposure_s", "print.lift_mm",
    "print.lift_mm_per_min", "print.second_lift_mm", "print.return_mm_per_min", "print.wait_before_s", "print.vat_c",
    "resin.viscosity_pa_s", "resin.green_strength_mpa", "film.line_adhesion_n_per_mm", "film.viscous_pull_n_per_mm2",
    "laws.seal_kpa", "laws.plate_adhesion_n_per_mm2",
)  # fmt: skip


@dataclass(frozen=True)
class Figure:
    """A headline figure with its label; `mark` is a severity or empty."""

    value: str
    label: str
    mark: str = ""


def headline(prediction: Prediction) -> list[Figure]:
    """The verdict in a row of figures, each with its unit and place."""
    v, t = prediction.verdict, prediction.verdict.totals
    figures = []
    if v.hold_margin is not None:
        tip = f"tip {v.weakest_tip + 1} " if v.weakest_tip is not None else ""
        mark = by_margin(v.hold_margin, prediction.job.bench.house) or ""
        figures.append(Figure(f"×{v.hold_margin:.1f}", f"weakest hold, {tip}at {v.hold_z_mm:.1f} mm", mark))
    if v.plate_margin is not None:
        mark = by_margin(v.plate_margin, prediction.job.bench.house) or ""
        figures.append(Figure(f"×{v.plate_margin:.1f}", f"plate, at {v.plate_z_mm:.1f} mm", mark))
    figures += [
        Figure(f"{v.pull_n:.1f} N", f"the part's greatest pull, at {v.pull_z_mm:.1f} mm; base {v.base_pull_n:.1f} N"),
        Figure(f"{v.suction_n:.1f} N", f"greatest suction, at {v.suction_z_mm:.1f} mm"),
        Figure(f"{v.trapped_ml:.1f} mL", "trapped when done", "lost" if v.trapped_ml > 0.05 else ""),
        Figure(duration_text(t.seconds), duration_range_text(t.seconds_low, t.seconds_high)),
        Figure(f"{t.resin_ml:.1f} mL", f"resin, {t.support_ml:.1f} mL of it supports"),
        Figure("not priced", "resin has no price")
        if t.price is None
        else Figure(money_text(t.price, t.currency), "resin at its price per litre"),
    ]
    return figures


def _content(prediction: Prediction) -> dict[str, Any]:
    bench = prediction.job.bench
    values = {b.key: b for b in bench.values()}
    parts = []
    placed = {s.placed.part.id: s.placed.part for s in prediction.solids}
    for part in placed.values():
        solid, count = prediction.solids_of(part.id), sum(s.placed.part.id == part.id for s in prediction.solids)
        assert solid is not None
        x, y, z = solid.box_mm[1] - solid.box_mm[0]
        side = f" ({part.side})" if part.side else ""
        parts.append(
            {
                "name": part.name + side + (f" × {count}" if count > 1 else ""),
                "size": f"{x:.1f} × {y:.1f} × {z:.1f} mm",
                "shell": _shell_text(part.shell.wall_mm, len(solid.chambers)) if part.shell else "solid",
                "holes": f"{len(part.holes)}",
                "tips": f"{len(part.supports.contacts)}",
            }
        )
    findings = [
        {"severity": f.severity, "sign": SIGNS[f.severity], "z_mm": f.z_mm, "message": f.message, "remedy": f.remedy}
        for f in prediction.verdict.findings
    ]
    return {
        "title": prediction.job.title,
        "subtitle": f"{bench.printer.name} · {bench.resin.name} · {prediction.layer_mm:g} mm layers, "
        f"{prediction.loads.layers} of them · vat at {bench.print.vat_c:g} °C · {tested_text(bench)}",
        "figures": headline(prediction),
        "parts": parts,
        "findings": findings,
        "coming_off": [
            *coming_off_lines(prediction.verdict.removals, prediction.boxes),
            first_light_text(prediction.verdict.first_light, bench),
            ROUGH,
        ],
        "supports_off": _supports_off(prediction),
        "assembly": assembly_lines(prediction.job),
        "after": care_lines(prediction.verdict.care, bench),
        "settings": [_setting(values[k]) for k in SETTINGS],
        "moments": [
            (m.name, f"{duration_range_text(m.low_s, m.high_s)} after the light starts", m.told) for m in moments(prediction)
        ],
        "says": says_text(prediction),
        "checklist": checklist_of(prediction),
        "quote": _quoted(prediction),
        "verdict": verdict_text(prediction),
        "cautions": [(c.head, c.text) for c in CAUTIONS],
        "defers": DEFERS,
        "honest": HONEST,
        "sheet": bench.resin.sheet,
    }


def verdict_text(prediction: Prediction) -> str:
    """Whether it will hold, in a sentence: what would lose it first, what is doubtful first, or the margins."""
    v, house = prediction.verdict, prediction.job.bench.house
    by = {s: [f for f in v.findings if f.severity == s] for s in ("lost", "doubtful")}
    for severity, words in (("lost", "It will be lost as it is"), ("doubtful", "It may fail")):
        if by[severity]:
            more = len(by[severity]) - 1
            rest = f" And {counted(more, 'more finding')} like it." if more else ""
            return f"{words}: {by[severity][0].message}{rest}"
    margins = [(v.hold_margin, "the weakest tip"), (v.plate_margin, "the plate")]
    told = [
        f"{who} can carry {margin:.1f} times its load" for margin, who in margins if margin is not None and np.isfinite(margin)
    ]
    least = min((m for m, _ in margins if m is not None), default=np.inf)
    word = "It should hold" if least >= house.margin_note else "It should hold, with little to spare"
    return f"{word}: {' and '.join(told)}." if told else f"{word}."


def _setting(value: BenchValue) -> tuple[str, str, str]:
    """A bench value in words: what it is, how much, and where it comes from."""
    section, _, key = value.key.partition(".")
    words = {f.key: f.words for f in facts_of(section)}[key]
    amount = number_text(value.value) if isinstance(value.value, float | int) else str(value.value)
    return f"{words[0].upper()}{words[1:]}", f"{amount} {value.unit}".strip(), value.source


def _quoted(prediction: Prediction) -> dict[str, Any] | None:
    """The quote of this plate alone; None where the bench has no prices but the resin's."""
    job = prediction.job
    quote = quote_of(job.title, job.bench, [usage_of(prediction)])
    priced = [line for line in quote.lines if line.sum is not None and line.name != "resin"]
    if not priced:
        return None
    head = "Quote" if len(job.plates) == 1 else f"Quote for {job.plate(prediction.plate).name} alone"
    return {
        "head": head,
        "rows": quote_rows(quote),
        "total": total_text(quote),
        "currency": quote.currency,
        "complete": quote.is_complete,
    }


def _shell_text(wall_mm: float, chambers: int) -> str:
    return f"{wall_mm:g} mm, {chambers} chamber{'s' if chambers != 1 else ''}"


def _worst_layer(prediction: Prediction) -> int:
    return int(np.argmax(prediction.loads.own_pull_n))


def _png(picture: PilImage.Image) -> bytes:
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def _supports_off(prediction: Prediction) -> list[str]:
    """In which order tips come off each print, by its name where there are several."""
    v, lines = prediction.verdict, []
    for solids in prediction.solids:
        mine = [s for s in v.snaps if v.tips[s.tip].part == solids.number]
        whose = f"{solids.placed.name}: " if len(prediction.solids) > 1 else ""
        lines += [whose + line for line in taking_off_lines(mine, prediction.job.bench)]
    return lines


def write_html(prediction: Prediction, path: Path) -> None:
    """Write the job sheet as one HTML file with its pictures inside."""
    template = (resources.files("wideberth.core.handover") / "sheet.html").read_text(encoding="utf-8")

    def inline(picture: PilImage.Image) -> str:
        return base64.b64encode(_png(picture)).decode()

    text = (
        Environment(autoescape=True)
        .from_string(template)
        .render(
            **_content(prediction),
            front=inline(front_view(prediction)),
            back=inline(front_view(prediction, from_behind=True)),
            log=inline(log_view(prediction)),
            layer=inline(layer_view(prediction, _worst_layer(prediction))),
            apart="" if (apart := apart_view(prediction.solids)) is None else inline(apart),
        )
    )
    write_safely(path, text.encode())


def write_pdf(prediction: Prediction, path: Path) -> None:
    """Write the job sheet as a PDF of A4 pages."""
    from wideberth.core.handover.sheet_pdf import pdf_sheet  # its library is slow to load, and a sheet is written last

    apart = apart_view(prediction.solids)
    pictures = {
        "front": front_view(prediction),
        "back": front_view(prediction, from_behind=True),
        "layer": layer_view(prediction, _worst_layer(prediction)),
        "log": log_view(prediction),
    } | ({} if apart is None else {"apart": apart})
    write_safely(path, pdf_sheet(_content(prediction), {name: _png(view) for name, view in pictures.items()}))
