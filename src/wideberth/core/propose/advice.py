"""What would save it: single changes of a job, each predicted anew, ranked by the margin that they gain for what they cost."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np

from wideberth.core.bench import Bench, exposure_advice, mark_min
from wideberth.core.errors import Cancelled, WideBerthError
from wideberth.core.job import Job
from wideberth.core.loads import SEALED_CUP, VENTED_CUP
from wideberth.core.model import nearest_on
from wideberth.core.orient import placing
from wideberth.core.predict import Fineness, Prediction, Stages, fine, look_closer, predict, preview, weighed_again
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.drilling import hole_at
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
CONFIRMED = 3
"""So many of the best are predicted finely."""
LOWER_MM = 2.0
SUCTION_SHARE = 0.05
"""Of the pull, from where on other holes are tried."""
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
    def helps(self) -> bool:
        """Whether it gains what is worth a word, and breaks nothing."""
        return self.gain > WORTH and not self.breaks

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


@dataclass(frozen=True)
class Change:
    """Something to try. label : in words. change : bench key and value, None for another change. make : the job with it."""

    label: str
    change: tuple[str, float] | None
    make: Callable[[], Job]


def advise(
    job: Job,
    stages: Stages,
    progress: Progress | None = None,
    told: Told | None = None,
    at_hand: Prediction | None = None,
    plate: str = "",
) -> tuple[Advice, ...]:
    """Changes that help, the best first; none where only another pose or more supports do.

    Each is predicted anew, coarsely first and the best of them finely. What breaks something else is left out, and so is more of
    a change of which less was enough or too much already.

    Parameters
    ----------
    told : hears of the best so far. at_hand : the fine prediction of that plate, where there is one. plate : its id, "" for the
    first one.

    Raises
    ------
    BadJob : as `predict`. Cancelled : when the progress is cancelled.
    """
    progress = progress or quiet()
    looking, trying, confirming = progress.stretches(0.1, 0.5, 1.0)
    before = predict(job, stages, preview(job.bench), looking, plate)
    families = _families(job, before, stages)
    weighed: list[Advice] = []

    def weigh(family: list[Change]) -> None:
        for change in family:
            one = _weighed(change, before, stages, None, progress)
            if one is not None and one.helps:
                weighed.append(one)
                if told is not None:
                    told(tuple(sorted(weighed, key=lambda a: a.rank)))
            if one is not None and (one.breaks or one.saves):
                return  # more of it costs more, and breaks no less

    with ThreadPoolExecutor(THREADS) as side_by_side:
        tried = [side_by_side.submit(weigh, family) for family in families]
        for number, one in enumerate(tried):
            trying.at(number / len(tried), f"trying: {families[number][0].label}")
            one.result()
        if not weighed:
            return ()
        confirming.at(0.0, "confirming the best")
        exact = at_hand or predict(job, stages, fine(), confirming.part(0.0, 0.5), plate)
        best = sorted(weighed, key=lambda a: a.rank)[:CONFIRMED]
        again = [
            side_by_side.submit(_weighed, Change(a.label, a.change, lambda a=a: a.job), exact, stages, fine(), progress)  # type: ignore[misc]
            for a in best
        ]
        confirmed = []
        for number, (coarse, sure) in enumerate(zip(best, again, strict=True)):
            confirming.at(0.5 + 0.5 * number / len(best), f"confirming: {coarse.label}")
            confirmed.append(sure.result())
    return tuple(sorted((a for a in confirmed if a is not None and a.helps), key=lambda a: a.rank))


def _weighed(tried: Change, before: Prediction, stages: Stages, fineness: Fineness | None, asked: Progress) -> Advice | None:
    """A change with what it gains, costs and breaks, as finely as asked or else coarsely; None for one that cannot be."""

    def until_cancelled(_share: float, _phrase: str) -> None:
        if asked.cancelled:
            raise Cancelled

    through = Progress(until_cancelled)
    try:
        through.at(0.0, "")
        changed = tried.make()
        wanted = fineness or preview(changed.bench)
        same_rows = before.fineness == wanted
        after = (
            weighed_again(before, changed, stages, through)
            if same_rows
            else predict(changed, stages, wanted, through, before.plate)
        )
        if before.printed.narrow and not after.printed.narrow:  # like is compared with like
            after = look_closer(after, stages, through)
    except WideBerthError:
        return None
    house, was, now = changed.bench.house, before.verdict, after.verdict
    seconds = now.totals.seconds - was.totals.seconds
    resin, marks = now.totals.resin_ml - was.totals.resin_ml, _marks_mm2(after) - _marks_mm2(before)
    finishing = _finishing_min(after) - _finishing_min(before)
    minutes = seconds / 60 + house.minutes_per_ml * resin + finishing
    weakest = was.weakest if was.weakest is not None else math.inf
    broken = _breaks(before, after)
    return Advice(
        tried.label, changed, tried.change, weakest, now.hold_margin, now.plate_margin, seconds, resin, marks, minutes, broken
    )


def _finishing_min(p: Prediction) -> float:
    """Minutes to finish the marks of all tips; as on usual faces where it is not known on what they stand."""
    known, house = p.verdict.finishing_min, p.job.bench.house
    return sum(mark_min(t.printed_mm, house) for t in p.verdict.tips) if known is None else known


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


def _families(job: Job, before: Prediction, stages: Stages) -> list[list[Change]]:
    """What to try: families of one kind of change, the least first."""
    p, bench = job.bench.print, job.bench

    def values(key: str, words: str, *several: float) -> list[Change]:
        return [Change(words.format(v), (key, v), lambda v=v: replace(job, bench=_with(bench, key, v))) for v in several]  # type: ignore[misc]

    light = [round(by * p.exposure_s, 1) for by in (1.15, 1.3, 1.5, 1.8)]
    warm = [p.vat_c + more for more in (3.0, 6.0, 10.0) if p.vat_c + more <= bench.resin.warmest_c]
    slow = [float(round(by * p.lift_mm_per_min)) for by in (0.7, 0.5)]
    first = [float(round(by * p.first_exposure_s)) for by in (1.3, 1.7)]
    families = [
        values("print.exposure_s", f"expose {{:g}} s instead of {p.exposure_s:g}", *light),
        values("print.vat_c", "warm the vat to {:g} °C", *warm),
        _thicker(job),
        [*_thinner_layers(job)],
        values("print.lift_mm_per_min", f"lift at {{:g}} mm/min instead of {p.lift_mm_per_min:g}", *slow),
        values("print.first_exposure_s", f"expose first layers {{:g}} s instead of {p.first_exposure_s:g}", *first),
        values("print.exposure_s", f"expose {{:g}} s instead of {p.exposure_s:g}", round(0.85 * p.exposure_s, 1)),
    ]
    if _suction_counts(before):
        families += [[Change("drill holes ×1.4 as wide", None, lambda: _wider(job))]]
        families += [[Change(f"holes {LOWER_MM:g} mm nearer the plate", None, lambda: _lower(job, stages))]]
    return [family for family in families if family]


def _suction_counts(before: Prediction) -> bool:
    """Whether suction has a share in the pull that decides the weakest margin, at its tip or under the base."""
    v, loads = before.verdict, before.loads
    if v.weakest_tip is not None and v.hold_margin == v.weakest:
        causes = loads.tip_cause_n[v.tips[v.weakest_tip].worst_layer, v.weakest_tip]
    elif v.plate_margin is not None:
        causes = loads.plate_cause_n_per_mm2[int(before.printed.all.grid.layer_of(v.plate_z_mm))]
    else:
        return False
    return float(causes[[SEALED_CUP, VENTED_CUP]].sum()) > SUCTION_SHARE * float(causes.sum())


def _with(bench: Bench, key: str, value: float) -> Bench:
    """A bench value, and the vat's drift along with its warmth."""
    made = bench.with_value(key, value, "advised")
    if key == "print.vat_c" and bench.print.drift_to_c is not None:
        made = made.with_value("print.drift_to_c", bench.print.drift_to_c + value - bench.print.vat_c, "advised")
    return made


