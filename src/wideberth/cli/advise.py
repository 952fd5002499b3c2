"""`wide-berth advise`: what would save a saved job, one change at a time."""

from __future__ import annotations

import json as plain
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console

from wideberth.cli.asked import saved_job, shown_progress
from wideberth.core.errors import BadJob
from wideberth.core.predict import Stages
from wideberth.core.propose import NONE_HELPS, Advice, advise
from wideberth.core.saving import write_safely


def advise_command(
    job: Annotated[Path, typer.Argument(help="a saved job")],
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as print.exposure_s=3; repeatable")] = None,
    json: Annotated[Path | None, typer.Option(help="write the advice here")] = None,
) -> None:
    """Single changes that would make a job hold better, each predicted anew, the best first."""
    opened = saved_job(job, set_)
    if opened is None:
        raise BadJob("is no saved job.", where=str(job), remedy="Save it in the window, or use `wide-berth check`.")
    with shown_progress() as progress:
        given = advise(opened, Stages(), progress)
    console = Console()
    for one in given:
        console.print(told(one), markup=False, highlight=False)
    if not given:
        console.print(NONE_HELPS)
    if json is not None:
        write_safely(json, plain.dumps({"format": "wide-berth advise", "advice": [_plain(a) for a in given]}, indent=1).encode())


def told(one: Advice) -> str:
    """Advice in a line."""
    return f"×{one.was:.2f} → ×{one.weakest:.2f}  {one.label}" + (f"  ({one.price})" if one.price else "")


def _plain(one: Advice) -> dict[str, Any]:
    key, value = one.change or (None, None)
    return {
        "label": one.label,
        "key": key,
        "value": value,
        "margin_before": round(one.was, 4),
        "margin_after": round(one.weakest, 4),
        "hold_margin": one.hold,
        "plate_margin": one.plate,
        "seconds": round(one.seconds, 1),
        "resin_ml": round(one.resin_ml, 3),
        "marks_mm2": round(one.marks_mm2, 3),
        "saves": one.saves,
    }
