"""The bench page in a real window: choose, edit, keep, mix, warm, test."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QWidget
from pytestqt.qtbot import QtBot

from journeys.conftest import settled
from wideberth.core.bench import load_named, names_of, viscosity_at
from wideberth.desktop.benchpage.values import parsed, shown
from wideberth.desktop.window import MainWindow


@pytest.fixture(autouse=True)
def own_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


def press(qtbot: QtBot, page: QWidget, text: str) -> None:
    """Click the button of that text that can be seen."""
    found = next(b for b in page.findChildren(QPushButton) if b.text() == text and b.isVisible())
    qtbot.mouseClick(found, Qt.MouseButton.LeftButton)


def cell(window: MainWindow, words: str, column: int = 1) -> str:
    table = window.pages.page("bench").library.values.table
    row = next(r for r in range(table.rowCount()) if table.item(r, 0).text() == words)
    return str(table.item(row, column).text())


def type_in(window: MainWindow, words: str, text: str) -> None:
    table = window.pages.page("bench").library.values.table
    row = next(r for r in range(table.rowCount()) if table.item(r, 0).text() == words)
    table.item(row, 1).setText(text)


def test_choosing_the_bench_opens_its_page_and_another_step_the_chart(window: MainWindow, qtbot: QtBot) -> None:
    window.session.selection.choose_step("bench")
    assert window.pages.page("bench").isVisible() and not window.log.isVisible()
    window.session.selection.choose_step("model")
    assert window.log.isVisible() and not window.pages.page("bench").isVisible()


def test_a_value_is_edited_told_apart_kept_and_reset(window: MainWindow, qtbot: QtBot) -> None:
    session, page = window.session, window.pages.page("bench")
    session.selection.choose_step("bench")
    press(qtbot, page, "Resin")
    type_in(window, "viscosity", "0.15*2 Pa·s")
    assert session.job.bench.resin.viscosity_pa_s == pytest.approx(0.3)
    assert cell(window, "viscosity", 3) == "0.2" and cell(window, "viscosity", 4) == "set by hand"
    assert cell(window, "density, liquid", 3) == "same"
    assert window.status.undo.text() == "Undo: set viscosity to 0.3 Pa·s"
    page.library.keep("My thick grey")
    assert "my-thick-grey" in names_of("resin")
    assert load_named("resin", "my-thick-grey").viscosity_pa_s == pytest.approx(0.3)
    assert page.library.in_use() == ("my-thick-grey", False)
    page.library.use("standard")
    assert session.job.bench.resin.viscosity_pa_s == 0.2
    page.library.list.setCurrentRow(list(page.library._files).index("my-thick-grey"))
    press(qtbot, page, "Reset")
    assert "my-thick-grey" not in names_of("resin")


def test_what_cannot_be_meant_is_refused_and_told(window: MainWindow, qtbot: QtBot) -> None:
    session = window.session
    told: list[str] = []
    session.messages.said.connect(told.append)
    session.messages.warned.connect(told.append)
    session.selection.choose_step("bench")
    press(qtbot, window.pages.page("bench"), "Printer")
    before = session.job.bench
    for words, text in (
        ("greatest height", "tall"),
        ("pixels, long side", "10.5"),
        ("greatest height", "99999"),
        ("light", "candle"),
    ):
        type_in(window, words, text)
        assert session.job.bench == before
    assert len(told) == 4 and "is not understood" in told[0]
    assert cell(window, "greatest height") == "180 mm"


def test_another_printer_changes_the_plate_and_undo_brings_it_back(window: MainWindow, qtbot: QtBot) -> None:
    session, page = window.session, window.pages.page("bench")
    session.selection.choose_step("bench")
    press(qtbot, page, "Printer")
    page.library.use("drydock-330")
    assert session.job.bench.printer.plate_x_mm == 330
    assert cell(window, "plate, long side", 4) == "shipped drydock-330"
    session.document.undo()
    assert session.job.bench.printer.plate_x_mm == 200
    page.library.versus.setCurrentIndex(page.library.versus.findData("dinghy-120"))
    page.library._compare()
    assert cell(window, "plate, long side", 3) == "120"


def test_a_mix_is_made_used_and_kept(window: MainWindow, qtbot: QtBot) -> None:
    session, mixing = window.session, window.pages.page("bench").mixing
    session.selection.choose_step("bench")
    press(qtbot, window.pages.page("bench"), "Mix")
    mixing.set_parts(0, 50.0)
    mixing.rows[1].parts.enter(50.0)
    press(qtbot, mixing, "Use it")
    assert session.job.bench.resin.viscosity_pa_s == pytest.approx(math.sqrt(0.2 * 0.42))
    assert session.job.bench.resin.price_per_litre == pytest.approx(45.0)
    mixing.name.setText("Half and half")
    mixing._named()
    press(qtbot, mixing, "Keep it")
    assert load_named("mix", "half-and-half").ingredients == mixing.mix.ingredients
    press(qtbot, mixing, "Add a resin")
    assert len(mixing.mix.ingredients) == 3


def test_rows_of_a_mix_come_and_go_without_being_made_anew(window: MainWindow, qtbot: QtBot) -> None:
    """What is shown is what the mix says, at up to twelve resins, and the same widgets show it."""
    page = window.pages.page("bench")
    window.session.selection.choose_step("bench")
    press(qtbot, page, "Mix")
    mixing = page.mixing

    def shown() -> list[str]:
        heads = [mixing.table.itemAtPosition(0, column) for column in range(mixing.table.columnCount())]
        texts = [h.widget().text() for h in heads if h is not None and not h.widget().isHidden()]
        assert [not row.choice.isHidden() for row in mixing.rows[: len(mixing.mix.ingredients)]] == [True] * (len(texts) - 2)
        return texts[2:]

    for _ in range(14):
        press(qtbot, mixing, "Add a resin")
    assert len(shown()) == len(mixing.mix.ingredients) == 12
    cells = [c.widget() for n in range(12) if (c := mixing.table.itemAtPosition(1, n)) is not None]
    qtbot.waitUntil(lambda: all(cell.width() >= cell.sizeHint().width() for cell in cells))  # none is squeezed
    assert all(row.parts.height() >= row.parts.sizeHint().height() for row in mixing.rows)
    every = set(mixing.findChildren(QWidget))
    for left in range(11, 0, -1):
        second = mixing.mix.ingredients[1]
        mixing.rows[0].less.click()
        assert mixing.mix.ingredients[0] == second and len(shown()) == left
        assert all(row.choice.isHidden() for row in mixing.rows[left:])
    mixing.rows[0].less.click()  # the last one stays
    assert len(mixing.mix.ingredients) == 1 and shown()[0].endswith("100%")
    for _ in range(5):
        press(qtbot, mixing, "Add a resin")
    mixing.rows[2].parts.enter(60.0)
    assert mixing.mix.ingredients[2].parts == 60.0 and len(shown()) == 6
    assert set(mixing.findChildren(QWidget)) == every


def test_a_cold_night_raises_the_pull_and_is_warned_of(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session, warmth = window.session, window.pages.page("bench").warmth
    window.steps["bench"].fields["print.layer_height_mm"].enter(0.1)  # type: ignore[attr-defined]
    session.files.open([egg_file])
    settled(qtbot, window, current=True)
    warm = session.prediction.loads.peel_n[-100]  # type: ignore[union-attr]
    session.selection.choose_step("bench")
    press(qtbot, window.pages.page("bench"), "Temperature")
    warmth.to.enter(10.0)
    warmth.by.enter(0.1)
    settled(qtbot, window, current=True)
    cold = session.prediction.loads.peel_n[-100]  # type: ignore[union-attr]
    resin = session.job.bench.resin
    most = (viscosity_at(resin, 10.0) / viscosity_at(resin, 25.0)) ** 0.6
    assert 1.3 < cold / warm < most  # the line's share of the peel does not thicken
    assert any(f.code == "too_cold" for f in session.prediction.verdict.findings)  # type: ignore[union-attr]
    assert "falls to 10 °C" in window.pages.page("bench").word.text()
    press(qtbot, warmth, "It stays as it is")
    assert session.job.bench.print.drift_to_c is None


def test_an_exposure_test_becomes_the_benchs_working_curve(window: MainWindow, qtbot: QtBot) -> None:
    session, test = window.session, window.pages.page("bench").exposures
    session.selection.choose_step("bench")
    press(qtbot, window.pages.page("bench"), "Exposure test")
    seconds = [1.5, 2.0, 3.0, 5.0, 8.0, 12.0]
    pairs = [(s, 0.15 * math.log(4.0 * s / 5.0)) for s in seconds]
    test.enter(pairs[:2])
    assert "too few" in test.fitted.text() and not test.take.isEnabled()
    test.enter(pairs)
    assert "Dp 0.1500 mm" in test.fitted.text() and "Ec 5.00" in test.fitted.text()
    test.table.item(3, 1).setText("0.9")
    assert "lies off the line" in test.fitted.text()
    test.table.item(3, 3).setCheckState(Qt.CheckState.Unchecked)
    assert "Dp 0.1500 mm" in test.fitted.text()
    press(qtbot, test, "Take Dp and Ec to the bench")
    assert session.job.bench.resin.penetration_depth_mm == pytest.approx(0.15)
    assert session.job.bench.resin.critical_exposure_mj_per_cm2 == pytest.approx(5.0)
    source = dict(session.job.bench.sources)["resin.penetration_depth_mm"]
    assert source == "fitted from 5 pairs"
    test.name.setText("May")
    press(qtbot, test, "Keep the test")
    assert load_named("exposure", "may").pairs == test.test.pairs
    press(qtbot, test, "Test plate")
    settled(qtbot, window)
    assert session.job.parts[-1].name == "Test plate"


def test_values_are_shown_and_read_back_alike() -> None:
    from wideberth.core.bench import KINDS, facts_of

    for kind in KINDS:
        for name in names_of(kind):
            part = load_named(kind, name)
            for facts in facts_of(kind):
                value = getattr(part, facts.key)
                back = parsed(
                    f"{shown(value)} {facts.unit}" if value is not None and facts.kind != "yes/no" else shown(value), facts
                )
                assert back == pytest.approx(value) if isinstance(value, float) else str(back).strip() == str(value), (
                    kind,
                    facts.key,
                )


def test_presets_first_layers_and_rests_are_set_from_the_panel(window: MainWindow, qtbot: QtBot) -> None:
    session, step = window.session, window.steps["bench"]
    session.selection.choose_step("bench")
    layers = step.leaves["Layers"]  # type: ignore[attr-defined]
    assert layers.presets.currentText() == "0.05 mm, two-stage lift"
    session.document.set_bench("print.vat_c", 22.0)
    row = layers.presets.findText("0.02 mm, single lift")
    layers.presets.setCurrentIndex(row)
    layers.presets.activated.emit(row)
    assert session.job.bench.print.layer_height_mm == 0.02 and session.job.bench.print.vat_c == 22.0
    assert layers.presets.currentText() == "0.02 mm, single lift"
    session.document.undo()
    step.turn_to("First layers")  # type: ignore[attr-defined]
    own = step.fields["print.first_lift_mm_per_min"]  # type: ignore[attr-defined]
    assert own.edit.text() == "as others"
    own.enter(25.0)
    assert session.job.bench.print.first_lift_mm_per_min == 25.0 and own.edit.text() == "25 mm/min"
    assert layers.presets.currentText() == "0.05 mm, two-stage lift, changed"
    own.edit.setText("")
    own.edit.setModified(True)
    qtbot.keyClick(own.edit, Qt.Key.Key_Return)
    assert session.job.bench.print.first_lift_mm_per_min is None and own.edit.text() == "as others"
    step.turn_to("Lift")  # type: ignore[attr-defined]
    step.fields["print.rest_s"].enter(20.0)  # type: ignore[attr-defined]
    assert "20.0 s from light to light" in step.leaves["Lift"].said.text()  # type: ignore[attr-defined]


def test_a_resin_is_thin_medium_or_viscous_with_the_figure_behind_it(window: MainWindow, qtbot: QtBot) -> None:
    session, step = window.session, window.steps["bench"]
    session.selection.choose_step("bench")
    step.turn_to("Resin")  # type: ignore[attr-defined]
    choice = step.leaves["Resin"].thickness  # type: ignore[attr-defined]
    assert choice.currentText() == "medium · 0.2 Pa·s"
    choice.setCurrentIndex(2)
    choice.activated.emit(2)
    assert session.job.bench.resin.viscosity_pa_s == 0.8 and choice.currentText() == "viscous · 0.8 Pa·s"
    session.document.set_bench("resin.viscosity_pa_s", 0.45)
    assert choice.currentText() == "viscous · 0.45 Pa·s"


def test_charts_of_this_job_are_drawn_and_the_best_is_taken(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session, charts = window.session, window.pages.page("bench").charts
    window.steps["bench"].fields["print.layer_height_mm"].enter(0.1)  # type: ignore[attr-defined]
    session.files.open([egg_file])
    settled(qtbot, window, current=True)
    session.selection.choose_step("bench")
    press(qtbot, window.pages.page("bench"), "What if")
    qtbot.waitUntil(lambda: (session.charting.known("print.exposure_s") or (None, False))[1], timeout=60_000)
    chart, _ = session.charting.known("print.exposure_s")  # type: ignore[misc]
    assert chart.best is not None and chart.best != chart.present  # 2.5 s are too little for layers of 0.1 mm
    assert f"Best {chart.best:.2f} s" in charts.words.text() and charts.take.isVisible()
    press(qtbot, charts, f"Take {chart.best:g} s")
    assert session.job.bench.print.exposure_s == chart.best
    assert session.charting.known("print.exposure_s") is None  # that was another job's
    press(qtbot, charts, "Vat")
    qtbot.waitUntil(lambda: session.charting.known("print.vat_c") is not None, timeout=60_000)
    assert "20.0 to 35.0 °C" in charts.words.text()
    settled(qtbot, window)


def test_the_strip_says_whether_the_bench_was_tested(window: MainWindow, qtbot: QtBot) -> None:
    session, test = window.session, window.pages.page("bench").exposures
    session.selection.choose_step("bench")
    press(qtbot, window.pages.page("bench"), "Exposure test")
    assert "untested" in window.strip.subtitle.text()
    test.note(measured_width_mm=10.08, smallest_slot_mm=0.3)
    test.name.setText("November")
    press(qtbot, test, "Keep the test")
    assert f"tested {test.test.date}" in window.strip.subtitle.text()
    session.document.set_bench("print.vat_c", 19.0)
    assert "untested: 6 °C colder" in window.strip.subtitle.text()
    session.document.use_section("resin", load_named("resin", "lantern-clear"), "shipped lantern-clear")
    assert "another resin" in window.strip.subtitle.text()
    session.document.undo()
    session.document.undo()
    assert f"tested {test.test.date}" in window.strip.subtitle.text()
