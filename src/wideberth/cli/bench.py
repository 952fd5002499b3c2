"""`wide-berth bench`: every bench value in use, as TOML to copy from."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from wideberth.core.bench import bench_toml, load_bench


def bench_command(bench: Annotated[Path | None, typer.Argument(help="TOML file; the standard bench otherwise")] = None) -> None:
    """Print every value of a bench as TOML."""
    typer.echo(bench_toml(load_bench(bench)))
