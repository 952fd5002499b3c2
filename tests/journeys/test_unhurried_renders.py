"""A software renderer is slow: the scene is rendered when it changed, lightly while it moves, and in full before it is kept."""

from __future__ import annotations

import itertools
import os
import threading
import weakref
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt, QThreadPool
from PySide6.QtGui import QColor, QPixmap
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from wideberth.core.progress import Progress
from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.scene.shapes import MOST_SIDES, block_of, body_of, some_of
from wideberth.desktop.scene.wardrobe import Lately
from wideberth.desktop.style import DAY
from wideberth.desktop.window import MainWindow
from wideberth.desktop.work import Task, let_the_window_go_first

NO_KEY = Qt.KeyboardModifier.NoModifier
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def opened(window: MainWindow, qtbot: QtBot, egg_file: Path) -> MainWindow:
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window, current=True)
    return window


def _settled_picture(window: MainWindow, qtbot: QtBot) -> np.ndarray:
    """What is seen of the scene once it stands still, as numbers."""
    settled(qtbot, window, current=True)
    qtbot.waitUntil(lambda: window.scene.plotter.is_fresh and not window.scene.overlay.outgrown, timeout=20_000)
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
    chart, view = opened.scene.plotter, opened.scene.overlay
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
    at = view.rect().center()
    QTest.mousePress(view, LEFT, NO_KEY, at)
    for step in range(1, 6):
        QTest.mouseMove(view, at + QPoint(8 * step, 0))
        qtbot.wait(20)
    QTest.mouseRelease(view, LEFT, NO_KEY, at + QPoint(40, 0))
    turned = _settled_picture(opened, qtbot)
    assert shown[0][0] and not shown[-1][0] and all(spared for _, spared in shown)  # what was spared is there again
    assert not np.array_equal(turned, kept)
    chart._fresh = False
    opened.scene._picture_all()  # rendered in full once more
    assert np.array_equal(_settled_picture(opened, qtbot), turned)


def test_the_window_is_put_together_without_opengl_and_pictures_the_scene_once_for_each_shape(
    opened: MainWindow, qtbot: QtBot
) -> None:
    _settled_picture(opened, qtbot)
    assert not opened.findChildren(QOpenGLWidget) and opened.scene.plotter.window() is opened.scene.plotter
    drawn: list[int] = []
    opened.scene.plotter.drawn.connect(lambda: drawn.append(1))
    opened.session.selection.choose_step("predict")  # several borders move
    _settled_picture(opened, qtbot)
    view, chart = opened.scene.overlay, opened.scene.plotter
    assert len(drawn) == 1 and view.size() == chart.size() == view.picture.size()  # type: ignore[union-attr]
    opened.session.selection.choose_step("plan")  # the view is out of sight
    opened.resize(opened.width() - 60, opened.height() - 40)
    qtbot.wait(300)
    assert len(drawn) == 1
    opened.session.selection.choose_step("predict")
    _settled_picture(opened, qtbot)
    assert len(drawn) == 2 and view.size() == chart.size() == view.picture.size()  # type: ignore[union-attr]


