"""The window: verdict strip above, course and step beside it, the log in the middle, the plate and findings right."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from wideberth.core.model import PACKED
from wideberth.desktop.findings import FindingsView
from wideberth.desktop.heightlog import HeightLog
from wideberth.desktop.scene import SceneView
from wideberth.desktop.section import SectionView
from wideberth.desktop.session import Session
from wideberth.desktop.steps import STEPS
from wideberth.desktop.window.course import Course
from wideberth.desktop.window.pages import Pages
from wideberth.desktop.window.status import StatusLine
from wideberth.desktop.window.verdict_strip import VerdictStrip
from wideberth.desktop.words import JOB_FILTER

STEP_WIDTH = 226
KEYS = (
    ("Ctrl+O", "open a job or models"), ("Ctrl+S", "save the job"), ("Ctrl+Shift+S", "save it under another name"),
    ("Ctrl+Z", "undo"), ("Ctrl+Shift+Z", "do again"), ("↑ ↓", "in the log: one layer up or down; PgUp, PgDn: 50"),
    ("Home, End", "in the log: to the plate, to the top"), ("Ctrl+wheel", "in the log: zoom into heights"),
    ("F6", "go to what decides the hold"), ("F7", "next finding"), ("Escape", "stop what is being computed"), ("F1", "this list"),
)  # fmt: skip


class MainWindow(QMainWindow):
    """Everything in one window; a session holds the state."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Wide Berth")
        self.resize(1280, 800)
        self.setMinimumSize(1000, 660)
        self.setAcceptDrops(True)
        self.strip = VerdictStrip(session)
        self.steps = {step.name: step(session) for step in STEPS}
        self.course = Course(session, self.steps["model"].examiner)  # type: ignore[attr-defined]
        self.stack = QStackedWidget()
        for step in self.steps.values():
            holder = QScrollArea()
            holder.setWidgetResizable(True)
            holder.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            holder.setWidget(step)
            self.stack.addWidget(holder)
        self.log = HeightLog(session)
        self.scene = SceneView(session)
        self.section = SectionView(session)
        self.findings = FindingsView(session)
        self.status = StatusLine(session)
        self._build()
        self._keys()
        self.status.open.clicked.connect(self.ask_open)
        self.status.save.clicked.connect(self.save)
        session.selection.step_chosen.connect(self._show_step)
        session.messages.warned.connect(self.show_error)
        session.document.changed.connect(self._title)
        session.document.filed.connect(self._title)
        self._finding = -1
        self._show_step(session.selection.step)
        self._title()

    def _build(self) -> None:
        low = QSplitter(Qt.Orientation.Horizontal)
        low.addWidget(self.section)
        low.addWidget(self.findings)
        low.setSizes([190, 290])
        right = QSplitter(Qt.Orientation.Vertical)
        right.addWidget(self.scene)
        right.addWidget(low)
        right.setSizes([430, 220])
        right.setStretchFactor(0, 1)
        middle = QSplitter(Qt.Orientation.Horizontal)
        middle.addWidget(self.log)
        middle.addWidget(right)
        middle.setStretchFactor(1, 1)
        middle.setSizes([372, 470])
        for splitter in (low, right, middle):
            splitter.setChildrenCollapsible(False)
            splitter.setHandleWidth(8)
        self.pages = Pages(self.session, middle)
        self.stack.setFixedWidth(STEP_WIDTH)
        row = QHBoxLayout()
        row.setContentsMargins(0, 6, 12, 6)
        row.setSpacing(0)
        row.addWidget(self.course)
        row.addWidget(self._rule())
        row.addWidget(self.stack)
        row.addWidget(self._rule())
        row.addSpacing(4)
        row.addWidget(self.pages, 1)
        page = QWidget()
        page.setObjectName("paper")
        box = QVBoxLayout(page)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.strip)
        box.addLayout(row, 1)
        box.addWidget(self.status)
        self.setCentralWidget(page)

    @staticmethod
    def _rule() -> QFrame:
        rule = QFrame()
        rule.setFrameShape(QFrame.Shape.VLine)
        rule.setStyleSheet("color: #CFC8AC;")
        return rule

    def _keys(self) -> None:
        acts = {
            "Ctrl+O": self.ask_open,
            "Ctrl+S": self.save,
            "Ctrl+Shift+S": self.save_as,
            "Ctrl+Z": self.session.document.undo,
            "Ctrl+Shift+Z": self.session.document.redo,
            "F1": self.show_keys,
            "F6": self._decides,
            "F7": self._next_finding,
            "Escape": self.session.tasks.cancel,
        }
        for keys, act in acts.items():
            QShortcut(QKeySequence(keys), self).activated.connect(act)

    def _show_step(self, name: str) -> None:
        self.stack.setCurrentIndex(list(self.steps).index(name))

    def _title(self) -> None:
        mark = "" if self.session.document.is_saved else " · changed"
        self.setWindowTitle(f"{self.session.job.title}{mark} · Wide Berth")

    def _decides(self) -> None:
        self.steps["support"]._weakest()  # type: ignore[attr-defined]

    def _next_finding(self) -> None:
        p = self.session.prediction
        if p is not None and p.verdict.findings:
            walk = [(f, n, place) for f in p.verdict.findings for n, place in enumerate(f.places)]
            self._finding = (self._finding + 1) % len(walk)
            finding, number, (_, _, z) = walk[self._finding]
            self.session.cursor.move_to(z)
            where = f" ({number + 1} of {finding.count})" if finding.count > 1 else ""
            self.session.messages.say(finding.message + where)

    # files

    def ask_open(self) -> None:
        kinds = " ".join(f"*{s}" for s in PACKED)
        chosen, _ = QFileDialog.getOpenFileNames(self, "Open a job or models", "", f"Jobs and models ({kinds})")
        if chosen:
            self.session.files.open([Path(c) for c in chosen])

    def save(self) -> None:
        if self.session.document.path is None:
            self.save_as()
        else:
            self.session.files.save(self.session.document.path)

    def save_as(self) -> None:
        if not self.session.has_parts:
            return
        start = str(self.session.document.path or f"{self.session.job.title}.3mf")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the job", start, JOB_FILTER)
        if chosen:
            path = Path(chosen)
            self.session.files.save(path if path.suffix.lower() == ".3mf" else path.with_suffix(".3mf"))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.session.files.open([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])

    # words

    def show_error(self, text: str) -> None:
        """Say what happened; the job is as it was."""
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Wide Berth", text, QMessageBox.StandardButton.Ok, self)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()

    def show_keys(self) -> None:
        lines = "".join(f"<tr><td style='padding-right:16px'><b>{keys}</b></td><td>{what}</td></tr>" for keys, what in KEYS)
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Keys", f"<table>{lines}</table>", QMessageBox.StandardButton.Ok, self)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.session.document.is_saved and self.session.has_parts and self.isVisible() and not self._may_close():
            event.ignore()
            return
        self.session.tasks.cancel()
        self.scene.plotter.close()
        super().closeEvent(event)

    def _may_close(self) -> bool:
        if getattr(self, "unattended", False):
            return True
        buttons = QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel
        text = "The job has changes that are not saved. Close without them?"
        return QMessageBox.question(self, "Wide Berth", text, buttons) == QMessageBox.StandardButton.Discard
