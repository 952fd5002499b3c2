"""A real window on a virtual screen, with a small egg to open."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
import trimesh
from PySide6.QtCore import QSettings, QThreadPool
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from wideberth.desktop.app import application
from wideberth.desktop.scene import looks
from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.session import Session
from wideberth.desktop.window import MainWindow

PATIENCE_MS = 90_000


@pytest.fixture(scope="session")
def qapp(tmp_path_factory: pytest.TempPathFactory) -> QApplication:
    """The application, with its own place for what the window remembers."""
    kept = tmp_path_factory.mktemp("settings")
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, str(kept))
    for place in ("CACHE", "STATE", "DATA"):
        os.environ[f"XDG_{place}_HOME"] = str(kept / place)
    return application()


@pytest.fixture(scope="session", autouse=True)
def rehearse() -> Iterator[Callable[[Chart], None]]:
    """The rehearsal of looks, which only the first window of a worker goes through: the driver keeps what comes of it."""
    rehearse, done = looks.rehearse, []

    def once(chart: Chart) -> None:
        if not done:
            done.append(rehearse(chart))

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(looks, "rehearse", once)
        yield rehearse


@pytest.fixture
def window(qapp: QApplication, qtbot: QtBot) -> Iterator[MainWindow]:
    QSettings().remove("table")  # borders that another test dragged
    made = MainWindow(Session())
    made.unattended = True
    made.show()
    made.activateWindow()
    with qtbot.waitActive(made):
        pass
    yield made
    made.close()
    qtbot.waitUntil(lambda: QThreadPool.globalInstance().activeThreadCount() == 0, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: not made.session.is_busy, timeout=PATIENCE_MS)


def settled(qtbot: QtBot, window: MainWindow, current: bool = False, closer: bool = False) -> None:
    """Wait until what was asked for is done and predicted: coarsely, or finely (`current`), or with narrow ways and drainage
    looked at (`closer`). A better prediction may be on its way, and gives way to what is done next."""
    session = window.session

    def is_done() -> bool:
        p = session.prediction
        if closer or p is None or session.tasks.acts or session.tasks.are_beside:
            return not session.is_busy and (not (current or closer) or session.is_current)
        return session.is_current if current else session.predicting.is_of_now(p)

    qtbot.waitUntil(is_done, timeout=PATIENCE_MS)


def quick(window: MainWindow) -> None:
    """Thicker layers, so that tests need not wait for hundreds of them."""
    window.steps["bench"].fields["print.layer_height_mm"].enter(0.1)  # type: ignore[attr-defined]


@pytest.fixture(scope="session")
def egg_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    solid = trimesh.creation.icosphere(5, 11)
    solid.apply_scale([1, 1, 1.4])
    path = tmp_path_factory.mktemp("models") / "egg.stl"
    solid.export(path)
    return path


def within(seconds: float, act: Callable[[], None]) -> bool:
    """Whether an action gives the interface thread back in time."""
    began = time.perf_counter()
    act()
    return time.perf_counter() - began < seconds
