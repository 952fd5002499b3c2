"""The course: the steps as a plotted track with waypoints. Any may be chosen at any time."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from wideberth.core.job import Job, Part
from wideberth.core.predict import Examined, Prediction
from wideberth.core.verdict import Code
from wideberth.desktop.glossary import words_of
from wideberth.desktop.session import Session
from wideberth.desktop.steps.model import Examiner
from wideberth.desktop.style import DAY, draw_waypoint, tip, typeface
from wideberth.desktop.words import STEP_KEYS, STEP_NAMES, count, hours_text

TRACK_X = 26
TEXT_X = 46


def course_state(
    step: str, job: Job, prediction: Prediction | None, part: Part | None, examined: Examined | None = None
) -> tuple[str, str]:
    """State (done, open, skipped, look) of a step and its one-line reason."""
    bench = job.bench
    if step == "bench":
        said = prediction.verdict.findings if prediction is not None and prediction.job is job else ()
        bad = sum(f.step == "bench" and f.severity != "note" for f in said)
        if bad:
            return "look", count(bad, "setting") + " to look at"
        return "done", f"{bench.resin.name.split(',')[0]} · {bench.print.vat_c:g} °C"
    if part is None:
        return "open", "no model yet" if step == "model" else ""
    verdict = prediction.verdict if prediction is not None and prediction.job is job else None
    codes = {f.code for f in verdict.findings if f.severity != "note"} if verdict else set()
    if step == "model":
        if examined is None:
            return "open", f"{part.scale:.3g} × · looking it over"
        bad = sum(f.severity != "note" for f in examined.flaws)
        return ("look", f"{part.scale:.3g} × · {count(bad, 'flaw')}") if bad else ("done", f"{part.scale:.3g} × · sound")
    if step == "split":
        if codes & {Code.TOO_TALL, Code.OFF_PLATE}:
            return "look", "does not fit"
        return ("done", count(len(part.cuts), "cut")) if part.cuts else ("skipped", "fits the plate")
    if step == "hollow":
        return ("done", f"{part.shell.wall_mm:g} mm wall") if part.shell else ("skipped", "solid")
    if step == "orient":
        lean_x, lean_y = part.pose.lean_deg
        leaning = abs(lean_x) > 0.5 or abs(lean_y) > 0.5
        return "done", f"leans {abs(lean_x):.0f}° · {abs(lean_y):.0f}°" if leaning else "as it came"
    if step == "drain":
        if codes & {Code.CUP_SEALED, Code.TRAP, Code.HOLE_BLIND}:
            return "look", count(len(part.holes), "hole") + " · not enough" if part.holes else "a cup without a hole"
        return ("done", count(len(part.holes), "hole")) if part.holes else ("skipped", "no hole needed")
    if step == "support":
        if codes & {Code.ISLAND, Code.TIP_MARGIN, Code.TIP_MISSES, Code.UNSTEADY, Code.NOTHING_HOLDS, Code.PLATE_MARGIN}:
            return "look", count(len(part.supports.contacts), "tip") + " · not enough"
        return ("done", count(len(part.supports.contacts), "tip")) if part.supports else ("skipped", "stands on the plate")
    if step == "plate":
        if Code.IN_KEPT_FREE in codes:
            return "look", "in a zone kept free"
        return ("look", "over the edge") if Code.OFF_PLATE in codes else ("done", count(len(job.parts), "part"))
    if step == "predict":
        if verdict is None:
            return "open", "computing"
        bad = sum(f.severity != "note" for f in verdict.findings)
        notes = count(len(verdict.findings), "note") if verdict.findings else "nothing to say"
        return ("look", count(bad, "finding")) if bad else ("done", notes)
    if step == "log":
        return "open", "what happened"
    if step == "plan":
        return "open", "" if verdict is None else f"{hours_text(verdict.totals.seconds)} a run"
    return "open", ""


class Course(QWidget):
    """The track of steps, drawn. Up and down arrows move along it."""

    def __init__(self, session: Session, examiner: Examiner) -> None:
        super().__init__()
        self._session, self._examiner = session, examiner
        self.setFixedWidth(196)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Course: the steps of the work")
        for signal in (
            session.document.changed,
            session.predicting.predicted,
            session.selection.step_chosen,
            session.selection.part_chosen,
        ):
            signal.connect(self.update)
        examiner.examined.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(196, 46 * len(STEP_NAMES))

    def _spacing(self) -> float:
        return min(56.0, (self.height() - 16) / len(STEP_NAMES))

    def _middle(self, number: int) -> float:
        return 8 + (number + 0.5) * self._spacing()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        job, prediction = self._session.job, self._session.prediction
        part = self._session.selection.present
        pen = QPen(QColor(DAY.ink), 1.4, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.drawLine(QPointF(TRACK_X, self._middle(0)), QPointF(TRACK_X, self._middle(len(STEP_NAMES) - 1)))
        for number, (step, name) in enumerate(STEP_NAMES.items()):
            y = self._middle(number)
            state, reason = course_state(step, job, prediction, part, self._examiner.present)
            if step == self._session.selection.step:
                painter.setPen(QPen(QColor(DAY.ink), 1.4 if not self.hasFocus() else 2.2))
                painter.setBrush(QColor(DAY.card))
                painter.drawRect(QRectF(6, y - 21, self.width() - 14, 42))
            else:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(DAY.paper))
                painter.drawRect(QRectF(TRACK_X - 9, y - 9, 18, 18))
            draw_waypoint(painter, state, QPointF(TRACK_X, y), DAY)
            warns = state == "look"
            painter.setPen(QColor(DAY.ink))
            painter.setFont(typeface(11))
            painter.drawText(QPointF(TEXT_X, y - 2), name)
            self._underline(painter, QPointF(TEXT_X, y - 2), name, STEP_KEYS[step])
            painter.setPen(QColor(DAY.hazard if warns else DAY.faint))
            painter.setFont(typeface(9.5))
            text = painter.fontMetrics().elidedText(reason, Qt.TextElideMode.ElideRight, self.width() - TEXT_X - 12)
            painter.drawText(QPointF(TEXT_X, y + 14), text)

    @staticmethod
    def _underline(painter: QPainter, at: QPointF, name: str, letter: str) -> None:
        """A line under the letter that chooses a step together with Alt."""
        place = name.lower().index(letter.lower())
        metrics = painter.fontMetrics()
        left = at.x() + metrics.horizontalAdvance(name[:place])
        painter.setPen(QPen(QColor(DAY.faint), 1.0))
        painter.drawLine(QPointF(left, at.y() + 2.5), QPointF(left + metrics.horizontalAdvance(name[place]), at.y() + 2.5))

    def _step_at(self, y: float) -> str | None:
        number = int((y - 8) // self._spacing())
        return list(STEP_NAMES)[number] if 0 <= number < len(STEP_NAMES) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if step := self._step_at(event.position().y()):
            self._session.selection.choose_step(step)

    def event(self, event: QEvent) -> bool:
        """Tooltips say what the words of a step mean."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            step = self._step_at(event.pos().y())
            self.setToolTip(tip(words_of(step)) if step else "")
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        names = list(STEP_NAMES)
        at = names.index(self._session.selection.step)
        move = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if move is None:
            super().keyPressEvent(event)
        else:
            self._session.selection.choose_step(names[(at + move) % len(names)])
