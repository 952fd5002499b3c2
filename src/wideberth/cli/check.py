"""`wide-berth check`: predict a model as it is asked for; nothing is proposed that was not asked for."""

from __future__ import annotations

from dataclasses import replace
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import numpy as np
import typer

from wideberth.cli.asked import made_folder, plate_named, saved_job, with_marks, with_values
from wideberth.cli.summary import print_summary
from wideberth.core.bench import load_bench
from wideberth.core.errors import BadJob, BadModel
from wideberth.core.handover import write_report
from wideberth.core.hollow import GYROID, STRUTS, Lattice, Shell
from wideberth.core.job import Job, job_of, scaled, taken_in
from wideberth.core.model import MarkKind, read_models
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Prediction, Stages, fine, look_closer, predict
from wideberth.core.propose import export_plugs, hole_on_plate, propose_drain, propose_found, propose_places, propose_support


class Tips(StrEnum):
    """Whether tips are proposed, or told from a model that comes with supports."""

    none = "none"
    propose = "propose"
    found = "found"


class Drain(StrEnum):
    """Whether holes are proposed."""

    none = "none"
    propose = "propose"


class Inside(StrEnum):
    """What stands in a shell's chambers."""

    nothing = "nothing"
    struts = STRUTS
    gyroid = GYROID