def _thicker(job: Job) -> list[Change]:
    """Thicker tips, but those that are pinned."""
    changes = []
    for more in (0.1, 0.2):
        sizes = {
            part.id: {c.id: round(c.diameter_mm + more, 3) for c in part.supports.contacts if not c.pinned} for part in job.parts
        }
        most = max((d for own in sizes.values() for d in own.values()), default=0.0)
        if 0 < most <= job.bench.supports.largest_tip_mm + more:
            changes.append(Change(f"draw tips {more:g} mm thicker", None, lambda sizes=sizes: _sized(job, sizes)))  # type: ignore[misc]
    return changes


def _sized(job: Job, sizes: dict[str, dict[str, float]]) -> Job:
    for part in job.parts:
        if sizes[part.id]:
            job = job.with_part(replace(part, supports=part.supports.sized(sizes[part.id])))
    return job


def _wider(job: Job) -> Job:
    for part in job.parts:
        if part.holes:
            job = job.with_part(part.with_holes(tuple(replace(h, diameter_mm=round(1.4 * h.diameter_mm, 2)) for h in part.holes)))
    return job


def _lower(job: Job, stages: Stages) -> Job:
    """Every hole a little nearer the plate, on the surface there; one that finds no place stays where it is."""
    for part in job.parts:
        mesh = stages.cut(part)
        matrix = placing(mesh, part.pose)
        down = np.linalg.inv(matrix[:3, :3]) @ np.array([0.0, 0.0, -LOWER_MM])
        for hole in part.holes:
            if hole.pinned:
                continue
            _, spot = nearest_on(mesh, hole.point_mm + down)
            with suppress(WideBerthError):
                own = hole.outline, hole.taper_deg, hole.margin_mm
                job = hole_at(job, part.id, stages, spot, hole.diameter_mm, hole.why, *own, instead_of=hole.id)
    return job


def _thinner_layers(job: Job) -> Iterator[Change]:
    """Layers of about two thirds, with the light these are advised."""
    p, step = job.bench.print, job.bench.printer.step_mm
    thin = round(0.6 * p.layer_height_mm / step) * step
    if not step <= thin < p.layer_height_mm:
        return
    bench = job.bench.with_value("print.layer_height_mm", thin, "advised")
    seconds = round(exposure_advice(bench, p.vat_c).advised_s, 1)
    bench = bench.with_value("print.exposure_s", seconds, "advised")
    yield Change(f"layers of {thin:.3g} mm, exposed {seconds:g} s", None, lambda: replace(job, bench=bench))
