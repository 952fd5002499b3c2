"""The plan in a real window: prints chosen, dragged, turned, pinned, copied and moved to another plate by mouse and keys."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from conftest import as_mesh, as_source
from journeys.conftest import settled
from journeys.test_window import press
from wideberth.core.bench import Bench
from wideberth.core.job import Job, Part, Placement, job_of
from wideberth.desktop.plan import PlanView
from wideberth.desktop.steps.plate import Hands
from wideberth.desktop.window import MainWindow

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def tray(bench: Bench) -> Job:
    def block(name: str) -> Part:
        return Part(id="", name=name, source=as_source(as_mesh(trimesh.creation.box((16, 10, 2)))))

    return job_of("tray", bench, [block(n) for n in ("Bollard", "Cleat", "Winch")], [(-60.0, 0.0), (0.0, 10.0), (50.0, -20.0)])


@pytest.fixture
def plan(qtbot: QtBot, window: MainWindow, tray: Job) -> PlanView:
    """The plan of a tray of three blocks, with all its figures."""
    window.session.document.begin(tray)
    window.session.selection.choose_step("plate")
    settled(qtbot, window, current=True)
    facts = window.steps["plate"].facts  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: len(facts.footprints) == 3 and facts.is_current, timeout=30_000)
    return window.plan


@pytest.fixture
def hands(window: MainWindow, plan: PlanView) -> Hands:
    return window.steps["plate"].hands  # type: ignore[attr-defined,no-any-return]


def at(plan: PlanView, x_mm: float, y_mm: float) -> QPoint:
    return plan.sheet().point(x_mm, y_mm).toPoint()


def drag(plan: PlanView, start: QPoint, end: QPoint, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    """As a hand does: down, along the way, up."""
    QTest.mousePress(plan, LEFT, keys, start)
    for share in np.linspace(0, 1, 12)[1:]:
        QTest.mouseMove(plan, (QPointF(start) * (1 - share) + QPointF(end) * share).toPoint())
    if keys:  # moves that are made up carry no keys: the last one is told again with them
        plan._hands.may_touch = bool(keys & Qt.KeyboardModifier.ControlModifier)
    QTest.mouseRelease(plan, LEFT, keys, end)


def stands(window: MainWindow, name: str) -> Placement:
    return next(p.placement for p in window.session.job.placed() if p.name == name)


def test_a_print_is_dragged_and_stops_where_it_would_touch(window: MainWindow, plan: PlanView, hands: Hands) -> None:
    """Cleat is dragged by 20 mm, then onto Bollard: it stands where it last was free; with Ctrl it may touch; one undo each."""
    scale = plan.sheet().scale
    drag(plan, at(plan, 0, 10), at(plan, 20, -15))
    there = stands(window, "Cleat")
    assert (there.x_mm, there.y_mm) == pytest.approx((20, -15), abs=1.5 / scale)
    assert there.x_mm * 10 == pytest.approx(round(there.x_mm * 10))
    assert hands.chosen == (there.id,) and window.session.selection.present.name == "Cleat"  # type: ignore[union-attr]
    drag(plan, at(plan, there.x_mm, there.y_mm), at(plan, -60, 0))
    stopped = stands(window, "Cleat")
    assert stopped != there
    gap = max(abs(stopped.x_mm + 60) - 16, abs(stopped.y_mm) - 10)
    assert gap >= 0
    drag(plan, at(plan, stopped.x_mm, stopped.y_mm), at(plan, -55, 3), Qt.KeyboardModifier.ControlModifier)
    assert (stands(window, "Cleat").x_mm, stands(window, "Cleat").y_mm) == pytest.approx((-55, 3), abs=1.5 / scale)
    for wanted in (stopped, there):
        window.session.document.undo()
        assert stands(window, "Cleat") == wanted


def test_the_ring_turns_a_print(window: MainWindow, plan: PlanView, hands: Hands) -> None:
    """From the top of the ring to its left: a quarter turn, counter-clockwise; on the plate it is 10 wide and 16 deep then."""
    QTest.mouseClick(plan, LEFT, pos=at(plan, 50, -20))
    from wideberth.desktop.plan.drawing import ring_of

    placement = stands(window, "Winch")
    middle, radius, handle = ring_of(plan.sheet(), hands.stood(placement), placement)
    drag(plan, handle.toPoint(), (middle - QPointF(radius, 0)).toPoint())
    turned = stands(window, "Winch")
    assert turned.turn_deg == pytest.approx(90)
    stood = hands.stood(turned)
    assert stood is not None and np.ptp(stood.box_mm, axis=0).tolist() == pytest.approx([10, 16], abs=0.05)


def test_keys_move_turn_copy_and_take_off(qtbot: QtBot, window: MainWindow, plan: PlanView, hands: Hands) -> None:
    QTest.mouseClick(plan, LEFT, pos=at(plan, -60, 0))
    plan.setFocus()
    QTest.keyClick(plan, Qt.Key.Key_Right)
    QTest.keyClick(plan, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert (stands(window, "Bollard").x_mm, stands(window, "Bollard").y_mm) == (-59, 10)
    QTest.keyClick(window, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert stands(window, "Bollard").turn_deg == 345.0  # clockwise seen from above
    QTest.keyClick(plan, Qt.Key.Key_Insert)
    qtbot.waitUntil(lambda: len(window.session.job.placed()) == 4, timeout=30_000)
    settled(qtbot, window, current=True)
    more = stands(window, "Bollard (2)")
    hands.choose([more.id])
    QTest.keyClick(window, Qt.Key.Key_Delete)
    assert len(window.session.job.placed()) == 3


def test_pinned_prints_cannot_be_dragged_and_several_are_chosen_at_once(window: MainWindow, plan: PlanView, hands: Hands) -> None:
    """A drag over the water chooses all three; in line they share an edge; a pinned one stays."""
    half_x, half_y = (0.5 * v for v in plan._size_mm())
    drag(plan, at(plan, -half_x + 2, half_y - 2), at(plan, half_x - 2, -half_y + 2))
    assert len(hands.chosen) == 3
    window.steps["plate"].leaves["By hand"].line.setCurrentIndex(4)  # type: ignore[attr-defined]
    window.steps["plate"].leaves["By hand"]._in_line(4)  # type: ignore[attr-defined]
    fronts = {round(stands(window, n).y_mm, 3) for n in ("Bollard", "Cleat", "Winch")}
    assert len(fronts) == 1
    QTest.mouseClick(plan, LEFT, pos=at(plan, stands(window, "Cleat").x_mm, stands(window, "Cleat").y_mm))
    hands.pin(True)
    stood = stands(window, "Cleat")
    assert stood.pinned
    drag(plan, at(plan, stood.x_mm, stood.y_mm), at(plan, stood.x_mm + 20, stood.y_mm + 20))
    assert stands(window, "Cleat") == stood


def test_each_plate_has_its_own_verdict(qtbot: QtBot, window: MainWindow, plan: PlanView, hands: Hands) -> None:
    """Winch is moved to a second plate: each plate predicts its own prints, and the strip says which is shown."""
    session, step = window.session, window.steps["plate"]
    both = session.prediction
    assert both is not None and len(both.solids) == 3
    step._add()  # type: ignore[attr-defined]
    second = session.job.plates[1].id
    assert session.selection.plate_shown == second
    qtbot.waitUntil(lambda: session.prediction is None, timeout=30_000)
    session.selection.choose_plate(session.job.plates[0].id)
    hands.choose([stands(window, "Winch").id])
    hands.to_plate(second)
    settled(qtbot, window, current=True)
    assert session.prediction is not None and len(session.prediction.solids) == 2
    session.selection.choose_plate(second)
    settled(qtbot, window, current=True)
    assert session.prediction.plate == second and [s.placed.name for s in session.prediction.solids] == ["Winch"]
    assert session.selection.present.name == "Winch"  # type: ignore[union-attr]
    assert "Plate 2" in window.strip.subtitle.text()
    assert session.prediction.loads.pull_n.max() < both.loads.pull_n.max()
    session.selection.choose_part(session.job.parts[0].id)
    assert session.selection.plate_shown == session.job.plates[0].id


def test_gaps_and_figures_follow(
    qtbot: QtBot, window: MainWindow, plan: PlanView, hands: Hands, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Winch is set 3 mm beside Cleat by a typed place: the gap is told as 3.0 mm, less than the house's least where that is
    more."""
    cleat, winch = stands(window, "Cleat"), stands(window, "Winch")
    hands.choose([winch.id])
    leaf = window.steps["plate"].leaves["By hand"]  # type: ignore[attr-defined]
    leaf.y.enter(cleat.y_mm)
    leaf.x.enter(cleat.x_mm + 19.0)
    settled(qtbot, window, current=True)
    facts = window.steps["plate"].facts  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: facts.is_current and len(facts.gaps) == 1, timeout=30_000)
    assert facts.gaps[0].gap_mm == pytest.approx(3.0, abs=1e-6)
    said: list[str] = []
    from wideberth.desktop.plan.drawing import Labels, Line

    real: Callable[..., None] = Labels._print

    def heard(self: Labels, place: QRectF, lines: list[Line], colour: str) -> None:
        said.extend(line.text for line in lines)
        real(self, place, lines, colour)

    monkeypatch.setattr(Labels, "_print", heard)
    plan.grab()
    assert "3.0 mm" in said and any("N" in text and "g ·" in text for text in said)


