"""The plan's page in a real window: a start is dragged, a quote is written and compared, a list is ticked and its timer rings."""

from __future__ import annotations

import csv
import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
import trimesh
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from conftest import as_mesh, as_source
from journeys.conftest import settled
from wideberth.core.bench import Bench, load_named
from wideberth.core.handover import save_job
from wideberth.core.job import Part, job_of, on_other_plate
from wideberth.core.plan import NO_TICKS, Attendance, TickFile, clash, filling_of
from wideberth.core.shelf import ShelfFile, corrected
from wideberth.desktop.planpage import PlanPage
from wideberth.desktop.window import MainWindow

FRIDAY = datetime(2026, 11, 27, 9, 12)
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def page(qtbot: QtBot, window: MainWindow, bench: Bench) -> PlanPage:
    """A plate of two slabs in the museum's workshop, on a Friday morning."""
    block = as_source(as_mesh(trimesh.creation.box((30, 20, 8))))
    shop = bench.with_section("trade", load_named("trade", "museum-workshop"), "test")
    shop = shop.with_value("resin.price_per_litre", 38.0).with_value("resin.currency", "EUR")
    parts = [Part(id="", name=name, source=block) for name in ("Slab <b>", "=Cleat")]
    session = window.session
    session.planning.clock = lambda: FRIDAY
    session.document.begin(job_of("tray", shop, parts, [(-30.0, 0.0), (30.0, 0.0)]))
    session.selection.choose_step("plan")
    settled(qtbot, window, current=True)
    qtbot.waitUntil(
        lambda: session.planning.is_current and session.planning.known.usages[0].finishing_min is not None, timeout=30_000
    )
    return window.pages.page("plan")  # type: ignore[return-value]


def test_a_start_is_dragged_and_what_it_means_follows(qtbot: QtBot, window: MainWindow, page: PlanPage) -> None:
    planning = window.session.planning
    known = planning.known
    assert known is not None and known.windows
    first = known.windows[0][0]
    assert planning.landing == first and first.begins >= FRIDAY
    run, hours = known.run, known.job.bench.hours
    monday = datetime(2026, 11, 30, 9, 0)
    spot = page.tides.spot(monday)
    QTest.mousePress(page.tides, LEFT, Qt.KeyboardModifier.NoModifier, spot.toPoint())  # type: ignore[union-attr]
    assert planning.begin is not None and abs(planning.begin - monday) <= timedelta(minutes=5)
    expected = Attendance(hours, FRIDAY, FRIDAY + timedelta(days=14)).landing(run, planning.begin)
    assert planning.landing == expected
    texts = [cell[1].text() for cell in page.moments._cells]
    assert texts[0] == f"{planning.begin:%H:%M}" and any(
        f"{expected.earliest:%H:%M} to {expected.latest:%H:%M}" == t for t in texts
    )  # type: ignore[union-attr]
    sunday = page.tides.spot(datetime(2026, 11, 29, 12, 0))
    QTest.mousePress(page.tides, LEFT, Qt.KeyboardModifier.NoModifier, sunday.toPoint())  # type: ignore[union-attr]
    assert planning.landing is None and texts != [cell[1].text() for cell in page.moments._cells]
    page.tides.grab()


def test_a_quote_is_written_kept_and_compared(
    qtbot: QtBot, window: MainWindow, page: PlanPage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    step = window.steps["plan"]
    step.turn_to("Quote")  # type: ignore[attr-defined]
    leaf = step.leaves["Quote"]  # type: ignore[attr-defined]
    assert page.stack.currentWidget() is page.quote
    leaf.count.enter(5)
    total = window.session.planning.quotes()[0].total
    assert f"{total:,.2f}" in page.quote.total.text() and "5 sets" in page.quote.total.text()
    for name in ("q.csv", "q.json", "q.pdf"):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), ""))
        leaf._write()
        qtbot.waitUntil(lambda name=name: (tmp_path / name).exists() and not window.session.is_busy, timeout=20_000)
    rows = list(csv.DictReader((tmp_path / "q.csv").open()))
    assert next(r["sum"] for r in rows if r["line"] == "total") == str(total)
    assert (tmp_path / "q.pdf").read_bytes().startswith(b"%PDF") and json.loads((tmp_path / "q.json").read_text())["count"] == 5
    leaf.count.enter(4)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "q.json"), ""))
    leaf._compare()
    now = window.session.planning.quotes()[0].total
    assert f"total: {total:,.2f} → {now:,.2f}" in leaf.said.text() and "discount" in leaf.said.text()


