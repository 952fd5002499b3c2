"""`wide-berth write`: the layers of a saved job for its printer, read back and compared."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

from wideberth.cli.asked import plate_named, saved_job, shown_progress
from wideberth.core.errors import BadJob
from wideberth.core.handover import FirstEdges, convert, converters, write_layers
from wideberth.core.predict import Stages, fine, predict
from wideberth.demo.simulated.stick import Stick, drive_of


def write(
    job: Annotated[Path, typer.Argument(help="a saved job")],
    out: Annotated[Path, typer.Option("--out", "-o", help="the layer package, a .zip; on a stick or a disk")],
    plate: Annotated[str, typer.Option(help="name of the plate; the first one otherwise")] = "",
    grey: Annotated[int, typer.Option(help="grey levels along edges: 0, 2, 4, 8 or 16")] = 0,
    first_edges: Annotated[
        FirstEdges, typer.Option(help="of the part's first layers: drawn in by what they grow, or with a chamfer besides")
    ] = FirstEdges.AS_DRAWN,
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as print.exposure_s=3; repeatable")] = None,
    converter: Annotated[str, typer.Option(help="one of your converters.toml, run on the package when it is written")] = "",
    stick: Annotated[Stick, typer.Option(help="what it is carried to; other than sound ones are simulated")] = Stick.SOUND,
    made: Annotated[Path | None, typer.Option(help="what the converter makes; beside the package otherwise")] = None,
) -> None:
    """Every layer image, compared with the prediction, carried to its place block by block and read back from there."""
    opened = saved_job(job, set_)
    if opened is None:
        raise BadJob("is no saved job.", where=str(job), remedy="Save it in the window, or use `wide-berth propose`.")
    if out.suffix.lower() != ".zip":
        raise BadJob(f"`{out.suffix}` is no ending of a layer package.", where=str(out), remedy="Name it as layers.zip.")
    known = {one.name: one for one in converters()}
    if converter and converter not in known:
        names = ", ".join(known) or "none is there"
        raise BadJob(
            f"no converter is called `{converter}`.", where="--converter", remedy=f"Known: {names}. See docs/formats.md."
        )
    with shown_progress() as progress:
        stages = Stages()
        seen = predict(opened, stages, fine(), progress.part(0.0, 0.4), plate_named(opened, plate))
        write_layers(seen, out, grey, progress.part(0.4, 0.9 if converter else 1.0), drive_of(stick), first_edges)
        console = Console()
        console.print(f"{out}: {seen.loads.layers} layers, written, compared and read back", markup=False, highlight=False)
        if converter:
            target = made or out.with_suffix(known[converter].ending)
            told = convert(known[converter], out, target, progress.part(0.9, 1.0))
            console.print(f"{target}: made by {converter}" + (f"; {told}" if told else ""), markup=False, highlight=False)
