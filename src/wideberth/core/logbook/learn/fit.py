"""All that the prints of a printer, resin and film teach, and a bench that has learnt it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.logbook.learn.estimate import ENDS, HALF_90, Estimate
from wideberth.core.logbook.learn.pulls import learn_pulls
from wideberth.core.logbook.learn.shown import Shown, shown_prints
from wideberth.core.logbook.learn.strength import learn_plate, learn_tips
from wideberth.core.logbook.learn.time_and_resin import learn_resin, learn_time
from wideberth.core.logbook.record import Entry
from wideberth.core.logbook.store import Logbook
from wideberth.core.progress import Progress, quiet

RANGE_OF = {
    "film.line_adhesion_n_per_mm": "ranges.line_adhesion",
    "film.viscous_pull_n_per_mm2": "ranges.viscous_pull",
    "laws.rate_power": "ranges.rate_power",
    "laws.seal_kpa": "ranges.seal",
    "resin.green_strength_mpa": "ranges.green_strength",
    "laws.plate_adhesion_n_per_mm2": "ranges.plate_adhesion",
}
"""The bench key of each coefficient's range."""
MOST_PRINTS = 200
"""The latest prints of each kind that a fit looks at."""


@dataclass(frozen=True)
class Fit:
    """What prints teach.

    group : printer, resin, film. estimates : of every coefficient, those that the prints cannot tell too. time_scatter : by which
    whole prints take longer or less long, in ln. prints : of the very group, and all that were looked at.
    """

    group: tuple[str, str, str]
    estimates: tuple[Estimate, ...]
    time_scatter: float
    prints: int
    looked_at: int

    def of(self, key: str) -> Estimate:
        """The estimate of a coefficient.

        Raises
        ------
        KeyError
        """
        return {e.key: e for e in self.estimates}[key]

    @property
    def told(self) -> tuple[Estimate, ...]:
        """Those that the prints tell."""
        return tuple(e for e in self.estimates if e.is_told)


def learn(log: Logbook, bench: Bench, progress: Progress | None = None) -> Fit:
    """What the log teaches for a bench's printer, resin and film.

    Prints with the same film on other printers, or of the same resin, speak too where they can, with more scatter.

    Raises
    ------
    BadLog : see `Logbook`. Cancelled.
    """
    progress = progress or quiet()
    group = (bench.printer.name, bench.resin.name, bench.film.name)
    entries = [e for e in log.entries() if _shares(e, group)]
    own = [e for e in entries if e.group == group][:MOST_PRINTS]
    others = [e for e in entries if e.group != group][: MOST_PRINTS - len(own)]
    shown: list[Shown] = []
    for number, entry in enumerate([*own, *others]):
        progress.at(0.6 * number / max(len(own) + len(others), 1), "reading prints")
        shown += shown_prints(log, [entry], group)
    return fit_of(shown, bench, progress.part(0.6, 1.0))


def _shares(entry: Entry, group: tuple[str, str, str]) -> bool:
    return any(a == b for a, b in zip(entry.group, group, strict=True))


def fit_of(shown: list[Shown], bench: Bench, progress: Progress | None = None) -> Fit:
    """What prints teach for a bench: each coefficient from those that share what it belongs to."""
    progress = progress or quiet()
    printer, resin, film = bench.printer.name, bench.resin.name, bench.film.name
    same_film = [s for s in shown if s.entry.film == film]
    same_printer = [s for s in shown if s.entry.printer == printer]
    same_resin = [s for s in shown if s.entry.resin == resin]
    progress.at(0.0, "pulls")
    pulls = learn_pulls([s for s in same_film if s.entry.resin == resin], bench)
    progress.at(0.6, "what held and what let go")
    tips, plate = learn_tips(same_resin, bench, pulls), learn_plate(same_printer, bench, pulls)
    progress.at(0.8, "time and resin")
    overhead, motion, scatter = learn_time(same_printer, bench)
    cling, stays = learn_resin([s for s in same_resin if s.entry.printer == printer], bench)
    own = sum(s.own for s in shown)
    return Fit((printer, resin, film), (*pulls, tips, plate, overhead, motion, cling, stays), scatter, own, len(shown))


def source_of_fit(prints: int) -> str:
    """As a bench value says where it comes from: `fitted from 12 prints`."""
    return f"fitted from {prints:,} print{'s' if prints != 1 else ''}"


def learnt_bench(bench: Bench, fit: Fit, keys: tuple[str, ...] | None = None) -> Bench:
    """A bench with the estimates that the prints tell, or some of them; what is only bounded narrows its range.

    Raises
    ------
    BadBench : when a value is out of range.
    """
    chosen = [e for e in fit.estimates if e.prints and (e.is_told if keys is None else e.key in keys)]
    for estimate in chosen:
        source = source_of_fit(estimate.prints)
        bench = bench.with_value(estimate.key, float(f"{estimate.value:.5g}"), source)
        if estimate.key in RANGE_OF:
            share = float(np.clip(estimate.range_share, 0.01, 1.0))
            bench = bench.with_value(RANGE_OF[estimate.key], float(f"{share:.3g}"), source)
    if any(e.key.startswith("printer.") and e.key != "printer.stays_ml" for e in chosen):
        share = float(np.clip(np.expm1(ENDS * fit.time_scatter), 0.005, 0.5))
        for key in ("laws.time_less_share", "laws.time_more_share"):
            bench = bench.with_value(key, float(f"{share:.3g}"), source_of_fit(fit.of("printer.overhead_s").prints))
    return bench


def time_interval(fit: Fit, seconds: float) -> tuple[float, float]:
    """90 % interval of a new print's time, by the scatter from print to print."""
    spread = float(np.exp(HALF_90 * fit.time_scatter))
    return seconds / spread, seconds * spread