def test_a_missing_price_stands_in_words(qtbot: QtBot, window: MainWindow, page: PlanPage) -> None:
    window.session.document.set_bench("trade.film_each", None)
    qtbot.waitUntil(lambda: window.session.planning.is_current, timeout=30_000)
    window.steps["plan"].turn_to("Quote")  # type: ignore[attr-defined]
    assert "incomplete, not priced: film" in page.quote.total.text()


def test_keys_tick_and_a_timer_rings(qtbot: QtBot, window: MainWindow, page: PlanPage, monkeypatch: pytest.MonkeyPatch) -> None:
    window.steps["plan"].turn_to("Checks")  # type: ignore[attr-defined]
    lines, ticking = page.checks.lines, window.session.ticking
    first = lines.next_item
    assert not page.checks.begun.isVisible()
    QTest.keyClick(lines, Qt.Key.Key_Space)
    assert lines.next_item is not first and len(ticking.ticks.at) == 1
    assert f"{ticking.ticks.began.astimezone():%A}" in page.checks.begun.text() and page.checks.begun.isVisible()
    QTest.keyClick(lines, Qt.Key.Key_Backspace)
    assert lines.next_item is first
    page.checks.turn_to("After")
    rung: list[int] = []
    monkeypatch.setattr(QApplication, "beep", lambda: rung.append(1))
    drip = lines.next_item
    assert drip is not None and drip.key == "drip" and drip.timer_min == window.session.job.bench.house.drip_min
    QTest.keyClick(lines, Qt.Key.Key_T)
    assert 0 < ticking.left_s("After", drip) <= 60 * drip.timer_min
    ticking.look()
    assert not rung
    later = datetime.now(UTC) + timedelta(minutes=drip.timer_min, seconds=1)
    ticking.clock = lambda: later
    ticking.look()
    ticking.look()
    assert len(rung) == 1 and ticking.left_s("After", drip) == 0
    place = lines._place(lines.items[1])
    QTest.mouseClick(lines, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(20, int(place.center().y())))
    assert len(ticking.ticks.at) == 1
    page.grab()
    ticking._lists["another plate"] = NO_TICKS.timed("After/drip", later)
    ticking.look()
    assert len(rung) == 2
    window.steps["plan"].leaves["Checks"].anew.click()  # type: ignore[attr-defined]
    assert ticking.ticks == NO_TICKS and lines.next_item is drip
    ticking.look()
    assert len(rung) == 2


def test_ticks_of_a_saved_job_outlive_the_window_and_are_of_one_run(
    qtbot: QtBot, window: MainWindow, page: PlanPage, tmp_path: Path
) -> None:
    """Ticked, saved, ticked on: another window finds all of it, the next run none of it."""
    session = window.session
    ticking, path = session.ticking, tmp_path / "job.3mf"
    ticking.folder = tmp_path / "ticks"
    window.steps["plan"].turn_to("Checks")  # type: ignore[attr-defined]
    QTest.keyClick(page.checks.lines, Qt.Key.Key_Space)
    save_job(session.job, path, session.stages)
    session.document.file_under(path, session.job)
    QTest.keyClick(page.checks.lines, Qt.Key.Key_Space)
    ticking._threads.waitForDone()
    known = session.planning.known
    lasts, now = known.run.before + known.run.high, datetime.now(UTC)
    kept = TickFile(path, session.job.plates[0].id, ticking.folder)
    assert kept.read(now, lasts) == ticking.ticks and len(ticking.ticks.at) == 2
    assert kept.read(now + lasts + timedelta(hours=13), lasts) == NO_TICKS
    two = ticking.ticks
    session.document.begin(session.job, path)
    assert ticking.ticks == NO_TICKS
    session.planning.look(True)
    qtbot.waitUntil(lambda: ticking.ticks == two, timeout=60_000)
    ticking.begin_anew()
    ticking._threads.waitForDone()
    assert not kept.path.exists()


