"""Small parts of the window that can be told right from wrong by themselves."""

from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QPushButton, QWidget
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from wideberth.core.bench import load_bench
from wideberth.core.job import Job
from wideberth.core.propose import propose_support
from wideberth.desktop.heightlog.curves import nice_top, thinned
from wideberth.desktop.steps.fields import NumberField, evaluated
from wideberth.desktop.style import DAY, draw_cased, typeface
from wideberth.desktop.window import MainWindow
from wideberth.desktop.window.course import course_state
from wideberth.desktop.words import count, margin_text


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("12/8", "", 1.5),
        ("2*25.4", "mm", 50.8),
        ("3 in", "mm", 76.2),
        ("1,5 mm", "mm", 1.5),
        ("-15°", "°", -15),
        ("(2+3)*4 mm/min", "mm/min", 20),
        ("2 cm", "mm", 20),
        ("20+5 °C", "°C", 25),
        ("18°C", "°C", 18),
    ],
)
def test_numbers_may_be_typed_as_arithmetic(text: str, unit: str, value: float) -> None:
    assert evaluated(text, unit) == pytest.approx(value)


@pytest.mark.parametrize("text", ["", "abc", "1/0", "__import__('os')", "2**99", "1;2", "True", "[1]"])
def test_anything_else_is_no_number(text: str) -> None:
    with pytest.raises(ValueError):
        evaluated(text, "mm")


def test_field_refuses_what_is_out_of_range_and_keeps_the_old_value(qtbot: QtBot) -> None:
    field = NumberField("Wall", "mm", 0.4, 20, 0.1)
    qtbot.addWidget(field)
    field.set_value(2.0)
    told: list[float] = []
    field.entered.connect(told.append)
    field.enter(50)
    assert (field.value, told, field.edit.property("bad")) == (2.0, [], True)
    field.enter(3)
    assert (field.value, told, field.edit.property("bad")) == (3.0, [3.0], False)
    field.show()
    qtbot.keyClick(field.edit, Qt.Key.Key_Up)
    assert field.value == pytest.approx(3.1)
    field.edit.setText("9")
    field.edit.setModified(True)
    qtbot.keyClick(field.edit, Qt.Key.Key_Escape)
    assert field.edit.text() == "3.1 mm"


def test_thinning_a_curve_loses_no_peak_and_no_trough() -> None:
    values = np.random.default_rng(0).random(5000)
    values[1234], values[4321] = 9.0, -9.0
    assert thinned(values, "max").max() == 9
    assert thinned(values, "min").min() == -9
    assert len(thinned(values, "max")) == 900
    gaps = np.full(3000, np.nan)
    gaps[2000] = 1.5
    assert np.nanmin(thinned(gaps, "min")) == 1.5
    assert np.isnan(thinned(gaps, "min")).sum() == 899


@pytest.mark.parametrize(("value", "top"), [(0, 1), (0.9, 1), (71.7, 80), (3700, 4000), (101, 150), (6.1, 8)])
def test_scales_end_on_round_numbers(value: float, top: float) -> None:
    assert nice_top(value) == pytest.approx(top)


def test_course_of_an_empty_job_asks_for_a_model() -> None:
    job = Job("Untitled", load_bench())
    assert course_state("model", job, None, None) == ("open", "no model yet")
    assert course_state("bench", job, None, None)[0] == "done"


def test_words_for_numbers() -> None:
    assert margin_text(1.44) == "×1.4"
    assert margin_text(None) == "–"
    assert margin_text(1e6) == "over ×99"
    assert count(1, "tip") == "1 tip"
    assert count(3, "tip") == "3 tips"


