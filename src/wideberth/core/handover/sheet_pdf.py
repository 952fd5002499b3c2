"""The job sheet as a PDF. Its library is slow to load, so this file is only imported when one is written."""

from __future__ import annotations

import io
from typing import Any

from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Image, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from wideberth.fonts import font_path


def pdf_sheet(content: dict[str, Any], front: bytes, layer: bytes, log: bytes) -> bytes:
    """The sheet as a PDF of A4 pages, from its content and its three pictures (PNG)."""
    for face, name in (("regular", "Sheet"), ("italic", "Sheet-Italic"), ("medium", "Sheet-Medium")):
        pdfmetrics.registerFont(TTFont(name, str(font_path(face))))
    c = content
    ink, hazard, faint = HexColor("#22374F"), HexColor("#A8195F"), HexColor("#5E6A73")
    body = ParagraphStyle("body", fontName="Sheet", fontSize=9.5, leading=12.5, textColor=ink)
    small = ParagraphStyle("small", parent=body, fontSize=8.5, leading=11, textColor=faint)
    head = ParagraphStyle("head", parent=body, fontName="Sheet-Medium", fontSize=13, leading=17, spaceBefore=9)
    title = ParagraphStyle("title", parent=head, fontSize=20, leading=25)
    big = ParagraphStyle("big", parent=body, fontName="Sheet-Medium", fontSize=14, leading=17)
    warn = ParagraphStyle("warn", parent=big, textColor=hazard)
    rule = TableStyle(
        [
            ("LINEBELOW", (0, 0), (-1, -1), 0.4, HexColor("#DDD5B8")),
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LEFTPADDING", (0, 0), (-1, -1), 0),
            ("TOPPADDING", (0, 0), (-1, -1), 2),
            ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
        ]
    )

    def p(text: str, style: ParagraphStyle = body) -> Paragraph:
        safe = text.replace("&", "&amp;").replace("<", "&lt;").replace("◆", "●").replace("◇", "○")
        return Paragraph(safe, style)

    def picture(png: bytes, wide: float) -> Image:
        across, down = ImageReader(io.BytesIO(png)).getSize()
        return Image(io.BytesIO(png), wide, wide * down / across)

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
    views = [[picture(front, 86 * mm), picture(layer, 86 * mm)]]
    story += [Table(views, colWidths=[89 * mm] * 2, style=rule), p("Height log", head), picture(log, 150 * mm)]
    story.append(p("Parts", head))
    story.append(
        Table(
            [[p(x["name"]), p(x["size"]), p(x["shell"]), p(f"{x['holes']} holes"), p(f"{x['tips']} tips")] for x in c["parts"]],
            colWidths=[50 * mm, 45 * mm, 42 * mm, 20 * mm, 20 * mm],
            style=rule,
        )
    )
    story.append(p("Findings", head))
    findings = [
        [p(f"{f['sign']} {f['severity']}"), p(f"{f['z_mm']:.2f} mm"), [p(f["message"]), p(f["remedy"], small)]]
        for f in c["findings"]
    ]
    story.append(Table(findings, colWidths=[24 * mm, 20 * mm, 133 * mm], style=rule) if findings else p("None."))
    story.append(p("Settings", head))
    story.append(
        Table(
            [[p(s.key), p(f"{s.value} {s.unit}"), p(s.source, small)] for s in c["settings"]],
            colWidths=[70 * mm, 40 * mm, 67 * mm],
            style=rule,
        )
    )
    story.append(p("Cautions", head))
    story.append(Table([[p(a), p(b)] for a, b in c["cautions"]], colWidths=[34 * mm, 143 * mm], style=rule))
    story += [Spacer(1, 4), p(c["defers"]), p(f"{c['honest']} Data sheet: {c['sheet']}.", small)]
    out = io.BytesIO()
    SimpleDocTemplate(
        out,
        pagesize=A4,
        leftMargin=14 * mm,
        rightMargin=14 * mm,
        topMargin=15 * mm,
        bottomMargin=15 * mm,
        title=f"{c['title']}, job sheet",
        author="Wide Berth",
    ).build(story)
    return out.getvalue()
