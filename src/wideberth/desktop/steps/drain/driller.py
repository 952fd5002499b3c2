"""Placing holes by hand: the tool that drills where the part is clicked, and shows what a hole at the pointer would be."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from wideberth.core.drain import ROUND, Probed, hole_diameter_mm
from wideberth.core.errors import WideBerthError
from wideberth.core.progress import Progress
from wideberth.core.propose import hole_on_plate, probe_of
from wideberth.desktop.session import Canvas, Session, Spot, Tool
from wideberth.desktop.style import DAY, typeface
from wideberth.desktop.work import Task

PLACE_HINT = "click the surface to drill; supports are faint meanwhile"


class Driller(Tool):
    """What the next hole will be, or which one is being moved (`moving`, its id). seen : what a hole at the pointer would be."""

    hovers = True
    sees_through = True

    def __init__(self, session: Session) -> None:
        self._session = session
        self.diameter_mm: float | None = None
        self.outline, self.taper_deg = ROUND, 0.0
        self.margin_mm: float | None = None
        self.moving = ""
        self.seen: Probed | None = None
        self._seen_at: NDArray[np.float64] | None = None
        self._probing: Task | None = None
        self._next: tuple[str, NDArray[np.float64]] | None = None

    @property
    def hint(self) -> str:  # type: ignore[override]
        return PLACE_HINT if not self.moving else f"click where hole {self._number(self.moving)} is to go"

    @property
    def in_hand(self) -> bool:
        """Whether the next click drills."""
        return self._session.sight.tool is self

    def start(self, moving: str = "") -> None:
        """Let the next click drill a hole, or move one by its id."""
        self.moving = moving
        self._session.sight.take_up(self)

    def stop(self) -> None:
        """Clicks choose parts again."""
        self._session.sight.lay_down(self)

    def laid_down(self) -> None:
        self.moving, self.seen, self._seen_at, self._next = "", None, None, None

    def _number(self, id: str) -> int:
        """What a hole of the chosen part is called on screen."""
        part = self._session.selection.present
        return next((n for n, h in enumerate(part.holes if part is not None else (), 1) if h.id == id), 0)

    def clicked(self, part: str, spot_mm: Spot) -> None:
        """Drill a hole of the chosen kind at a spot of the plate, or move the one that is being moved there."""
        session, moving = self._session, self.moving
        diameter = self.diameter_mm or hole_diameter_mm(session.job.bench)
        shape = (self.outline, self.taper_deg, self.margin_mm)
        old = session.job.part(part).hole(moving)
        if moving and (part != session.selection.part or old is None):
            self.stop()
            return
        if old is not None:
            diameter, shape = old.diameter_mm, (old.outline, old.taper_deg, old.margin_mm)
        try:
            job = hole_on_plate(session.job, part, session.stages, spot_mm, diameter, "set by hand", *shape, instead_of=moving)
        except WideBerthError as error:
            session.messages.warn(error.text)
            return
        label = f"drill a {diameter:g} mm hole" if not moving else f"move hole {self._number(moving)}"
        session.selection.part = part
        session.document.change(label, job)
        if moving:
            self.stop()

    # what the pointer would drill

    def hovered(self, part: str, spot_mm: Spot) -> None:
        """Look at a spot of the plate, off the interface thread; only the latest one counts."""
        if self._probing is not None:
            self._next = (part, spot_mm)
            return
        session, job = self._session, self._session.job
        prediction = session.prediction
        if prediction is None or prediction.job is not job or (solids := prediction.solids_of(part)) is None:
            return
        own = solids.own_spot(spot_mm)
        diameter = self.diameter_mm or hole_diameter_mm(job.bench)
        moving = self._number(self.moving) - 1

        def look(_: Progress) -> Probed:
            return probe_of(job, part, session.stages).look(own, diameter, moving)

        def finished(seen: Probed) -> None:
            self._probing = None
            if self.in_hand:
                self.seen, self._seen_at = seen, spot_mm
                session.sight.tool_moved.emit()
                if self._next is not None:
                    waiting, self._next = self._next, None
                    self.hovered(*waiting)

        def failed(_: str) -> None:
            self._probing = None

        self._probing = Task(look, finished, failed).start()

    def left(self) -> None:
        self._next = None
        if self.seen is not None:
            self.seen, self._seen_at = None, None
            self._session.sight.tool_moved.emit()

    def paint(self, painter: QPainter, canvas: Canvas) -> None:
        """A ring that is whole where a hole works and broken where not, and words."""
        if self.seen is None or self._seen_at is None:
            return
        x, y, z = (float(v) for v in self._seen_at)
        at = canvas.project((x, y, z))
        if at is None:
            return
        works = self.seen.works
        pen = QPen(QColor(DAY.ink if works else DAY.hazard), 2.0)
        pen.setStyle(Qt.PenStyle.SolidLine if works else Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 9.0, 9.0)
        painter.setFont(typeface(9.5, italic=True))
        canvas.slip(painter, QPointF(at.x(), at.y() + 28), ("works: " if works else "does not: ") + self.seen.words)
