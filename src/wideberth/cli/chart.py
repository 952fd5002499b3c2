"""`wide-berth chart`: a saved job over one value of its bench."""

from __future__ import annotations

import dataclasses
import json as plain
import math
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import Console
from rich.table import Table

from wideberth.cli.asked import saved_job, shown_progress
from wideberth.core.errors import BadBench, BadJob
from wideberth.core.predict import Stages, fine, predict, preview
from wideberth.core.propose import AXES, Swept, swept
from wideberth.core.saving import write_safely
from wideberth.core.units import duration_text

COLUMNS = ("hold", "plate", "blur_mm", "growth_mm", "effort_n")


def chart(
    job: Annotated[Path, typer.Argument(help="a saved job")],
    over: Annotated[str, typer.Option(help=" / ".join(AXES))] = AXES[0],
    coarse: Annotated[bool, typer.Option("--coarse", help="rows of 0.4 mm, a few seconds")] = False,
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as print.exposure_s=3; repeatable")] = None,
    json: Annotated[Path | None, typer.Option(help="write the chart here")] = None,
) -> None:
    """Margins, blur, growth, effort and hours of a job over exposure, first exposure, lift or temperature."""
    opened = saved_job(job, set_)
    if opened is None:
        raise BadJob("is no saved job.", where=str(job), remedy="Save it in the window first.")
    if over not in AXES:
        raise BadBench(f"`{over}` is not drawn over.", where="--over", remedy=f"Use {', '.join(AXES)}.")
    stages = Stages()
    with shown_progress() as progress:
        seen = predict(opened, stages, preview(opened.bench) if coarse else fine(), progress.part(0, 0.4))
        drawn = swept(seen, over, stages, progress.part(0.4, 1))
    Console().print(_table(drawn))
    if json is not None:
        write_safely(json, plain.dumps({"format": "wide-berth chart"} | _plain(drawn), indent=1).encode())


def _table(drawn: Swept) -> Table:
    table = Table(box=None)
    for head in (drawn.key, "tips ×", "plate ×", "blur mm", "growth mm", "coming off N", "time"):
        table.add_column(head, justify="right")
    for k, value in enumerate(drawn.values):
        sign = " ◂ now" if value == drawn.present else " ◂ best" if value == drawn.best else ""
        figures = [f"{getattr(drawn, name)[k]:.2f}" for name in COLUMNS]
        table.add_row(f"{value:g}", *figures, duration_text(float(drawn.hours[k]) * 3600) + sign)
    return table


def _plain(drawn: Swept) -> dict[str, Any]:
    """All of a chart, ready for JSON: no NaN."""

    def of(value: Any) -> Any:
        if isinstance(value, np.ndarray):
            return [round(float(v), 5) if math.isfinite(v) else None for v in value]
        return list(value) if isinstance(value, tuple) else value

    return {f.name: of(getattr(drawn, f.name)) for f in dataclasses.fields(drawn)}
