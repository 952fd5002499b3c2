"""A software renderer is slow: the scene is rendered when it changed, lightly while it moves, and in full before it is kept."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.window import MainWindow

NO_KEY = Qt.KeyboardModifier.NoModifier
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def opened(window: MainWindow, qtbot: QtBot, egg_file: Path) -> MainWindow:
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window, current=True)
    return window


def _settled_picture(window: MainWindow, qtbot: QtBot) -> np.ndarray:
    """What is kept of the scene once it stands still, as numbers."""
    settled(qtbot, window, current=True)
    qtbot.waitUntil(lambda: window.scene.overlay.picture is not None, timeout=20_000)
    image = window.scene.overlay.picture.toImage()  # type: ignore[union-attr]
    return np.frombuffer(image.constBits(), np.uint8).copy()


def test_a_new_prediction_of_the_same_solids_renders_nothing_and_a_turn_of_the_view_does(
    opened: MainWindow, qtbot: QtBot
) -> None:
    _settled_picture(opened, qtbot)
    drawn: list[int] = []
    opened.scene.plotter.drawn.connect(lambda: drawn.append(1))
    before = opened.session.prediction
    opened.session.document.set_bench("print.vat_c", 21.0)
    settled(qtbot, opened, current=True)
    qtbot.wait(300)
    assert opened.session.prediction is not before and drawn == []
    opened.scene.look("Front")
    _settled_picture(opened, qtbot)
    seen = len(drawn)
    assert seen > 0
    opened.scene.refresh()
    qtbot.wait(300)
    assert len(drawn) == seen


def test_a_heavy_scene_is_turned_lightly_and_stands_in_full(opened: MainWindow, qtbot: QtBot, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    chart = opened.scene.plotter
    kept = _settled_picture(opened, qtbot)
    shown: list[tuple[bool, bool]] = []
    paint = Chart._render_all, Chart._render_lightly
    monkeypatch.setattr("wideberth.desktop.scene.chart.HEAVY_S", 0.0)  # any render is heavy
    chart._render_all()

    def noting(render):  # type: ignore[no-untyped-def]
        def noted(self: Chart) -> None:
            render(self)
            shown.append((render is paint[1], self.spared[0].GetVisibility()))

        return noted

    monkeypatch.setattr(Chart, "_render_all", noting(paint[0]))
    monkeypatch.setattr(Chart, "_render_lightly", noting(paint[1]))
    at = QPoint(chart.width() // 2, chart.height() // 2)
    QTest.mousePress(chart, LEFT, NO_KEY, at)
    for step in range(1, 6):
        QTest.mouseMove(chart, at + QPoint(8 * step, 0))
        qtbot.wait(20)
    QTest.mouseRelease(chart, LEFT, NO_KEY, at + QPoint(40, 0))
    turned = _settled_picture(opened, qtbot)
    assert shown[0][0] and not shown[-1][0] and all(spared for _, spared in shown)  # what was spared is there again
    assert not np.array_equal(turned, kept)
    opened.scene.overlay.let_go()
    chart._fresh = False
    opened.scene._hold()  # rendered in full once more
    assert np.array_equal(_settled_picture(opened, qtbot), turned)


def test_findings_keep_their_rows_and_tell_the_new_words(opened: MainWindow, qtbot: QtBot) -> None:
    settled(qtbot, opened, current=True)
    rows, findings = list(opened.findings._rows), opened.session.prediction.verdict.findings  # type: ignore[union-attr]
    assert len(rows) == len(findings) > 0
    opened.session.document.set_bench("print.lift_mm_per_min", 600.0)
    settled(qtbot, opened, current=True)
    findings = opened.session.prediction.verdict.findings  # type: ignore[union-attr]
    assert opened.findings._rows[: len(rows)] == rows[: len(findings)]
    told = [w.accessibleName() for w in opened.findings._rows]
    assert all(f.message in words for f, words in zip(findings, told, strict=True))
    for row in opened.findings._rows:
        cure, way = row.findChildren(QPushButton)
        assert way.text().endswith("›") and cure.isHidden() == (cure.text() == "")
