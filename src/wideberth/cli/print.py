"""`wide-berth print`: a saved job on a printer, followed layer by layer and written into the logbook."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

from wideberth.cli.asked import plate_named, saved_job, shown_progress
from wideberth.core.devices import Heard, Printer, Run, package_of
from wideberth.core.errors import BadDevice, BadJob
from wideberth.core.logbook import Entry, Expected, alarm_text, entry_for, expected_of
from wideberth.core.predict import Disk, Prediction, Stages, fine, look_closer, predict
from wideberth.core.progress import Progress
from wideberth.core.units import duration_text
from wideberth.demo.simulated import FASTEST, SLOWEST, mishap_in, nature_beside, simulated_printer

PREPARED = 0.5
"""Of the whole, until the printer begins."""


def print_(
    job: Annotated[Path, typer.Argument(help="a saved job")],
    simulate: Annotated[bool, typer.Option("--simulate", help="on a simulated printer, that is begun for it")] = False,
    port: Annotated[int, typer.Option(help="of the printer, or of its bridge, on this machine")] = 0,
    seed: Annotated[int, typer.Option(min=0, help="simulated: of its hidden truth")] = 0,
    speed: Annotated[float, typer.Option(min=SLOWEST, max=FASTEST, help="simulated: so many times as fast")] = 1000.0,
    mishap: Annotated[str, typer.Option(help="simulated: lot, or kind:layer:print as tip:500:1")] = "",
    plate: Annotated[str, typer.Option(help="name of the plate; the first one otherwise")] = "",
    set_: Annotated[list[str] | None, typer.Option("--set", help="bench value, as print.exposure_s=3; repeatable")] = None,
    log: Annotated[Path | None, typer.Option(help="the logbook; your own otherwise")] = None,
) -> None:
    """Predict, print, watch the pull of each layer, and log what was expected beside what was measured."""
    if simulate == bool(port):
        raise BadDevice("which printer is it?", where="print", remedy="Say --simulate, or --port of a printer on this machine.")
    try:
        mishap_in(mishap)
    except ValueError as error:
        raise BadDevice(
            f"{error}.", where="--mishap", remedy="lot, or kind:layer:print: tip, film, power, cold, patch."
        ) from error
    opened = saved_job(job, set_)
    if opened is None:
        raise BadJob("is no saved job.", where=str(job), remedy="Save it in the window, or use `wide-berth propose`.")
    from wideberth.core.logbook import Logbook  # its database library is slow to load, and most commands need none

    book, console = Logbook(log), Console()
    with ExitStack() as stack:
        progress = stack.enter_context(shown_progress())
        stages = Stages(disk=Disk())
        seen = predict(opened, stages, fine(), progress.part(0.0, 0.2), plate_named(opened, plate))
        seen = look_closer(seen, stages, progress.part(0.2, 0.25))
        package = stack.enter_context(package_of(seen, progress.part(0.25, PREPARED)))
        expected, bench = expected_of(seen), opened.bench
        if simulate:
            port = stack.enter_context(simulated_printer(seed, speed, mishap, book.count())).port
        printer = Printer(port)
        stack.callback(printer.close)
        printer.load(package, nature_beside(package, expected, bench) if printer.is_simulated else None)
        source = printer.source
        run = Run(printer, book, entry_for(seen, source), expected, bench)
        entry = run.follow(_telling(console, expected, seen, progress))
    for line in told_lines(entry):
        console.print(line, markup=False, highlight=False, soft_wrap=True)


def _telling(console: Console, expected: Expected, seen: Prediction, progress: Progress) -> Callable[[Heard], None]:
    """What is shown while it runs: how far it is, and alarms."""

    def heard(of: Heard) -> None:
        if of.sample is not None:
            done = PREPARED + (1 - PREPARED) * (of.sample.layer + 1) / expected.layers
            progress.at(done, f"layer {of.sample.layer + 1} of {expected.layers}")
        for alarm in of.alarms:
            console.print(alarm_text(alarm, expected, seen.job.bench), markup=False, highlight=False, soft_wrap=True)

    return heard


def told_lines(entry: Entry) -> list[str]:
    """Predicted and measured, a line each."""
    told = entry.told
    lines = [f"{entry.job}, {entry.plate}: {entry.ended}, {entry.layers or 0} of {told.layers} layers; {entry.source}"]
    if entry.seconds is not None:
        said = f"{duration_text(told.seconds)} ({duration_text(told.seconds_low)} to {duration_text(told.seconds_high)})"
        lines.append(f"time: said {said}, took {duration_text(entry.seconds)}")
    if entry.used_ml is not None:
        lines.append(f"resin: said {told.resin_ml:.1f} mL, used {entry.used_ml:.1f} mL ({entry.resin_g:.1f} g)")
    margin = "nothing hangs on tips" if told.margin is None else f"weakest tip ×{told.margin:.2f}"
    lines.append(f"hold: said {margin}; " + ", ".join(f"{p.name}: {_fate(p.fate, p.lost_layer)}" for p in entry.parts))
    lines.append(f"logged as {entry.id}")
    return lines


def _fate(fate: str, layer: int | None) -> str:
    return f"{fate} at layer {layer + 1}" if layer is not None else fate
