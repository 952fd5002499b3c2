"""The job sheet as a PDF. Its library is slow to load, so this file is only imported when one is written."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Flowable, Image, PageBreak, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from wideberth.core.plan import Phase
from wideberth.fonts import font_path

INK, HAZARD, FAINT, RULE = (HexColor(c) for c in ("#22374F", "#A8195F", "#5E6A73", "#DDD5B8"))
BODY = ParagraphStyle("body", fontName="Sheet", fontSize=9.5, leading=12.5, textColor=INK)
SMALL = ParagraphStyle("small", parent=BODY, fontSize=8.5, leading=11, textColor=FAINT)
HEAD = ParagraphStyle("head", parent=BODY, fontName="Sheet-Medium", fontSize=13, leading=17, spaceBefore=9, keepWithNext=1)
SUBHEAD = ParagraphStyle("subhead", parent=HEAD, fontSize=11, leading=14, spaceBefore=5)
TITLE = ParagraphStyle("title", parent=HEAD, fontSize=20, leading=25)
BIG = ParagraphStyle("big", parent=BODY, fontName="Sheet-Medium", fontSize=14, leading=17)
WARN = ParagraphStyle("warn", parent=BIG, textColor=HAZARD)
ALL = (0, 0), (-1, -1)
FLUSH = [("VALIGN", *ALL, "TOP"), ("LEFTPADDING", *ALL, 0)]
RULED = [*FLUSH, ("LINEBELOW", *ALL, 0.4, RULE), ("TOPPADDING", *ALL, 2), ("BOTTOMPADDING", *ALL, 3)]
IN_A_ROW = 4
"""Figures beside each other."""


def pdf_sheet(content: dict[str, Any], pictures: dict[str, bytes]) -> bytes:
    """The sheet as a PDF of A4 pages, from its content and its pictures (PNG): front, back, layer, log, and apart if there are
    pieces."""
    register_faces()
    c = content
    story: list[Any] = [said(c["title"], TITLE), said(c["subtitle"], SMALL), Spacer(1, 6), said(c["verdict"], BIG)]
    story += [Spacer(1, 6), _figures(c["figures"])]
    story += [table([[_picture(pictures["front"], 86), _picture(pictures["back"], 86)]], 89, 89)]
    story += [said("Height log", HEAD), table([[_picture(pictures["log"], 110), _picture(pictures["layer"], 62)]], 114, 64)]
    parts = [[x["name"], x["size"], x["shell"], f"{x['holes']} holes", f"{x['tips']} tips"] for x in c["parts"]]
    story += [said("Parts", HEAD), table([[said(text) for text in row] for row in parts], 50, 45, 42, 20, 20)]
    findings = [
        [Sign(f["severity"]), said(f["severity"]), said(f"{f['z_mm']:.2f} mm"), [said(f["message"]), said(f["remedy"], SMALL)]]
        for f in c["findings"]
    ]
    story += [said("Findings", HEAD), table(findings, 6, 19, 20, 132) if findings else said("None.")]
    story += [said("Coming off the plate", HEAD), *(said(line) for line in c["coming_off"])]
    if c["supports_off"]:
        story += [said("Supports off", HEAD), *(said(line) for line in c["supports_off"])]
    if c["assembly"]:
        story += [said("Putting the pieces together", HEAD), *([_picture(pictures["apart"], 86)] if "apart" in pictures else [])]
        story += [said(line) for line in c["assembly"]]
    story += [said("Drip, wash, cure", HEAD), table([[said(a), said(b)] for a, b in c["after"]], 34, 143)]
    times = [[said(name), said(when), said(told, SMALL)] for name, when, told in c["moments"]]
    story += [said("Times", HEAD), said(f"{c['says'][0].upper()}{c['says'][1:]}."), table(times, 34, 66, 77)]
    settings = [[said(words), said(amount), said(source, SMALL)] for words, amount, source in c["settings"]]
    story += [said("Settings", HEAD), table(settings, 70, 40, 67)]
    story += [said("Cautions", HEAD), table([[said(a), said(b)] for a, b in c["cautions"]], 34, 143)]
    story += [said("Checklist", HEAD), *_checks(c["checklist"])]
    if c["quote"]:
        rows = [[said(cell) for cell in row[:4]] + [said(row[4], SMALL)] for row in c["quote"]["rows"]]
        story += [
            PageBreak(),
            said(f"{c['quote']['head']}, {c['quote']['currency']}".rstrip(", "), HEAD),
            table(rows, 30, 26, 22, 28, 71),
        ]
        story += [Spacer(1, 4), said(c["quote"]["total"], BIG if c["quote"]["complete"] else WARN)]
    story += [Spacer(1, 4), said(c["defers"]), said(f"{c['honest']} Data sheet: {c['sheet']}.", SMALL)]
    return built(story, f"{c['title']}, job sheet")


class Sign(Flowable):  # type: ignore[misc]
    """The chart's sign of a severity: a filled diamond, a hollow one, a dot."""

    def __init__(self, severity: str) -> None:
        super().__init__()
        self.severity, self.width, self.height = severity, 9, 9

    def draw(self) -> None:
        """Draw it."""
        pen = self.canv
        pen.setStrokeColor(HAZARD)
        pen.setFillColor(HAZARD)
        if self.severity == "note":
            pen.circle(4, 3, 2, stroke=0, fill=1)
            return
        diamond = pen.beginPath()
        diamond.moveTo(4, 7)
        for x, y in ((8, 3), (4, -1), (0, 3)):
            diamond.lineTo(x, y)
        diamond.close()
        pen.drawPath(diamond, stroke=1, fill=int(self.severity == "lost"))


