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
    def __init__(self) -> None:
        super().__init__()
        self._severity = ""
        self.setFixedSize(QSize(20, 20))

    def show_severity(self, severity: str) -> None:
        self._severity = severity
        self.update()

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
        self._session = session
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._sign, self._message, self._remedy = _Sign(), PlainLabel(), PlainLabel()
        for label in (self._message, self._remedy):
            label.setWordWrap(True)
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._remedy.setProperty("role", "faint")
        self._cure, self._way = _small(self._do, ""), _small(self._go, "quiet")
        self._cure.setToolTip("do it; undo takes it back")
        self._buttons = buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(self._cure)
        buttons.addWidget(self._way)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)  # in a narrow list nothing is cut
        text = QVBoxLayout()
        text.setSpacing(2)
        text.addWidget(self._message)
        text.addWidget(self._remedy)
        beside = QHBoxLayout()
        beside.addLayout(buttons)
        beside.addStretch(1)
        text.addLayout(beside)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 3, 2, 5)
        row.setSpacing(6)
        row.addWidget(self._sign, 0, Qt.AlignmentFlag.AlignTop)
        row.addLayout(text, 1)
        self.tell(finding)

    def tell(self, finding: Finding) -> None:
        """Tell this finding from now on: words are changed sooner than widgets are made."""
        self._finding = finding
        p = self._session.prediction
        cure = remedy_for(finding, p, self._session.stages) if p is not None else None
        self.setAccessibleName(f"{SEVERITY_WORDS[finding.severity]}: {finding.message}")
        self._sign.show_severity(finding.severity)
        self._message.setText(finding.message)
        self._remedy.setText(f"{finding.z_mm:.2f} mm · {finding.remedy}")
        self._cure.setText("" if cure is None else cure.label)
        self._cure.setVisible(cure is not None)
        self._way.setText(f"{STEP_NAMES[finding.step]} ›")
        self._way.setToolTip(f"go there and open the step {STEP_NAMES[finding.step]}")

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


def _small(act: Callable[[], None], role: str) -> QPushButton:
    """A button of one line's height."""
    made = QPushButton()
    made.setProperty("role", role)
    made.setStyleSheet("padding: 1px 7px; min-height: 14px;")
    made.clicked.connect(lambda: act())
    return made


class FindingsView(QFrame):
    """All findings, worst first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("card")
        self._session = session
        self._shown: tuple[bool, tuple[Finding, ...]] | None = None
        self.title = ElidedLabel("Findings")
        self.title.setProperty("role", "head")
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(190)
        inner = QWidget()
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 6, 0)
        self._list.setSpacing(2)
        self._rows: list[_Row] = []
        self._quiet, self._more = PlainLabel(), PlainLabel()
        self._quiet.setProperty("role", "reason")
        self._list.addWidget(self._quiet)
        self._list.addWidget(self._more)
        self._list.addStretch(1)
        self._area.setWidget(inner)
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
        if (p is not None, findings) == self._shown:
            return
        self._shown = p is not None, findings
        told = findings[:SHOWN]
        for row in self._rows[len(told) :]:
            row.setParent(None)  # seen no more from now on
            row.deleteLater()
        del self._rows[len(told) :]
        for row, finding in zip(self._rows, told, strict=False):
            row.tell(finding)
        for finding in told[len(self._rows) :]:
            self._rows.append(_Row(finding, self._session))
            self._list.insertWidget(len(self._rows) - 1, self._rows[-1])
        self._quiet.setText("Nothing to say against it." if p is not None else "No prediction yet.")
        self._quiet.setVisible(not findings)
        self._more.setText(f"and {len(findings) - SHOWN} more")
        self._more.setVisible(len(findings) > SHOWN)
        self._area.verticalScrollBar().setValue(0)  # the worst first
        bad = sum(f.severity != "note" for f in findings)
        self.title.setText(
            f"Findings · {count(bad, 'to mend', 'to mend')}, {count(len(findings) - bad, 'note')}" if findings else "Findings"
        )
