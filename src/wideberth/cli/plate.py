"""`wide-berth plate`: models side by side on as few plates as they need, each plate with its own verdict."""

from __future__ import annotations

import json as plain
from dataclasses import asdict, replace
from math import isfinite
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.table import Table

from wideberth.cli.asked import made_folder, saved_job, shown_progress, with_values
from wideberth.core.bench import Bench, load_bench
from wideberth.core.errors import BadJob
from wideberth.core.handover import save_job, write_plate, write_report
from wideberth.core.job import Job, job_of, scaled, taken_in, with_count
from wideberth.core.model import read_models
from wideberth.core.orient import Pose
from wideberth.core.plate import Goal
from wideberth.core.predict import Loss, Prediction, Stages, losses, predict
from wideberth.core.progress import Progress
from wideberth.core.propose import propose_plates, propose_support
from wideberth.core.saving import write_safely

GOALS = {"fewest": Goal.FEWEST, "heights": Goal.HEIGHTS, "middle": Goal.MIDDLE}


def plate(
    models: Annotated[
        list[Path],
        typer.Argument(help="STL, OBJ, PLY or 3MF, or zips of these, each as it is turned in its file; or one saved job"),
    ],
    out: Annotated[Path, typer.Option("--out", "-o", help="folder for the job, and for each plate's meshes and report")],
    bench: Annotated[Path | None, typer.Option(help="TOML file; the standard bench otherwise")] = None,
    scale: Annotated[float, typer.Option(help="factor")] = 1.0,
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as house.apart_mm=4; repeatable")] = None,
    count: Annotated[int, typer.Option(help="prints of each model")] = 1,
    goal: Annotated[
        str, typer.Option(help="fewest: fewest plates; heights: equal heights together; middle: heavy ones in it")
    ] = "fewest",
    support: Annotated[bool, typer.Option(help="raise each model by the bench's gap and propose supports first")] = False,
    json: Annotated[Path | None, typer.Option(help="write plates and places here")] = None,
) -> None:
    """Side by side by their true outlines at all heights, the house's gap between them."""
    if goal not in GOALS:
        raise typer.BadParameter(f"`{goal}` is none of {', '.join(GOALS)}.", param_hint="--goal")
    stages, saved = Stages(), [job for model in models if (job := saved_job(model, set_)) is not None]
    if saved and (len(models) > 1 or bench is not None or scale != 1.0 or count != 1 or support):
        raise BadJob(
            "is a saved job, and placed as it is saved.",
            where=saved[0].title,
            remedy="Give it alone; only --set changes its bench.",
        )
    job = saved[0] if saved else _taken_in(models, with_values(load_bench(bench), set_), scale, support)
    made_folder(out)
    with shown_progress() as progress:
        for number, part in enumerate(job.parts):
            if support:
                share = progress.part(0.3 * number / len(job.parts), 0.3 * (number + 1) / len(job.parts))
                job = propose_support(job, part.id, stages, share).job
            job = job if saved else with_count(job, part.id, count, (0.0, 0.0), 0.0)
        made = propose_plates(job, stages, GOALS[goal], progress.part(0.3, 0.5))
        told, plates = [], made.job.plates
        for number, p in enumerate(plates):
            share = progress.part(0.5 + 0.4 * number / len(plates), 0.5 + 0.4 * (number + 1) / len(plates))
            told.append(_written(made.job, p.id, out / f"plate-{number + 1}", stages, share))
        save_job(made.job, out / "job.3mf", stages, progress.part(0.9, 1.0))
    console = Console()
    console.print(made.why, markup=False, highlight=False)
    console.print(_table(told))
    if json is not None:
        write_safely(json, plain.dumps({"plates": told}, indent=1, ensure_ascii=False).encode())


def _taken_in(models: list[Path], bench: Bench, scale: float, raised: bool) -> Job:
    """A job of all models in some files, on the plate or raised over it."""
    pose = Pose(gap_mm=bench.supports.gap_mm if raised else 0.0)
    parts = [replace(scaled(taken_in(source), scale), pose=pose) for model in models for source in read_models(model)]
    return job_of(models[0].stem if len(models) == 1 else f"{len(models)} models", bench, parts)


def _written(job: Job, id: str, path: Path, stages: Stages, progress: Progress) -> dict[str, Any]:
    """Predict a plate, write its meshes and its report beside each other; what is told of it."""
    seen = predict(job, stages, None, progress.part(0.0, 0.6), id)
    write_plate(seen, path.with_suffix(".3mf"), stages, progress.part(0.6, 1.0))
    write_report(seen, path.with_suffix(".json"))
    return _told(seen, path.name) | {"if_lost": [_lost(loss) for loss in losses(seen, stages)]}


def _lost(loss: Loss) -> dict[str, Any]:
    margin = round(loss.margin, 3) if isfinite(loss.margin) else None
    return asdict(loss) | {"margin": margin, "reached": [asdict(r) for r in loss.reached]}


def _told(seen: Prediction, name: str) -> dict[str, Any]:
    v = seen.verdict
    prints = [
        {
            "name": s.placed.name,
            "x_mm": s.placed.placement.x_mm,
            "y_mm": s.placed.placement.y_mm,
            "turn_deg": s.placed.placement.turn_deg,
            "mirrored": s.placed.placement.mirrored,
            "low_mm": [round(float(x), 3) for x in s.low],
            "high_mm": [round(float(x), 3) for x in s.high],
        }
        for s in seen.solids
    ]
    return {
        "plate": name,
        "prints": prints,
        "hold_margin": v.hold_margin,
        "plate_margin": v.plate_margin,
        "pull_n": v.pull_n,
        "hours": v.totals.seconds / 3600,
        "resin_ml": v.totals.resin_ml,
        "findings": [f"{f.severity}: {f.message}" for f in v.findings],
    }


def _table(told: list[dict[str, Any]]) -> Table:
    table = Table(box=None)
    for head in ("plate", "prints", "tips hold ×", "plate holds ×", "pull N", "hours", "resin mL", "findings"):
        table.add_column(head, justify="left" if head == "plate" else "right", no_wrap=True)
    for t in told:
        margins = ("–" if t[key] is None else f"{t[key]:.1f}" for key in ("hold_margin", "plate_margin"))
        figures = (f"{t['pull_n']:.1f}", f"{t['hours']:.1f}", f"{t['resin_ml']:.1f}", str(len(t["findings"])))
        table.add_row(t["plate"], str(len(t["prints"])), *margins, *figures)
    return table
