"""`wide-berth quote`: what a saved job costs, line by line, without writing its layers."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.table import Table

from wideberth.cli.asked import saved_job, shown_progress
from wideberth.core.errors import BadJob
from wideberth.core.handover import beside_row, quote_rows, read_quote, sum_text, total_text, write_quote
from wideberth.core.plan import Beside, Quote, beside, changes, counts_worth_telling, predicted_runs, quote_of, usage_of
from wideberth.core.predict import Stages


def quote(
    job: Annotated[Path, typer.Argument(help="a saved job; all its plates are quoted")],
    count: Annotated[int, typer.Option(min=1, max=100000, help="sets of it")] = 1,
    coarse: Annotated[bool, typer.Option("--coarse", help="rows of 0.4 mm, a few seconds; marks are not looked at")] = False,
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as trade.labour_per_h=38; repeatable")] = None,
    against: Annotated[Path | None, typer.Option(help="a quote that was sent (.json): what differs")] = None,
    beside_: Annotated[bool, typer.Option("--beside", help="also its variants, and every other printer of the bench")] = False,
    out: Annotated[list[Path] | None, typer.Option("--out", "-o", help="write it as .pdf, .csv or .json; repeatable")] = None,
) -> None:
    """Resin, wear, energy, hours and work with their sources; a missing price is named, never zero."""
    opened = saved_job(job, set_)
    if opened is None:
        raise BadJob("is no saved job.", where=str(job), remedy="Save it in the window, or use `wide-berth propose`.")
    sent = read_quote(against) if against is not None else None
    with shown_progress() as progress:
        stages = Stages()
        runs = [usage_of(seen) for seen in predicted_runs(opened, stages, coarse, progress)]
    made = quote_of(opened.title, opened.bench, runs, count)
    others = [quote_of(opened.title, opened.bench, runs, n) for n in counts_worth_telling(opened.bench) if n != count]
    console = Console()
    console.print(_table(made))
    console.print(total_text(made), markup=False, highlight=False, style="bold" if made.is_complete else "")
    for other in others:
        console.print(f"  {total_text(other)}", markup=False, highlight=False)
    if sent is not None:
        for change in changes(sent, made):
            was, now = sum_text(change.was), sum_text(change.now)
            console.print(f"since it was sent: {change.name} {was} → {now}", markup=False, highlight=False)
    if beside_:
        with shown_progress() as progress:
            console.print(_beside(beside(opened, stages, count, coarse, progress)))
    for path in out or []:
        write_quote([made, *others], opened.bench.trade, path)


def _beside(ways: tuple[Beside, ...]) -> Table:
    table = Table(box=None)
    for head in ("state", "printer", "total", "each", "h", "mL", "holds"):
        table.add_column(head, justify="left" if head in ("state", "printer") else "right")
    for way in ways:
        table.add_row(way.name, way.printer, *beside_row(way))
    return table


def _table(made: Quote) -> Table:
    table = Table(box=None)
    for head in ("", "amount", "at", f"sum {made.currency}".strip(), ""):
        table.add_column(head, justify="right" if head else "left", no_wrap=bool(head))
    for row in quote_rows(made):
        table.add_row(*row)
    return table
