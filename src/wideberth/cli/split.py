"""`wide-berth split`: whether a model fits each printer, and pieces with keys where it does not fit the bench's."""

from __future__ import annotations

import json as plain
from dataclasses import asdict, replace
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.table import Table

from wideberth.cli.asked import made_folder, saved_job, shown_progress, with_values
from wideberth.core.bench import Printer, load_bench, load_named, names_of
from wideberth.core.errors import BadJob
from wideberth.core.handover import save_job
from wideberth.core.job import Job, Part, job_of, scaled, taken_in
from wideberth.core.model import binary_stl, read_models
from wideberth.core.naming import file_name
from wideberth.core.predict import Stages
from wideberth.core.propose import Candidate, JointFit, PrinterFit, printers_that_fit, propose_split
from wideberth.core.saving import write_safely
from wideberth.core.split import Aim, Cut, Kind, looked_over

KEYS = {"peg": Kind.PEG, "pin": Kind.PIN, "flat": Kind.FLAT_PEG, "ring": Kind.RING, "dovetail": Kind.DOVETAIL}
FITS = {"glued": JointFit.GLUED, "push": JointFit.PUSH, "moving": JointFit.MOVING}
AIMS = {"hidden": Aim.HIDDEN, "short": Aim.SHORT, "broad": Aim.BROAD}


def split(
    model: Annotated[
        Path, typer.Argument(help="STL, OBJ, PLY or 3MF with one closed part, as it is turned in its file; or a saved job of one")
    ],
    out: Annotated[Path, typer.Option("--out", "-o", help="folder for the job and a mesh of each piece")],
    bench: Annotated[Path | None, typer.Option(help="TOML file; the standard bench otherwise")] = None,
    scale: Annotated[float, typer.Option(help="factor")] = 1.0,
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as house.glued_mm=0.08; repeatable")] = None,
    keys: Annotated[str, typer.Option(help="peg, pin, flat, ring or dovetail; whatever there is room for otherwise")] = "",
    fit: Annotated[str, typer.Option(help="glued, push or moving: the clearance of the sockets")] = "glued",
    aim: Annotated[
        str, typer.Option(help="hidden: seam out of sight; short: shortest seam; broad: broadest joint; all three are told")
    ] = "hidden",
    json: Annotated[Path | None, typer.Option(help="write fits, sets of cuts and checks here")] = None,
) -> None:
    """Cut at any angle into pieces that fit with their supports, keyed so that they go together one way."""
    for asked, known, hint in ((keys, KEYS, "--keys"), (fit, FITS, "--fit"), (aim, AIMS, "--aim")):
        if asked and asked not in known:
            raise typer.BadParameter(f"`{asked}` is none of {', '.join(known)}.", param_hint=hint)
    stages = Stages()
    job = saved_job(model, set_)
    if job is None:
        parts = [scaled(taken_in(source), scale) for source in read_models(model)]
        job = job_of(model.stem, with_values(load_bench(bench), set_), parts)
    elif bench is not None or scale != 1.0:
        raise BadJob(
            "is a saved job, with a bench and sizes of its own.", where=str(model), remedy="Only --set changes its bench."
        )
    if len(job.parts) != 1:
        raise BadJob(f"holds {len(job.parts)} parts.", where=str(model), remedy="Give one at a time, or cut in the window.")
    id = job.parts[0].id
    made_folder(out)
    with shown_progress() as progress:
        printers: tuple[Printer, ...] = tuple(load_named("printer", name) for name in names_of("printer"))
        fits = printers_that_fit(job, id, stages, printers)
        first = AIMS[aim]
        aims = (first, *(a for a in AIMS.values() if a is not first))
        made = propose_split(job, id, stages, KEYS.get(keys), FITS[fit], progress.part(0.0, 0.6), aims)
        told = [_told(c, job, stages) for c in made.candidates] if made.needed else []
        progress.at(0.8, "writing")
        save_job(made.job, out / "job.3mf", stages, progress.part(0.8, 1.0))
        if made.needed:
            for piece in made.job.parts:
                write_safely(out / f"{file_name(piece.name)}.stl", binary_stl(stages.cut(piece)))
    console = Console()
    console.print(_fits_table(fits))
    console.print(made.why, markup=False, highlight=False)
    if told:
        console.print(_sets_table(told))
    if json is not None:
        report = {"printers": [_fit_told(f) for f in fits], "why": made.why, "sets": told}
        write_safely(json, plain.dumps(report, indent=1, ensure_ascii=False).encode())


