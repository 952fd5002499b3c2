"""The findings list: what, where, how bad, why, what to do, and a way there."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from wideberth.core.verdict import Finding
from wideberth.desktop.session import Session
from wideberth.desktop.style import DAY, draw_severity
from wideberth.desktop.words import SEVERITY_WORDS, STEP_NAMES, count

SHOWN = 40


class _Sign(QWidget):
    def __init__(self, severity: str) -> None:
        super().__init__()
        self._severity = severity
        self.setFixedSize(QSize(20, 20))

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_severity(painter, self._severity, QPointF(10, 10), 6.0, DAY)


class _Row(QWidget):
    """One finding: a click goes to its height, the button to the step that helps."""

    def __init__(self, finding: Finding, session: Session) -> None:
        super().__init__()
        self._finding, self._session = finding, session
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{SEVERITY_WORDS[finding.severity]}: {finding.message}")
        message, remedy = QLabel(finding.message), QLabel(f"{finding.z_mm:.2f} mm · {finding.remedy}")
        for label in (message, remedy):
            label.setWordWrap(True)
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        remedy.setProperty("role", "faint")
        go = QPushButton(f"{STEP_NAMES[finding.step]} ›")
        go.setProperty("role", "quiet")
        go.setStyleSheet("padding: 1px 7px; min-height: 14px;")
        go.setToolTip(f"go there and open the step {STEP_NAMES[finding.step]}")
        go.clicked.connect(self._go)
        second = QHBoxLayout()
        second.setSpacing(6)
        second.addWidget(remedy, 1)
        second.addWidget(go, 0, Qt.AlignmentFlag.AlignTop)
        text = QVBoxLayout()
        text.setSpacing(1)
        text.addWidget(message)
        text.addLayout(second)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 3, 2, 5)
        row.setSpacing(6)
        row.addWidget(_Sign(finding.severity), 0, Qt.AlignmentFlag.AlignTop)
        row.addLayout(text, 1)

    def _go(self) -> None:
        self._session.move_cursor(self._finding.z_mm)
        self._session.choose_step(self._finding.step)

    def mousePressEvent(self, _event: object) -> None:
        self._session.move_cursor(self._finding.z_mm)


class FindingsView(QFrame):
    """All findings, worst first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("card")
        self._session = session
        self._shown: tuple[Finding, ...] | None = None
        self.title = QLabel("Findings")
        self.title.setProperty("role", "head")
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 8, 4, 6)
        box.setSpacing(4)
        box.addWidget(self.title)
        box.addWidget(self._area, 1)
        session.predicted.connect(self.refresh)
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
            quiet = QLabel("Nothing to say against it." if p is not None else "No prediction yet.")
            quiet.setProperty("role", "reason")
            rows.addWidget(quiet)
        if len(findings) > SHOWN:
            rows.addWidget(QLabel(f"and {len(findings) - SHOWN} more"))
        rows.addStretch(1)
        self._area.setWidget(inner)
        bad = sum(f.severity != "note" for f in findings)
        self.title.setText(
            f"Findings · {count(bad, 'to mend', 'to mend')}, {count(len(findings) - bad, 'note')}"
            if findings
            else "Findings"
        )
