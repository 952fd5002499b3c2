"""The window: verdict strip above, course and step beside it, the log in the middle, the plate and findings right."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDragLeaveEvent, QDropEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QMainWindow, QMessageBox, QVBoxLayout, QWidget

from wideberth.core.model import PACKED
from wideberth.core.naming import file_name
from wideberth.desktop.findings import FindingsView
from wideberth.desktop.guarded import guard_overrides
from wideberth.desktop.heightlog import HeightLog
from wideberth.desktop.plan import PlanView
from wideberth.desktop.scene import SceneView
from wideberth.desktop.section import SectionView
from wideberth.desktop.session import Session
from wideberth.desktop.session.files import opens_job
from wideberth.desktop.window import asking
from wideberth.desktop.window.course import Course
from wideberth.desktop.window.cover import Cover
from wideberth.desktop.window.drop_note import DropNote, what_a_drop_does
from wideberth.desktop.window.pages import Pages
from wideberth.desktop.window.panels import Panels
from wideberth.desktop.window.status import StatusLine
from wideberth.desktop.window.table import Table
from wideberth.desktop.window.verdict_strip import VerdictStrip
from wideberth.desktop.window.word_list import WordList
from wideberth.desktop.words import JOB_FILTER, STEP_KEYS

TURN_DEG = 15.0
"""By keys, on the plate."""
FRAME_PX = (8, 40)
"""What a window's frame takes of the screen."""
VIEW_KEYS = {"log": "Alt+1", "scene": "Alt+2", "section": "Alt+3", "findings": "Alt+4"}
TURN_KEYS = {"Alt+Up": (0, 1), "Alt+Down": (0, -1), "Alt+PgUp": (1, 1), "Alt+PgDown": (1, -1), "Alt+Right": (2, 1),
             "Alt+Left": (2, -1)}  # fmt: skip
"""Axis of the plate, and which way round."""
TIP_KEYS: dict[str, tuple[str, *tuple[int, ...]]] = {
    **{f"Ctrl+{n + 1}": ("press_does", n) for n in range(6)},
    "Ctrl+Up": ("resize_by", 1), "Ctrl+Down": ("resize_by", -1), "Ctrl+L": ("fit_to_load",), "Ctrl+P": ("turn_pin",),
    "Ctrl+M": ("mirror",), "Shift+Left": ("nudge", -1, 0), "Shift+Right": ("nudge", 1, 0), "Shift+Up": ("nudge", 0, 1),
    "Shift+Down": ("nudge", 0, -1),
}  # fmt: skip
"""What the leaf of tips by hand does, in Support."""
KEYS = (
    ("Ctrl+O", "open a job or models"), ("Ctrl+S", "save the job"), ("Ctrl+Shift+S", "save it under another name"),
    ("Ctrl+Z", "undo"), ("Ctrl+Shift+Z", "do again"), ("Alt and a letter", "the step whose name has it underlined"),
    ("Alt+1 … Alt+4", "log, plate in 3D, section or plan, findings: as large as the table, and back"),
    ("double click", "on a view's title: the same"), ("↑ ↓", "in the log: one layer up or down; PgUp, PgDn: 50"),
    ("Home, End", "in the log: to the plate, to the top"), ("Ctrl+wheel", "in the log: zoom into heights"),
    ("Alt+arrows", "in Orient: turn about x (↑ ↓) and z (← →); PgUp, PgDn: about y; in Plate: the chosen prints by 15°"),
    ("arrows", "in the plan: move the chosen prints by 1 mm, with Shift by 10; Ctrl while dragging: they may touch"),
    ("Insert, Delete", "in Plate: one more print; take the chosen ones off"),
    ("F6", "go to what decides the hold"), ("F7", "next finding"),
    ("F8, Delete", "in Support: the next least held tip; take the chosen tips away"),
    ("Ctrl+1 … Ctrl+6", "in Support: what a press does, as listed: adds a tip, a box, a brush, an edge, a hole, a face"),
    ("Ctrl+↑ ↓", "in Support: the chosen tips thicker or thinner by 0.05 mm; Ctrl+L: as their load asks"),
    ("Shift+arrows", "in Support: the chosen tip by 0.5 mm along the part, as it is seen"),
    ("Ctrl+P, Ctrl+M", "in Support: pin the chosen tips, or let them go; mirror them to the other side"),
    ("Escape", "give the table back; stop what is being computed"), ("F1", "words and keys"),
)  # fmt: skip


TITLE_PX = 176
"""Of the strip, that names the job."""