@pytest.mark.parametrize("ground", [DAY.ink, DAY.hazard, DAY.card])
def test_numbers_are_read_before_anything(qtbot: QtBot, ground: str) -> None:
    """Ink beside paper, whatever is behind: at least a tenth of what a number takes is dark, and as much pale."""
    seen = QImage(60, 30, QImage.Format.Format_RGB32)
    seen.fill(QColor(ground))
    painter = QPainter(seen)
    painter.setFont(typeface(10))
    draw_cased(painter, QPointF(10, 20), "2.4", DAY.ink, DAY)
    painter.end()
    grey = np.array(seen.convertToFormat(QImage.Format.Format_Grayscale8).constBits()).reshape(30, -1)[8:22, 8:30]
    ink, paper = QColor(DAY.ink).lightness(), QColor(DAY.card).lightness()
    assert (grey < 0.75 * ink + 0.25 * paper).mean() > 0.1 and (grey > 0.3 * ink + 0.7 * paper).mean() > 0.1


@pytest.mark.prove
def test_tips_come_along_when_the_part_is_turned_and_raised(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    """A quarter turn and a gap keep all; a tilt keeps what it needs and says what waits; undo and the way back bring all."""
    session, orient = window.session, window.steps["orient"]
    quick(window)
    session.files.open([egg_file])
    settled(qtbot, window, current=True)
    id = session.selection.part
    session.document.change("tips", propose_support(session.job, id, session.stages).job)
    count = len(session.job.parts[0].supports.contacts)
    session.selection.choose_step("orient")
    orient.hand.gap.enter(9.0)  # type: ignore[attr-defined]
    settled(qtbot, window)
    assert session.job.parts[0].pose.gap_mm == 9.0 and len(session.job.parts[0].supports.contacts) == count
    orient.hand.turn(2, 1)  # type: ignore[attr-defined]
    settled(qtbot, window)
    assert len(session.job.parts[0].supports.contacts) == count and "tips came along" in window.status.word.text()
    before = {c.id for c in session.job.parts[0].supports.contacts}
    orient.hand.angle.enter(50.0)  # type: ignore[attr-defined]
    orient.hand.turn(0, 1)  # type: ignore[attr-defined]
    settled(qtbot, window)
    now = session.job.parts[0].supports
    assert now.contacts and now.idle and {c.id for c in now.contacts} | {i.contact.id for i in now.idle} == before
    assert "waiting for another pose" in orient.reason.text()  # type: ignore[attr-defined]
    orient.hand.turn(0, -1)  # type: ignore[attr-defined]
    settled(qtbot, window)
    assert {c.id for c in session.job.parts[0].supports.contacts} == before and not session.job.parts[0].supports.idle


def picks(orient: QWidget) -> list[QPushButton]:
    """The rows that offer a pose."""
    rows = [orient.ways.picks.itemAt(i).widget() for i in range(orient.ways.picks.count())]  # type: ignore[attr-defined]
    return [row for row in rows if isinstance(row, QPushButton)]


@pytest.mark.prove
def test_a_search_for_poses_offers_picks_that_one_press_takes(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """The best is taken at once; the others stand below with what decides between them, the present one marked."""
    session, orient = window.session, window.steps["orient"]
    quick(window)
    path = tmp_path / "plate.stl"
    trimesh.creation.box((60, 40, 4)).export(path)
    session.files.open([path])
    settled(qtbot, window, current=True)
    session.selection.choose_step("orient")
    orient.ways._propose()  # type: ignore[attr-defined]
    settled(qtbot, window)
    rows = picks(orient)
    assert rows[0].text().startswith("• balanced") and len(rows) > 5
    quickest = next(r for r in rows if r.text().startswith("quickest"))
    assert " min · " in quickest.text() and "N a tip" in quickest.toolTip()
    qtbot.mouseClick(quickest, Qt.MouseButton.LeftButton)
    settled(qtbot, window)
    assert window.status.undo.text() == "Undo: turn: quickest"
    assert next(r for r in picks(orient) if "quickest" in r.text()).text().startswith("• ")
    assert abs(session.job.parts[0].pose.rotation[2, 2]) == pytest.approx(1.0, abs=1e-3)  # flat: the fewest layers
