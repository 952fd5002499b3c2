"""The table: the views, or the page of a step in their place."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtWidgets import QStackedWidget, QWidget

from wideberth.desktop.guarded import guard_overrides
from wideberth.desktop.session import Session
from wideberth.desktop.window.cover import Cover


def _bench(session: Session) -> QWidget:
    from wideberth.desktop.benchpage import BenchPage  # its charts are slow to load

    return BenchPage(session)


def _orient(session: Session) -> QWidget:
    from wideberth.desktop.orientpage import OrientPage

    return OrientPage(session)


def _variants(session: Session) -> QWidget:
    from wideberth.desktop.variants import VariantsPage

    return VariantsPage(session)


def _plan(session: Session) -> QWidget:
    from wideberth.desktop.planpage import PlanPage

    return PlanPage(session)


def _log(session: Session) -> QWidget:
    from wideberth.desktop.logpage import LogPage

    return LogPage(session)


PAGES: Mapping[str, Callable[[Session], QWidget]] = {
    "bench": _bench, "orient": _orient, "predict": _variants, "plan": _plan, "log": _log,
}  # fmt: skip
"""What makes the page of a step, by the step's name."""
JUDGED = ("predict",)
"""Pages that tell a verdict, which is covered while someone guesses it."""


class Pages(QStackedWidget):
    """Shows the page of the chosen step while that is open. A page is made when it is first turned to."""

    def __init__(self, session: Session, views: QWidget) -> None:
        super().__init__()
        self._session, self._views = session, views
        self._made: dict[str, QWidget] = {}
        self.addWidget(views)
        session.selection.step_chosen.connect(self._turn)
        session.sight.page_turned.connect(self._turn)
        self._turn()

    def page(self, step: str) -> QWidget:
        """The page of a step."""
        if step not in self._made:
            self._made[step] = PAGES[step](self._session)
            guard_overrides()  # of what was loaded for it
            self.addWidget(self._made[step])
            if step in JUDGED:
                Cover(self._session, self._made[step])
        return self._made[step]

    def _turn(self) -> None:
        step = self._session.selection.step
        self.setCurrentWidget(self.page(step) if step in self._session.sight.open_pages else self._views)
