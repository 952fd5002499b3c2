"""`wide-berth log`: the logbook listed, searched, written out and read in; what it teaches, and how good predictions were."""

from __future__ import annotations

import json as plain
from dataclasses import asdict, replace
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from rich.console import Console
from rich.table import Table

from wideberth.cli.asked import saved_job, shown_progress
from wideberth.core.errors import BadJob
from wideberth.core.handover import save_job
from wideberth.core.logbook import (
    Accuracy,
    Entry,
    Estimate,
    Fit,
    Search,
    TakenFit,
    accuracy_of,
    changed_values,
    close_abandoned,
    learn,
    learnt_bench,
    read_log_csv,
    utc_now,
    write_log_csv,
)
from wideberth.core.predict import Stages
from wideberth.core.units import duration_text

if TYPE_CHECKING:
    from wideberth.core.logbook import Logbook

FORMAT = "wide-berth log"


def log_command(
    words: Annotated[
        list[str] | None, typer.Argument(help="words that must be in the job, plate, note, printer, resin or film")
    ] = None,
    json: Annotated[bool, typer.Option("--json", help="as JSON on standard output")] = False,
    failed: Annotated[bool | None, typer.Option("--failed/--held", help="only prints that lost something, or that held")] = None,
    since: Annotated[datetime | None, typer.Option(help="from this day on, UTC")] = None,
    csv: Annotated[Path | None, typer.Option(help="write these prints here as a table")] = None,
    read: Annotated[Path | None, typer.Option(help="take over prints from such a table")] = None,
    back_up: Annotated[Path | None, typer.Option("--back-up", help="copy the whole logbook here")] = None,
    learn_: Annotated[Path | None, typer.Option("--learn", help="what the log teaches for this saved job's bench")] = None,
    take: Annotated[Path | None, typer.Option(help="with --learn: save the job with what was learnt here")] = None,
    log: Annotated[Path | None, typer.Option(help="the logbook; your own otherwise")] = None,
) -> None:
    """Prints that happened, the newest first, and how good their predictions were."""
    if take is not None and learn_ is None:
        raise BadJob("--take takes over what --learn says.", where="log", remedy="Name the saved job with --learn.")
    from wideberth.core.logbook import Logbook  # its database library is slow to load, and most commands need none

    book, console = Logbook(log), Console()
    for id in close_abandoned(book):
        Console(stderr=True).print(f"{id}: nobody follows it any more: lost touch", markup=False, highlight=False, soft_wrap=True)
    if read is not None:
        added = book.add_all(read_log_csv(read))
        console.print(f"{read}: {added} prints taken over", markup=False, highlight=False, soft_wrap=True)
    if back_up is not None:
        book.back_up(back_up)
        console.print(f"{back_up}: written", markup=False, highlight=False, soft_wrap=True)
    if learn_ is not None:
        _learn(book, learn_, take, console, json)
        return
    when = None if since is None else since.replace(tzinfo=None)
    entries = book.entries(Search(" ".join(words or ()), failed=failed, since=when))
    if csv is not None:
        write_log_csv(entries, csv)
    accuracy = accuracy_of(entries)
    if json:
        told = {
            "format": FORMAT,
            "version": 1,
            "prints": [plain_entry(e) for e in entries],
            "accuracy": _plain_accuracy(accuracy),
        }
        print(plain.dumps(told, indent=1, allow_nan=False))
    elif not entries and read is None and back_up is None:
        console.print("no print yet" if not (words or since or failed is not None) else "no print answers that")
    elif read is None and back_up is None:
        console.print(_table(entries))
        for line in accuracy_lines(accuracy):
            console.print(line, markup=False, highlight=False, soft_wrap=True)


def plain_entry(entry: Entry) -> dict[str, Any]:
    """An entry as JSON has it."""
    return asdict(entry) | {"began": entry.began.isoformat(), "failed": entry.failed,
                            "finished": None if entry.finished is None else entry.finished.isoformat()}  # fmt: skip


