"""What is wanted later is loaded and compiled beside the work, once the first job is drawn."""

from __future__ import annotations

import importlib
import sys

from PySide6.QtCore import QObject, QProcess

from wideberth.core.predict import is_compiled
from wideberth.desktop.session import Session

LATER = ("wideberth.desktop.benchpage", "lib3mf", "scipy.optimize", "scipy.special", "trimesh", "reportlab.platypus",
         "wideberth.desktop.planpage", "wideberth.desktop.logpage", "wideberth.desktop.orientpage")  # fmt: skip
"""Modules that are slow to load: charts of the bench, mesh formats, measuring, exposure tests, sheets, pages."""
COMPILING = ("-m", "wideberth.core.handover.compiling")


class Warming(QObject):
    """Waits until the first prediction is complete and the interpreter free."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        session.tasks.busy.connect(self._begin)

    def _begin(self, share: float, _phrase: str) -> None:
        seen = self._session.prediction
        if share >= 0 or seen is None or not seen.looked_closer:
            return
        self._session.tasks.busy.disconnect(self._begin)
        self._session.tasks.beside(lambda _: _load(), lambda _: None)
        if not is_compiled():
            process = QProcess(self)
            process.start(sys.executable, list(COMPILING))


def _load() -> None:
    for name in LATER:
        importlib.import_module(name)
