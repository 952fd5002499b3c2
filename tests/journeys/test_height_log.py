"""The height log in the real window: choose, order and widen tracks, zoom, compare, export."""

from __future__ import annotations

import csv
from pathlib import Path
from types import SimpleNamespace
from xml.etree import ElementTree

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QWheelEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from wideberth.desktop.heightlog import HeightLog
from wideberth.desktop.heightlog.curves import TRACKS, USUAL
from wideberth.desktop.heightlog.drawing import HEAD
from wideberth.desktop.session import Session
from wideberth.desktop.window import MainWindow


@pytest.fixture
def opened(window: MainWindow, qtbot: QtBot, egg_file: Path) -> MainWindow:
    quick(window)
    window.log.set_tracks(USUAL)
    window.session.files.open([egg_file])
    window.session.selection.choose_step("predict")  # where the log is large
    settled(qtbot, window, current=True)
    return window


def drag(qtbot: QtBot, log: HeightLog, start: QPoint, end: QPoint, keys: Qt.KeyboardModifier) -> None:
    qtbot.mousePress(log, Qt.MouseButton.LeftButton, keys, start)
    for share in (0.3, 0.6, 1.0):
        qtbot.mouseMove(log, start + (end - start) * share)
    qtbot.mouseRelease(log, Qt.MouseButton.LeftButton, keys, end)


def place_of(log: HeightLog, key: str) -> tuple[float, float]:
    return next((r.left(), r.right()) for k, r in log.frame.columns() if k == key)


def test_tracks_are_chosen_ordered_widened_and_remembered(opened: MainWindow, qtbot: QtBot) -> None:
    log = opened.log
    log.show_track("cure", True)
    assert [k for k, _ in log.tracks] == [k for k, _ in USUAL] + ["cure"]
    left, right = place_of(log, "area")
    target = int(sum(place_of(log, "time")) / 2)
    none = Qt.KeyboardModifier.NoModifier
    drag(qtbot, log, QPoint(int(0.5 * (left + right)), int(HEAD / 2)), QPoint(target, int(HEAD / 2)), none)
    assert [k for k, _ in log.tracks].index("area") > [k for k, _ in log.tracks].index("plate")
    before = place_of(log, "pull")
    border = QPoint(int(before[1] + 3), 300)
    drag(qtbot, log, border, border + QPoint(8, 0), none)
    after = place_of(log, "pull")
    assert after[1] - after[0] == pytest.approx(before[1] - before[0] + 8, abs=1.5)
    again = HeightLog(Session()).tracks
    assert [k for k, _ in again] == [k for k, _ in log.tracks]
    assert [share for _, share in again] == pytest.approx([share for _, share in log.tracks], abs=1e-3)
    log.set_tracks(USUAL)


def test_zoom_shows_a_stretch_and_its_own_scale(opened: MainWindow, qtbot: QtBot) -> None:
    log, p = opened.log, opened.session.prediction
    assert p is not None
    log.grab()
    whole = log.frame.scales["pull"][1]
    drag(qtbot, log, QPoint(200, log.y_of(20.0)), QPoint(200, log.y_of(10.0)), Qt.KeyboardModifier.ControlModifier)
    low, high = log.frame.low_mm, log.frame.high_mm
    assert (low, high) == pytest.approx((10.0, 20.0), abs=0.3)
    log.grab()
    z = (np.arange(p.loads.layers) + 0.5) * p.layer_mm
    shown = p.loads.pull_n[(z >= low) & (z <= high)].max()
    assert shown <= log.frame.scales["pull"][1] < max(whole, 2.1 * shown)
    at = QPointF(200, log.y_of(15.0))
    wheel = QWheelEvent(
        at,
        log.mapToGlobal(at),
        QPoint(),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.ControlModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(log, wheel)
    assert log.frame.high_mm - log.frame.low_mm == pytest.approx(0.8 * (high - low))
    assert log.y_of(15.0) == pytest.approx(at.y(), abs=2)
    qtbot.mouseDClick(log, Qt.MouseButton.LeftButton, pos=QPoint(200, 300))
    assert log.frame.high_mm == pytest.approx(p.loads.layers * p.layer_mm)


def test_another_state_is_kept_beside_as_a_ghost(opened: MainWindow, qtbot: QtBot) -> None:
    log, session = opened.log, opened.session
    kept = session.prediction
    next(a for a in log.menu().actions() if a.text() == "Keep this state to compare with").trigger()
    session.document.set_bench("print.lift_mm_per_min", 120.0)
    settled(qtbot, opened, current=True)
    assert log.frame.ghost is kept
    assert session.prediction.loads.pull_n.max() > 1.2 * kept.loads.pull_n.max()  # type: ignore[union-attr]
    with_ghost = log.grab().toImage()
    next(a for a in log.menu().actions() if a.text() == "Compare no longer").trigger()
    assert log.frame.ghost is None
    assert log.grab().toImage() != with_ghost


def test_exports_are_whole_files_of_what_is_shown(opened: MainWindow, tmp_path: Path) -> None:
    log, p = opened.log, opened.session.prediction
    assert p is not None
    log.show_heights(10.0, 20.0)
    for ending in (".png", ".svg", ".csv"):
        log.save(tmp_path / f"log{ending}")
    assert QImage(str(tmp_path / "log.png")).width() == 1100
    assert ElementTree.parse(tmp_path / "log.svg").getroot().tag.endswith("svg")
    rows = list(csv.DictReader((tmp_path / "log.csv").open()))
    heights = [float(r["z_mm"]) for r in rows]
    assert min(heights) >= log.frame.low_mm and max(heights) <= log.frame.high_mm
    k = int(rows[0]["layer"]) - 1
    assert float(rows[0]["peel_n"]) == pytest.approx(p.loads.peel_n[k], rel=1e-4)
    assert rows[0]["hold_margin"] == ""  # it stands on the plate: nothing hangs on tips


def test_pointer_shows_values_and_says_what_a_sign_is(opened: MainWindow, qtbot: QtBot) -> None:
    log = opened.log
    finding = next(f for f in opened.session.prediction.verdict.findings if f.z_mm > 1)  # type: ignore[union-attr]
    assert finding.message in log._told_at(QPointF(log.frame.body.left() + 3, log.y_of(finding.z_mm)))
    before = log.grab().toImage()
    qtbot.mouseMove(log, QPoint(220, log.y_of(25.0)))
    assert log._hover_mm == pytest.approx(25.0, abs=0.2)
    assert log.grab().toImage() != before


def test_margins_are_said_in_words_where_there_is_no_number() -> None:
    loads = SimpleNamespace(hold_margin=np.array([np.nan, 0.0, 2.34, 150.0]), plate_margin=np.array([1.0, 99.9, 0.0, np.nan]))
    shown = [[TRACKS[track].text(SimpleNamespace(loads=loads), k) for k in range(4)] for track in ("hold", "plate")]
    assert shown == [["–", "not held", "×2.3", ">×99"], ["×1.0", "×99.9", "not held", "–"]]
