"""A quote as a PDF of A4 pages. Its library is slow to load, so this file is only imported when one is written."""

from __future__ import annotations

from datetime import date
from typing import Any

from reportlab.platypus import Spacer

from wideberth.core.bench import Trade
from wideberth.core.handover.quote_file import quote_rows, sum_text, total_text
from wideberth.core.handover.sheet_pdf import BIG, HEAD, SMALL, TITLE, WARN, built, register_faces, said, table
from wideberth.core.plan import Quote


def pdf_quote(quotes: list[Quote], trade: Trade) -> bytes:
    """Quotes of one job for several counts: the first line by line, the others by their totals."""
    register_faces()
    first = quotes[0]
    sender = [line for line in (trade.sender, trade.street, trade.town, trade.contact) if line]
    story: list[Any] = [said(line, SMALL) for line in sender]
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