def test_a_tick_tells_the_vat_and_a_timer_runs_on_the_station(qtbot: QtBot, window: MainWindow, page: PlanPage) -> None:
    session = window.session
    ticking, shelving, bench = session.ticking, session.shelving, session.job.bench
    at = datetime(2026, 3, 2, 7, 0)
    shelving.clock = lambda: at
    shelving.do(lambda s: corrected(s, bench.printer, bench.resin.name, 50.0, 0.0, at))
    qtbot.waitUntil(lambda: shelving.vat.ml == 50.0)
    items = {item.key: (phase.name, item) for phase in session.planning.known.checklist for item in phase.items}
    ticking.tick(*items["stirred"])
    qtbot.waitUntil(lambda: shelving.vat.stirred == at)
    ticking.tick(*items["stirred"], on=False)
    qtbot.waitUntil(lambda: shelving.vat.stirred is None)
    rung: list[int] = []
    ticking.rang.connect(lambda: rung.append(1))
    window.steps["plan"].turn_to("Checks")  # type: ignore[attr-defined]
    window.steps["plan"].leaves["Checks"].station.setChecked(True)  # type: ignore[attr-defined]
    wash, (phase, cure) = items["clean bath"][1], items["cure"]
    assert (wash.station, cure.station, items["drip"][1].station) == ("wash", "cure", "")
    ticking.start(phase, replace(cure, timer_min=2.0))  # two seconds of the station's
    qtbot.waitUntil(lambda: session.washing.now is not None and session.washing.now.state == "curing", timeout=20_000)
    assert 0 < ticking.left_s(phase, cure) <= 120 and cure.key not in ticking.ticks.rings
    qtbot.waitUntil(lambda: bool(rung), timeout=20_000)
    assert ticking.left_s(phase, cure) == 0 and len(rung) == 1


def test_several_plates_share_a_week(qtbot: QtBot, window: MainWindow, page: PlanPage) -> None:
    """Two more plates: all three runs are placed without a clash, and again when one of them is held at another start."""
    session = window.session
    planning = session.planning
    job = session.job
    for name in ("Plate 2", "Plate 3"):
        job = job.with_plate(name)
        mine = job.plates[0].placements[-1]
        job = on_other_plate(job, [mine.id], job.plates[-1].id) if name == "Plate 2" else job
    session.document.change("more plates", job)
    qtbot.waitUntil(lambda: planning.is_current and len(planning.known.wanted) == 2 and bool(planning.week), timeout=30_000)
    assert planning.known is not None and planning.week is not None
    change = timedelta(minutes=planning.known.job.bench.hours.change_min)
    assert not clash(*planning.week, planning.known.wanted, change)
    other, landing = planning.others[0], planning.landing
    assert planning.wanted[other.wanted].name == "Plate 2" and landing is not None and landing.done <= other.landing.begins
    assert planning.waits[other.wanted] == f"waits for {other.printer}, taken by Plate 1"
    later = other.landing.begins
    planning.choose_begin(later)
    qtbot.waitUntil(lambda: planning.others and planning.others[0].landing.begins != later, timeout=30_000)
    assert planning.landing is not None and planning.landing.begins == later
    assert not clash(*planning.week, planning.known.wanted, change)
    assert "Plate 2:" in window.steps["plan"].leaves["When"].said.text()  # type: ignore[attr-defined]
    page.grab()


