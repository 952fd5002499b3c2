"""Choosing a way up on its page, marking faces with the mouse, laying a face, and states of the job side by side."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from wideberth.core.job import marked_as, posed
from wideberth.core.model import MarkKind
from wideberth.core.orient import disc_of
from wideberth.core.propose import Way, propose_orient, propose_support, ring_more
from wideberth.desktop.window import MainWindow


@pytest.fixture
def plate(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> MainWindow:
    """A name plate in the window, as it came."""
    quick(window)
    path = tmp_path / "plate.stl"
    trimesh.creation.box((40, 28, 4)).subdivide_to_size(2.0).export(path)
    window.session.files.open([path])
    settled(qtbot, window, current=True)
    window.session.selection.choose_step("orient")
    return window


def turned_to(window: MainWindow, leaf: str):  # type: ignore[no-untyped-def]
    orient = window.steps["orient"]
    orient.turn_to(leaf)  # type: ignore[attr-defined]
    return {"By hand": orient.hand, "Marks": orient.marks, "Ways up": orient.ways}[leaf]  # type: ignore[attr-defined]


def seen_at(window: MainWindow, spot: np.ndarray) -> QPointF:
    at = window.scene.project((float(spot[0]), float(spot[1]), float(spot[2])))
    assert at is not None
    return at


def mouse(window: MainWindow, kind: QEvent.Type, at: QPointF) -> None:
    button = Qt.MouseButton.NoButton if kind is QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
    held = Qt.MouseButton.NoButton if kind is QEvent.Type.MouseButtonRelease else Qt.MouseButton.LeftButton
    view = window.scene.overlay
    sent = QMouseEvent(kind, at, view.mapToGlobal(at), button, held, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(view, sent)


@pytest.mark.prove
def test_all_ways_up_are_weighed_once_and_a_row_and_a_place_of_the_chart_turn_the_part(plate: MainWindow, qtbot: QtBot) -> None:
    session, window = plate.session, plate
    window.steps["orient"].page.setChecked(True)  # type: ignore[attr-defined]
    page = window.pages.page("orient")
    assert window.pages.currentWidget() is page and page.weigh.isVisible()
    page._weigh()
    settled(qtbot, window, current=True)
    assert not page.weigh.isVisible() and page.table.rowCount() > 6
    assert "ways up weighed" in page.word.text()
    names = [page.table.item(row, 1).text() for row in range(page.table.rowCount())]
    assert names[0] == "as it is now" and "balanced" in names[1]
    low = next(row for row, name in enumerate(names) if "lowest" in name)
    page.table.setCurrentCell(low, 1)
    assert "gains nothing that counts" in page.word.text()  # it lies flat already
    young = next(row for row, name in enumerate(names) if "least on young layers" in name)
    page.table.setCurrentCell(young, 1)
    assert "it gains" in page.word.text() and "pull on young layers" in page.word.text()
    qtbot.mouseClick(page.turn, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert "least on young layers" in window.status.undo.text()
    now = session.job.parts[0].pose.rotation[2]
    assert np.allclose(now, page._present.up, atol=1e-6)  # the page follows
    cost = page._found.costs[5]
    (disc,), (at,) = disc_of(cost.up[None])
    qtbot.mouseClick(page.chart, Qt.MouseButton.LeftButton, pos=page.chart._place(int(disc), at).toPoint())
    settled(qtbot, window)
    assert session.job.parts[0].pose.rotation[2] @ cost.up > np.cos(np.radians(4))
    assert cost is page._found.costs[5]  # nothing was weighed anew


@pytest.mark.prove
def test_what_matters_and_limits_rank_anew_without_weighing_and_may_become_house_rules(plate: MainWindow, qtbot: QtBot) -> None:
    session, window = plate.session, plate
    window.steps["orient"].page.setChecked(True)  # type: ignore[attr-defined]
    page = window.pages.page("orient")
    page._weigh()
    settled(qtbot, window, current=True)
    hours = page._picks and min(c.hours for c in page._picks.values())
    page.hours.enter(round(hours + 0.02, 3))
    assert all(c.hours <= hours + 0.03 for c in page._picks.values())
    page.hours.edit.setText("")
    page.hours.edit.setModified(True)
    page.hours._take()
    first = next(iter(page._picks.values()))
    page.sliders[("height_weight_n_per_mm",)].setValue(8)
    for keys in (("young_weight",), ("lever_weight",), ("finishing_weight_n_per_min",)):
        page.sliders[keys].setValue(-8)
    lower = next(iter(page._picks.values()))
    assert lower.height_mm < first.height_mm
    before = session.job.bench.house.height_weight_n_per_mm
    qtbot.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert session.job.bench.house.height_weight_n_per_mm == pytest.approx(16 * before)
    assert all(s.value() == 0 for s in page.sliders.values()) and "house rules" in window.status.undo.text()


def test_a_brush_drawn_over_the_part_marks_what_it_covers_as_one_change(plate: MainWindow, qtbot: QtBot) -> None:
    session, window = plate.session, plate
    marks = turned_to(window, "Marks")
    window.scene.look("Above")
    qtbot.wait(300)
    marks.mark.click()
    assert session.sight.tool is marks._tool and "drag" in window.scene.overlay.hint
    top = float(session.prediction.solids[0].high[2])
    eye = window.scene.plotter.camera.position
    mouse(window, QEvent.Type.MouseButtonPress, seen_at(window, np.array([-10.0, 0, top])))
    for x in np.linspace(-9, 10, 12):
        mouse(window, QEvent.Type.MouseMove, seen_at(window, np.array([x, 0, top])))
        qtbot.wait(40)
    mouse(window, QEvent.Type.MouseButtonRelease, seen_at(window, np.array([10.0, 0, top])))
    settled(qtbot, window)
    part = session.job.parts[0]
    clean = marked_as(part, MarkKind.KEEP_CLEAN)
    area = float(part.source.mesh.face_area_mm2[clean].sum())
    assert area == pytest.approx(20 * 6 + np.pi * 9, rel=0.3)  # a stroke of 20 mm with a brush of 3 mm radius
    assert (part.source.mesh.normals[clean][:, 2] > 0.9).all()
    assert window.scene.plotter.camera.position == eye  # the view did not turn
    assert [label for label, _ in session.document.history.states].count("mark faces of plate: keep clean") == 1
    assert f"{area:,.0f} mm² keep clean" in marks.told.text()
    assert any(name.startswith("marks 0 keep clean") for name in window.scene.marks.hatched)
    session.document.undo()
    settled(qtbot, window)
    assert session.job.parts[0].marks == () and not window.scene.marks.hatched


def test_a_click_marks_a_flat_face_and_rings_and_schools_follow(plate: MainWindow, qtbot: QtBot) -> None:
    session, window = plate.session, plate
    marks = turned_to(window, "Marks")
    marks.way.setCurrentIndex(list(Way).index(Way.FLAT))
    marks._other_way()
    window.scene.look("Above")
    qtbot.wait(300)
    marks.mark.click()
    at = seen_at(window, np.array([3.0, 2.0, float(session.prediction.solids[0].high[2])]))
    mouse(window, QEvent.Type.MouseButtonPress, at)
    mouse(window, QEvent.Type.MouseButtonRelease, at)
    settled(qtbot, window)
    assert "1,120 mm² keep clean" in marks.told.text()
    marks._ring(ring_more, "grow")
    settled(qtbot, window)
    assert len(marked_as(session.job.parts[0], MarkKind.KEEP_CLEAN)) > 0 and "1,120 mm²" not in marks.told.text()
    marks.school.setCurrentIndex(1)
    marks._take_school()
    settled(qtbot, window)
    assert session.job.bench.house.busy_mark_times == 2.0 and "×2 busy" in marks.minutes.text()


def test_a_clicked_face_is_laid_down_and_the_keys_turn(plate: MainWindow, qtbot: QtBot) -> None:
    session, window = plate.session, plate
    hand = turned_to(window, "By hand")
    window.scene.look("Front")
    qtbot.wait(300)
    hand._ask_for(0.0)
    solids = session.prediction.solids[0]
    at = seen_at(window, np.array([0.0, float(solids.low[1]), 0.5 * float(solids.low[2] + solids.high[2])]))
    mouse(window, QEvent.Type.MouseButtonPress, at)
    mouse(window, QEvent.Type.MouseButtonRelease, at)
    settled(qtbot, window, current=True)
    assert session.job.parts[0].pose.rotation @ [0, -1, 0] == pytest.approx([0, 0, -1], abs=1e-9)
    assert window.status.undo.text() == "Undo: lay a face down" and session.sight.tool is None
    before = session.job.parts[0].pose.rotation
    hand.angle.enter(20.0)
    qtbot.keyClick(window, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    settled(qtbot, window)
    turn = session.job.parts[0].pose.rotation @ before.T
    assert np.degrees(np.arccos((np.trace(turn) - 1) / 2)) == pytest.approx(20.0)


def test_kept_states_stand_side_by_side_are_renamed_taken_over_and_deleted(plate: MainWindow, qtbot: QtBot) -> None:
    session, window = plate.session, plate
    session.selection.choose_step("predict")
    window.steps["predict"].page.setChecked(True)  # type: ignore[attr-defined]
    page = window.pages.page("predict")
    page.name.setText("flat on the plate")
    page._keep()
    flat = session.job.parts[0].pose
    session.document.change("stand it up", session.job.with_part(replace(session.job.parts[0], scale=2.0)))
    settled(qtbot, window, current=True)
    qtbot.waitUntil(lambda: all(session.comparing.known(state) is not None for _, state in page.states), timeout=60_000)
    settled(qtbot, window)
    assert [page.table.item(row, 1).text() for row in range(2)] == ["as it is now", "flat on the plate"]
    resin = [float(page.table.item(row, 2).text().split("\n")[0]) for row in range(2)]
    assert resin[0] - 2.0 == pytest.approx(8 * (resin[1] - 2.0), rel=0.1)  # but for what stays in the vat and clings
    assert page.table.item(1, 2).text().split("\n")[1] == f"{resin[1] - resin[0]:+.1f}".replace("-", "−")
    page.table.setCurrentCell(1, 1)
    page.table.item(1, 1).setText("flat")
    settled(qtbot, window)
    assert session.job.variants[0].name == "flat" and session.job.parts[0].scale == 2.0
    page.table.setCurrentCell(1, 1)
    qtbot.mouseClick(page.take, Qt.MouseButton.LeftButton)
    settled(qtbot, window, current=True)
    assert session.job.parts[0].scale == 1.0 and session.job.parts[0].pose == flat and len(session.job.variants) == 1
    page.table.setCurrentCell(1, 1)
    qtbot.mouseClick(page.drop, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert session.job.variants == () and page.table.rowCount() == 1


def test_a_ring_that_is_dragged_turns_the_part_and_tells_the_cost_meanwhile(plate: MainWindow, qtbot: QtBot) -> None:
    session, window = plate.session, plate
    hand = turned_to(window, "By hand")
    hand.rings.click()
    rings = hand._handles._rings
    qtbot.waitUntil(lambda: len(rings) == 3)
    before, eye = session.job.parts[0].pose.rotation, window.scene.plotter.camera.position
    ring = [(n, p) for n, p in enumerate(rings[2]) if p is not None]
    start = next(n for n, p in ring if all(np.hypot(p.x() - q.x(), p.y() - q.y()) > 25 for a in (0, 1) for q in rings[a]))
    mouse(window, QEvent.Type.MouseButtonPress, rings[2][start])
    for step in range(1, 9):
        mouse(window, QEvent.Type.MouseMove, rings[2][(start + step) % 120])
        qtbot.wait(20)
    qtbot.waitUntil(lambda: hand._handles._cost is not None, timeout=30_000)
    assert session.job.parts[0].pose.rotation == pytest.approx(before)  # nothing was changed yet
    there = session.job.with_part(posed(session.job.parts[0], hand._handles._pose()))
    qtbot.waitUntil(lambda: window.log.frame.prediction is not session.prediction, timeout=30_000)
    qtbot.waitUntil(lambda: window.log.frame.prediction.job == there, timeout=30_000)  # type: ignore[union-attr]
    assert window.log.frame.ghost is session.prediction and "hold" in window.log.frame.covered
    mouse(window, QEvent.Type.MouseButtonRelease, rings[2][(start + 8) % 120])
    settled(qtbot, window)
    assert window.log.frame.prediction is session.prediction and not window.log.frame.covered
    after = session.job.parts[0].pose.rotation
    assert (after @ before.T)[2, 2] == pytest.approx(1.0)
    assert np.degrees(np.arctan2((after @ before.T)[1, 0], (after @ before.T)[0, 0])) == pytest.approx(24.0)
    assert window.status.undo.text() == "Undo: turn 24° about z" and session.predicting.ghost is not None
    assert window.scene.plotter.camera.position == eye
    qtbot.mouseClick(hand.rings, Qt.MouseButton.LeftButton)
    assert session.sight.tool is None


def test_a_reason_is_told_where_it_holds(window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path) -> None:
    """Of the part that it was given for, and until that is undone."""
    other = tmp_path / "other.stl"
    other.write_bytes(egg_file.read_bytes())
    quick(window)
    session = window.session
    session.files.open([egg_file, other])
    settled(qtbot, window)
    one, two = session.job.parts
    support, orient = window.steps["support"], window.steps["orient"]
    session.selection.choose_step("support")
    session.selection.choose_part(one.id)
    session.proposing.propose("tips", lambda p: propose_support(session.job, one.id, session.stages, p))
    settled(qtbot, window)
    why = session.proposing.why("support", session.job.part(one.id))
    assert why and why in support.propose.told
    session.selection.choose_part(two.id)
    assert why not in support.propose.told
    session.document.undo()
    session.selection.choose_part(one.id)
    assert why not in support.propose.told
    session.document.redo()
    settled(qtbot, window)
    assert why in support.propose.told
    session.selection.choose_step("orient")
    session.proposing.weigh("poses", lambda p: propose_orient(session.job, one.id, session.stages, p, 3))
    settled(qtbot, window)
    assert orient.ways.picks.count() > 0
    session.selection.choose_part(two.id)
    assert orient.ways.picks.count() == 0  # its own have not been weighed
