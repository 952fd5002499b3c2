"""Writing a print down: from its prediction to its first entry, and from its end to the last."""

from __future__ import annotations

import hashlib
import uuid
from dataclasses import fields, replace

import numpy as np

from wideberth.core.bench import fitted_prints
from wideberth.core.logbook.expected import lit_seconds
from wideberth.core.logbook.measured import Measured
from wideberth.core.logbook.record import Ended, Entry, PartOutcome, Told, utc_now
from wideberth.core.predict import Prediction
from wideberth.core.units import KG_PER_M3_IN_G_PER_ML
from wideberth.core.verdict import DOUBTFUL, LOST


def told_of(seen: Prediction) -> Told:
    """What is predicted of a plate, in figures."""
    totals, loads = seen.verdict.totals, seen.loads
    hangs = np.isfinite(loads.hold_margin)
    at, ends = int(np.nanargmin(loads.hold_margin)) if hangs.any() else None, loads.ranges.weakest_hold
    plate = loads.plate_margin[np.isfinite(loads.plate_margin)]
    return Told(
        loads.layers,
        totals.seconds,
        totals.seconds_low,
        totals.seconds_high,
        totals.resin_ml,
        float(loads.pull_n.max(initial=0.0)),
        None if at is None else float(loads.hold_margin[at]),
        None if ends is None else ends[0],
        None if ends is None else ends[1],
        float(plate.min()) if len(plate) else None,
        float(lit_seconds(seen).sum()),
        seen.verdict.care.to_bath_g,
        seen.job.bench.resin.density_kg_per_m3 * KG_PER_M3_IN_G_PER_ML,
    )


def entry_for(seen: Prediction, source: str = "by hand", variant: str = "") -> Entry:
    """The first entry of a print that begins now."""
    job, bench = seen.job, seen.job.bench
    codes = sorted({str(f.code) for f in seen.verdict.findings if f.severity in (LOST, DOUBTFUL)})
    return Entry(
        str(uuid.uuid4()),
        utc_now(),
        job.title,
        bench.printer.name,
        bench.film.name,
        bench.resin.name,
        told_of(seen),
        plate=job.plate(seen.plate).name,
        recipe=_recipe(seen),
        variant=variant,
        settings=bench.print.name,
        source=source,
        fitted=fitted_prints(bench),
        findings=tuple(codes),
        parts=tuple(PartOutcome(n, name) for n, name in enumerate(s.placed.name for s in seen.solids)),
    )


def _recipe(seen: Prediction) -> str:
    """A hash of all that was done to the parts, and of their sources: the same for the same recipe."""
    told = [
        part.source.key + repr([getattr(part, f.name) for f in fields(part) if f.name != "source"]) for part in seen.job.parts
    ]
    return hashlib.sha256("\n".join(told).encode()).hexdigest()


def ended_entry(entry: Entry, ended: Ended, measured: Measured | None) -> Entry:
    """The entry of a run that is over, with what was measured of it."""
    if measured is None or not len(measured):
        return replace(entry, ended=ended, finished=utc_now())
    warm = measured.vat_c[np.isfinite(measured.vat_c)]
    return replace(
        entry,
        ended=ended,
        finished=utc_now(),
        seconds=float(measured.at_s[-1]),
        layers=len(measured),
        vat_c=float(np.median(warm)) if len(warm) else None,
    )
