"""`wide-berth shelf`: bottles and vats, as they are kept."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.table import Table

from wideberth.core.shelf import Shelf, ShelfFile, as_json


def shelf_command(
    json: Annotated[bool, typer.Option("--json", help="as JSON on standard output")] = False,
    file: Annotated[Path | None, typer.Option(help="the shelf; your own otherwise")] = None,
) -> None:
    """Bottles on the shelf with what is left, and what is in each vat."""
    shelf, console = ShelfFile(file).read(), Console()
    if json:
        typer.echo(as_json(shelf))
        return
    if shelf.bottles:
        console.print(_bottles(shelf))
    else:
        console.print("No bottle stands on the shelf yet: put one there in the window, under Plan, Vat.")
    for vat in shelf.vats:
        told = "empty" if vat.is_empty else f"{vat.ml:.0f} mL of {vat.resin}, {vat.used_share:.0%} used"
        console.print(f"{vat.printer}: {told}", markup=False, highlight=False, soft_wrap=True)


def _bottles(shelf: Shelf) -> Table:
    table = Table(box=None)
    for head in ("resin", "lot", "opened", "left mL", "of mL", "used"):
        table.add_column(head, justify="right" if "mL" in head or head == "used" else "left")
    for b in shelf.bottles:
        opened = "shut" if b.opened is None else b.opened.isoformat()
        table.add_row(b.resin, b.lot, opened, f"{b.left_ml:.0f}", f"{b.full_ml:.0f}", f"{b.used_share:.0%}")
    return table