def test_a_picture_of_another_shape_stands_in_whole_and_centred(opened: MainWindow, qtbot: QtBot) -> None:
    _settled_picture(opened, qtbot)
    view = opened.scene.overlay
    red = QPixmap(200, 100)
    red.fill(QColor("red"))
    view.picture, view.outgrown = red, True
    seen = view.grab().toImage()
    wide, high = min(view.width(), 2 * view.height()), min(view.height(), view.width() // 2)
    spots = [(x, y) for x in range(view.width() // 2, view.width(), 7) for y in range(0, view.height(), 7)]
    for x, y in spots:  # right of the choice that lies on the view
        across, down = abs(x - view.width() / 2) - wide / 2, abs(y - view.height() / 2) - high / 2
        if max(across, down) < -2:
            assert seen.pixelColor(x, y) == QColor("red")
        elif max(across, down) > 2:
            assert seen.pixelColor(x, y) == QColor(DAY.water)


def test_work_and_what_it_starts_beside_come_after_the_window(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    def told() -> int:
        return os.getpriority(os.PRIO_PROCESS, threading.get_native_id())

    def work(_: Progress) -> tuple[int, int]:
        with ThreadPoolExecutor(1) as beside:
            return told(), beside.submit(told).result()

    monkeypatch.setattr(Task, "comes_after_the_window", False)
    let_the_window_go_first()
    found: list[tuple[int, int]] = []
    threads = QThreadPool(window)  # of its own: what other tests wait for goes on as it did
    for _ in range(2):
        Task(work, found.append).start(threads)
    qtbot.waitUntil(lambda: len(found) == 2, timeout=60_000)
    assert min(min(pair) for pair in found) > told()


def test_looks_are_rehearsed_and_nothing_of_it_stays(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch, rehearse: Callable[[Chart], None]
) -> None:
    chart = window.scene.plotter
    before, seen = set(chart.actors), []
    take = Chart.picture

    def noted(self: Chart, lightly: bool = False) -> object:
        seen.append({name for name, actor in self.actors.items() if actor.GetVisibility()})
        return take(self, lightly)

    monkeypatch.setattr(Chart, "picture", noted)
    rehearse(chart)
    assert len(seen) == 2 and len(seen[0] - before) >= 10 and set(chart.actors) == before


def test_keys_of_the_renderer_do_nothing_in_the_view(opened: MainWindow, qtbot: QtBot) -> None:
    """Its own shortcuts close it, or draw the part as wires."""
    before = _settled_picture(opened, qtbot)
    opened.scene.overlay.setFocus()
    for key in (Qt.Key.Key_W, Qt.Key.Key_V, Qt.Key.Key_C, Qt.Key.Key_Q, Qt.Key.Key_E):
        QTest.keyClick(opened.scene.overlay, key)
    qtbot.wait(200)
    assert np.array_equal(_settled_picture(opened, qtbot), before)


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


@pytest.mark.parametrize("radius", [8.0, 25.0, 45.3, 70.0])
def test_a_large_body_is_drawn_with_fewer_triangles_in_its_place(radius: float) -> None:
    """A ball of cells: its volume by the divergence theorem, its middle, and how many triangles it takes."""
    cells, low, step = round(2 * radius) + 9, np.array([3.0, -2.0, 7.0]), 0.4
    z, y, x = np.ogrid[:cells, :cells, :cells]
    middle = np.array([cells / 2 + 0.3, cells / 2 - 0.2, cells / 2 + 0.1])
    held = ((x - middle[0]) ** 2 + (y - middle[1]) ** 2 + (z - middle[2]) ** 2 <= radius**2).astype(np.float32)
    block = block_of(held, low, step)
    assert block is not None
    assert block.held.base is None  # the finer cells are let go
    body = body_of(block, np.eye(4))
    sides = 6 * np.pi * radius**2
    assert body is not None and body.n_cells < 2.2 * (sides if sides < MOST_SIDES else sides / 4)
    assert body.volume == pytest.approx(4 / 3 * np.pi * (radius * step) ** 3, rel=0.04)
    assert np.array(body.center) == pytest.approx(low + step * middle, abs=0.5 * block.step_mm)
    assert (block.step_mm == step) is (radius < 15)


@pytest.mark.parametrize("start", range(4))
def test_a_thin_sheet_is_drawn_as_well(start: int) -> None:
    held = np.zeros((9, 120, 120), np.float32)
    held[start : start + 2, 2:-2, 2:-2] = 1
    block = block_of(held, np.zeros(3), 0.5)
    assert block is not None and block.step_mm > 0.5
    body = body_of(block, np.eye(4))
    assert body is not None and body.bounds[1] - body.bounds[0] == pytest.approx(57.5, abs=2.0)


@pytest.mark.parametrize("look", ["Corner", "Front", "Side", "Above"])
def test_the_cutting_plane_on_the_plate_covers_it_wherever_nothing_stands_before_it(
    opened: MainWindow, qtbot: QtBot, look: str
) -> None:
    opened.scene.look(look)
    opened.scene.plotter.camera.zoom(0.6)
    opened.scene.plotter.redraw()
    opened.session.cursor.move_to(0.0)
    _settled_picture(opened, qtbot)
    view, p = opened.scene.overlay, opened.session.prediction
    assert p is not None
    corners = view.plane()
    sheet = view.sheet(corners)
    scale = sheet.width() / view.width()
    low, high = p.solids[0].low[:2] - 1.5, p.solids[0].high[:2] + 1.5
    to_eye = np.array(opened.scene.plotter.camera.position)[:2] - 0.5 * (low + high)
    rng = np.random.default_rng(5)
    seen, missed = 0, []
    for share in rng.uniform(-0.04, 1.04, (600, 2)):
        x, y = (float(v) for v in low + share * (high - low))
        outside = [share[0] < 0, share[0] > 1, share[1] < 0, share[1] > 1]
        before = np.array([-to_eye[0], to_eye[0], -to_eye[1], to_eye[1]])[outside]
        at = view._project_deep((x, y, 0.0))
        if not len(before) or before.max() <= 0 or at is None or not view.rect().contains(int(at[0]), int(at[1])):
            continue  # inside, or behind the part
        seen += 1
        if sheet.pixelColor(int(at[0] * scale), int(at[1] * scale)).alpha() == 0:
            missed.append((x, y))
    assert seen > 20 and len(missed) <= 0.05 * seen  # a pixel at the rim, and lines of the plate, may differ


def test_what_was_used_last_stays_ready_and_what_stands_for_a_key_lives_as_long() -> None:
    lately, made, owners = Lately(), [], [Owner() for _ in range(4)]
    alive = [weakref.ref(owner) for owner in owners]

    def asked(number: int) -> int:
        def make() -> int:
            made.append(number)
            return 10 * number

        return int(lately.get((number,), make, owners[number] if owners else None, room=3))

    assert [asked(n) for n in (0, 1, 2, 0, 3, 0, 2)] == [0, 10, 20, 0, 30, 0, 20] and made == [0, 1, 2, 3]
    owners.clear()
    assert [ref() is not None for ref in alive] == [True, False, True, True]
    assert asked(1) == 10 and made[-1] == 1 and [ref() is not None for ref in alive] == [True, False, True, False]


class Owner:
    """What a key stands for."""


def test_some_of_the_points_reach_as_far_as_all_of_a_block_beside_fine_balls() -> None:
    """Eight corners among thousands, wherever they stand in the row and however the block is turned."""
    rng = np.random.default_rng(2)
    corners = np.array(list(itertools.product((-20.0, 20.0), (-12.0, 12.0), (0.0, 9.0))), np.float32)
    ball = rng.normal(size=(9_000, 3)).astype(np.float32)
    for at in rng.integers(0, 9_000, 40):
        turned = np.linalg.qr(rng.normal(size=(3, 3)))[0].astype(np.float32)
        corners = corners @ turned
        points = np.insert(ball, at, corners, axis=0)
        some = some_of(points, 400)
        assert len(some) < 500 and {tuple(p) for p in some} <= {tuple(p) for p in points}
        assert {tuple(p) for p in corners} <= {tuple(p) for p in some}
