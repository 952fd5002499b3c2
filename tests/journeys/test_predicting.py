"""Section, 3D, reasons and remedies in the real window."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QFontMetricsF, QWheelEvent
from PySide6.QtWidgets import QApplication, QLabel, QPushButton
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from wideberth.core.layers import CUP, EMPTY, FRESH, PART, SEALED_CUP
from wideberth.core.predict import Prediction
from wideberth.core.verdict import FIGURES
from wideberth.desktop.scene.overlay import SIGN_PX, Overlay
from wideberth.desktop.style import DAY, typeface, worded
from wideberth.desktop.window import MainWindow


@pytest.fixture(scope="module")
def two_beakers(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two beakers beside each other, open towards the film: two bodies, two sealed cups."""
    outer, room = trimesh.creation.cylinder(9, 12, sections=96), trimesh.creation.cylinder(7, 12, sections=96)
    room.apply_translation((0, 0, 2))
    one = trimesh.boolean.difference([outer, room], engine="manifold")
    other = one.copy()
    other.apply_translation((24, 0, 0))
    path = tmp_path_factory.mktemp("models") / "beakers.stl"
    trimesh.util.concatenate([one, other]).export(path)
    return path


@pytest.fixture
def opened(window: MainWindow, qtbot: QtBot, two_beakers: Path) -> MainWindow:
    quick(window)
    window.session.files.open([two_beakers])
    settled(qtbot, window, current=True)
    window.session.cursor.move_to(7.0)
    return window


def test_section_tells_bodies_cups_and_what_is_new(opened: MainWindow) -> None:
    section, p = opened.section, opened.session.prediction
    assert p is not None
    picture = section._layer
    assert picture is not None and picture.bodies == 2
    cell = picture.cell_mm**2
    ring = np.pi * (81 - 49)
    for body in (PART, PART + 1):
        assert (picture.codes == body).sum() * cell == pytest.approx(ring, rel=0.03)
    assert (picture.codes == SEALED_CUP).sum() * cell == pytest.approx(2 * np.pi * 49, rel=0.03)
    assert (picture.codes == CUP).sum() == 0
    opened.session.cursor.move_to(0.55)
    first = section._layer
    assert first is not None
    assert (first.codes >= FRESH).sum() * first.cell_mm**2 == pytest.approx(2 * np.pi * 81, rel=0.03)
    assert set(np.unique(first.codes)) == {EMPTY, PART, PART + 1}


def test_what_is_picked_in_a_narrow_section_stands_in_as_many_lines_as_it_takes(opened: MainWindow, qtbot: QtBot) -> None:
    """A reading that a window of 1280 x 800 cut off; lines are counted by the card behind them; a wide one takes one."""
    section = opened.section
    low, high = section._bounds(opened.session.prediction)  # type: ignore[arg-type]
    lines = []
    for wide in (700, 240):
        section.setFixedWidth(wide)
        qtbot.wait(50)
        spot = section.point_of(*(0.5 * (low + high) + (-12 + 8.0, 0)))
        qtbot.mouseClick(section, Qt.MouseButton.LeftButton, pos=spot.toPoint())
        shown = section.grab().toImage()
        column = [shown.pixelColor(3, y).name() for y in range(shown.height())]
        lines.append(column.count(DAY.card.lower()) / QFontMetricsF(typeface(9.5)).lineSpacing())
        words = QFontMetricsF(typeface(9.5)).horizontalAdvance(section.told)
    assert 1.0 <= lines[0] < 1.6 and lines[1] >= np.floor(words / 240) + 1.0


