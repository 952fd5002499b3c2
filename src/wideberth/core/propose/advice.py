"""What would save it: single changes of a job, each predicted anew, ranked by the margin that they gain for what they cost."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

from wideberth.core.bench import Bench, exposure_advice
from wideberth.core.errors import Cancelled, WideBerthError
from wideberth.core.job import Job
from wideberth.core.predict import Fineness, Prediction, Stages, fine, predict, preview, weighed_again
from wideberth.core.progress import Progress, quiet
from wideberth.core.units import duration_text
from wideberth.core.verdict import NOTE, RANK, Code

LEAST_MARGIN = 0.01
FREE_MIN = 5.0
"""A change that costs less than these minutes is as good as free."""
WORTH = 0.02
"""Least gain of ln(margin) that is worth a word."""
NEVER_NEW = (Code.BLEEDING, Code.HARD_TO_SCRAPE, Code.LIFT_SHORT, Code.TOO_WARM, Code.TOO_COLD, Code.UNDER_BONDED)
"""What advice must not bring, be it only a note."""
THREADS = 2
CONFIRMED = 4
"""So many of the best are predicted finely."""
NONE_HELPS = "No single change of light, warmth, lift, tips or layers helps: another pose or more supports may."
Told = Callable[[tuple["Advice", ...]], None]


@dataclass(frozen=True)
class Advice:
    """One change and what it makes of the job.

    Attributes
    ----------
    label : what to do, in words. change : bench key and value, None for another change of the job. hold, plate : margins after
    it, None where nothing hangs or stands; was : the weakest before. seconds, resin_ml, marks_mm2 : how much more of each it
    takes. minutes : what that comes to by the house's weights. breaks : what it brings that was not there.
    """

    label: str
    job: Job
    change: tuple[str, float] | None
    was: float
    hold: float | None
    plate: float | None
    seconds: float
    resin_ml: float
    marks_mm2: float
    minutes: float
    breaks: tuple[str, ...]

    @property
    def weakest(self) -> float:
        """The lesser of both margins after it."""
        return min(m for m in (self.hold, self.plate, math.inf) if m is not None)

    @property
    def gain(self) -> float:
        """Of the weakest margin, as the logarithm of after over before."""
        return math.log(max(self.weakest, LEAST_MARGIN) / max(self.was, LEAST_MARGIN))

    @property
    def saves(self) -> bool:
        """Whether the job holds with it as the house wants."""
        return self.weakest >= self.job.bench.house.margin_doubtful

    @property
    def price(self) -> str:
        """What it takes more, or less, in words; nothing where that is not worth a word."""
        takes = (
            [f"{duration_text(abs(self.seconds))} {'more' if self.seconds > 0 else 'less'}"] if abs(self.seconds) >= 30 else []
        )
        takes += [f"{self.resin_ml:+.1f} mL of resin"] if abs(self.resin_ml) >= 0.05 else []
        takes += [f"{self.marks_mm2:+.1f} mm² of marks"] if abs(self.marks_mm2) >= 0.05 else []
        return ", ".join(takes)

    @property
    def rank(self) -> tuple[bool, float, str]:
        """What saves it comes first, then what gains most for its minutes."""
        return not self.saves, -self.gain / max(self.minutes, FREE_MIN), self.label


def advise(job: Job, stages: Stages, progress: Progress | None = None, told: Told | None = None) -> tuple[Advice, ...]:
    """Changes that help, the best first; none where only another pose or more supports do.

    Each is predicted anew, coarsely first and the best of them finely. What breaks something else is left out.

    Parameters
    ----------
    told : hears of the best so far.

    Raises
    ------
    BadJob : as `predict`. Cancelled : when the progress is cancelled.
    """
    progress = progress or quiet()
    changes = list(_changes(job))
    weighed: list[Advice] = []
    before = predict(job, stages, preview(job.bench))
    with ThreadPoolExecutor(THREADS) as side_by_side:
        tried = [side_by_side.submit(_weighed, *c, before, stages, preview(c[2].bench), progress) for c in changes]
        for number, (change, one) in enumerate(zip(changes, tried, strict=True)):
            progress.at(0.5 * number / len(changes), f"trying: {change[0]}")
            if (advice := one.result()) is not None:
                weighed = sorted([*weighed, advice], key=lambda a: a.rank)
                if told is not None:
                    told(tuple(weighed))
        if not weighed:
            return ()
        progress.at(0.5, "confirming the best")
        exact, best = predict(job, stages, fine()), weighed[:CONFIRMED]
        again = [side_by_side.submit(_weighed, a.label, a.change, a.job, exact, stages, fine(), progress) for a in best]
        confirmed = []
        for number, (coarse, one) in enumerate(zip(best, again, strict=True)):
            progress.at(0.5 + 0.5 * number / len(best), f"confirming: {coarse.label}")
            confirmed.append(one.result())
    return tuple(sorted((a for a in confirmed if a is not None), key=lambda a: a.rank))


def _weighed(
    label: str,
    change: tuple[str, float] | None,
    changed: Job,
    before: Prediction,
    stages: Stages,
    fineness: Fineness,
    asked: Progress,
) -> Advice | None:
    """A change with its price; None for one that gains nothing, breaks something, or cannot be."""

    def until_cancelled(_share: float, _phrase: str) -> None:
        if asked.cancelled:
            raise Cancelled

    try:
        asked_through = Progress(until_cancelled)
        same_rows = before.fineness == fineness
        after = (
            weighed_again(before, changed, stages, asked_through)
            if same_rows
            else predict(changed, stages, fineness, asked_through)
        )
    except WideBerthError:
        return None
    house, was, now = changed.bench.house, before.verdict, after.verdict
    seconds = now.totals.seconds - was.totals.seconds
    resin, marks = now.totals.resin_ml - was.totals.resin_ml, _marks_mm2(after) - _marks_mm2(before)
    minutes = seconds / 60 + house.minutes_per_ml * resin + house.minutes_per_mark_mm2 * marks
    weakest = was.weakest if was.weakest is not None else math.inf
    one = Advice(
        label, changed, change, weakest, now.hold_margin, now.plate_margin, seconds, resin, marks, minutes, _breaks(before, after)
    )
    return one if one.gain > WORTH and not one.breaks else None


def _marks_mm2(p: Prediction) -> float:
    """Area of all tips on the parts."""
    return sum(math.pi * t.diameter_mm**2 / 4 for t in p.verdict.tips)


def _breaks(before: Prediction, after: Prediction) -> tuple[str, ...]:
    """Findings that are new or graver than before, notes apart unless they are of blur, scraping, lift or warmth; margins are
    weighed by themselves."""
    worst: dict[Code, int] = {}
    for f in before.verdict.findings:
        worst[f.code] = min(RANK[f.severity], worst.get(f.code, RANK[NOTE]))
    own = (Code.TIP_MARGIN, Code.PLATE_MARGIN)
    new = [
        f
        for f in after.verdict.findings
        if f.code not in own
        and (RANK[f.severity] < worst.get(f.code, RANK[NOTE]) or (f.code in NEVER_NEW and f.code not in worst))
    ]
    return tuple(f.message for f in new)


def _changes(job: Job) -> Iterator[tuple[str, tuple[str, float] | None, Job]]:
    """Single changes to try, in words, by key where one bench value is changed, and the job with it."""
    p, bench = job.bench.print, job.bench
    values: list[tuple[str, str, float]] = []
    for by in (1.15, 1.3, 1.5, 1.8):
        seconds = round(by * p.exposure_s, 1)
        values.append((f"expose {seconds:g} s instead of {p.exposure_s:g}", "print.exposure_s", seconds))
    for more in (3.0, 6.0, 10.0):
        if p.vat_c + more <= bench.resin.warmest_c:
            values.append((f"warm the vat to {p.vat_c + more:g} °C", "print.vat_c", p.vat_c + more))
    for by in (0.7, 0.5):
        speed = round(by * p.lift_mm_per_min)
        values.append((f"lift at {speed:g} mm/min instead of {p.lift_mm_per_min:g}", "print.lift_mm_per_min", float(speed)))
    for by in (1.3, 1.7):
        seconds = round(by * p.first_exposure_s)
        words = f"expose first layers {seconds:g} s instead of {p.first_exposure_s:g}"
        values.append((words, "print.first_exposure_s", float(seconds)))
    for label, key, value in values:
        yield label, (key, value), replace(job, bench=_with(bench, key, value))
    yield from _other_changes(job)


def _with(bench: Bench, key: str, value: float) -> Bench:
    """A bench value, and the vat's drift along with its warmth."""
    made = bench.with_value(key, value, "advised")
    if key == "print.vat_c" and bench.print.drift_to_c is not None:
        made = made.with_value("print.drift_to_c", bench.print.drift_to_c + value - bench.print.vat_c, "advised")
    return made