def _plain_accuracy(of: Accuracy) -> dict[str, Any]:
    """As JSON has it; the last step has no upper end."""
    steps = [asdict(step) | {"high": step.high if step.high < float("inf") else None} for step in of.steps]
    return asdict(of) | {"steps": steps}


def accuracy_lines(of: Accuracy) -> list[str]:
    """How good predictions were, a line each."""
    lines = [f"{of.prints} prints, {of.looked_at} of them looked at, {of.lost} lost something"]
    for step in of.steps:
        upto = f"to ×{step.high:g}" if step.high < float("inf") else "and more"
        lines.append(
            f"said ×{step.low:g} {upto}: {step.lost} of {step.prints} lost something, {step.expected:.1f} were to be expected"
        )
    if of.brier is not None and of.brier_blind is not None:
        lines.append(f"Brier score {of.brier:.3f}; whoever tells each print the same share has {of.brier_blind:.3f}, a prophet 0")
    for name, errors in (("time", of.time), ("resin", of.resin)):
        if errors is not None:
            lines.append(
                f"{name}: ×{errors.median:.2f} of what was said, ×{errors.low:.2f} to ×{errors.high:.2f} for four in "
                f"five of {errors.count}"
                + (f"; {errors.within} of {errors.ranged} within the range told" if errors.ranged else "")
            )
    return lines


def _table(entries: list[Entry]) -> Table:
    table = Table(box=None)
    for head in ("began, UTC", "job", "said", "became", "took", "resin", "from"):
        table.add_column(head, no_wrap=head not in ("job", "from"))
    for e in entries:
        became = {True: "lost", False: "held", None: e.ended}[e.failed]
        took = "" if e.seconds is None else f"{duration_text(e.seconds)}"
        said = "–" if e.told.margin is None else f"×{e.told.margin:.2f}"
        grams = "" if e.resin_g is None else f"{e.resin_g:.0f} g"
        table.add_row(f"{e.began:%Y-%m-%d %H:%M}", e.job, said, became, took, grams, e.source)
    return table


def _learn(book: Logbook, path: Path, take: Path | None, console: Console, json: bool) -> None:
    """What the log teaches for a job's bench; and the job with it."""
    job = saved_job(path, None)
    if job is None:
        raise BadJob("is no saved job.", where=str(path), remedy="Save it in the window first.")
    with shown_progress() as progress:
        fit = learn(book, job.bench, progress)
    if json:
        told = [asdict(e) | {"low": e.low, "high": e.high, "told": e.is_told, "of_use": e.is_of_use} for e in fit.estimates]
        print(
            plain.dumps({"format": FORMAT, "version": 1, "group": fit.group, "prints": fit.prints, "estimates": told}, indent=1)
        )
    else:
        for line in fit_lines(fit):
            console.print(line, markup=False, highlight=False, soft_wrap=True)
    if take is not None:
        bench = learnt_bench(job.bench, fit)
        save_job(replace(job, bench=bench), take, Stages())
        book.take_fit(TakenFit(0, utc_now(), fit.group, fit.prints, changed_values(job.bench, bench)))
        console.print(f"{take}: written with what {fit.prints} prints teach", markup=False, highlight=False, soft_wrap=True)


def fit_lines(fit: Fit) -> list[str]:
    """What prints teach, a line each; what they cannot tell too."""
    lines = [f"{', '.join(fit.group)}: {fit.prints} prints, {fit.looked_at} looked at"]
    for e in fit.estimates:
        now = f"{e.value:.4g}, {e.low:.4g} to {e.high:.4g}"
        lines.append(f"{e.key}: {now} (was {e.was:.4g}); {_state(e)}")
    return lines


def _state(of: Estimate) -> str:
    """What prints say of a coefficient, in words."""
    if of.prints == 0:
        return "no print says anything of it"
    if not of.is_of_use:
        return f"{of.prints} prints cannot tell it"
    return f"from {of.prints} prints" + (", as a sum with another" if of.together else "")