def test_another_saved_job_shares_the_week_and_is_dragged(
    qtbot: QtBot, window: MainWindow, page: PlanPage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It comes on its own printer, waits for hands alone, and stays where it is dragged while all else gives way."""
    session, planning, leaf = window.session, window.session.planning, window.steps["plan"].leaves["When"]  # type: ignore[attr-defined]
    other = session.job.bench.with_section("printer", load_named("printer", "drydock-330"), "test")
    block = as_source(as_mesh(trimesh.creation.box((30, 20, 8))))
    save_job(job_of("Capstan", other, (Part("Capstan", block),)), tmp_path / "capstan.3mf", session.stages)
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(tmp_path / "capstan.3mf")], ""))
    leaf.along.click()
    qtbot.waitUntil(lambda: len(planning.others) == 1, timeout=30_000)
    assert planning.wanted[1].name == "Capstan" and planning.others[0].printer != session.job.bench.printer.name
    assert f"Capstan on {planning.others[0].printer}" in leaf.said.text()
    piece = (
        page.tides.pieces(planning.others[0].landing.begins, planning.others[0].landing.done, 0.45, 0.55)[0].center().toPoint()
    )
    began = planning.others[0].landing.begins
    to = page.tides.spot(datetime(2026, 11, 30, 10, 0))
    assert to is not None
    QTest.mousePress(page.tides, LEFT, Qt.KeyboardModifier.NoModifier, piece)
    held = page.tides.moment_at(piece.toPointF()) - began
    move = QMouseEvent(
        QEvent.Type.MouseMove, to, page.tides.mapToGlobal(to), Qt.MouseButton.NoButton, LEFT, Qt.KeyboardModifier.NoModifier
    )
    QApplication.sendEvent(page.tides, move)
    page.grab()
    QTest.mouseRelease(page.tides, LEFT, Qt.KeyboardModifier.NoModifier, to.toPoint())
    wanted = datetime(2026, 11, 30, 10, 0) - held
    qtbot.waitUntil(lambda: bool(planning.others) and planning.others[0].landing.begins != began, timeout=30_000)
    assert abs(planning.others[0].landing.begins - wanted) <= timedelta(minutes=10) and planning.begin is None
    leaf.along.click()
    assert planning.more == () and not planning.others


def test_a_bottle_is_poured_printed_from_and_poured_back(
    qtbot: QtBot, window: MainWindow, page: PlanPage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    session, step = window.session, window.steps["plan"]
    step.page.setChecked(True)  # type: ignore[attr-defined]
    step.turn_to("Vat")  # type: ignore[attr-defined]
    leaf, sheet, shelving = step.leaves["Vat"], page.vat, session.shelving  # type: ignore[attr-defined]
    resin = session.job.bench.resin.name
    leaf.lot.setText("L-1")
    leaf._bottle()
    qtbot.waitUntil(lambda: sheet.table.rowCount() == 1)
    assert [sheet.table.item(0, c).text() for c in range(5)] == [resin, "L-1", "shut", "1000", "1000"]
    need = filling_of(session.planning.known.taking, shelving.vat)  # type: ignore[union-attr]
    assert leaf.pour.value == round(need.before_ml) and "nothing is known to be in it" in sheet.told.text()
    leaf._pour()
    qtbot.waitUntil(lambda: shelving.vat.ml == leaf.there.value > 0)
    assert f"{need.cover_ml:.0f} mL that keep the film covered" in sheet.told.text() and "stir it" in sheet.told.text()
    leaf._run_over()
    qtbot.waitUntil(lambda: shelving.vat.used_share == 1.0)
    assert shelving.vat.ml == pytest.approx(round(need.before_ml) - need.takes_ml)
    leaf.pour.enter(5000.0)
    told: list[str] = []
    session.messages.said.connect(told.append)
    leaf._pour()
    qtbot.waitUntil(lambda: any("left" in text for text in told))
    assert leaf.reckon.isVisible() and "100%" in leaf.reckon.text()
    leaf.reckon.click()
    assert session.job.bench.resin.used_share == 1.0 and not leaf.reckon.isVisible()
    leaf._pour_back()
    qtbot.waitUntil(lambda: shelving.vat.is_empty)
    assert sheet.table.item(0, 5).text() != "" and ShelfFile().read() == shelving.shelf
    leaf._take_away()
    qtbot.waitUntil(lambda: sheet.table.rowCount() == 0)
    assert sheet.none.isVisible()


def test_a_mix_is_weighed_out_in_grams(qtbot: QtBot, window: MainWindow, page: PlanPage) -> None:
    session, step = window.session, window.steps["plan"]
    mix = load_named("resin", "grey-with-tough")
    session.document.change("a mix", replace(session.job, bench=session.job.bench.with_section("resin", mix, "test")))
    step.turn_to("Vat")  # type: ignore[attr-defined]
    leaf = step.leaves["Vat"]  # type: ignore[attr-defined]
    settled(qtbot, window)
    qtbot.waitUntil(lambda: "Weigh out" in leaf.weigh.text())
    assert leaf.weigh.text().count(" g,") == len(mix.ingredients) and f"{leaf.pour.value:.0f} mL" in leaf.weigh.text()
