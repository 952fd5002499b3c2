"""The views beside each other: each step has them as large as its work needs, and any of them may take the whole table."""

from __future__ import annotations

import json
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QObject, QSettings, Qt, QTimer
from PySide6.QtGui import QMouseEvent, QResizeEvent
from PySide6.QtWidgets import QSplitter, QStackedWidget, QVBoxLayout, QWidget

from wideberth.desktop.session import Session

TITLE_PX = 28
"""Height of a view's title, at its upper edge."""


@dataclass(frozen=True)
class Arrangement:
    """Shares of the table: of its width for the log, of the rest's height for the 3D view, and of the width for what stands
    beside the findings: the section, or on the plate the 3D view."""

    log: float
    scene: float
    section: float


SHAPING = Arrangement(0.26, 0.72, 0.42)
ARRANGEMENTS = {
    "plate": Arrangement(0.22, 0.36, 0.60), "predict": Arrangement(0.50, 0.55, 0.52), "handover": Arrangement(0.44, 0.62, 0.42),
}  # fmt: skip
"""Where the work is on shapes the 3D view is large, on the plate the plan, on the prediction the log."""


class Table(QWidget):
    """Log, 3D view, section and findings; on the plate the plan takes the section's place. A double click on a view's
    title, or its key, lets it take the whole table and gives it back; borders that were dragged are remembered for their step."""

    def __init__(
        self, session: Session, log: QWidget, scene: QWidget, section: QWidget, plan: QWidget, findings: QWidget
    ) -> None:
        super().__init__()
        self._session = session
        self.level = QStackedWidget()
        """What is seen from above."""
        self.level.addWidget(section)
        self.level.addWidget(plan)
        self.views = {"log": log, "scene": scene, "section": self.level, "findings": findings}
        self.low = self._splitter(Qt.Orientation.Horizontal, self.level, findings)
        self.high = self._splitter(Qt.Orientation.Horizontal, scene)
        self.right = self._splitter(Qt.Orientation.Vertical, self.high, self.low)
        self.across = self._splitter(Qt.Orientation.Horizontal, log, self.right)
        self.large = ""
        """The view that has the whole table, "" for none."""
        self._shared = self.low
        self._dragged: dict[str, Arrangement] = {}
        """What borders were dragged to in this window, by step: settings that cannot be written to disk do not undo it."""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.across)
        for name, view in (("log", log), ("scene", scene), ("section", section), ("section", plan), ("findings", findings)):
            view.setProperty("view", name)
            view.installEventFilter(self)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.timeout.connect(self.arrange)
        session.selection.step_chosen.connect(self.arrange)

    def _splitter(self, way: Qt.Orientation, *widgets: QWidget) -> QSplitter:
        made = QSplitter(way)
        for widget in widgets:
            made.addWidget(widget)
        made.setChildrenCollapsible(False)
        made.setHandleWidth(8)
        made.splitterMoved.connect(self._remember)
        return made

    def arrange(self, *_: object) -> None:
        """Give each view what the chosen step wants of it, or what its borders were dragged to."""
        if self.large:
            self.give_back()
        self.setUpdatesEnabled(False)  # else the 3D view is rendered at every border that moves
        wanted = self._remembered() or ARRANGEMENTS.get(self._session.selection.step, SHAPING)
        on_plate = self._session.selection.step == "plate"
        self.level.setCurrentIndex(1 if on_plate else 0)
        self._shared = self.high if on_plate else self.low
        if self.views["findings"].parent() is not self._shared:
            self._shared.addWidget(self.views["findings"])  # the plan is as wide as the plate
        for splitter, share in ((self.across, wanted.log), (self.right, wanted.scene), (self._shared, wanted.section)):
            room = 10_000
            splitter.setSizes([round(share * room), round((1 - share) * room)])
        self.setUpdatesEnabled(True)

    def _remembered(self) -> Arrangement | None:
        step = self._session.selection.step
        if step in self._dragged:
            return self._dragged[step]
        try:
            log, scene, section = (float(v) for v in json.loads(str(QSettings().value(f"table/{step}", ""))))
        except (ValueError, TypeError):
            return None
        return Arrangement(log, scene, section)

    def _remember(self, *_: object) -> None:
        shares = []
        for splitter in (self.across, self.right, self._shared):
            one, other = splitter.sizes()
            shares.append(one / max(one + other, 1))
        step = self._session.selection.step
        self._dragged[step] = Arrangement(*shares)
        QSettings().setValue(f"table/{step}", json.dumps(shares))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if not self.large:
            self._later.start(0)

    # the whole table

    def enlarge(self, name: str) -> None:
        """Let a view take the whole table; asked for once more it gives it back."""
        if self.large == name:
            self.give_back()
            return
        self.large = name
        for other, view in self.views.items():
            view.setVisible(other == name)
        for half in (self.high, self.low):
            half.setVisible(half.isAncestorOf(self.views[name]))
        self.right.setVisible(name != "log")
        (self.level.currentWidget() if name == "section" else self.views[name]).setFocus()

    def give_back(self) -> None:
        """All views beside each other again."""
        self.large = ""
        for widget in (*self.views.values(), self.high, self.low, self.right):
            widget.setVisible(True)
        self.arrange()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """A double click on a view's title."""
        if event.type() == QEvent.Type.MouseButtonDblClick and isinstance(event, QMouseEvent) and event.position().y() < TITLE_PX:
            self.enlarge(str(watched.property("view")))
            return True
        return super().eventFilter(watched, event)
