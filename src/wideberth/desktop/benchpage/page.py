"""The bench page: leaves for each kind, for mixing, for warmth and for exposure tests, and a colleague's word below."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from html import escape
from typing import TypeVar

from PySide6.QtWidgets import QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from wideberth.core.bench import SECTIONS
from wideberth.core.predict import strongest
from wideberth.core.verdict import settings_findings
from wideberth.desktop.benchpage.charts import Charts
from wideberth.desktop.benchpage.exposures import Exposures
from wideberth.desktop.benchpage.library import Library
from wideberth.desktop.benchpage.mixing import Mixing
from wideberth.desktop.benchpage.warmth import Warmth
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import label
from wideberth.desktop.steps.leaves import Leaves

KIND_NAMES = {
    "printer": "Printer", "film": "Film", "resin": "Resin", "print": "Print", "station": "Wash and cure", "laws": "Laws",
    "supports": "Supports", "house": "House rules", "ranges": "Ranges", "trade": "Prices",
    "hours": "Hours",
}  # fmt: skip
Leaf = TypeVar("Leaf", bound=QWidget)
SIGNS = {"lost": "◆", "doubtful": "◇", "note": "•"}


class BenchPage(QWidget):
    """Everything a prediction rests on."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._kinds = {KIND_NAMES[kind]: kind for kind in SECTIONS}
        self._others: dict[str, Callable[[], QWidget]] = {
            "Mix": lambda: self.mixing,
            "Temperature": lambda: self.warmth,
            "Exposure test": lambda: self.exposures,
            "What if": lambda: self.charts,
        }
        self.tabs = Leaves([*self._kinds, *self._others])
        self.tabs.turned.connect(self.turn_to)
        self.stack = QStackedWidget()
        self.word = label("", rich=True)
        self.word.setContentsMargins(0, 0, 8, 0)
        said = QScrollArea()
        said.setWidgetResizable(True)
        said.setWidget(self.word)
        said.setFixedHeight(64)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 6, 6, 2)
        box.setSpacing(9)
        box.addWidget(self.tabs)
        box.addWidget(self.stack, 1)
        box.addWidget(said)
        session.document.changed.connect(self._colleague)
        session.predicting.predicted.connect(self._colleague)
        self.turn_to("Printer")

    def showEvent(self, _event: object) -> None:
        self._colleague()

    def turn_to(self, name: str) -> None:
        """Open a leaf."""
        self.tabs.show_turned(name)
        if name in self._kinds:
            self.library.show_kind(self._kinds[name])
        self.stack.setCurrentWidget(self.library if name in self._kinds else self._others[name]())

    # leaves, each made when it is first turned to: charts and fields take a while

    @cached_property
    def library(self) -> Library:
        return self._added(Library(self._session))

    @cached_property
    def mixing(self) -> Mixing:
        return self._added(Mixing(self._session))

    @cached_property
    def warmth(self) -> Warmth:
        return self._added(Warmth(self._session))

    @cached_property
    def exposures(self) -> Exposures:
        return self._added(Exposures(self._session))

    @cached_property
    def charts(self) -> Charts:
        return self._added(Charts(self._session))

    def _added(self, leaf: Leaf) -> Leaf:
        self.stack.addWidget(leaf)
        return leaf

    def _colleague(self) -> None:
        """What somebody reading the bench over would say; nobody is asked while the page is not seen."""
        if not self.isVisible():
            return
        p, job = self._session.prediction, self._session.job
        pull = strongest(p.loads, p.printed) if p is not None else None
        said = settings_findings(job.bench, pull, float(p.loads.seconds.sum()) / 3600 if p is not None else None)
        self.word.setText(
            "<br>".join(f"{SIGNS[f.severity]} {escape(f.message)} <i>{escape(f.remedy)}</i>" for f in said)
            or "<i>Read over by a colleague: nothing to say of these settings.</i>"
        )