def _fit_told(one: PrinterFit) -> dict[str, Any]:
    fit = one.fit
    return {
        "printer": one.printer,
        "as_is_mm": round(fit.as_is_mm, 2),
        "turned_mm": round(fit.turned.margin_mm, 2),
        "scale_to_fit": round(fit.scale, 4),
        "pieces": fit.pieces,
    }


def _told(candidate: Candidate, before: Job, stages: Stages) -> dict[str, Any]:
    """A set of cuts with its pieces and, for each cut, what exact booleans say of it."""
    kept = {p.id for p in before.parts}
    pieces = [p for p in candidate.job.parts if p.id not in kept]
    whole, part = stages.cut(before.parts[0]), before.parts[0]
    volume = sum(stages.cut(piece).volume_mm3 for piece in pieces)
    cuts = [_cut_told(replace(part, cuts=prefix), cut, stages) for prefix, cut in _all_cuts(pieces)]
    return {
        "name": candidate.name,
        "why": candidate.why,
        "measures": {m.name: round(m.value, 4) for m in candidate.measures},
        "pieces": [{"name": p.name, "extents_mm": [round(float(v), 2) for v in stages.cut(p).extents_mm]} for p in pieces],
        "volume_kept_share": round(volume / whole.volume_mm3, 6),
        "cuts": cuts,
    }


def _all_cuts(pieces: list[Part]) -> list[tuple[tuple[Cut, ...], Cut]]:
    """Every cut once, with the cuts that were made before it on its piece."""
    found: dict[tuple[tuple[Cut, ...], Cut], None] = {}
    for piece in pieces:
        for n, cut in enumerate(piece.cuts):
            found[piece.cuts[:n], cut if cut.keep > 0 else cut.other_side] = None
    return list(found)


def _cut_told(whole: Part, cut: Cut, stages: Stages) -> dict[str, Any]:
    """A cut of a part, and what exact booleans say of it."""
    seen = looked_over(stages.cut(whole), cut)
    return {
        "normal": [round(v, 6) for v in cut.normal],
        "offset_mm": round(cut.offset_mm, 4),
        "step": None if cut.step is None else {k: round(v, 4) for k, v in asdict(cut.step).items()},
        "keys": [{"kind": str(k.kind), "size_mm": k.size_mm, "depth_mm": k.depth_mm} for k in cut.keys],
        "clearance_mm": [round(v, 4) for v in seen.clearance_mm],
        "overlap_mm3": round(seen.overlap_mm3, 6),
        "wrong_turns": seen.wrong_turns,
        "wrong_turns_that_collide": seen.collide,
    }


def _fits_table(fits: tuple[PrinterFit, ...]) -> Table:
    table = Table(box=None)
    for head in ("printer", "as is mm", "turned mm", "fits at", "pieces ≥"):
        table.add_column(head, justify="left" if head == "printer" else "right", no_wrap=True)
    for one in fits:
        fit = one.fit
        left = (f"{mm:+.1f}" for mm in (fit.as_is_mm, fit.turned.margin_mm))  # below zero: so much too large
        table.add_row(one.printer, *left, f"{100 * fit.scale:.0f} %", str(fit.pieces))
    return table


def _sets_table(told: list[dict[str, Any]]) -> Table:
    table = Table(box=None)
    for head in ("set", "pieces", "seam mm", "shows as", "joint mm²", "keyed", "fits"):
        table.add_column(head, justify="left" if head == "set" else "right", no_wrap=True)
    for one in told:
        m, cuts = one["measures"], one["cuts"]
        keyed = sum(bool(cut["keys"]) for cut in cuts)
        one_way = all(cut["wrong_turns"] == cut["wrong_turns_that_collide"] for cut in cuts)
        way = "one way" if keyed == len(cuts) and one_way else "look"
        figures = (f"{m['seam']:.0f}", f"{m['seam as it shows']:.0f}", f"{m['smallest joint']:.0f}")
        table.add_row(one["name"], str(len(one["pieces"])), *figures, f"{keyed} of {len(cuts)}", way)
    return table
