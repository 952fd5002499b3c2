"""Handles in the 3D view: three rings round the chosen part that turn it, with what the pose at the pointer would cost."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from scipy.spatial import ConvexHull, QhullError

from wideberth.core.job import posed
from wideberth.core.model import outermost, rotation_about
from wideberth.core.orient import Pose, PoseCost, covering, turned
from wideberth.core.predict import Prediction, glance, predict
from wideberth.core.progress import Progress
from wideberth.core.propose import cost_of
from wideberth.desktop.session import Canvas, Session, Tool
from wideberth.desktop.steps.orient.turner import set_pose
from wideberth.desktop.style import DAY, typeface
from wideberth.desktop.work import Task

ROUND = 120
NEAR_PX = 9.0
REACH = 0.44
"""Radius of the rings, in the diagonal of the part's box."""
STEP_DEG = 1.0
OUTLINED = 300
"""Directions along which the outline of a part that is turned is told by its outermost points."""


class Handles(Tool):
    """Rings about the plate's axes. While one is held the part stays where it was, and the outline shows where it would go."""

    grabs = True
    sees_through = True

    def __init__(self, session: Session) -> None:
        self._session = session
        self._axis: int | None = None
        self._from_deg = self._by_deg = 0.0
        self._over: int | None = None
        self._rings: dict[int, list[QPointF | None]] = {}
        self._corners: tuple[object, np.ndarray] | None = None
        self._cost: PoseCost | None = None
        self._weighing: Task | None = None
        self._glancing: Task | None = None
        self._wanted: Pose | None = None

    @property
    def hint(self) -> str:  # type: ignore[override]
        return "drag a ring to turn the part about that axis of the plate"

    # the mouse

    def grab(self, at: QPointF) -> bool:
        near = self._nearest(at)
        if near is None:
            return False
        self._axis, self._from_deg = near
        self._by_deg, self._cost, self._wanted = 0.0, None, None
        return True

    def pulled(self, at: QPointF) -> None:
        if self._axis is None:
            return
        seen = [(i, p) for i, p in enumerate(self._rings.get(self._axis, [])) if p is not None]
        if not seen:
            return
        step, _ = min(seen, key=lambda s: (s[1].x() - at.x()) ** 2 + (s[1].y() - at.y()) ** 2)
        by = (step * 360.0 / ROUND - self._from_deg + 180.0) % 360.0 - 180.0
        self._by_deg = round(by / STEP_DEG) * STEP_DEG
        wanted = self._pose()
        if wanted != self._wanted:
            self._wanted = wanted
            self._glance()
        self._session.sight.tool_moved.emit()

    def released(self) -> None:
        axis, by, part = self._axis, self._by_deg, self._session.selection.present
        self._axis, self._by_deg, self._cost = None, 0.0, None
        self._end_glance()
        if axis is not None and by and part is not None:
            self._session.predicting.keep_ghost()
            set_pose(self._session, f"turn {by:g}° about {'xyz'[axis]}", turned(part.pose, axis, by))
        self._session.sight.tool_moved.emit()

    def passed(self, at: QPointF) -> None:
        near = self._nearest(at)
        over = None if near is None else near[0]
        if over != self._over:
            self._over = over
            self._session.sight.tool_moved.emit()

    def laid_down(self) -> None:
        self._axis, self._over, self._cost = None, None, None
        self._end_glance()

    def _nearest(self, at: QPointF) -> tuple[int, float] | None:
        """Axis and angle of the ring under a point of the view."""
        best, least = None, NEAR_PX
        for axis, ring in self._rings.items():
            for step, p in enumerate(ring):
                if p is not None and (away := float(np.hypot(p.x() - at.x(), p.y() - at.y()))) < least:
                    best, least = (axis, step * 360.0 / ROUND), away
        return best

    # what the pose at the pointer would cost

    def _pose(self) -> Pose | None:
        part = self._session.selection.present
        return None if part is None or self._axis is None else turned(part.pose, self._axis, self._by_deg)

    def _glance(self) -> None:
        """Let the log follow the pose at the pointer, the present one beside it; while one is looked at the next waits, and only
        the last of them. What it costs is weighed as soon as the pointer rests: both at once would take both cores, and the log
        would lag."""
        job, part, stages, pose = self._session.job, self._session.selection.present, self._session.stages, self._wanted
        if self._glancing is not None or pose is None or part is None or self._session.tasks.acts:
            return
        turned_job, plate = job.with_part(posed(part, pose)), self._session.predicting.plate

        def done(seen: Prediction) -> None:
            self._glancing = None
            if self._axis is not None and job is self._session.job:
                self._session.predicting.show_glance(seen)
                if self._wanted != pose:
                    self._glance()
                else:
                    self._weigh()

        def over() -> None:
            self._glancing = None

        self._glancing = self._session.tasks.beside(
            lambda p: predict(turned_job, stages, glance(job.bench), p, plate), done, over
        )

    def _weigh(self) -> None:
        """Weigh the pose at the pointer, where none is being weighed."""
        if self._weighing is not None or self._wanted is None or self._session.tasks.acts:
            return
        job, id, stages, pose = self._session.job, self._session.selection.part, self._session.stages, self._wanted

        def work(_: Progress) -> PoseCost:
            return cost_of(job, id, stages, pose)

        def over() -> None:
            self._weighing = None

        def done(cost: PoseCost) -> None:
            self._weighing = None
            if self._axis is not None and job is self._session.job:
                self._cost = cost
                self._session.sight.tool_moved.emit()
                if self._wanted != pose and self._glancing is None:
                    self._weigh()

        self._weighing = self._session.tasks.beside(work, done, over)

    def _end_glance(self) -> None:
        """Nothing is held any more: what is looked at beside gives way to what was asked for."""
        if self._glancing is not None:
            self._glancing.cancel()
        self._session.predicting.show_glance(None)

    # painting

    def paint(self, painter: QPainter, canvas: Canvas) -> None:
        p = self._session.prediction
        solids = None if p is None else p.solids_of(self._session.selection.part)
        if solids is None:
            self._rings = {}
            return
        low, high = solids.box_mm
        centre, radius = 0.5 * (low + high), REACH * float(np.linalg.norm(high - low))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for axis in range(3):
            self._rings[axis] = [self._seen(canvas, centre + radius * self._on_ring(axis, k)) for k in range(ROUND)]
            held = axis in (self._axis, self._over if self._axis is None else None)
            painter.setPen(QPen(QColor(DAY.hazard if held else DAY.ink), 2.0 if held else 1.1))
            ring = self._rings[axis]
            for one, other in zip(ring, [*ring[1:], ring[0]], strict=True):
                if one is not None and other is not None:
                    painter.drawLine(one, other)
            named = ring[ROUND // 8]
            if named is not None:
                painter.setFont(typeface(10.5, italic=True))
                canvas.slip(painter, named, "xyz"[axis])
                painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._axis is not None and self._by_deg:
            self._paint_turned(painter, canvas, solids.own, solids.matrix, centre)

    @staticmethod
    def _on_ring(axis: int, step: int) -> np.ndarray:
        angle = 2 * np.pi * step / ROUND
        at = np.zeros(3)
        at[(axis + 1) % 3], at[(axis + 2) % 3] = np.cos(angle), np.sin(angle)
        return at

    @staticmethod
    def _seen(canvas: Canvas, at: np.ndarray) -> QPointF | None:
        return canvas.project((float(at[0]), float(at[1]), float(at[2])))

    def _paint_turned(self, painter: QPainter, canvas: Canvas, own, matrix, centre) -> None:  # type: ignore[no-untyped-def]
        """The outline of the part as it would be turned, and what that costs."""
        assert self._axis is not None
        if self._corners is None or self._corners[0] is not own:
            still = self._session.stages.at_hand(lambda known: known.still(own))
            self._corners = own, outermost((own if still is None else still).points, covering(OUTLINED))
        placed = self._corners[1] @ matrix[:3, :3].T + matrix[:3, 3] - centre
        there = placed @ rotation_about(self._axis, self._by_deg).T + centre
        seen = [at for corner in there if (at := self._seen(canvas, corner)) is not None]
        if len(seen) > 2:
            points = np.array([(at.x(), at.y()) for at in seen])
            try:
                rim = points[ConvexHull(points).vertices]
            except QhullError:
                rim = points
            painter.setPen(QPen(QColor(DAY.hazard), 1.4, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in rim]))
        text = f"{self._by_deg:+.0f}° about {'xyz'[self._axis]}".replace("-", "−")
        if (c := self._cost) is not None:
            text += f" · {c.young_n:.1f} / {c.peak_n:.1f} N · {c.mark_min:.0f} min · {c.hours:.1f} h · {c.height_mm:.0f} mm tall"
            text += "" if c.fits else " · does not fit"
        at = self._seen(canvas, centre + np.array([0, 0, 0.5]))
        if at is not None:
            painter.setFont(typeface(9.5, italic=True))
            canvas.slip(painter, QPointF(at.x(), 84.0), text)
