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
        self.moving = ""
        """Id of the hole that is being moved, "" for none."""
        self.seen: Probed | None = None
        self.seen_at: NDArray[np.float64] | None = None
        self._act: Callable[[str, NDArray[np.float64]], None] | None = None
        self._probing: Task | None = None
        self._next: tuple[str, NDArray[np.float64]] | None = None

    @property
    def drilling(self) -> bool:
        """Whether the next click drills."""
        return self._act == self._drill

    def ask(self, hint: str, act: Callable[[str, NDArray[np.float64]], None]) -> None:
        """Let the next clicks on a part be told to `act`: id of the part, and the spot on the plate."""
        self._act = act
        self.asked.emit(hint)

    def start(self, moving: str = "") -> None:
        """Let the next click drill a hole, or move one by its id."""
        self.moving = moving
        self.ask(PLACE_HINT if not moving else f"click where hole {self._number(moving)} is to go", self._drill)

    def _number(self, id: str) -> int:
        """What a hole of the chosen part is called on screen."""
        part = self._session.present_part
        return next((n for n, h in enumerate(part.holes if part is not None else (), 1) if h.id == id), 0)

    def stop(self) -> None:
        """Clicks choose parts again."""
        self.moving, self._act, self.seen, self.seen_at, self._next = "", None, None, None, None
        self.asked.emit("")

    @property
    def asking(self) -> bool:
        return self._act is not None

    def clicked(self, part: str, point_mm: NDArray[np.float64]) -> None:
        """A spot of a part was clicked."""
        if self._act is not None:
            self._act(part, point_mm)

    def _drill(self, part: str, point_mm: NDArray[np.float64]) -> None:
        self.drill_at(part, point_mm)

    def drill_at(self, part: str, point_mm: NDArray[np.float64]) -> None:
        """Drill a hole of the chosen kind at a point of the plate, or move the one that is being moved there."""
        session, moving = self._session, self.moving
        diameter = self.diameter_mm or hole_diameter_mm(session.job.bench)
        shape = (self.outline, self.taper_deg, self.margin_mm)
        old = session.job.part(part).hole(moving)
        if moving and (part != session.part or old is None):
            self.stop()
            return
        if old is not None:
            diameter, shape = old.diameter_mm, (old.outline, old.taper_deg, old.margin_mm)
        try:
            job = hole_on_plate(
                session.job, part, session.stages, point_mm, diameter, "set by hand", *shape, instead_of=moving
            )
        except WideBerthError as error:
            session.failed.emit(error.text)
            return
        session.part = part
        session.change(f"drill a {diameter:g} mm hole" if not moving else f"move hole {self._number(moving)}", job)
        if moving:
            self.stop()

    # what the pointer would drill

    def hover(self, part: str, point_mm: NDArray[np.float64]) -> None:
        """Look at a spot of the plate, off the interface thread; only the latest one counts."""
        if not self.drilling:
            return
        if self._probing is not None:
            self._next = (part, point_mm)
            return
        session, job = self._session, self._session.job
        prediction = session.prediction
        if prediction is None or prediction.job is not job or (solids := prediction.solids_of(part)) is None:
            return
        matrix = solids.matrix
        own = np.linalg.inv(matrix)[:3] @ np.append(point_mm, 1.0)
        diameter = self.diameter_mm or hole_diameter_mm(job.bench)
        moving = self._number(self.moving) - 1

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
