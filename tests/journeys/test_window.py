"""The main path in the real window: open, turn, hollow, drain, support, read the verdict, export, save, reopen, undo."""

from __future__ import annotations

import json
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QMimeData, QPoint, QPointF, QSettings, Qt, QUrl
from PySide6.QtGui import QDropEvent, QImage, QPainter, QWheelEvent
from PySide6.QtWidgets import QApplication, QLabel, QMessageBox, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled, within
from wideberth.core.job import open_job
from wideberth.core.layers import FRESH
from wideberth.core.model import read_model
from wideberth.core.plan import CAUTIONS, DEFERS
from wideberth.desktop.window import MainWindow


def press(qtbot: QtBot, window: MainWindow, step: str, text: str) -> None:
    """Choose a step on the course and press one of its buttons, as a user does."""
    course = window.course
    names = list(window.steps)
    y = int(course._middle(names.index(step)))
    qtbot.mouseClick(course, Qt.MouseButton.LeftButton, pos=QPoint(60, y))
    assert window.session.selection.step == step
    button = next(b for b in window.steps[step].findChildren(QPushButton) if b.text() == text)
    assert button.isVisible()
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def texts(widget) -> str:  # type: ignore[no-untyped-def]
    return "\n".join(label.text() for label in widget.findChildren(QLabel))


def test_main_path_from_mesh_to_printable_plate(window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path) -> None:
    session = window.session
    quick(window)
    session.files.open([egg_file])
    settled(qtbot, window, current=True)
    assert "A closed solid, nothing wrong." in texts(window.steps["model"])
    assert session.prediction is not None
    assert session.prediction.verdict.plate_margin is not None

    press(qtbot, window, "orient", "Propose a pose")
    settled(qtbot, window, current=True)
    assert session.job.parts[0].pose.gap_mm == 3.0
    assert any(f.code == "island" for f in session.prediction.verdict.findings)

    press(qtbot, window, "hollow", "Hollow it")
    settled(qtbot, window, current=True)
    assert len(session.prediction.solids[0].chambers) == 1
    assert "trap" in {f.code for f in session.prediction.verdict.findings}
    assert "trapped when done" in texts(window.strip)

    press(qtbot, window, "drain", "Propose holes")
    settled(qtbot, window, current=True)
    assert len(session.job.parts[0].holes) == 2
    assert session.prediction.verdict.trapped_ml == 0

    press(qtbot, window, "support", "Propose tips")
    settled(qtbot, window, current=True)
    verdict = session.prediction.verdict
    assert len(verdict.tips) >= 3
    assert not [f for f in verdict.findings if f.severity == "lost"]
    assert f"×{verdict.weakest:.1f}" in texts(window.strip)

    press(qtbot, window, "plate", "Arrange this plate")
    settled(qtbot, window, current=True)

    hand_over = window.steps["handover"]
    for name in ("plate.3mf", "plate.stl", "sheet.html", "sheet.pdf", "report.json"):
        hand_over.write(tmp_path / name)  # type: ignore[attr-defined]
        settled(qtbot, window)
        assert (tmp_path / name).stat().st_size > 1000
    assert json.loads((tmp_path / "report.json").read_text())["tips"]
    assert read_model(tmp_path / "plate.stl").mesh.triangles > 5000

    session.files.save(tmp_path / "job.3mf")
    settled(qtbot, window)
    assert session.document.is_saved
    kept, shown = session.job, verdict.weakest
    session.files.open([tmp_path / "job.3mf"])
    settled(qtbot, window, current=True)
    assert session.job.parts == kept.parts
    assert session.prediction.verdict.weakest == pytest.approx(shown)
    assert open_job(tmp_path / "job.3mf").parts == kept.parts


