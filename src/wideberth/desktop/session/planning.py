"""The plan: what the runs of the job use, when they may begin, and what was chosen of that; worked out beside."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from weakref import ref

from PySide6.QtCore import QObject, QTimer, Signal

from wideberth.core.job import Job
from wideberth.core.plan import (
    Attendance,
    Begun,
    Landing,
    Moment,
    Phase,
    Quote,
    Run,
    Taking,
    TimeShares,
    Usage,
    Wanted,
    checklist_of,
    counts_worth_telling,
    landings,
    least_hanging,
    moments,
    predicted_runs,
    quote_of,
    run_of,
    says_text,
    taking_of,
    time_shares,
    usage_of,
    waits_of,
    wanted_of,
    week_of,
)
from wideberth.core.predict import Prediction, Stages
from wideberth.core.progress import Progress
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.predicting import Predicting
from wideberth.desktop.session.tasks import Tasks

AHEAD = 7
"""Days that are looked at."""
APART = timedelta(minutes=5)
Window = tuple[Landing, Landing]
"""The first and the last good start of those that follow each other."""


@dataclass(frozen=True, eq=False)
class Planned:
    """What is known of a job's runs, without the prediction that told it, which is large: usages : of each plate that has
    prints; of the plate that is shown the moments, the way to begin, the checklist. best : of all starts the one that hangs
    least, where none is good. looked_closer : the shown plate was, when this was worked out."""

    job: Job
    usages: tuple[Usage, ...]
    moments: tuple[Moment, ...]
    says: str
    shares: TimeShares
    windows: tuple[Window, ...]
    best: Landing | None
    checklist: tuple[Phase, ...]
    run: Run
    taking: Taking
    looked_closer: bool
    now: datetime
    wanted: tuple[Wanted, ...]
    shown: int
    """Which of the runs that are wanted is the shown plate's."""

    @staticmethod
    def after(seconds: float) -> timedelta:
        """So much printing, to whole minutes."""
        return timedelta(minutes=round(seconds / 60))

    def landing_at(self, begins: datetime) -> Landing | None:
        """How the shown plate's run goes that is begun at a time."""
        run = self.run
        until = begins + run.before + run.high + timedelta(days=AHEAD)
        return Attendance(self.job.bench.hours, begins - timedelta(days=1), until).landing(run, begins)