class MainWindow(QMainWindow):
    """Everything in one window; a session holds the state."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        guard_overrides()
        self.session = session
        self.setWindowTitle("Wide Berth")
        room = self.screen().availableGeometry()
        self.resize(min(1280, room.width() - FRAME_PX[0]), min(800, room.height() - FRAME_PX[1]))
        self.setMinimumSize(960, 620)
        self.setAcceptDrops(True)
        self.strip = VerdictStrip(session)
        self.steps = Panels(session)
        self.course = Course(session, self.steps["model"].examiner)  # type: ignore[attr-defined]
        self.log = HeightLog(session)
        self.scene = SceneView(session)
        self.section = SectionView(session)
        plate = self.steps["plate"]
        self.plan = PlanView(session, plate.facts, plate.hands)  # type: ignore[attr-defined]
        self.findings = FindingsView(session)
        verdicts = (self.findings, self.section, self.steps["predict"])
        self.covers = [Cover(session, self.strip, TITLE_PX), *(Cover(session, view) for view in verdicts)]
        session.training.changed.connect(self.scene.overlay.update)
        self.status = StatusLine(session)
        self.drop_note = DropNote(self)
        self.words: WordList | None = None
        self._build()
        self._keys()
        self.status.open.clicked.connect(self.ask_open)
        self.status.save.clicked.connect(lambda: self.save())
        self.status.chosen.connect(lambda path: self.open([path]))
        session.selection.step_chosen.connect(self._show_step)
        session.messages.warned.connect(self.show_error)
        session.rescuing.shared.connect(self._tell_shared)
        session.document.changed.connect(self._title)
        session.document.filed.connect(self._title)
        self.unattended = False
        """Nobody is asked anything."""
        self._finding = -1
        self._show_step(session.selection.step)
        self._title()

    def _build(self) -> None:
        self.table = Table(self.session, self.log, self.scene, self.section, self.plan, self.findings)
        self.pages = Pages(self.session, self.table)
        row = QHBoxLayout()
        row.setContentsMargins(0, 6, 12, 6)
        row.setSpacing(0)
        row.addWidget(self.course)
        row.addWidget(self._rule())
        row.addWidget(self.steps.stack)
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
            "Ctrl+S": lambda: self.save(),
            "Ctrl+Shift+S": lambda: self.save_as(),
            "Ctrl+Z": self.session.document.undo,
            "Ctrl+Shift+Z": self.session.document.redo,
            "F1": self.show_words,
            "F6": self._decides,
            "F7": self._next_finding,
            "F8": lambda: self._tips("next_least"),
            "Delete": self._delete,
            "Escape": self._escape,
        }
        acts |= {keys: lambda by=by: self._turn(*by) for keys, by in TURN_KEYS.items()}
        acts |= {keys: lambda view=view: self.table.enlarge(view) for view, keys in VIEW_KEYS.items()}
        acts |= {f"Alt+{letter}": lambda step=step: self._go_to(step) for step, letter in STEP_KEYS.items()}
        for keys, act in acts.items():
            QShortcut(QKeySequence(keys), self).activated.connect(act)
        self.tip_keys = [QShortcut(QKeySequence(keys), self) for keys in TIP_KEYS]
        for shortcut, asked in zip(self.tip_keys, TIP_KEYS.values(), strict=True):
            shortcut.activated.connect(lambda asked=asked: self._tips(*asked))
        self.session.selection.step_chosen.connect(self._lend_tip_keys)
        self._lend_tip_keys()

    def _lend_tip_keys(self) -> None:
        """In other steps these keys belong to whatever has the focus."""
        for shortcut in self.tip_keys:
            shortcut.setEnabled(self.session.selection.step == "support")

    def _show_step(self, name: str) -> None:
        self.steps.show(name)

    def _go_to(self, step: str) -> None:
        self.session.selection.choose_step(step)
        self.course.setFocus()

    def _title(self) -> None:
        mark = "" if self.session.document.is_saved else " · changed"
        self.setWindowTitle(f"{self.session.job.title}{mark} · Wide Berth")

    def _turn(self, axis: int, way: int) -> None:
        """Turn the chosen part by the angle that the step of poses is set to, or the chosen prints on the plate."""
        if self.session.selection.step == "orient":
            self.steps["orient"].hand.turn(axis, way)  # type: ignore[attr-defined]
        elif self.session.selection.step == "plate" and axis == 2:
            self.steps["plate"].hands.turn(way * TURN_DEG)  # type: ignore[attr-defined]

    def _delete(self) -> None:
        """Take away what is chosen: tips, or prints on the plate."""
        if self.session.selection.step == "plate":
            self.steps["plate"].hands.take_off()  # type: ignore[attr-defined]
        else:
            self._tips("delete")

    def _tips(self, act: str, *asked: int) -> None:
        """Let the leaf of tips by hand act, while its step is the chosen one."""
        if self.session.selection.step == "support":
            getattr(self.steps["support"].tips, act)(*asked)  # type: ignore[attr-defined]

    def _decides(self) -> None:
        self.steps["support"].go_to_weakest()  # type: ignore[attr-defined]

    def _next_finding(self) -> None:
        p = self.session.prediction
        if p is not None and p.verdict.findings:
            walk = [(f, n, place) for f in p.verdict.findings for n, place in enumerate(f.places)]
            self._finding = (self._finding + 1) % len(walk)
            finding, number, (_, _, z) = walk[self._finding]
            self.session.cursor.move_to(z)
            where = f" ({number + 1} of {finding.count})" if finding.count > 1 else ""
            self.session.messages.say(finding.message + where)

    def _escape(self) -> None:
        """Back from a view that has the whole table; else stop what runs."""
        if self.table.large:
            self.table.give_back()
        else:
            self.session.tasks.cancel()

    # files

    def ask_open(self) -> None:
        kinds = " ".join(f"*{s}" for s in PACKED)
        chosen, _ = QFileDialog.getOpenFileNames(self, "Open a job or models", "", f"Jobs and models ({kinds})")
        if chosen:
            self.open([Path(c) for c in chosen])

    def open(self, paths: list[Path]) -> None:
        """Open a job in place of this one, or models on its plate or in a new job; nothing unsaved is lost without a word."""
        files, document = self.session.files, self.session.document
        if opens_job(paths):
            self._let_go(paths, lambda: files.open(paths))
        elif not document.job.parts:
            files.open(paths)
        else:
            answer = asking.about_models(self, document.job, [p.name for p in paths])
            if answer == asking.ONTO_PLATE:
                files.open(paths)
            elif answer == asking.NEW_JOB:
                self._let_go(paths, lambda: files.open(paths, anew=True))

    def _let_go(self, paths: list[Path], then: Callable[[], object]) -> None:
        """Go on once the open job may be put away."""
        document = self.session.document
        if not document.may_be_lost:
            then()
            return
        answer = asking.about_unsaved(self, document.job, document.path is not None)
        if answer == asking.SAVE_FIRST:
            self.save(then)
        elif answer == asking.OTHER_WINDOW:
            asking.open_elsewhere(paths)
        elif answer == asking.LET_GO:
            then()

    def save(self, then: Callable[[], object] | None = None) -> None:
        """Save under the name it has; `then` : what to do once that is done."""
        document = self.session.document
        if document.path is None:
            self.save_as(then)
        elif document.was_changed_by_others:
            answer = asking.about_changed_file(self, document.path)
            if answer == asking.OTHER_NAME:
                self.save_as(then)
            elif answer == asking.WRITE_OVER:
                self.session.files.save(document.path, then)
        else:
            self.session.files.save(document.path, then)

    def save_as(self, then: Callable[[], object] | None = None) -> None:
        if not self.session.has_parts:
            return
        document = self.session.document
        start = document.path or Path.cwd() / f"{file_name(document.job.title)}.3mf"
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the job", str(start), JOB_FILTER)
        if chosen:
            path = Path(chosen)
            self.session.files.save(path if path.suffix.lower() == ".3mf" else path.with_suffix(".3mf"), then)

    def offer_left_behind(self) -> None:
        """Offer unsaved work of programs that were killed, one after the other, until one is taken up."""
        for left in self.session.rescuing.rescue.left_behind():
            answer = asking.about_left_behind(self, left)
            if answer == asking.THROW_AWAY:
                left.throw_away()
            elif answer == asking.TAKE_UP:
                self._let_go([], lambda taken=left: self.session.files.take_up(taken))  # another window offers it itself
                return

    def _tell_shared(self) -> None:
        path = self.session.document.path
        self.session.messages.warn(
            f"{path.name if path else 'The file'} is open in another window as well. "
            "Whoever saves last is asked before the other's work is written over."
        )

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if paths := _files_of(event):
            event.acceptProposedAction()
            self.drop_note.tell(what_a_drop_does(paths, self.session.document))

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self.drop_note.hide()
        super().dragLeaveEvent(event)

    def dropEvent(self, event: QDropEvent) -> None:
        self.drop_note.hide()
        self.open(_files_of(event))

    # words

    def show_error(self, text: str) -> None:
        """Say what happened; the job is as it was."""
        box = QMessageBox(QMessageBox.Icon.NoIcon, "Wide Berth", text, QMessageBox.StandardButton.Ok, self)
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()

    def show_words(self) -> None:
        """The list of words and keys, ready to be searched."""
        if self.words is None:
            self.words = WordList(KEYS, self)
        self.words.show()
        self.words.raise_()
        self.words.search.setFocus()
        self.words.search.selectAll()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.session.document.may_be_lost and self.isVisible() and not self.unattended:
            answer = asking.about_closing(self, self.session.job)
            if answer != asking.LET_GO:
                event.ignore()
                if answer == asking.SAVE_FIRST:
                    self.save(self.close)
                return
        self.session.end()
        self.scene.close()
        super().closeEvent(event)


def _files_of(event: QDropEvent) -> list[Path]:
    """Files that are dragged over the window."""
    return [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
