"""Tips edited with the mouse: what one would carry is told before the click; added, chosen, moved, sized, boxed, taken away."""

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

from conftest import moved
from journeys.conftest import quick, settled
from journeys.test_window import press
from wideberth.core.model import as_solid
from wideberth.core.propose import BASE_NAMES, propose_support
from wideberth.core.support import BaseKind, Supports
from wideberth.desktop.window import MainWindow

PROPOSED: list[Supports] = []
"""Of the slab, proposed once."""


@pytest.fixture
def slab(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> MainWindow:
    """A slab on proposed tips, seen from below."""
    quick(window)
    path = tmp_path / "slab.stl"
    trimesh.creation.box((30, 24, 4)).export(path)
    session = window.session
    session.files.open([path])
    settled(qtbot, window, current=True)
    session.selection.choose_step("orient")
    window.steps["orient"].hand.gap.enter(6.0)  # type: ignore[attr-defined]
    settled(qtbot, window)
    if not PROPOSED:
        PROPOSED.append(propose_support(session.job, session.selection.part, session.stages).job.parts[0].supports)
    session.document.change("tips", session.job.with_part(replace(session.job.parts[0], supports=PROPOSED[0])))
    session.selection.choose_step("support")
    window.steps["support"].turn_to("By hand")  # type: ignore[attr-defined]
    settled(qtbot, window, current=True)
    window.scene.look("Below")
    qtbot.wait(300)
    tips_of(window).edit.click()
    qtbot.waitUntil(lambda: len(tips_of(window).editor._seen_at) == len(contacts(window)))
    return window


def tips_of(window: MainWindow):  # type: ignore[no-untyped-def]
    return window.steps["support"].tips  # type: ignore[attr-defined]


def contacts(window: MainWindow):  # type: ignore[no-untyped-def]
    return window.session.job.parts[0].supports.contacts


def mouse(window: MainWindow, kind: QEvent.Type, at: QPointF, held: bool = True) -> None:
    button = Qt.MouseButton.NoButton if kind is QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
    buttons = Qt.MouseButton.LeftButton if held and kind is not QEvent.Type.MouseButtonRelease else Qt.MouseButton.NoButton
    view = window.scene.overlay
    sent = QMouseEvent(kind, at, view.mapToGlobal(at), button, buttons, Qt.KeyboardModifier.NoModifier)
    QApplication.sendEvent(view, sent)


def click(window: MainWindow, at: QPointF) -> None:
    mouse(window, QEvent.Type.MouseButtonPress, at)
    mouse(window, QEvent.Type.MouseButtonRelease, at)


def free_spot(window: MainWindow) -> QPointF:
    """A point over the underside away from every tip."""
    underside = float(window.session.prediction.solids[0].box_mm[0, 2])
    seen = list(tips_of(window).editor._seen_at.values())
    for x in np.linspace(-11, 11, 12):
        for y in np.linspace(-8, 8, 9):
            at = window.scene.project((float(x), float(y), underside))
            if at is not None and all(np.hypot(at.x() - p.x(), at.y() - p.y()) > 16 for p in seen):
                return at
    raise AssertionError("no room between the tips")


def test_a_tip_is_told_under_the_pointer_then_added_chosen_sized_and_taken_away(slab: MainWindow, qtbot: QtBot) -> None:
    session, tips = slab.session, tips_of(slab)
    before, at = len(contacts(slab)), free_spot(slab)
    mouse(slab, QEvent.Type.MouseMove, at, held=False)
    qtbot.waitUntil(lambda: tips.editor._told is not None, timeout=30_000)
    words = tips.editor.words(tips.editor._told[1])
    assert " N, ×" in words and "weakest ×" in words and "→" in words
    click(slab, at)
    settled(qtbot, slab, current=True)
    assert len(contacts(slab)) == before + 1 and slab.status.undo.text() == "Undo: add a tip"
    new = contacts(slab)[-1]
    assert tips.editor.chosen == (new.id,) and "(by hand)" in tips.told.text()
    qtbot.waitUntil(lambda: "min to finish" in tips.told.text(), timeout=30_000)  # once it was looked at closely
    tips.size.enter(0.75)
    settled(qtbot, slab, current=True)
    assert contacts(slab)[-1].diameter_mm == 0.75 and "0.75 mm" in tips.told.text()
    tips.size.enter(0.1)
    settled(qtbot, slab, current=True)
    qtbot.mouseClick(tips.fit, Qt.MouseButton.LeftButton)
    settled(qtbot, slab, current=True)
    assert contacts(slab)[-1].diameter_mm > 0.1 and slab.status.undo.text() == "Undo: size tips by their load"
    qtbot.mouseClick(tips.pinned, Qt.MouseButton.LeftButton)
    settled(qtbot, slab)
    assert contacts(slab)[-1].pinned
    qtbot.keyClick(slab, Qt.Key.Key_Delete)
    settled(qtbot, slab)
    assert len(contacts(slab)) == before and tips.editor.chosen == () and tips.told.text() == "No tip is chosen."
    assert slab.status.undo.text() == "Undo: take 1 tip away"
    session.document.undo()
    assert contacts(slab)[-1].id == new.id and contacts(slab)[-1].pinned


def test_a_tip_is_dragged_to_another_spot_and_the_view_stays(slab: MainWindow, qtbot: QtBot) -> None:
    tips, eye = tips_of(slab), slab.scene.plotter.camera.position
    supports = slab.session.job.parts[0].supports
    lonely = next(c.id for c in supports.contacts if not supports.carries_others(c.id))
    old, to = supports.contact[lonely], free_spot(slab)
    mouse(slab, QEvent.Type.MouseButtonPress, tips.editor._seen_at[lonely])
    assert tips.editor.chosen == (lonely,)
    mouse(slab, QEvent.Type.MouseMove, to)
    qtbot.waitUntil(lambda: tips.editor._moved_to is not None, timeout=10_000)
    mouse(slab, QEvent.Type.MouseButtonRelease, to)
    settled(qtbot, slab, current=True)
    new = slab.session.job.parts[0].supports.contact[lonely]
    assert slab.status.undo.text() == "Undo: move a tip" and slab.scene.plotter.camera.position == eye
    seen = slab.scene.project((new.x_mm, new.y_mm, new.z_mm))
    assert np.hypot(seen.x() - to.x(), seen.y() - to.y()) < 4
    assert np.hypot(new.x_mm - old.x_mm, new.y_mm - old.y_mm) > 0.5 and new.diameter_mm == old.diameter_mm


def test_keys_size_pin_mirror_and_move_tips(slab: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    """Thicker and thinner by a step, pinned and let go, a little to the right and back as it is seen; in another step nothing."""
    session, tips = slab.session, tips_of(slab)
    supports = session.job.parts[0].supports
    lonely = next(c for c in supports.contacts if not supports.carries_others(c.id))
    tips.editor.choose(session.job.parts[0].id, (lonely.id,))

    def now():  # type: ignore[no-untyped-def]
        return session.job.parts[0].supports.contact[lonely.id]

    def press(key: Qt.Key, held: Qt.KeyboardModifier = Qt.KeyboardModifier.ControlModifier) -> None:
        qtbot.keyClick(slab, key, held)
        settled(qtbot, slab, current=True)

    press(Qt.Key.Key_Up)
    assert now().diameter_mm == pytest.approx(lonely.diameter_mm + 0.05) and slab.status.undo.text() == "Undo: thicker 1 tip"
    press(Qt.Key.Key_Down)
    assert now().diameter_mm == pytest.approx(lonely.diameter_mm)
    press(Qt.Key.Key_P)
    assert now().pinned
    press(Qt.Key.Key_P)
    assert not now().pinned
    slab.scene.overlay.repaint()
    before = slab.scene.project((now().x_mm, now().y_mm, now().z_mm))
    press(Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    after = slab.scene.project((now().x_mm, now().y_mm, now().z_mm))
    assert slab.status.undo.text() == "Undo: move a tip"
    assert after.x() - before.x() > 1 and abs(after.y() - before.y()) < 0.5 * (after.x() - before.x())
    assert 0.1 < np.linalg.norm(now().spot_mm - lonely.spot_mm) < 0.8
    press(Qt.Key.Key_2)
    assert tips.editor.mode == "box" and tips.mode.currentIndex() == 1
    mirrored: list[int] = []
    monkeypatch.setattr(tips, "mirror", lambda: mirrored.append(1))
    press(Qt.Key.Key_M)
    session.selection.choose_step("plate")
    job = session.job
    press(Qt.Key.Key_Up)
    press(Qt.Key.Key_M)
    assert session.job is job and mirrored == [1]


def test_a_box_chooses_tips_and_the_least_held_are_walked(slab: MainWindow, qtbot: QtBot) -> None:
    session, tips = slab.session, tips_of(slab)
    tips.mode.setCurrentIndex(1)
    tips.set_mode()
    seen = tips.editor._seen_at
    xs, ys = [p.x() for p in seen.values()], [p.y() for p in seen.values()]
    low, high = QPointF(min(xs) - 20, min(ys) - 20), QPointF(max(xs) + 20, max(ys) + 20)
    mouse(slab, QEvent.Type.MouseButtonPress, low)
    mouse(slab, QEvent.Type.MouseMove, high)
    mouse(slab, QEvent.Type.MouseButtonRelease, high)
    assert len(tips.editor.chosen) == len(contacts(slab))
    tips.size.enter(0.2)
    settled(qtbot, slab, current=True)
    assert {c.diameter_mm for c in contacts(slab)} == {0.2}
    assert "under ×2" in tips.weak.text() and not tips.weak.text().startswith("No")
    margin = {t.contact: t.margin for t in session.prediction.verdict.tips}
    for least in sorted(margin.values())[:2]:
        qtbot.keyClick(slab, Qt.Key.Key_F8)
        (chosen,) = tips.editor.chosen
        assert margin[chosen] == pytest.approx(least)


def test_tips_along_an_edge_mirrored_and_walked_in_the_order_in_which_they_come_off(slab: MainWindow, qtbot: QtBot) -> None:
    session, step, tips = slab.session, slab.steps["support"], tips_of(slab)
    session.document.change("none", session.job.with_part(session.job.parts[0].unsupported()))
    settled(qtbot, slab, current=True)
    qtbot.waitUntil(lambda: not tips.editor._seen_at)
    tips.mode.setCurrentText("adds tips along an edge")
    tips.set_mode()
    tips.apart.enter(5.0)
    low = float(session.prediction.solids[0].box_mm[0, 2])
    at = slab.scene.project((0.0, -11.5, low))
    assert at is not None
    click(slab, at)
    settled(qtbot, slab, current=True)
    assert slab.status.undo.text() == "Undo: add 7 tips along an edge" and len(contacts(slab)) == 7  # 30 mm at 5 mm, both ends
    assert len(tips.editor.chosen) == 7
    tips.mirror()
    settled(qtbot, slab, current=True)
    assert slab.status.undo.text() == "Undo: mirror 7 tips" and len(contacts(slab)) == 14
    step.turn_to("Take off")  # type: ignore[attr-defined]
    order = [session.prediction.verdict.tips[s.tip].contact for s in session.prediction.verdict.snaps]
    for contact in order[:3]:
        step.off.next_off()  # type: ignore[attr-defined]
        assert tips.editor.chosen == (contact,) and " N." in step.off.told.text()  # type: ignore[attr-defined]
    assert "from the outside inward" in step.off.lines.text()  # type: ignore[attr-defined]
    click(slab, free_spot(slab))  # walking adds none
    settled(qtbot, slab)
    assert len(contacts(slab)) == 14


def test_bases_are_weighed_and_one_press_takes_one(slab: MainWindow, qtbot: QtBot) -> None:
    session, step = slab.session, slab.steps["support"]
    step.turn_to("Base")  # type: ignore[attr-defined]
    base = step.base  # type: ignore[attr-defined]
    assert base.kinds[BaseKind.PADS].text().startswith("• ")
    base._weigh()
    settled(qtbot, slab, current=True)
    assert all("plate ×" in row.text() and " mL · off " in row.text() for row in base.kinds.values())
    assert session.job.parts[0].supports.base is BaseKind.PADS  # nothing is taken over by weighing
    qtbot.mouseClick(base.kinds[BaseKind.SLAB], Qt.MouseButton.LeftButton)
    settled(qtbot, slab, current=True)
    assert session.job.parts[0].supports.base is BaseKind.SLAB and session.job.bench.supports.base == "slab"
    assert (
        base.kinds[BaseKind.SLAB].text().startswith(f"• {BASE_NAMES[BaseKind.SLAB]}")
        and "plate ×" in base.kinds[BaseKind.SLAB].text()
    )
    session.document.undo()
    assert session.job.parts[0].supports.base is BaseKind.PADS


def test_a_foot_is_dragged_over_the_plate_and_tips_are_brushed(slab: MainWindow, qtbot: QtBot) -> None:
    session, tips = slab.session, tips_of(slab)
    tips.mode.setCurrentText("draws over tips")
    tips.set_mode()
    shown = list(tips.editor._seen_at.values())
    mouse(slab, QEvent.Type.MouseButtonPress, shown[0] + QPointF(12, 0))
    for at in shown[1:4]:
        mouse(slab, QEvent.Type.MouseMove, at)
    mouse(slab, QEvent.Type.MouseButtonRelease, shown[3])
    brushed = set(tips.editor.chosen)
    assert {id for id, at in tips.editor._seen_at.items() if any(at == p for p in shown[:4])} <= brushed

    slab.scene.look("Corner")
    routes = session.job.parts[0].supports.routes
    carried = [route.post for route in routes.values()]  # a post that others lean on may not be moved so far
    one = next(id for id, route in routes.items() if carried.count(route.post) == 1)
    tips.editor.choose(session.selection.part, (one,))
    post = session.job.parts[0].supports.routes[one].post
    qtbot.wait(300)
    qtbot.waitUntil(lambda: set(tips.editor._feet_at) == {post})
    at = tips.editor._feet_at[post]
    before = session.job.parts[0].supports.routes[one]
    to = at + QPointF(12, -4)
    mouse(slab, QEvent.Type.MouseButtonPress, at)
    mouse(slab, QEvent.Type.MouseMove, to)
    place = slab.scene.eye.on_plate(to)
    assert place is not None and tips.editor._foot_to == place
    seen = slab.scene.project((*place, 0.0))
    assert seen is not None and np.hypot(seen.x() - to.x(), seen.y() - to.y()) < 0.5
    mouse(slab, QEvent.Type.MouseButtonRelease, to)
    settled(qtbot, slab)
    assert slab.status.undo.text() == "Undo: move a foot"
    after = session.job.parts[0].supports.routes[one]
    solids = session.prediction.solids[0]
    assert np.array(after.foot_mm[:2]) + solids.shift_mm[:2] == pytest.approx(place, abs=1e-3)
    assert after.spot_mm == before.spot_mm

    qtbot.waitUntil(lambda: set(tips.editor._joints) == {one})  # the twig that leads to where the foot stands now
    joint = tips.editor._joints[one]
    assert joint.z_mm == pytest.approx(after.top_mm[2])
    lower = slab.scene.project((joint.x_mm, joint.y_mm, joint.z_mm - 0.5))
    assert lower is not None
    mouse(slab, QEvent.Type.MouseButtonPress, joint.seen)
    mouse(slab, QEvent.Type.MouseMove, lower)
    height = tips.editor._joint_to
    assert height == pytest.approx(joint.z_mm - 0.5, abs=0.1)
    mouse(slab, QEvent.Type.MouseButtonRelease, lower)
    settled(qtbot, slab)
    assert slab.status.undo.text() == "Undo: move a joint"
    assert session.job.parts[0].supports.routes[one].top_mm == pytest.approx((*after.top_mm[:2], height), abs=1e-6)


def test_a_model_that_comes_with_supports_is_taken_off_them_and_back_onto_them(
    window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    """A block on six posts and a slab: taken over by one press, closed, so that it can be cut; taken back by undo."""
    quick(window)
    posts = [(x, y) for x in (-8.0, 0.0, 8.0) for y in (-5.0, 5.0)]
    made = [moved(trimesh.creation.box((24, 18, 1)), 0, 0, 0.5), moved(trimesh.creation.box((22, 16, 6)), 0, 0, 13)]
    made += [moved(trimesh.creation.cylinder(0.7, 7.0), x, y, 4.4) for x, y in posts]
    made += [moved(trimesh.creation.cone(0.7, 4.2), x, y, 7.9) for x, y in posts]
    path = tmp_path / "block.stl"
    trimesh.boolean.union(made, engine="manifold").export(path)
    session = window.session
    session.files.open([path])
    settled(qtbot, window, current=True)
    press(qtbot, window, "support", "Take over its own supports")
    settled(qtbot, window, current=True)
    part = session.job.parts[0]
    assert len(part.supports.contacts) == len(posts)
    assert as_solid(session.stages.cut(part)).volume() == pytest.approx(22 * 16 * 6, rel=0.01)
    session.document.undo()
    settled(qtbot, window, current=True)
    assert not session.job.parts[0].supports.contacts