def _other_changes(job: Job) -> Iterator[tuple[str, None, Job]]:
    """Thicker tips, wider holes and thinner layers, with the light these are advised."""
    for more in (0.1, 0.2):
        thicker = job
        for part in job.parts:
            sizes = {c.id: round(c.diameter_mm + more, 3) for c in part.supports.contacts if not c.pinned}
            most = max(sizes.values(), default=0.0)
            if sizes and most <= job.bench.supports.largest_tip_mm + more:
                thicker = thicker.with_part(replace(part, supports=part.supports.sized(sizes)))
        if thicker is not job:
            yield f"draw tips {more:g} mm thicker", None, thicker
    wider = job
    for part in job.parts:
        if part.holes:
            holes = tuple(replace(h, diameter_mm=round(1.4 * h.diameter_mm, 2)) for h in part.holes)
            wider = wider.with_part(part.with_holes(holes))
    if wider is not job:
        yield "drill holes ×1.4 as wide", None, wider
    p, step = job.bench.print, job.bench.printer.step_mm
    thin = round(0.6 * p.layer_height_mm / step) * step
    if thin >= step and thin < p.layer_height_mm:
        bench = job.bench.with_value("print.layer_height_mm", thin, "advised")
        seconds = round(exposure_advice(bench, p.vat_c).advised_s, 1)
        bench = bench.with_value("print.exposure_s", seconds, "advised")
        yield f"layers of {thin:.3g} mm, exposed {seconds:g} s", None, replace(job, bench=bench)
