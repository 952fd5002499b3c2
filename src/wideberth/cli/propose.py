"""`wide-berth propose`: the whole chain with sensible proposals, written to a folder."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

from wideberth.cli.asked import made_folder, shown_progress, with_marks
from wideberth.cli.summary import print_summary
from wideberth.core.bench import load_bench
from wideberth.core.errors import WideBerthError
from wideberth.core.handover import save_job, write_html, write_layers, write_pdf, write_plate, write_report
from wideberth.core.job import job_of, scaled, taken_in
from wideberth.core.model import MarkKind, read_models
from wideberth.core.predict import Prediction, Stages, look_closer, predict
from wideberth.core.progress import Progress
from wideberth.core.propose import propose_all


def propose(
    model: Annotated[Path, typer.Argument(help="STL, OBJ, PLY or 3MF")],
    out: Annotated[Path, typer.Option("--out", "-o", help="folder for the plate, the layers and the report")],
    bench: Annotated[Path | None, typer.Option(help="TOML file; the standard bench otherwise")] = None,
    scale: Annotated[float, typer.Option(help="factor; 25.4 for inches")] = 1.0,
    grey: Annotated[int, typer.Option(help="grey levels along edges: 0, 2, 4, 8 or 16")] = 0,
    clean: Annotated[list[str] | None, typer.Option(help="side that stays clean, as front:60; repeatable")] = None,
    hidden: Annotated[list[str] | None, typer.Option(help="side that nobody sees, as bottom:30; repeatable")] = None,
    layers: Annotated[bool, typer.Option(help="write the layer images")] = True,
    apart: Annotated[bool, typer.Option(help="supports in an STL of their own, plate-supports.stl")] = False,
) -> None:
    """Orient, hollow if it pays, drain, support, place; then write plate, layers, job, report and sheets."""
    in_use = load_bench(bench)
    sources = read_models(model)
    stages = Stages()
    asked = {MarkKind.KEEP_CLEAN: clean, MarkKind.HIDDEN: hidden}
    parts = [with_marks(scaled(taken_in(source), scale), stages, asked) for source in sources]
    job = job_of(model.stem, in_use, parts)
    made_folder(out)
    console = Console()
    with shown_progress() as progress:
        job, taken = propose_all(job, stages, progress.part(0, 0.4))
        prediction = look_closer(predict(job, stages, None, progress.part(0.4, 0.5)), stages, progress.part(0.5, 0.6))
        notes, failure = _written(prediction, stages, out, (grey, layers, apart), progress.part(0.6, 1.0))
    for proposal in taken:
        if proposal.unsolved:
            console.print(proposal.why, style="bold", markup=False, highlight=False)
        else:
            console.print(f"{proposal.step}: {proposal.why}", markup=False, highlight=False)
    print_summary(prediction)
    for note in notes:
        console.print(f"note: {note}", markup=False)
    console.print(f"written to {out}", markup=False)
    if failure is not None:
        raise failure


def _written(
    prediction: Prediction, stages: Stages, out: Path, asked: tuple[int, bool, bool], progress: Progress
) -> tuple[list[str], WideBerthError | None]:
    """Write all that can be written; returns notes, and the first thing that could not be. asked : grey levels, whether layers,
    whether supports apart."""
    grey, layers, apart = asked
    job = prediction.job
    notes: list[str] = []
    failure: WideBerthError | None = None
    writers: list[tuple[float, Callable[[Progress], object]]] = [
        (0.1, lambda p: notes.extend(write_plate(prediction, out / "plate.3mf", stages, p))),
        (0.2, lambda p: write_plate(prediction, out / "plate.stl", stages, p, apart)),
        (0.3, lambda p: save_job(job, out / "job.3mf", stages, p)),
        (0.32, lambda p: write_report(prediction, out / "report.json")),
        (0.36, lambda p: write_html(prediction, out / "sheet.html")),
        (0.4, lambda p: write_pdf(prediction, out / "sheet.pdf")),
    ]
    if layers:
        writers.append((1.0, lambda p: write_layers(prediction, out / "layers.zip", grey, p)))
    begin = 0.0
    for end, write in writers:
        try:
            write(progress.part(begin, end))
        except WideBerthError as error:
            failure = failure or error
        begin = end
    return notes, failure