def test_labels_of_a_section_keep_off_what_was_picked(opened: MainWindow, qtbot: QtBot) -> None:
    """Moved down step by step until no cross is seen any more."""
    section, p = opened.section, opened.session.prediction
    assert p is not None
    section.setFixedWidth(260)
    low, high = section._bounds(p)
    spot = section.point_of(*(0.5 * (low + high) + (-12 + 8.0, 0)))
    qtbot.mouseClick(section, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    section._zoom, section._middle = 2.0, 0.5 * (low + high) + (-12.0, 0.0)
    shown = section.grab().toImage()
    card = next(y for y in range(shown.height()) if shown.pixelColor(3, y).name() == DAY.card.lower())
    step, labels = 3.0 / section._scale(p), []
    for _ in range(120):
        section._middle = section._middle + (0.0, step)
        section.refresh()
        section.grab()
        labels += [place for place in section._taken if place.height() > 8]
    assert len(labels) > 10 and max(place.bottom() for place in labels) <= card


def test_places_of_a_finding_that_would_cover_each_other_have_one_sign_with_their_number(opened: MainWindow) -> None:
    """Fifty islands round a rim were a heap of diamonds."""
    rng = np.random.default_rng(3)
    spots = [tuple(float(v) for v in spot) for spot in rng.uniform(0, 300, (400, 3))]
    findings = [SimpleNamespace(severity=s, seen=spots[n::2]) for n, s in enumerate(("lost", "doubtful"))]
    overlay = Overlay(opened.session, lambda at: None if at[2] > 250 else at, lambda _: None)
    signs = overlay._signs(SimpleNamespace(verdict=SimpleNamespace(findings=findings)))  # type: ignore[arg-type]
    for n, severity in enumerate(("lost", "doubtful")):
        own = [(at, count) for kind, at, count in signs if kind == severity]
        seen = [spot for spot in spots[n::2] if spot[2] <= 250]
        assert sum(count for _, count in own) == len(seen) and len(own) < len(seen)
        first = np.array([at.toTuple() for at, _ in own])
        apart = np.abs(first[:, None] - first[None, :]).sum(axis=2)
        assert apart[np.triu_indices(len(own), 1)].min() >= 2 * 2 * SIGN_PX
        assert all(np.abs(first - spot[:2]).sum(axis=1).min() < 2 * 2 * SIGN_PX for spot in seen)


def test_the_longest_wording_that_there_is_room_for(qapp: QApplication) -> None:
    measure = QFontMetricsF(typeface(10))
    words = "Section 480 · 24.03 mm", "480 · 24.03 mm", "24.03 mm"
    for room, said in zip([measure.horizontalAdvance(one) for one in words], words, strict=True):
        assert worded(words, measure, room) == said
    assert worded(words, measure, measure.horizontalAdvance(words[-1]) - 1).endswith("…")


def test_section_zooms_picks_and_measures(opened: MainWindow, qtbot: QtBot) -> None:
    section = opened.section
    low, high = section._bounds(opened.session.prediction)  # type: ignore[arg-type]
    middle = 0.5 * (low + high)
    spot = section.point_of(middle[0] - 12 + 8.0, middle[1])
    qtbot.mouseClick(section, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    assert section.told.startswith("body ") and f"{np.pi * 32:.0f}"[:2] in section.told
    before = section._scale(opened.session.prediction)  # type: ignore[arg-type]
    for _ in range(4):
        wheel = QWheelEvent(
            spot,
            section.mapToGlobal(spot),
            QPoint(),
            QPoint(0, 120),
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.ControlModifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(section, wheel)
    assert section._scale(opened.session.prediction) == pytest.approx(before * 1.25**4)  # type: ignore[arg-type]
    assert section.spot_mm(spot) == pytest.approx([middle[0] - 4.0, middle[1]], abs=0.1)
    qtbot.mouseDClick(section, Qt.MouseButton.LeftButton, pos=QPoint(40, 60))
    assert section._zoom == 1.0
    section.ruler.click()
    start, end = section.point_of(middle[0] - 21, middle[1]), section.point_of(middle[0] + 21, middle[1])
    qtbot.mousePress(section, Qt.MouseButton.LeftButton, pos=start.toPoint())
    qtbot.mouseMove(section, end.toPoint())
    qtbot.mouseRelease(section, Qt.MouseButton.LeftButton, pos=end.toPoint())
    assert section._measured is not None
    a, b = section._measured
    assert np.hypot(*(b - a)) == pytest.approx(42, abs=1.0)


def test_every_figure_says_why_down_to_the_bench(opened: MainWindow, qtbot: QtBot) -> None:
    for number, figure in enumerate(FIGURES):
        widget = opened.strip.figures[number]
        qtbot.mouseClick(widget, Qt.MouseButton.LeftButton)
        card = widget.card
        assert card is not None and card.isVisible()
        text = card.text.text()
        assert card.chain.title in text.replace("&#x27;", "'")
        if figure in ("hold", "pull", "suction", "time", "resin", "price"):
            assert "· default" in text or "set by hand" in text, figure
        card.close()
    p = opened.session.prediction
    assert p is not None
    opened.strip.figures[2]._open()
    card = opened.strip.figures[2].card
    assert card is not None
    last = card.chain.links[-1]
    assert last.result == f"{p.verdict.suction_n:.1f} N"
    qtbot.mouseClick(card.go, Qt.MouseButton.LeftButton)
    assert opened.session.cursor.z_mm == pytest.approx(p.verdict.suction_z_mm, abs=0.1)


def test_finding_drills_the_cup_at_a_press_and_undo_takes_it_back(opened: MainWindow, qtbot: QtBot) -> None:
    session = opened.session
    before = session.prediction.verdict.suction_n  # type: ignore[union-attr]
    assert any(f.code == "cup_sealed" for f in session.prediction.verdict.findings)  # type: ignore[union-attr]
    button = next(b for b in opened.findings.findChildren(QPushButton) if b.text() == "Drill it")
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    settled(qtbot, opened, current=True)
    assert len(session.job.parts[0].holes) >= 2
    top = session.prediction.loads.suction_n[60:].max()  # type: ignore[union-attr]
    assert top < 0.3 * before
    session.document.undo()
    settled(qtbot, opened, current=True)
    assert session.job.parts[0].holes == ()


def test_cups_are_filled_in_3d_and_the_part_seen_through(opened: MainWindow, qtbot: QtBot) -> None:
    scene = opened.scene
    scene.show_on_part("cups")
    settled(qtbot, opened)  # they are made ready beside
    actors = scene.plotter.renderer.actors
    assert "cups sealed" in actors
    low, high = actors["cups sealed"].bounds[4:6]
    assert (low, high) == pytest.approx((2.0, 12.0), abs=1.0)
    assert scene.part_actors[0].GetProperty().GetOpacity() < 0.5
    assert scene.overlay._told_of_cups() == "magenta: sealed"
    scene.show_on_part("margins")
    assert "cups sealed" not in scene.plotter.renderer.actors
    assert scene.part_actors[0].GetProperty().GetOpacity() == 1.0


def test_dragging_a_zoomed_section_moves_it(opened: MainWindow, qtbot: QtBot) -> None:
    section = opened.section
    section._zoom = 4.0
    section.refresh()
    before = section.spot_mm(QPointF(100, 100))
    qtbot.mousePress(section, Qt.MouseButton.LeftButton, pos=QPoint(100, 100))
    qtbot.mouseMove(section, QPoint(130, 100))
    qtbot.mouseRelease(section, Qt.MouseButton.LeftButton, pos=QPoint(130, 100))
    after = section.spot_mm(QPointF(130, 100))
    assert after == pytest.approx(before, abs=0.05)


def test_the_predict_step_says_how_it_comes_off_and_what_comes_after(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window, current=True)
    window.session.selection.choose_step("predict")
    step = window.steps["predict"]
    step.turn_to("Coming off")  # type: ignore[attr-defined]
    verdict = window.session.prediction.verdict  # type: ignore[union-attr]
    off = step.leaves["Coming off"]  # type: ignore[attr-defined]
    assert f"Comes off: {verdict.removals[0].effort}, {verdict.removals[0].effort_n:.0f} N" in off.bodies.text()
    assert "Grips" in off.light.text() or "grips" in off.light.text()
    step.turn_to("Afterwards")  # type: ignore[attr-defined]
    said = [line.text() for line in step.leaves["Afterwards"].said if line.isVisible()]  # type: ignore[attr-defined]
    assert said[::2] == ["Drip", "Wash", "Cure", "Paint"]
    assert f"{verdict.care.clings_ml:.1f} mL cling" in said[1]


def test_a_prediction_with_nothing_to_say_says_so(opened: MainWindow) -> None:
    """Before it "no prediction yet" stood there for good where the first prediction had no finding."""
    view, p = opened.findings, opened.session.prediction
    assert p is not None

    def said(seen: Prediction | None) -> list[str]:
        opened.session.predicting.prediction = seen
        view.refresh()
        return [label.text() for label in view.findChildren(QLabel) if label.isVisible()]

    assert "No prediction yet." in said(None)
    quiet = said(replace(p, verdict=replace(p.verdict, findings=())))
    assert "Nothing to say against it." in quiet and "No prediction yet." not in quiet
    assert "Nothing to say against it." not in said(p)