def test_undo_names_and_takes_back_each_change(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session = window.session
    quick(window)
    session.files.open([egg_file])
    settled(qtbot, window)
    window.steps["model"].scale.enter(1.5)  # type: ignore[attr-defined]
    press(qtbot, window, "orient", "By hand")
    press(qtbot, window, "orient", "+  x")
    assert window.status.undo.text() == "Undo: turn 15° about x"
    qtbot.mouseClick(window.status.undo, Qt.MouseButton.LeftButton)
    assert session.job.parts[0].scale == 1.5
    assert window.status.redo.text() == "Redo: turn 15° about x"
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.job.parts[0].scale == 1.0
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert session.job.parts[0].scale == 1.5


def test_height_cursor_runs_through_log_section_and_plane(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session = window.session
    quick(window)
    session.files.open([egg_file])
    settled(qtbot, window, current=True)
    log = window.log
    qtbot.mouseClick(log, Qt.MouseButton.LeftButton, pos=QPoint(200, log.y_of(20.0)))
    assert session.cursor.z_mm == pytest.approx(20.0, abs=0.3)
    corners = window.scene.overlay.plane()
    middle = window.scene.project((0.0, 0.0, session.cursor.z_mm))
    assert middle is not None
    assert min(y for _, y, _ in corners) < middle.y() < max(y for _, y, _ in corners)
    low = [y for _, y, _ in corners]
    session.cursor.move_to(session.cursor.z_mm + 5)
    assert all(after < before for (_, after, _), before in zip(window.scene.overlay.plane(), low, strict=True))
    session.cursor.move_to(session.cursor.z_mm - 5)
    before = session.cursor.layer
    qtbot.keyClick(log, Qt.Key.Key_Up)
    assert session.cursor.layer == before + 1
    shown = window.section._layer
    assert shown is not None
    area = session.prediction.loads.area_mm2[session.cursor.layer]  # type: ignore[union-attr]
    assert (shown.codes >= FRESH).sum() * shown.cell_mm**2 == pytest.approx(area, rel=0.02)
    middle = QPointF(40, 60)
    wheel = QWheelEvent(
        middle,
        window.section.mapToGlobal(middle),
        QPoint(),
        QPoint(0, -120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(window.section, wheel)
    assert session.cursor.layer == before
    qtbot.keyClick(log, Qt.Key.Key_Home)
    assert session.cursor.z_mm == 0


def test_click_in_the_3d_view_drills_where_it_hits(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session = window.session
    quick(window)
    session.files.open([egg_file])
    settled(qtbot, window, current=True)
    window.scene.look("Front")
    QApplication.processEvents()
    window.steps["drain"].holes.diameter.enter(3.0)  # type: ignore[attr-defined]
    press(qtbot, window, "drain", "Place in the 3D view")
    at = window.scene.project((0.0, 0.0, 15.0))
    assert at is not None
    qtbot.mouseClick(window.scene.overlay, Qt.MouseButton.LeftButton, pos=at.toPoint())
    (hole,) = session.job.parts[0].holes
    assert hole.diameter_mm == 3.0
    # the egg's front at mid-height is its point of least y
    settled(qtbot, window, current=True)
    assert session.prediction.solids[0].bores[0].entry_mm == pytest.approx((0, -11, 15), abs=1.0)  # type: ignore[union-attr]


def test_finding_leads_to_its_height_and_step(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session = window.session
    quick(window)
    session.files.open([egg_file])
    settled(qtbot, window)
    part = session.job.parts[0]
    session.document.change("raise it", session.job.with_part(replace(part, pose=replace(part.pose, gap_mm=3.0))))
    settled(qtbot, window, current=True)
    island = next(f for f in session.prediction.verdict.findings if f.code == "island")  # type: ignore[union-attr]
    row = next(w for w in window.findings.findChildren(QPushButton) if w.text() == "Support ›")
    qtbot.mouseClick(row, Qt.MouseButton.LeftButton)
    assert session.selection.step == "support"
    assert session.cursor.z_mm == pytest.approx(island.z_mm, abs=0.1)


def test_oversized_part_is_cut_in_two_in_the_window(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    tall = tmp_path / "tower.stl"
    trimesh.creation.cylinder(8, 230, sections=48).export(tall)
    quick(window)
    window.session.files.open([tall])
    settled(qtbot, window)
    press(qtbot, window, "split", "Propose cuts")
    settled(qtbot, window)
    press(qtbot, window, "plate", "Arrange this plate")
    settled(qtbot, window, current=True)
    assert [p.name for p in window.session.job.parts] == ["tower A", "tower B"]
    solids = window.session.prediction.solids  # type: ignore[union-attr]
    assert all(s.outer.watertight for s in solids)
    assert max(s.high[2] for s in solids) < 180


def test_a_part_is_cut_where_it_is_told(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window)
    window.steps["split"].turn_to("By hand")  # type: ignore[attr-defined]
    window.steps["split"].leaves["By hand"].place.enter(10.0)  # type: ignore[attr-defined]
    press(qtbot, window, "split", "Cut here")
    settled(qtbot, window)
    assert [p.name for p in window.session.job.parts] == ["egg A", "egg B"]
    assert "cut at 10 mm" in texts(window.steps["split"])
    tall = []
    for piece in window.session.job.parts:
        (cut,) = piece.cuts
        pegs = max(key.depth_mm for key in cut.keys) if cut.keys[0].peg_on == cut.keep else 0.0
        tall.append(window.session.stages.cut(piece).extents_mm[2] - pegs)
    assert sorted(tall) == pytest.approx([10.0, 30.8 - 10.0], abs=0.01)


def test_bad_file_is_told_and_the_job_is_kept(window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path) -> None:
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window)
    job = window.session.job
    bad = tmp_path / "bad.stl"
    bad.write_bytes(b"\0" * 80 + b"\xff\xff\0\0")
    window.session.files.open([bad])
    qtbot.waitUntil(lambda: any(w.isVisible() for w in window.findChildren(QMessageBox)), timeout=10_000)
    box = next(w for w in window.findChildren(QMessageBox) if w.isVisible())
    assert "bad.stl" in box.text()
    box.close()
    assert window.session.job is job


def test_models_can_be_dropped_on_the_window(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(egg_file))])
    event = QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    window.dropEvent(event)
    qtbot.waitUntil(lambda: window.session.has_parts, timeout=10_000)
    assert window.session.job.parts[0].name == "egg"


def test_long_work_leaves_the_window_free_and_can_be_stopped(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session = window.session
    session.files.open([egg_file])
    settled(qtbot, window)
    job = session.job
    assert within(0.5, session.proposing.propose_everything)
    assert session.is_busy
    session.tasks.cancel()
    words: list[str] = []
    session.messages.said.connect(words.append)
    settled(qtbot, window)
    assert session.job is job
    assert any("cancelled" in w for w in words)


def test_changing_again_while_predicting_ends_with_the_last_recipe(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session = window.session
    quick(window)
    session.files.open([egg_file])
    settled(qtbot, window)
    for scale in (1.1, 1.2, 1.3):
        window.steps["model"].scale.enter(scale)  # type: ignore[attr-defined]
    settled(qtbot, window, current=True)
    height = session.prediction.solids[0].outer.extents_mm[2]  # type: ignore[union-attr]
    assert height == pytest.approx(1.3 * 11 * 2 * 1.4, rel=1e-3)


def test_layers_are_exported_from_the_window(window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path) -> None:
    session = window.session
    small = {"printer.plate_x_mm": 40.0, "printer.plate_y_mm": 30.0, "printer.pixels_x": 200, "printer.pixels_y": 150}
    bench = session.job.bench
    for key, value in small.items():
        bench = bench.with_value(key, value)
    session.document.change("a small printer", type(session.job)("Egg", bench.with_value("print.layer_height_mm", 0.2)))
    session.files.open([egg_file])
    settled(qtbot, window, current=True)
    hand_over = window.steps["handover"]
    hand_over.edges.setCurrentIndex(3)  # type: ignore[attr-defined]
    session.selection.choose_step("handover")
    assert not hand_over.first_said.isVisible()  # type: ignore[attr-defined]
    hand_over.write(tmp_path / "layers.zip")  # type: ignore[attr-defined]
    settled(qtbot, window)
    with zipfile.ZipFile(tmp_path / "layers.zip") as package:
        assert "first_edges" not in json.loads(package.read("manifest.json"))
    hand_over.first.setCurrentIndex(2)  # type: ignore[attr-defined]
    assert hand_over.first_said.isVisible()  # type: ignore[attr-defined]
    raised = session.prediction.boxes[0][1][2] >= 0.2  # type: ignore[union-attr]
    assert ("nothing is changed" in hand_over.first_said.text()) is bool(raised)  # type: ignore[attr-defined]
    hand_over.write(tmp_path / "chamfer.zip")  # type: ignore[attr-defined]
    settled(qtbot, window)
    with zipfile.ZipFile(tmp_path / "chamfer.zip") as package:
        assert json.loads(package.read("manifest.json"))["first_edges"] == "chamfer"
    with zipfile.ZipFile(tmp_path / "layers.zip") as package:
        manifest = json.loads(package.read("manifest.json"))
    assert manifest["grey_levels"] == 8
    assert manifest["layer_count"] == session.prediction.loads.layers  # type: ignore[union-attr]


def test_window_holds_together_at_its_least_size(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    window.session.files.open([egg_file])
    settled(qtbot, window)
    window.resize(1024, 700)
    QApplication.processEvents()
    assert window.width() <= 1030
    for view in (window.log, window.scene, window.section, window.findings, window.strip):
        assert view.isVisible()
        assert window.rect().contains(view.mapTo(window, view.rect().center()))
    shown = window.grab().toImage()
    assert len({shown.pixel(x, y) for x in range(0, shown.width(), 40) for y in range(0, shown.height(), 40)}) > 8
    assert np.isfinite(window.session.cursor.z_mm)


def test_the_3d_view_shows_the_job_that_the_strip_names(window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path) -> None:
    """On the screen itself: what is seen after a change is what is seen once the scene was drawn anew for certain."""
    quick(window)
    block = tmp_path / "block.stl"
    trimesh.creation.box((22, 22, 30.8)).export(block)  # as large as the egg, so the camera stays
    scene, session = window.scene, window.session

    def seen() -> np.ndarray:
        at, size = scene.overlay.mapTo(window, QPoint(0, 0)), scene.overlay.size()
        picture = window.screen().grabWindow(window.winId(), at.x(), at.y(), size.width(), size.height()).toImage()
        picture = picture.convertToFormat(QImage.Format.Format_RGB888)
        rows = np.frombuffer(picture.constBits(), np.uint8).reshape(picture.height(), picture.bytesPerLine())
        return rows[:, : 3 * picture.width()].reshape(picture.height(), picture.width(), 3).astype(int)

    session.files.open([egg_file])
    settled(qtbot, window, current=True)
    qtbot.waitUntil(lambda: scene.overlay.picture is not None, timeout=20_000)  # it is painted over from now on
    before = seen()
    session.files.open([block], anew=True)
    settled(qtbot, window, current=True)
    qtbot.wait(600)
    after = seen()
    assert session.job.parts[0].name == "block" and (np.abs(after - before).max(axis=2) > 40).mean() > 0.02
    scene.plotter._fresh = False
    scene.overlay.hold(*scene.plotter.picture())
    qtbot.wait(600)
    assert (np.abs(seen() - after).max(axis=2) > 40).mean() < 0.002


def test_every_step_has_the_view_large_that_it_needs_and_any_view_takes_the_table(window: MainWindow, qtbot: QtBot) -> None:
    def areas() -> dict[str, float]:
        qtbot.wait(60)
        return {name: v.width() * v.height() for name, v in window.table.views.items()}

    window.resize(1280, 800)
    shares = {}
    for step in ("model", "support", "plate", "predict"):
        window.session.selection.choose_step(step)
        shares[step] = areas()
    for step in ("model", "support"):
        assert shares[step]["scene"] > 0.5 * sum(shares[step].values())
    assert shares["plate"]["section"] > 1.8 * shares["support"]["section"]
    assert shares["predict"]["log"] > 1.5 * shares["support"]["log"]
    for name, view in window.table.views.items():
        qtbot.keyClick(window, Qt.Key.Key_0 + list(window.table.views).index(name) + 1, Qt.KeyboardModifier.AltModifier)
        assert areas()[name] > 0.97 * window.table.width() * window.table.height()
        assert [other for other, v in window.table.views.items() if v.isVisible()] == [name]
        window.resize(window.width() - 4, window.height())
        qtbot.wait(40)
        assert window.table.large == name
        qtbot.keyClick(window, Qt.Key.Key_Escape)
        assert all(v.isVisible() for v in window.table.views.values()) and view.isVisible()
    title = window.section.mapFromGlobal(window.section.mapToGlobal(QPoint(60, 10)))
    qtbot.mouseDClick(window.section, Qt.MouseButton.LeftButton, pos=title)
    assert window.table.large == "section"
    qtbot.mouseDClick(window.section, Qt.MouseButton.LeftButton, pos=title)
    assert window.table.large == ""
    qtbot.waitUntil(lambda: not window.table._later.isActive(), timeout=30_000)
    qtbot.wait(300)  # the views have come back to their places
    kept = QSettings().fileName()
    assert "/wide-berth/" in kept and "pytest" in kept  # no test writes to whoever runs it
    window.table.across.moveSplitter(300, 1)
    assert window.table.across.sizes()[0] == pytest.approx(300, abs=12)
    window.session.selection.choose_step("bench")
    window.session.selection.choose_step("predict")

    def is_as_it_was_left() -> None:
        assert window.table.across.sizes()[0] == pytest.approx(300, abs=12), (window.table.across.sizes(), window.width())

    qtbot.waitUntil(is_as_it_was_left, timeout=30_000)  # remembered for its step
    for step, letter in (("drain", Qt.Key.Key_D), ("handover", Qt.Key.Key_V)):
        qtbot.keyClick(window, letter, Qt.KeyboardModifier.AltModifier)
        assert window.session.selection.step == step


def test_fit_shows_all_that_stands_there_in_any_view(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window, current=True)
    scene = window.scene
    for view in ("Front", "Above", "Corner", "Below"):
        scene.look(view)
        for step in ("model", "plate"):
            window.session.selection.choose_step(step)
            qtbot.wait(80)
            spots = [scene.project(tuple(float(x) for x in p)) for p in scene.drawn[0].outer.points[::37]]
            x, y = np.array([s.x() for s in spots]), np.array([s.y() for s in spots])  # type: ignore[union-attr]
            wide, high = scene.overlay.width(), scene.overlay.height()
            assert x.min() > 0 and x.max() < wide and y.min() > 0 and y.max() < high
            assert max((x.max() - x.min()) / wide, (y.max() - y.min()) / high) > 0.75


def test_what_was_whole_in_the_view_stays_whole(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window)
    scene, document = window.scene, window.session.document

    def raise_by(mm: float) -> bool:
        part = document.job.parts[0]
        before = scene.plotter.camera.position
        document.change("raise it", document.job.with_part(replace(part, pose=replace(part.pose, gap_mm=part.pose.gap_mm + mm))))
        settled(qtbot, window)
        return scene.plotter.camera.position != before

    def top() -> float:
        highest = scene.drawn[0].outer.points[scene.drawn[0].outer.points[:, 2].argmax()]
        return scene.project(tuple(float(x) for x in highest)).y()  # type: ignore[union-attr]

    scene.look("Front")
    assert not raise_by(0.5)  # there is room left
    assert raise_by(5.0) and top() > 0
    scene.plotter.camera.zoom(3.0)
    assert top() < 0
    assert not raise_by(2.0)  # one looks at something near


def test_all_cautions_stand_where_their_step_is(window: MainWindow) -> None:
    said = {name: " ".join(label.text() for label in step.findChildren(QLabel)) for name, step in window.steps.items()}
    for caution in CAUTIONS:
        assert caution.steps
        for name, text in said.items():
            assert (caution.text in text) is (name in caution.steps)
    assert len(CAUTIONS) == 7 and DEFERS in said["handover"]


def test_no_painter_outlives_its_paint_event(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    """Not even one that somebody keeps: a painter that is alive when the window is shown brings the program down."""
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window, current=True)
    window.session.selection.choose_step("predict")  # with all views in sight
    qtbot.wait(50)
    own = [w for w in window.findChildren(QWidget) if hasattr(type(w), "_paint") and w.isVisible()]
    kept: list[tuple[str, QPainter]] = []
    for widget in own:
        paint, name = widget._paint, type(widget).__name__
        widget._paint = lambda painter, paint=paint, name=name: (kept.append((name, painter)), paint(painter))
        widget.grab()  # paints it, whether or not anything covers it
        del widget._paint
    assert {name for name, _ in kept} >= {"SectionView", "Overlay", "Course", "ChartFrame"}
    assert not any(painter.isActive() for _, painter in kept)
