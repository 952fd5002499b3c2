"""Errors where nobody was asked: told, noted, and nothing ends; and a view that looks where nothing is any more."""

from __future__ import annotations

import sys

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QSize
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from conftest import as_mesh, as_source
from journeys.conftest import settled
from wideberth.core.bench import Bench
from wideberth.core.job import Part, job_of
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