class Box(Flowable):  # type: ignore[misc]
    """A ring to tick."""

    def __init__(self) -> None:
        super().__init__()
        self.width = self.height = 9

    def draw(self) -> None:
        """Draw it."""
        self.canv.setStrokeColor(INK)
        self.canv.circle(4, 3, 3.4, stroke=1, fill=0)


def _checks(phases: Sequence[Phase]) -> list[Any]:
    """Lists to tick, each with its cautions."""
    story: list[Any] = []
    for phase in phases:
        rows = []
        for item in phase.items:
            minutes = "" if item.timer_min is None else f"{item.timer_min:.0f} min"
            cautions = [said(f"{item.caution}. {item.caution_text}", SMALL)] if item.caution else []
            rows.append([Box(), [said(item.text), *cautions], said(minutes)])
        story += [said(phase.name, SUBHEAD), table(rows, 7, 150, 20)]
    return story


def register_faces() -> None:
    """Make the sheet's typefaces known to the library."""
    for face, name in (("regular", "Sheet"), ("italic", "Sheet-Italic"), ("medium", "Sheet-Medium")):
        pdfmetrics.registerFont(TTFont(name, str(font_path(face))))


def said(text: str, style: ParagraphStyle = BODY) -> Paragraph:
    """A text as it is, whatever stands in it; with signs that the sheet's face has."""
    return Paragraph(text.replace("&", "&amp;").replace("<", "&lt;").replace("◆", "●").replace("◇", "○"), style)


def _picture(png: bytes, wide_mm: float) -> Image:
    across, down = ImageReader(io.BytesIO(png)).getSize()
    return Image(io.BytesIO(png), wide_mm * mm, wide_mm * mm * down / across)


def table(rows: list[list[Any]], *wide_mm: float) -> Table:
    """A ruled table with columns of so many millimetres."""
    return Table(rows, colWidths=[w * mm for w in wide_mm], style=TableStyle(RULED))


def _figures(figures: list[Any]) -> Table:
    """The figures that decide, large."""
    cells: list[Any] = [[said(f.value, WARN if f.mark else BIG), said(f.label, SMALL)] for f in figures]
    cells += [""] * (-len(cells) % IN_A_ROW)
    rows = [cells[i : i + IN_A_ROW] for i in range(0, len(cells), IN_A_ROW)]
    return Table(rows, colWidths=[44 * mm] * IN_A_ROW, style=TableStyle(FLUSH))


def built(story: list[Any], title: str) -> bytes:
    """The pages of a story."""
    out = io.BytesIO()
    side, end = 14 * mm, 15 * mm
    page = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=side, rightMargin=side, topMargin=end, bottomMargin=end, title=title, author="Wide Berth"
    )
    page.build(story)
    return out.getvalue()
