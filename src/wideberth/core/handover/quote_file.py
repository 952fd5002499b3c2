"""Quotes out: as PDF, as a table for spreadsheets, and as a file that keeps a sent quote as it was."""

from __future__ import annotations

import csv
import io
import json
from decimal import Decimal
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from wideberth.core.bench import Trade
from wideberth.core.errors import BadJob
from wideberth.core.plan import Beside, Quote
from wideberth.core.saving import write_safely

FORMAT = "wide-berth quote"
VERSION = 1
MOST_BYTES = 1_000_000
NOT_PRICED = "not priced"
BEGINS_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def amount_text(amount: Decimal, unit: str) -> str:
    """An amount with its unit, without zeros at its end: `0.053 L`, `8.7 %`."""
    plain = f"{amount:f}"
    plain = plain.rstrip("0").rstrip(".") if "." in plain else plain
    return f"{plain} {unit}".strip().replace("-", "−")


def sum_text(amount: Decimal | None, currency: str = "") -> str:
    """A sum to the cent, or that it is not priced."""
    return NOT_PRICED if amount is None else f"{amount:,.2f} {currency}".strip().replace("-", "−")


def quote_rows(quote: Quote) -> list[tuple[str, str, str, str, str]]:
    """Each line as it is shown: name, amount, price, sum, source."""
    rows = []
    for line in quote.all_lines:
        amount = "" if line.unit == "%" and line.sum is None else amount_text(line.amount, line.unit)
        price = "" if line.price is None else sum_text(line.price) if line.unit == "%" else amount_text(line.price, "")
        rows.append((line.name, amount, price, sum_text(line.sum), line.source))
    return rows


def total_text(quote: Quote) -> str:
    """The total in a sentence, which says what it leaves out."""
    text = f"Total {sum_text(quote.total, quote.currency)}"
    if quote.count > 1:
        text += f" for {quote.count} sets, {sum_text(quote.each, quote.currency)} each"
    return text + (f"; incomplete, not priced: {', '.join(quote.missing)}" if quote.missing else "")


def beside_row(way: Beside) -> tuple[str, str, str, str, str]:
    """Total, price of a set, hours, mL and margin of one way to make a job, as they are shown; why not, where it cannot be."""
    if way.quote is None:
        return way.why_not, "", "", "", ""
    total = sum_text(way.quote.total, way.quote.currency) + ("" if way.quote.is_complete else ", incomplete")
    holds = "" if way.hold is None else f"×{way.hold:.1f}"
    return total, sum_text(way.quote.each), f"{way.hours:.1f}", f"{way.resin_ml:.0f}", holds


def quote_csv(quotes: list[Quote]) -> str:
    """Comma-separated values, a line for each line of each quote. No text in it is taken for a formula."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(("title", "sets", "line", "amount", "unit", "price", "sum", "currency", "source"))
    for quote in quotes:
        for line in quote.all_lines:
            price, total = ("" if v is None else str(v) for v in (line.price, line.sum))
            words = (quote.title, line.name, line.unit, quote.currency, line.source)
            title, name, unit, currency, source = (_harmless(w) for w in words)
            writer.writerow((title, quote.count, name, str(line.amount), unit, price, total, currency, source))
        state = "" if quote.is_complete else f"not priced: {', '.join(quote.missing)}"
        writer.writerow(
            (_harmless(quote.title), quote.count, "total", "", "", "", str(quote.total), _harmless(quote.currency), state)
        )
    return text.getvalue()


def _harmless(text: str) -> str:
    return f"'{text}" if text.startswith(BEGINS_FORMULA) else text


def write_quote(quotes: list[Quote], trade: Trade, path: Path) -> None:
    """Write quotes for several counts as PDF, CSV or JSON, by the ending of a path; JSON keeps the first alone.

    Raises
    ------
    BadJob : for another ending. CannotWrite : the old file, if any, is untouched.
    """
    ending = path.suffix.lower()
    if ending == ".csv":
        write_safely(path, quote_csv(quotes).encode())
    elif ending == ".json":
        write_safely(path, json.dumps(_plain(quotes[0]), indent=1, ensure_ascii=False).encode())
    elif ending == ".pdf":
        from wideberth.core.handover.quote_pdf import pdf_quote  # its library is slow to load

        write_safely(path, pdf_quote(quotes, trade))
    else:
        raise BadJob(f"`{path.suffix}` is no format of a quote.", where=path.name, remedy="Use .pdf, .csv or .json.")


def _plain(quote: Quote) -> dict[str, Any]:
    return {"format": FORMAT, "version": VERSION} | TypeAdapter(Quote).dump_python(quote, mode="json")


def read_quote(path: Path) -> Quote:
    """A quote as it was sent.

    Raises
    ------
    BadJob : when the file holds none.
    """
    try:
        entries = json.loads(path.read_text(encoding="utf-8")) if path.stat().st_size <= MOST_BYTES else None
        if isinstance(entries, dict) and entries.pop("format", "") == FORMAT and entries.pop("version", 0) == VERSION:
            quote = TypeAdapter(Quote).validate_python(entries)
            numbers = [n for line in quote.all_lines for n in (line.amount, line.price, line.sum) if n is not None]
            if quote.count >= 1 and all(n.is_finite() for n in numbers):
                return quote
        told = "its format is another"
    except (OSError, ValueError, RecursionError) as error:
        told = str(error).splitlines()[0]
    raise BadJob(f"holds no quote ({told}).", where=str(path), remedy="Take the .json that was written with it.")
