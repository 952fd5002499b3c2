"""Placing holes by hand: their shape, what the pointer would drill, and spots that other steps ask for. State beside the job."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from wideberth.core.drain import ROUND, Probed, hole_diameter_mm
from wideberth.core.errors import WideBerthError
from wideberth.core.progress import Progress
from wideberth.core.propose import hole_on_plate, probe_of
from wideberth.desktop.work import Task, start

if TYPE_CHECKING:
    from wideberth.desktop.session import Session

PLACE_HINT = "click the surface to drill; supports are faint meanwhile"


class Driller(QObject):
    """Signals: asked (what to do with the next click, "" for nothing), hovered (what a hole at the pointer would be)."""

    asked = Signal(str)
    hovered = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.diameter_mm: float | None = None
        self.outline, self.taper_deg = ROUND, 0.0
        self.margin_mm: float | None = None
        self.moving = -1
        self.seen: Probed | None = None
        self.seen_at: NDArray[np.float64] | None = None
        self._act: Callable[[int, NDArray[np.float64]], None] | None = None
        self._probing: Task | None = None
        self._next: tuple[int, NDArray[np.float64]] | None = None

    @property
    def drilling(self) -> bool:
        """Whether the next click drills."""
        return self._act == self._drill

    def ask(self, hint: str, act: Callable[[int, NDArray[np.float64]], None]) -> None:
        """Let the next clicks on a part be told to `act`: number of the part, and the spot on the plate."""
        self._act = act
        self.asked.emit(hint)

    def start(self, moving: int = -1) -> None:
        """Let the next click drill a hole, or move one."""
        self.moving = moving
        self.ask(PLACE_HINT if moving < 0 else f"click where hole {moving + 1} is to go", self._drill)

    def stop(self) -> None:
        """Clicks choose parts again."""
        self.moving, self._act, self.seen, self.seen_at, self._next = -1, None, None, None, None
        self.asked.emit("")

    @property
    def asking(self) -> bool:
        return self._act is not None

    def clicked(self, part: int, point_mm: NDArray[np.float64]) -> None:
        """A spot of a part was clicked."""
        if self._act is not None:
            self._act(part, point_mm)

    def _drill(self, part: int, point_mm: NDArray[np.float64]) -> None:
        self.drill_at(part, point_mm)

    def drill_at(self, part: int, point_mm: NDArray[np.float64]) -> None:
        """Drill a hole of the chosen kind at a point of the plate, or move the one that is being moved there."""
        session, moving = self._session, self.moving
        diameter = self.diameter_mm or hole_diameter_mm(session.job.bench)
        shape = (self.outline, self.taper_deg, self.margin_mm)
        if moving >= 0 and (part != session.part or moving >= len(session.job.parts[part].holes)):
            self.stop()
            return
        if moving >= 0:
            old = session.job.parts[part].holes[moving]
            diameter, shape = old.diameter_mm, (old.outline, old.taper_deg, old.margin_mm)
        try:
            job = hole_on_plate(
                session.job, part, session.stages, point_mm, diameter, "set by hand", *shape, instead_of=moving
            )
        except WideBerthError as error:
            session.failed.emit(error.text)
            return
        session.part = part
        session.change(f"drill a {diameter:g} mm hole" if moving < 0 else f"move hole {moving + 1}", job)
        if moving >= 0:
            self.stop()

    # what the pointer would drill

    def hover(self, part: int, point_mm: NDArray[np.float64]) -> None:
        """Look at a spot of the plate, off the interface thread; only the latest one counts."""
        if not self.drilling:
            return
        if self._probing is not None:
            self._next = (part, point_mm)
            return
        session, job = self._session, self._session.job
        prediction = session.prediction
        if prediction is None or prediction.job is not job:
            return
        matrix = prediction.solids_of(part).matrix
        own = np.linalg.inv(matrix)[:3] @ np.append(point_mm, 1.0)
        diameter, moving = self.diameter_mm or hole_diameter_mm(job.bench), self.moving

        def look(_: Progress) -> Probed:
            return probe_of(job, part, session.stages).look(own, diameter, moving)

        def finished(found: Probed) -> None:
            self._probing = None
            if self.drilling:
                self.seen, self.seen_at = found, point_mm
                self.hovered.emit()
            if self._next is not None:
                waiting, self._next = self._next, None
                self.hover(*waiting)

        def failed(_: str) -> None:
            self._probing = None

        task = Task(look)
        self._probing = task
        task.heard.when_finished = finished
        task.heard.when_failed = failed
        start(task)

    def leave(self) -> None:
        """The pointer is over no part."""
        self._next = None
        if self.seen is not None:
            self.seen, self.seen_at = None, None
            self.hovered.emit()
