"""Asking what would save a job, and taking an answer, in the real window."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from journeys.test_window import press
from wideberth.desktop.steps.predict import PredictStep
from wideberth.desktop.window import MainWindow


@pytest.mark.prove
def test_a_cold_job_is_saved_by_one_press_and_undo_takes_it_back(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session = window.session
    quick(window)
    session.document.set_bench("print.exposure_s", 4.0)
    session.files.open([egg_file])
    settled(qtbot, window, current=True)
    press(qtbot, window, "orient", "Propose a pose")
    settled(qtbot, window, current=True)
    press(qtbot, window, "support", "Propose tips")
    settled(qtbot, window, current=True)
    session.document.set_bench("print.vat_c", 8.0)
    settled(qtbot, window, current=True)
    cold = session.prediction.verdict.weakest  # type: ignore[union-attr]
    press(qtbot, window, "predict", "What would save it?")
    step = window.steps["predict"]
    assert isinstance(step, PredictStep)
    settled(qtbot, window)
    assert step.advising.said.text() == "each predicted in full:"
    answers = step.advising.findChildren(QPushButton)[1:]
    assert answers and "×" in answers[0].text() and "weakest margin from" in answers[0].toolTip()
    label = answers[0].text().split("  ")[1]
    qtbot.mouseClick(answers[0], Qt.MouseButton.LeftButton)
    settled(qtbot, window, current=True)
    assert session.document.history.undo_label == label
    assert session.prediction.verdict.weakest > cold  # type: ignore[union-attr, operator]
    assert not step.advising.said.isVisible() and step.advising.rows.count() == 0
    session.document.undo()
    settled(qtbot, window, current=True)
    assert session.job.bench.print.vat_c == 8.0
