"""`wide-berth health`: what is wrong with a mesh, and mending it."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

from wideberth.core.bench import load_bench
from wideberth.core.job import Part, advised_mends, taken_in, with_mend
from wideberth.core.model import Health, Mend, Source, binary_stl, read_models, wall_flaws
from wideberth.core.predict import Stages, detail_of
from wideberth.core.saving import write_safely

SIGNS = {"broken": "◆", "serious": "◇", "note": "·"}


def health(
    model: Annotated[Path, typer.Argument(help="STL, OBJ, PLY, 3MF, or a zip of them")],
    mend: Annotated[Path | None, typer.Option(help="carry out the advised repairs and write the result here, as STL")] = None,
    rebuild: Annotated[bool, typer.Option(help="rebuild as one closed solid through rays")] = False,
    spacing: Annotated[float, typer.Option(help="of a rebuild's nodes, mm; 0 for one that fits")] = 0.0,
    bench: Annotated[Path | None, typer.Option(help="TOML file; the standard bench otherwise")] = None,
) -> None:
    """Look a model over in plain words, and mend it if asked; every repair says what it changed."""
    in_use = load_bench(bench)
    sources = read_models(model)
    stages = Stages()
    for number, source in enumerate(sources):
        part = taken_in(source)
        seen = stages.health(part)
        _print(source, part, seen, stages)
        for flaw in wall_flaws(stages.thickness(part), detail_of(in_use)):
            _say(f"{SIGNS[flaw.severity]} {flaw.message}")
        if mend is None and not rebuild:
            continue
        mends = () if rebuild else advised_mends(seen)
        if rebuild or (not mends and not seen.solid):
            mends = (Mend("rebuild", spacing),)
        for one in mends:
            part = with_mend(part, one)
        mesh, reports = stages.mended(part)
        for report in reports:
            _say(f"mended: {report.text}")
        after = stages.health(part.unsupported())
        _say("now a closed solid" if after.solid else "still no closed solid: try --rebuild")
        if mend is not None:
            path = mend if len(sources) == 1 else mend.with_stem(f"{mend.stem}-{number + 1}")
            write_safely(path, binary_stl(mesh))
            _say(f"written to {path}")


def _print(source: Source, part: Part, seen: Health, stages: Stages) -> None:
    x, y, z = stages.scaled(part).extents_mm
    state = "a closed solid" if seen.solid else "no closed solid"
    _say(f"{source.name}: {source.mesh.triangles:,} triangles, {x:.2f} × {y:.2f} × {z:.2f} mm, {state}")
    for note in source.notes:
        _say(f"· {note}")
    for flaw in seen.flaws:
        _say(f"{SIGNS[flaw.severity]} {flaw.message}")


def _say(text: str) -> None:
    Console().print(text, markup=False, highlight=False, soft_wrap=True)
