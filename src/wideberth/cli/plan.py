"""`wide-berth plan`: when to begin saved jobs so that someone is there when they end."""

from __future__ import annotations

import json as plain
from datetime import datetime, timedelta
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.table import Table

from wideberth.cli.asked import saved_job, shown_progress
from wideberth.core.errors import BadJob
from wideberth.core.plan import (
    Begun,
    Moment,
    Wanted,
    later,
    least_hanging,
    moments,
    predicted_runs,
    says_text,
    waits_of,
    wanted_of,
    week_of,
)
from wideberth.core.predict import Prediction, Stages
from wideberth.core.saving import write_safely
from wideberth.core.units import duration_text

YEARS = (2000, 2200)
AT = "%a %d %b %H:%M"


def plan(
    jobs: Annotated[list[Path], typer.Argument(help="saved jobs; each of their plates is a run on its bench's printer")],
    begin: Annotated[datetime | None, typer.Option(help="from when on, local time; now otherwise")] = None,
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as hours.saturday=9:00-13:00; repeatable")] = None,
    json: Annotated[Path | None, typer.Option(help="write runs and times here")] = None,
) -> None:
    """The week in which all is done soonest, nothing overlaps and every end is met, or that there is none."""
    opened = [(path, saved_job(path, set_)) for path in jobs]
    for path, job in opened:
        if job is None:
            raise BadJob("is no saved job.", where=str(path), remedy="Save it in the window first.")
    now = (begin or datetime.now()).replace(tzinfo=None)
    if not YEARS[0] <= now.year < YEARS[1]:
        raise BadJob(f"{now.year} is no year to plan for.", where="--begin", remedy=f"From {YEARS[0]} to {YEARS[1] - 1}.")
    seen: list[Prediction] = []
    with shown_progress() as progress:
        stages, saved = Stages(), [job for _, job in opened if job is not None]
        for number, job in enumerate(saved):
            seen += predicted_runs(job, stages, True, progress.part(number / len(saved), (number + 1) / len(saved)))
    wanted = [wanted_of(p) for p in seen]
    hours = seen[0].job.bench.hours
    week = week_of(wanted, hours, now, timedelta(minutes=hours.change_min))
    console = Console()
    if week is None:
        console.print("No week of these runs exists with the bench's hours.", style="bold")
        for one in wanted:
            best = least_hanging(one.run, hours, now)
            hangs = (
                "nobody is there in time at all"
                if best is None
                else f"hangs {_for(best.hangs)} at the least, begun {best.begins:{AT}}"
            )
            console.print(f"  {one.name}: {hangs}; its resin allows {_for(one.run.hangs)}", markup=False, highlight=False)
    else:
        console.print(_table(week, wanted))
        waits = waits_of(week, wanted, hours, now, timedelta(minutes=hours.change_min))
        for begun in week:
            p = seen[begun.wanted]
            told = [f"{m.name} {_clock(begun, m)}" for m in moments(p) if m.name != "end"]
            waiting = f"; {waits[begun.wanted]}" if begun.wanted in waits else ""
            console.print(
                f"{wanted[begun.wanted].name}: {says_text(p)}; {', '.join(told)}{waiting}", markup=False, highlight=False
            )
    if json is not None:
        told_week = None if week is None else [_plain(begun, wanted, seen) for begun in week]
        write_safely(json, plain.dumps({"format": "wide-berth plan", "week": told_week}, indent=1).encode())


def _for(time: timedelta) -> str:
    return duration_text(time.total_seconds())


def _clock(begun: Begun, moment: Moment) -> str:
    low, high = (later(begun.landing.printing, timedelta(seconds=s)) for s in (moment.low_s, moment.high_s))
    return f"{low:%H:%M}" if high - low < timedelta(minutes=1) else f"{low:%H:%M} to {high:%H:%M}"


def _table(week: list[Begun], wanted: list[Wanted]) -> Table:
    table = Table(box=None)
    for head in ("run", "printer", "begin", "ends", "hangs", "done"):
        table.add_column(head, no_wrap=head not in ("run", "printer"))  # times are never cut short
    for begun in week:
        at = begun.landing
        ends = f"{at.earliest:{AT}} to {at.latest:%H:%M}"
        hangs = _for(at.hangs) if at.hangs else "–"
        table.add_row(wanted[begun.wanted].name, begun.printer, f"{at.begins:{AT}}", ends, hangs, f"{at.done:%H:%M}")
    return table


def _plain(begun: Begun, wanted: list[Wanted], seen: list[Prediction]) -> dict[str, Any]:
    at = begun.landing
    told = {m.name: [round(m.low_s), round(m.high_s)] for m in moments(seen[begun.wanted])}
    return {
        "name": wanted[begun.wanted].name,
        "printer": begun.printer,
        "begins": at.begins.isoformat(),
        "printing": at.printing.isoformat(),
        "earliest": at.earliest.isoformat(),
        "latest": at.latest.isoformat(),
        "hangs_min": at.hangs.total_seconds() / 60,
        "done": at.done.isoformat(),
        "moments_s": told,
    }