class Planning(QObject):
    """Signals: planned (something else is known), chosen (another start, count or sheet), told_beside (what variants and other
    printers come to, a tuple of `Beside`)."""

    planned = Signal()
    told_beside = Signal(object)
    chosen = Signal()

    def __init__(self, document: Document, predicting: Predicting, tasks: Tasks, stages: Stages) -> None:
        super().__init__()
        self._document, self._predicting, self._tasks, self._stages = document, predicting, tasks, stages
        self.known: Planned | None = None
        self.week: list[Begun] | None = []
        """When each of several runs begins; empty for a single one, None where no such week exists."""
        self._weeks = 0
        self.more: tuple[Wanted, ...] = ()
        """Runs of other saved jobs that are planned along."""
        self.pins: dict[int, datetime] = {}
        """When other runs than the shown one were dragged to begin, by their number among `wanted`."""
        self.waits: dict[int, str] = {}
        self.begin: datetime | None = None
        """When the run is to begin, as it was chosen; None: at the first good start."""
        self.count = 1
        self.sheet = "When"
        self.clock: Callable[[], datetime] = datetime.now
        self.is_looked_at = False
        self._seen: ref[Prediction] | None = None
        self._running = False
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._go_on)
        predicting.predicted.connect(self._later.start)
        tasks.free.connect(self._later.start)
        document.replaced.connect(self._forget)

    @property
    def is_current(self) -> bool:
        return self.known is not None and self.known.job is self._document.job

    @property
    def landing(self) -> Landing | None:
        """How the shown plate's run goes: as it was chosen, or as the week has it, or from the first good start on."""
        if self.known is None:
            return None
        if self.begin is not None:
            return self.known.landing_at(self.begin)
        for begun in self.week or ():
            if begun.wanted == self.known.shown:
                return begun.landing
        return self.known.windows[0][0] if self.known.windows else self.known.best

    def look(self, wanted: bool) -> None:
        """Whether anyone looks at the plan."""
        self.is_looked_at = wanted
        if wanted:
            self._later.start()

    @property
    def wanted(self) -> tuple[Wanted, ...]:
        """All runs that share the week: of the job's plates, then of other jobs."""
        return () if self.known is None else (*self.known.wanted, *self.more)

    @property
    def others(self) -> list[Begun]:
        """The runs that are not the shown plate's, as the week has them."""
        return [] if self.known is None else [w for w in self.week or () if w.wanted != self.known.shown]

    def plan_along(self, more: tuple[Wanted, ...]) -> None:
        """Let runs of other jobs share the week; none to have the job's own alone."""
        self.more, self.pins = more, {}
        self._plan_week()
        self.chosen.emit()

    def pin(self, number: int, begin: datetime) -> None:
        """Have another run begin at a time."""
        self.pins[number] = begin
        self._plan_week()

    def choose_begin(self, begin: datetime | None) -> None:
        self.begin = begin
        self.chosen.emit()
        self._plan_week()

    def _plan_week(self) -> None:
        """Place all runs of a job of several plates, the shown one where it was chosen to begin."""
        known, self._weeks = self.known, self._weeks + 1
        if known is None or len(self.wanted) < 2:
            self.week, self.waits = [], {}
            return
        number, hours, now = self._weeks, known.job.bench.hours, known.now
        pins = self.pins | ({known.shown: self.begin} if self.begin is not None else {})
        wanted = [replace(w, pinned=pins.get(n)) for n, w in enumerate(self.wanted)]
        change = timedelta(minutes=hours.change_min)

        def work(_: Progress) -> tuple[list[Begun] | None, dict[int, str]]:
            week = week_of(wanted, hours, now, change, AHEAD)
            return week, waits_of(week, wanted, hours, now, change, AHEAD) if week else {}

        def done(found: tuple[list[Begun] | None, dict[int, str]]) -> None:
            if number == self._weeks and known is self.known:
                self.week, self.waits = found
                self.chosen.emit()

        self._tasks.beside(work, done)

    def choose_count(self, count: int) -> None:
        self.count = max(1, count)
        self.chosen.emit()

    def turn_to(self, sheet: str) -> None:
        self.sheet = sheet
        self.chosen.emit()

    def quotes(self) -> list[Quote]:
        """For the count that is chosen, then for each that has another discount; none while nothing is known."""
        if self.known is None:
            return []
        job, usages = self.known.job, self.known.usages
        counts = [self.count, *(n for n in counts_worth_telling(job.bench) if n != self.count)]
        return [quote_of(job.title, job.bench, usages, n) for n in counts]

    def _forget(self) -> None:
        self.known, self.begin, self._seen, self.week = None, None, None, []
        self.pins, self.waits = {}, {}
        self.planned.emit()

    def _go_on(self) -> None:
        seen = self._predicting.prediction
        if not self.is_looked_at or self._running or self._tasks.acts or seen is None or seen.job is not self._document.job:
            return
        if self._seen is not None and self._seen() is seen:
            return
        self._running = True
        now = self.clock()

        def done(known: Planned) -> None:
            self._running = False
            if self.known is None or len(self.known.wanted) != len(known.wanted):
                self.pins = {}  # they go by number
            self.known, self._seen = known, ref(seen)
            self._plan_week()
            self.planned.emit()
            self._later.start()  # a finer prediction may be there by now

        def stopped() -> None:
            self._running = False

        self._tasks.beside(lambda progress: _planned(seen, self._stages, now, progress), done, stopped)


def _planned(seen: Prediction, stages: Stages, now: datetime, progress: Progress) -> Planned:
    """Everything of a job's runs; the plates that are not shown are predicted coarsely."""
    job = seen.job
    predictions = predicted_runs(job, stages, True, progress, seen)
    wanted = [replace(wanted_of(p), name=job.plate(p.plate).name) for p in predictions]
    usages, shown = [usage_of(p) for p in predictions], predictions.index(seen)
    run, hours = run_of(seen), job.bench.hours
    windows: list[Window] = []
    for one in landings(run, hours, now, AHEAD):
        if windows and one.begins - windows[-1][1].begins <= APART:
            windows[-1] = (windows[-1][0], one)
        else:
            windows.append((one, one))
    best = None if windows else least_hanging(run, hours, now, AHEAD)
    return Planned(
        job,
        tuple(usages),
        moments(seen),
        says_text(seen),
        time_shares(seen),
        tuple(windows),
        best,
        checklist_of(seen),
        run,
        taking_of(seen),
        seen.looked_closer,
        now,
        tuple(wanted),
        shown,
    )