def check(
    model: Annotated[Path, typer.Argument(help="STL, OBJ, PLY or 3MF; or a saved job, as it is saved")],
    bench: Annotated[Path | None, typer.Option(help="TOML file; the standard bench otherwise")] = None,
    scale: Annotated[float, typer.Option(help="factor; 25.4 for inches")] = 1.0,
    rotate: Annotated[tuple[float, float, float], typer.Option(help="degrees about x, then y, then z")] = (0, 0, 0),
    gap: Annotated[float | None, typer.Option(help="lowest point above the plate, mm")] = None,
    tips: Annotated[Tips, typer.Option(help="propose tips, tell those that a model comes with, or none")] = Tips.none,
    target: Annotated[float | None, typer.Option(help="margin that proposed tips are sized for, 1 to 20")] = None,
    hollow: Annotated[float | None, typer.Option(help="wall thickness, mm")] = None,
    passage: Annotated[float, typer.Option(help="ways inside a shell that are narrower are filled, mm")] = 0.0,
    lattice: Annotated[Inside, typer.Option(help="what stands in the chambers")] = Inside.nothing,
    lattice_share: Annotated[float, typer.Option(help="of the chambers' volume, 0.02 to 0.4")] = 0.05,
    drain: Annotated[Drain, typer.Option(help="propose drain holes, or none")] = Drain.none,
    plugs: Annotated[Path | None, typer.Option(help="write the holes' plugs into this folder")] = None,
    hole: Annotated[list[str] | None, typer.Option(help="X,Y,Z,DIAMETER on the set-down part, mm")] = None,
    layer_height_mm: Annotated[float | None, typer.Option("--layer-height", help="mm")] = None,
    pitch: Annotated[float, typer.Option(help="distance of rows, mm")] = 0.1,
    clean: Annotated[list[str] | None, typer.Option(help="side that stays clean, as front:60; repeatable")] = None,
    hidden: Annotated[list[str] | None, typer.Option(help="side that nobody sees, as bottom:30; repeatable")] = None,
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as print.exposure_s=3; repeatable")] = None,
    plate: Annotated[str, typer.Option(help="of a saved job: name of one plate; all are told otherwise")] = "",
    json: Annotated[Path | None, typer.Option(help="write the whole report here; of several plates the first one's")] = None,
) -> None:
    """Area, pull, suction, margins, time and resin of a model, layer by layer."""
    if not 0.01 <= pitch <= 5:
        raise BadJob(f"a pitch of {pitch:g} mm is not between 0.01 and 5.", where="--pitch")
    saved = saved_job(model, set_)
    if saved is not None:
        asked = [v is not None for v in (bench, gap, target, hollow, plugs, layer_height_mm, clean, hidden)] + [
            bool(hole),
            bool(passage),
        ]
        proposes = tips is not Tips.none or drain is Drain.propose or lattice is not Inside.nothing
        if any(asked) or proposes or scale != 1.0 or any(rotate):
            raise BadJob("is a saved job, and judged as it is saved.", where=str(model), remedy="Only --set changes its bench.")
        _tell_plates(saved, pitch, plate, json)
        return
    if plate:
        raise BadJob("is a model, and has no plates.", where=str(model), remedy="Leave --plate out.")
    in_use = with_values(load_bench(bench), set_)
    if target is not None:
        in_use = in_use.with_value("supports.wanted_margin", target, "--target")
    if layer_height_mm is not None:
        in_use = in_use.with_value("print.layer_height_mm", layer_height_mm, "--layer-height")
    if hollow is not None and not 0.2 <= hollow <= 50:
        raise BadJob(f"a wall of {hollow:g} mm is not between 0.2 and 50.", where="--hollow")
    if not 0 <= passage <= 20:
        raise BadJob(f"a passage of {passage:g} mm is not between 0 and 20.", where="--passage")
    stands_so = gap is not None
    if gap is None:
        gap = in_use.supports.gap_mm if tips is Tips.propose else 0.0
    if not (np.isfinite(gap) and 0 <= gap <= 1000):
        raise BadJob(f"a gap of {gap:g} mm is not between 0 and 1000.", where="--gap")
    if not np.isfinite(rotate).all():
        raise BadJob("turns must be numbers.", where="--rotate")
    wanted = {text: _hole(text) for text in hole or []}
    sources = read_models(model)
    stages = Stages()
    bars = None if lattice is Inside.nothing else Lattice(lattice.value, lattice_share)
    shell = None if hollow is None else Shell(hollow, 0.0, passage, lattice=bars)
    pose = Pose(turned_xyz(*rotate), gap)
    sides = {MarkKind.KEEP_CLEAN: clean, MarkKind.HIDDEN: hidden}
    parts = [replace(with_marks(scaled(taken_in(s), scale), stages, sides), pose=pose, shell=shell) for s in sources]
    job = job_of(model.stem, in_use, parts)
    if len(job.parts) > 1:
        job = propose_places(job, stages).job
    for text, (x, y, z, diameter) in wanted.items():
        try:
            job = hole_on_plate(job, job.parts[0].id, stages, np.array([x, y, z]), diameter, "--hole")
        except BadModel as error:  # it was given on the plate
            raise BadModel(error.what, where=f"--hole {text}", remedy=error.remedy) from error
    if drain is Drain.propose:
        for part in job.parts:
            job = propose_drain(job, part.id, stages).job
    if tips in (Tips.found, Tips.propose):
        for part in job.parts:
            if tips is Tips.found:
                made = propose_found(job, part.id, stages)
            else:
                made = propose_support(job, part.id, stages, may_raise=not stands_so)
            typer.echo(f"{part.name}: {made.why}.")
            job = made.job
    prediction = look_closer(predict(job, stages, fine(pitch)), stages)
    _tell(prediction, json)
    if plugs is not None:
        made_folder(plugs)
        for part in job.parts:
            export_plugs(job, part.id, stages, plugs)


def _tell_plates(saved: Job, pitch: float, name: str, json: Path | None) -> None:
    """Each plate of a saved job that has prints, or the one of a name."""
    chosen, stages = plate_named(saved, name), Stages()
    told = [chosen] if chosen else [p.id for p in saved.plates if p.placements] or [""]  # of none at all the prediction says so
    for number, id in enumerate(told):
        seen = look_closer(predict(saved, stages, fine(pitch), plate=id), stages)
        if len(told) > 1:
            typer.echo(saved.plate(id).name)
        _tell(seen, json if number == 0 else None)


def _tell(prediction: Prediction, json: Path | None) -> None:
    """Print a prediction in short, and write all of it where that is wanted."""
    print_summary(prediction)
    if json is not None:
        write_report(prediction, json)


def _hole(text: str) -> tuple[float, float, float, float]:
    """X,Y,Z,DIAMETER as numbers."""
    try:
        x, y, z, diameter = (float(piece) for piece in text.split(","))
    except ValueError as error:
        raise BadJob(f"`{text}` is not X,Y,Z,DIAMETER in mm.", where="--hole") from error
    if not np.isfinite([x, y, z, diameter]).all():
        raise BadJob(f"`{text}` must be finite.", where="--hole")
    return x, y, z, diameter
