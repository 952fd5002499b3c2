"""A quote as a PDF of A4 pages. Its library is slow to load, so this file is only imported when one is written."""

from __future__ import annotations

from datetime import date
from typing import Any

from PIL import Image as Picture
from PIL import UnidentifiedImageError
from reportlab.lib.units import mm
from reportlab.platypus import Image, Spacer

from wideberth.core.bench import Trade, user_folder
from wideberth.core.errors import BadBench
from wideberth.core.handover.quote_file import quote_rows, sum_text, total_text
from wideberth.core.handover.sheet_pdf import BIG, HEAD, SMALL, TITLE, WARN, built, register_faces, said, table
from wideberth.core.plan import Quote

LOGO, LOGO_MM = "logo.png", (60.0, 16.0)
"""A picture in the user's own folder, beside the bench's; never named by a bench or a job, which others may have written."""
MOST_BYTES, MOST_PIXELS = 4_000_000, 4000


def _logo() -> list[Any]:
    """The sender's logo over the quote, if there is one.

    Raises
    ------
    BadBench : when what stands there is no picture, or too large a one.
    """
    path = user_folder().parent / LOGO
    if not path.is_file():
        return []
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ValueError("more than 4 MB")
        with Picture.open(path, formats=("PNG",)) as picture:
            wide, high = picture.size
            if max(wide, high) > MOST_PIXELS:
                raise ValueError(f"more than {MOST_PIXELS} pixels across")
            picture.verify()
    except (OSError, ValueError, SyntaxError, UnidentifiedImageError) as error:
        raise BadBench(
            f"is no PNG for a quote ({error}).", where=str(path), remedy="Put another there, or take it away."
        ) from error
    scale = min(LOGO_MM[0] / wide, LOGO_MM[1] / high)
    return [Image(str(path), wide * scale * mm, high * scale * mm, hAlign="LEFT"), Spacer(1, 6)]


def pdf_quote(quotes: list[Quote], trade: Trade) -> bytes:
    """Quotes of one job for several counts: the first line by line, the others by their totals."""
    register_faces()
    first = quotes[0]
    sender = [line for line in (trade.sender, trade.street, trade.town, trade.contact) if line]
    story: list[Any] = [*_logo(), *(said(line, SMALL) for line in sender)]
    story += [Spacer(1, 8), said(f"Quote: {first.title}", TITLE), said(f"{date.today():%d %B %Y}", SMALL), Spacer(1, 6)]
    heads = ("", "amount", "at", f"sum {first.currency}".strip(), "")
    rows = [[said(head, SMALL) for head in heads]]
    rows += [
        [said(name), said(amount), said(price), said(total), said(source, SMALL)]
        for name, amount, price, total, source in quote_rows(first)
    ]
    story += [table(rows, 30, 26, 22, 28, 71), Spacer(1, 6), said(total_text(first), BIG if first.is_complete else WARN)]
    if len(quotes) > 1:
        each = [
            [said(f"{q.count} sets"), said(sum_text(q.total, q.currency)), said(f"{sum_text(q.each, q.currency)} each")]
            for q in quotes
        ]
        story += [said("By count", HEAD), table(each, 40, 50, 50)]
    return built(story, f"{first.title}, quote")
