"""The panels of the steps beside the course: the large ones made at once, each other when it is first asked for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QStackedWidget

from wideberth.desktop.session import Session
from wideberth.desktop.steps import STEPS
from wideberth.desktop.steps.step import Step

KINDS = {kind.name: kind for kind in STEPS}
WIDTH = 236
LARGE = ("bench", "support", "log")
"""Made with the window: they and their pages together would keep it waiting when they are first looked at."""


class Panels(Mapping[str, Step]):
    """Panels by their step's name. `stack` shows one of them."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._holders: dict[str, QScrollArea] = {}
        self.stack = QStackedWidget()
        self.stack.setFixedWidth(WIDTH)
        for name in LARGE:
            self._holder(name)

    def _holder(self, name: str) -> QScrollArea:
        """What the panel of a step scrolls in."""
        if name not in self._holders:
            self._holders[name] = holder = QScrollArea()
            holder.setWidgetResizable(True)
            holder.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            holder.setWidget(KINDS[name](self._session))
            self.stack.addWidget(holder)
        return self._holders[name]

    def __getitem__(self, name: str) -> Step:
        return self._holder(name).widget()  # type: ignore[return-value]

    def __iter__(self) -> Iterator[str]:
        return iter(KINDS)

    def __len__(self) -> int:
        return len(KINDS)

    def show(self, name: str) -> None:
        """Show the panel of a step."""
        self.stack.setCurrentWidget(self._holder(name))
