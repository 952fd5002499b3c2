"""Errors where nobody was asked: told, noted, and nothing ends; and a view that looks where nothing is any more."""

from __future__ import annotations

import sys
import time

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QSize
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from conftest import as_mesh, as_source
from journeys.conftest import settled
from wideberth.core import unexpected
from wideberth.core.bench import Bench
from wideberth.core.errors import Cancelled
from wideberth.core.job import Part, job_of
from wideberth.core.progress import Progress
from wideberth.desktop.session import sparing
from wideberth.desktop.session.sparing import Memory
from wideberth.desktop.window import MainWindow


def test_an_error_in_an_override_is_told_and_ends_nothing(
    qtbot: QtBot, window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An error of compiled code inside an override that is called within a call from here: it used to end the process."""
    told: list[BaseException] = []
    monkeypatch.setattr(sys, "excepthook", lambda _kind, error, _trace: told.append(error))
    monkeypatch.setattr(window.section, "refresh", lambda: np.zeros(-1))
    window.section.resize(window.section.width() + 7, window.section.height() + 5)
    QApplication.sendEvent(window.section, QResizeEvent(QSize(40, 40), QSize(50, 50)))
    assert told and all(isinstance(error, ValueError) for error in told)


def test_the_section_finds_what_was_printed_elsewhere(qtbot: QtBot, window: MainWindow, bench: Bench) -> None:
    """Enlarged and moved to one side, and then the part stands on the other: what is shown is a piece of it again."""
    place, block = (
        window.session.document,
        Part(id="", name="Block", source=as_source(as_mesh(trimesh.creation.box((16, 10, 2))))),
    )
    place.begin(job_of("moved", bench, [block], [(-80.0, 0.0)]))
    settled(qtbot, window, current=True)
    section = window.section
    place.begin(job_of("moved", bench, [block], [(80.0, 0.0)]))
    settled(qtbot, window, current=True)
    section._zoom, section._middle, section._shown = 6.0, np.array([-85.0, -3.0]), None
    section.refresh()
    assert section._layer is not None and section._layer.codes.any()


GB = 10**9


def test_what_runs_is_stopped_before_the_memory_is_used_up(
    qtbot: QtBot, window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    stopped: list[str] = []

    def filling_up(progress: Progress) -> None:
        try:
            while True:
                progress.at(0.5, "filling")
                time.sleep(0.01)
        except Cancelled:
            stopped.append("stopped")
            raise

    warned: list[str] = []
    window.session.messages.warned.connect(warned.append)
    window.session.tasks.act("fill", filling_up, lambda _: None)
    window.session.tasks.beside(filling_up, lambda _: None)
    window.session.tasks.predict(filling_up, lambda _: None, lambda _: None)
    monkeypatch.setattr(sparing, "memory", lambda: Memory(2 * GB, 1 * GB, 24 * GB))  # by others: not for this program to mend
    qtbot.wait(3 * sparing.LOOK_MS)
    assert not stopped and not warned
    monkeypatch.setattr(sparing, "memory", lambda: Memory(20 * GB, 1 * GB, 24 * GB))
    qtbot.waitUntil(lambda: len(stopped) == 3 and not window.session.tasks.are_running, timeout=20_000)
    (word,) = warned
    assert "20.0 of 24 GB" in word and str(unexpected.log_path()) in word
    assert "filling_up" in unexpected.log_path().read_text()


def test_memory_is_told_as_the_system_has_it() -> None:
    before = sparing.memory()
    taken = np.ones(40_000_000)
    after = sparing.memory()
    assert after.own - before.own > 0.9 * taken.nbytes and after.own < after.whole
    assert 0 < after.free < after.whole and not after.is_short
