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
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Image, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from wideberth.core.handover.cautions import CAUTIONS, DEFERS, HONEST
from wideberth.core.handover.pictures import front_view, layer_view, log_view
from wideberth.core.job import Prediction
from wideberth.core.saving import write_safely
from wideberth.core.units import duration_text
from wideberth.fonts import font_path

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
        mark = "lost" if v.hold_margin < 1.5 else ""
        figures.append(Figure(f"×{v.hold_margin:.1f}", f"weakest hold, {tip}at {v.hold_z_mm:.1f} mm", mark))
    if v.plate_margin is not None:
        mark = "lost" if v.plate_margin < 1.5 else ""
        figures.append(Figure(f"×{v.plate_margin:.1f}", f"plate, at {v.plate_z_mm:.1f} mm", mark))
    figures += [
        Figure(f"{v.pull_n:.1f} N", f"greatest pull, at {v.pull_z_mm:.1f} mm"),
        Figure(f"{v.suction_n:.1f} N", f"greatest suction, at {v.suction_z_mm:.1f} mm"),
        Figure(f"{v.trapped_ml:.1f} mL", "trapped when done", "lost" if v.trapped_ml > 0.05 else ""),
        Figure(duration_text(t.seconds), f"{duration_text(t.seconds_low)} to {duration_text(t.seconds_high)}"),
        Figure(f"{t.resin_ml:.1f} mL", f"resin, {t.support_ml:.1f} mL of it supports"),
        Figure("not priced", "resin has no price")
        if t.price is None
        else Figure(f"{t.price:.2f} {t.currency}", "resin at its price per litre"),
    ]
    return figures


def _content(prediction: Prediction) -> dict[str, Any]:
    bench = prediction.job.bench
    values = {b.key: b for b in bench.values()}
    parts = []
    for index, part in enumerate(prediction.job.parts):
        solid = prediction.solids_of(index)
        x, y, z = solid.outer.extents_mm
        side = f" ({part.side})" if part.side else ""
        parts.append({
            "name": part.name + side + (f" × {part.count}" if part.count > 1 else ""), "size": f"{x:.1f} × {y:.1f} × {z:.1f} mm",
            "shell": _shell_text(part.shell.wall_mm, len(solid.chambers)) if part.shell else "solid",
            "holes": f"{len(part.holes)}", "tips": f"{len(part.tips)}",
        })  # fmt: skip
    findings = [
        {"severity": f.severity, "sign": SIGNS[f.severity], "z_mm": f.z_mm, "message": f.message, "remedy": f.remedy}
        for f in prediction.verdict.findings
    ]
    return {
        "title": prediction.job.title,
        "subtitle": f"{bench.printer.name} · {bench.resin.name} · {prediction.layer_mm:g} mm layers, "
                    f"{prediction.loads.layers} of them · vat at {bench.print.vat_c:g} °C",
        "figures": headline(prediction), "parts": parts, "findings": findings,
        "settings": [values[k] for k in SETTINGS], "cautions": CAUTIONS, "defers": DEFERS, "honest": HONEST,
        "sheet": bench.resin.sheet,
    }  # fmt: skip


def _shell_text(wall_mm: float, chambers: int) -> str:
    return f"{wall_mm:g} mm, {chambers} chamber{'s' if chambers != 1 else ''}"


def _worst_layer(prediction: Prediction) -> int:
    return int(np.argmax(prediction.loads.pull_n))


def _png(picture: PilImage.Image) -> bytes:
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def write_html(prediction: Prediction, path: Path) -> None:
    """Write the job sheet as one HTML file with its pictures inside."""
    template = (resources.files("wideberth.core.handover") / "sheet.html").read_text(encoding="utf-8")

    def inline(picture: PilImage.Image) -> str:
        return base64.b64encode(_png(picture)).decode()

    text = Environment(autoescape=True).from_string(template).render(
        **_content(prediction), front=inline(front_view(prediction)), log=inline(log_view(prediction)),
        layer=inline(layer_view(prediction, _worst_layer(prediction))),
    )  # fmt: skip
    write_safely(path, text.encode())


