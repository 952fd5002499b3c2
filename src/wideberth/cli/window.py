"""`wide-berth window`: open the window."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer


def window(
    files: Annotated[list[Path] | None, typer.Argument(help="a job, or models; the demo job otherwise")] = None,
) -> None:
    """Open the window with a job or models, or with the demo job."""
    from wideberth.desktop.app import run

    raise typer.Exit(run(files or []))
