"""What the plan shows of each print: footprint, weight, pull and margin, and the gaps; made ready beside."""

from __future__ import annotations

from dataclasses import replace
from math import inf
from weakref import ref

from PySide6.QtCore import QObject, QTimer, Signal

from wideberth.core.job import Job, Part
from wideberth.core.plate import Footprint
from wideberth.core.predict import Gap, Loss, Prediction, PrintTold, gaps_between, losses, told_by_print
from wideberth.core.progress import Progress
from wideberth.desktop.session import Session

SHOWN_GAPS = 3.0
"""Times the house's least gap: what is farther apart needs no telling."""
LEAST_SHOWN_MM = 10.0


Found = tuple[dict[str, Footprint], tuple[PrintTold, ...], tuple[Gap, ...], tuple[Loss, ...]]


class PlateFacts(QObject):
    """Signals: changed (something else is known).

    footprints : by the part's id, of the part as it was when it was last looked at.
    """

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._parts: dict[str, Part] = {}
        self.footprints: dict[str, Footprint] = {}
        self._told: dict[str, PrintTold] = {}
        self.gaps: tuple[Gap, ...] = ()
        self._losses: tuple[Loss, ...] = ()
        self._of: Job | None = None
        """The job that `told`, `gaps` and `losses` are of."""
        self._seen: ref[Prediction] | None = None
        self._wholly = False
        """Which prediction was looked at last, and whether wholly: while nobody looks, outlines alone are made ready."""
        self._asked = False
        self._wanted = False
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self._ask)
        session.document.replaced.connect(self._forget)
        session.predicting.predicted.connect(self._later.start)
        session.tasks.free.connect(self._later.start)
        session.selection.step_chosen.connect(self._look)

    @property
    def told(self) -> dict[str, PrintTold]:
        """By the id of a placement; without margins while someone is to guess them."""
        covered = self._session.training.covers
        return {id: replace(told, margin=inf) for id, told in self._told.items()} if covered else self._told

    @property
    def losses(self) -> tuple[Loss, ...]:
        """Of prints, the weakest first; none while someone is to guess them."""
        return () if self._session.training.covers else self._losses

    @property
    def is_current(self) -> bool:
        """Whether weights, pulls and gaps are those of the present job."""
        return self._of is self._session.job

    def _look(self, step: str) -> None:
        self._wanted = step == "plate"
        if self._wanted:
            self._later.start()

    def _forget(self) -> None:
        self._parts, self.footprints, self._told, self.gaps, self._losses, self._of, self._seen = {}, {}, {}, (), (), None, None
        self.changed.emit()

    def _ask(self) -> None:
        """Look at the prediction at hand, unless it was looked at."""
        seen, tasks = self._session.prediction, self._session.tasks
        if self._asked or tasks.acts or seen is None or seen.job is not self._session.job:
            return
        if not self._wanted and not seen.looked_closer:  # while nobody looks it is made ready when all else is done
            return
        wholly = self._wanted
        if self._seen is not None and self._seen() is seen and (self._wholly or not wholly):
            return
        self._asked = True
        within = max(LEAST_SHOWN_MM, SHOWN_GAPS * seen.job.bench.house.apart_mm)
        stages = self._session.stages

        def work(progress: Progress) -> Found:
            settings = seen.job.bench.supports
            footprints = {s.placed.part.id: stages.footprint(s.placed.part, settings, progress) for s in seen.solids}
            if not wholly:
                return footprints, (), (), ()
            told = told_by_print(seen, stages, progress)
            gaps = gaps_between(seen.solids, stages, settings, within, progress)
            return footprints, told, gaps, losses(seen, stages, progress)

        def done(found: Found) -> None:
            self._over()
            footprints, told, gaps, lost = found
            self.footprints = {**self.footprints, **footprints}
            self._seen, self._wholly = ref(seen), wholly
            if wholly:
                self._told, self.gaps, self._losses, self._of = {t.id: t for t in told}, gaps, lost, seen.job
            self.changed.emit()
            self._later.start()  # a finer one may be there by now

        tasks.beside(work, done, self._over)

    def _over(self) -> None:
        self._asked = False