def write_pdf(prediction: Prediction, path: Path) -> None:
    """Write the job sheet as a PDF of A4 pages."""
    for face, name in (("regular", "Sheet"), ("italic", "Sheet-Italic"), ("medium", "Sheet-Medium")):
        pdfmetrics.registerFont(TTFont(name, str(font_path(face))))
    c = _content(prediction)
    ink, hazard, faint = HexColor("#22374F"), HexColor("#A8195F"), HexColor("#5E6A73")
    body = ParagraphStyle("body", fontName="Sheet", fontSize=9.5, leading=12.5, textColor=ink)
    small = ParagraphStyle("small", parent=body, fontSize=8.5, leading=11, textColor=faint)
    head = ParagraphStyle("head", parent=body, fontName="Sheet-Medium", fontSize=13, leading=17, spaceBefore=9)
    title = ParagraphStyle("title", parent=head, fontSize=20, leading=25)
    big = ParagraphStyle("big", parent=body, fontName="Sheet-Medium", fontSize=14, leading=17)
    warn = ParagraphStyle("warn", parent=big, textColor=hazard)
    rule = TableStyle([
        ("LINEBELOW", (0, 0), (-1, -1), 0.4, HexColor("#DDD5B8")), ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LEFTPADDING", (0, 0), (-1, -1), 0), ("TOPPADDING", (0, 0), (-1, -1), 2), ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
    ])  # fmt: skip

    def p(text: str, style: ParagraphStyle = body) -> Paragraph:
        safe = text.replace("&", "&amp;").replace("<", "&lt;").replace("◆", "●").replace("◇", "○")
        return Paragraph(safe, style)

    def picture(image: PilImage.Image, wide: float) -> Image:
        return Image(io.BytesIO(_png(image)), wide, wide * image.height / image.width)

    cells: list[Any] = [[p(f.value, warn if f.mark else big), p(f.label, small)] for f in c["figures"]]
    rows = [cells[i : i + 4] for i in range(0, len(cells), 4)]
    rows = [row + [""] * (4 - len(row)) for row in rows]
    story: list[Any] = [p(c["title"], title), p(c["subtitle"], small), Spacer(1, 6)]
    story.append(
        Table(
            rows,
            colWidths=[44 * mm] * 4,
            style=TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)]),
        )
    )
    views = [
        [picture(front_view(prediction), 86 * mm), picture(layer_view(prediction, _worst_layer(prediction)), 86 * mm)]
    ]
    story += [
        Table(views, colWidths=[89 * mm] * 2, style=rule),
        p("Height log", head),
        picture(log_view(prediction), 150 * mm),
    ]
    story.append(p("Parts", head))
    story.append(
        Table(
            [
                [p(x["name"]), p(x["size"]), p(x["shell"]), p(f"{x['holes']} holes"), p(f"{x['tips']} tips")]
                for x in c["parts"]
            ],
            colWidths=[50 * mm, 45 * mm, 42 * mm, 20 * mm, 20 * mm],
            style=rule,
        )
    )
    story.append(p("Findings", head))
    found = [[p(f"{f['sign']} {f['severity']}"), p(f"{f['z_mm']:.2f} mm"), [p(f["message"]), p(f["remedy"], small)]]
             for f in c["findings"]]  # fmt: skip
    story.append(Table(found, colWidths=[24 * mm, 20 * mm, 133 * mm], style=rule) if found else p("None."))
    story.append(p("Settings", head))
    story.append(Table([[p(s.key), p(f"{s.value} {s.unit}"), p(s.source, small)] for s in c["settings"]],
                       colWidths=[70 * mm, 40 * mm, 67 * mm], style=rule))  # fmt: skip
    story.append(p("Cautions", head))
    story.append(Table([[p(a), p(b)] for a, b in c["cautions"]], colWidths=[34 * mm, 143 * mm], style=rule))
    story += [Spacer(1, 4), p(c["defers"]), p(f"{c['honest']} Data sheet: {c['sheet']}.", small)]
    out = io.BytesIO()
    SimpleDocTemplate(out, pagesize=A4, leftMargin=14 * mm, rightMargin=14 * mm, topMargin=15 * mm, bottomMargin=15 * mm,
                      title=f"{c['title']}, job sheet", author="Wide Berth").build(story)  # fmt: skip
    write_safely(path, out.getvalue())
