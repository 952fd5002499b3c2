"""The findings list: what, where, how bad, why, what to do, and a way there."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from wideberth.core.propose import remedy_for
from wideberth.core.verdict import Finding
from wideberth.desktop.session import Session
from wideberth.desktop.style import DAY, ElidedLabel, PlainLabel, draw_severity
from wideberth.desktop.words import SEVERITY_WORDS, STEP_NAMES, count

SHOWN = 40
BESIDE_PX = 250
"""Width from which both buttons of a finding stand beside each other."""


class _Sign(QWidget):
    def __init__(self, severity: str) -> None:
        super().__init__()
        self._severity = severity
        self.setFixedSize(QSize(20, 20))

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_severity(painter, self._severity, QPointF(10, 10), 6.0, DAY)


class _Row(QWidget):
    """One finding: a click goes to its height, one button does what helps, the other opens the step for it."""

    def __init__(self, finding: Finding, session: Session) -> None:
        super().__init__()
        self._finding, self._session = finding, session
        p = session.prediction
        self._cure = remedy_for(finding, p, session.stages) if p is not None else None
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{SEVERITY_WORDS[finding.severity]}: {finding.message}")
        message, remedy = PlainLabel(finding.message), PlainLabel(f"{finding.z_mm:.2f} mm · {finding.remedy}")
        for label in (message, remedy):
            label.setWordWrap(True)
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        remedy.setProperty("role", "faint")
        go = _small(f"{STEP_NAMES[finding.step]} ›", f"go there and open the step {STEP_NAMES[finding.step]}", self._go)
        self._buttons = buttons = QHBoxLayout()
        buttons.setSpacing(6)
        if self._cure is not None:
            buttons.addWidget(_small(self._cure.label, "do it; undo takes it back", self._do, ""))
        buttons.addWidget(go)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)  # in a narrow list nothing is cut
        text = QVBoxLayout()
        text.setSpacing(2)
        text.addWidget(message)
        text.addWidget(remedy)
        beside = QHBoxLayout()
        beside.addLayout(buttons)
        beside.addStretch(1)
        text.addLayout(beside)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 3, 2, 5)
        row.setSpacing(6)
        row.addWidget(_Sign(finding.severity), 0, Qt.AlignmentFlag.AlignTop)
        row.addLayout(text, 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        beside = QHBoxLayout.Direction.LeftToRight if self.width() >= BESIDE_PX else QHBoxLayout.Direction.TopToBottom
        self._buttons.setDirection(beside)

    def _do(self) -> None:
        session, p = self._session, self._session.prediction
        if p is None or p.job is not session.job:
            session.messages.say("the job has changed since; wait for the new prediction")
            return
        cure = remedy_for(self._finding, p, session.stages)
        if cure is not None:
            session.cursor.move_to(self._finding.z_mm)
            session.proposing.propose(cure.label.lower(), cure.make)

    def _go(self) -> None:
        self._session.cursor.move_to(self._finding.z_mm)
        self._session.selection.choose_step(self._finding.step)

    def mousePressEvent(self, _event: object) -> None:
        self._session.cursor.move_to(self._finding.z_mm)


def _small(text: str, tip: str, act: Callable[[], None], role: str = "quiet") -> QPushButton:
    """A button of one line's height."""
    made = QPushButton(text)
    made.setProperty("role", role)
    made.setStyleSheet("padding: 1px 7px; min-height: 14px;")
    made.setToolTip(tip)
    made.clicked.connect(lambda: act())
    return made


class FindingsView(QFrame):
    """All findings, worst first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("card")
        self._session = session
        self._shown: tuple[Finding, ...] | None = None
        self.title = ElidedLabel("Findings")
        self.title.setProperty("role", "head")
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(190)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 4, 6)
        box.setSpacing(4)
        box.addWidget(self.title)
        box.addWidget(self._area, 1)
        session.predicting.predicted.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        p = self._session.prediction
        findings = p.verdict.findings if p is not None else ()
        if findings == self._shown:
            return
        self._shown = findings
        inner = QWidget()
        rows = QVBoxLayout(inner)
        rows.setContentsMargins(0, 0, 6, 0)
        rows.setSpacing(2)
        for finding in findings[:SHOWN]:
            rows.addWidget(_Row(finding, self._session))
        if not findings:
            quiet = PlainLabel("Nothing to say against it." if p is not None else "No prediction yet.")
            quiet.setProperty("role", "reason")
            rows.addWidget(quiet)
        if len(findings) > SHOWN:
            rows.addWidget(PlainLabel(f"and {len(findings) - SHOWN} more"))
        rows.addStretch(1)
        self._area.setWidget(inner)
        bad = sum(f.severity != "note" for f in findings)
        self.title.setText(
            f"Findings · {count(bad, 'to mend', 'to mend')}, {count(len(findings) - bad, 'note')}" if findings else "Findings"
        )