def test_a_zone_kept_free_is_drawn_told_and_packed_round(qtbot: QtBot, window: MainWindow, plan: PlanView, hands: Hands) -> None:
    session = window.session
    session.document.set_bench("printer.kept_free", "-66,-3,-50,3")  # under the bollard
    settled(qtbot, window, current=True)
    qtbot.waitUntil(lambda: window.steps["plate"].facts.is_current, timeout=30_000)  # type: ignore[attr-defined]
    assert [f.code for f in session.prediction.verdict.findings].count("in_kept_free") == 1  # type: ignore[union-attr]
    bollard, cleat = (hands.stood(p.placement) for p in hands.placed[:2])
    assert bollard is not None and cleat is not None
    assert plan._is_off(bollard) and not plan._is_off(cleat)
    free = plan.grab().toImage().pixelColor(at(plan, -51, -2))
    assert free != plan.grab().toImage().pixelColor(at(plan, 70, 40))  # not as the sand is
    press(qtbot, window, "plate", "Arrange this plate")
    settled(qtbot, window, current=True)
    assert "in_kept_free" not in [f.code for f in session.prediction.verdict.findings]  # type: ignore[union-attr]


def test_each_print_is_let_go_and_chosen_where_it_would_be_lost(
    qtbot: QtBot, window: MainWindow, plan: PlanView, hands: Hands
) -> None:
    leaf = window.steps["plate"]
    leaf.turn_to("If one is lost")  # type: ignore[attr-defined]
    buttons = [b for b in leaf.leaves["If one is lost"].findChildren(QPushButton) if b.isVisible()]  # type: ignore[attr-defined]
    assert len(buttons) == 3 and all("×" in b.text() for b in buttons)
    winch = next(b for b in buttons if b.text().startswith("Winch"))
    winch.click()
    assert [p.name for p in hands.placed if p.placement.id in hands.chosen] == ["Winch"]
    assert window.session.cursor.z_mm == pytest.approx(leaf.facts.losses[0].z_mm)  # type: ignore[attr-defined]
