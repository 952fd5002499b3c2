"""`wide-berth orient`: ways up of a model, with what each costs."""

from __future__ import annotations

import dataclasses
import json as plain
import warnings
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import Console
from rich.table import Table
from scipy.spatial.transform import Rotation

from wideberth.cli.asked import shown_progress, with_marks, with_values
from wideberth.core.bench import load_bench
from wideberth.core.errors import BadJob
from wideberth.core.job import job_of, scaled, taken_in
from wideberth.core.model import MarkKind, read_models
from wideberth.core.orient import PoseCost, Poses
from wideberth.core.predict import Stages
from wideberth.core.propose import ways_up
from wideberth.core.saving import write_safely


def orient(
    model: Annotated[Path, typer.Argument(help="STL, OBJ, PLY, 3MF or a zip of these")],
    bench: Annotated[Path | None, typer.Option(help="TOML file; the standard bench otherwise")] = None,
    scale: Annotated[float, typer.Option(help="factor")] = 1.0,
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as house.tilt_deg=30; repeatable")] = None,
    clean: Annotated[list[str] | None, typer.Option(help="side that stays clean, as front:60; repeatable")] = None,
    hidden: Annotated[list[str] | None, typer.Option(help="side that nobody sees, as bottom:30; repeatable")] = None,
    json: Annotated[Path | None, typer.Option(help="write candidates, measures and picks here")] = None,
) -> None:
    """Which way up: hundreds of poses weighed by pull, tips, marks, time; a pick for each thing that may matter."""
    in_use = with_values(load_bench(bench), set_)
    sources = read_models(model)
    if len(sources) != 1:
        raise BadJob(f"holds {len(sources)} models.", where=str(model), remedy="Give one at a time.")
    stages = Stages()
    part = with_marks(scaled(taken_in(sources[0]), scale), stages, {MarkKind.KEEP_CLEAN: clean, MarkKind.HIDDEN: hidden})
    job = job_of(model.stem, in_use, (part,))
    with shown_progress() as progress:
        found = ways_up(job, job.parts[0].id, stages, progress)
    Console().print(_table(found))
    if json is not None:
        write_safely(json, plain.dumps(_plain(found), indent=1).encode())


def _table(found: Poses) -> Table:
    table = Table(box=None)
    for head in ("pick", "rotate", "young N", "peak N", "N a tip", "tips", "min", "hours"):
        table.add_column(head, justify="left" if head in ("pick", "rotate") else "right", no_wrap=True)
    for name, c in [("as it came", found.now), *found.picks.items()]:
        turns = " ".join(f"{v:.0f}" for v in turns_deg(c))
        figures = (f"{c.young_n:.1f}", f"{c.peak_n:.1f}", f"{c.tip_load_n:.2f}", f"{c.tips:.0f}", f"{c.mark_min:.0f}")
        table.add_row(name, turns, *figures, f"{c.hours:.1f}")
    return table


def turns_deg(cost: PoseCost) -> tuple[float, float, float]:
    """Turns about x, y and z of the plate, as `wide-berth check --rotate` takes them."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # where y is a quarter turn, z is taken as nothing
        x, y, z = Rotation.from_matrix(cost.pose.rotation).as_euler("xyz", degrees=True)
    return float(x), float(y), float(z)


def _plain(found: Poses) -> dict[str, Any]:
    def of(cost: PoseCost) -> dict[str, Any]:
        figures = {f.name: getattr(cost, f.name) for f in dataclasses.fields(cost) if f.name != "pose"}
        rounded = {k: round(v, 4) if isinstance(v, float) else v for k, v in figures.items()}
        return {"rotate_deg": [round(v, 3) for v in turns_deg(cost)], "up": np.round(cost.up, 5).tolist()} | rounded

    picks = {name: of(cost) for name, cost in found.picks.items()}
    return {"format": "wide-berth orient", "now": of(found.now), "picks": picks, "candidates": [of(c) for c in found.costs]}
