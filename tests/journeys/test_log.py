"""The log in the window: a run followed, graded, learnt from and taken back; the trainer; another window's prints."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPointF, Qt
from PySide6.QtWidgets import QFileDialog, QLabel
from pytestqt.qtbot import QtBot

from journeys.conftest import settled
from wideberth.core.bench import load_bench
from wideberth.core.job import Job, job_of, taken_in
from wideberth.core.logbook import Logbook, PartOutcome, expected_of, read_log_csv, utc_now
from wideberth.core.model import Mesh, ball, binary_stl, parse_model
from wideberth.core.predict import Stages
from wideberth.core.propose import propose_all, propose_support
from wideberth.demo.past import add_past
from wideberth.desktop.logpage.picture_view import Thumb
from wideberth.desktop.session.training import COVERED
from wideberth.desktop.window import MainWindow
from wideberth.desktop.words import margin_text


@pytest.fixture(scope="module")
def two_buoys() -> Job:
    """Two small balls on posts, on a printer of few pixels."""
    bench = load_bench().with_value("printer.pixels_x", 400).with_value("printer.pixels_y", 250)
    parts = tuple(
        taken_in(parse_model(n, ".stl", binary_stl(ball(np.array([x, 0.0, 4.0]), 4.0)))) for n, x in (("Buoy", 0), ("Float", 20))
    )
    return propose_all(job_of("Two buoys", bench, parts), Stages())[0]


@pytest.fixture
def logged(window: MainWindow, two_buoys: Job, qtbot: QtBot, tmp_path: Path) -> Iterator[MainWindow]:
    """A window with two small balls on posts and a logbook of its own."""
    window.session.logging._path = tmp_path / "logbook.sqlite"
    window.session.document.begin(two_buoys)
    settled(qtbot, window, current=True)
    window.session.selection.choose_step("log")
    yield window
    window.session.printing.end()


def until(qtbot: QtBot, what: Callable[[], bool], longest_s: float = 120) -> None:
    qtbot.waitUntil(what, timeout=int(1000 * longest_s))


def run(window: MainWindow, qtbot: QtBot, mishap: str = "as it comes") -> None:
    """Print the plate on a fast simulated printer."""
    step = window.steps["log"]
    step.turn_to("Live")  # type: ignore[attr-defined]
    leaf = step.leaves["Live"]  # type: ignore[attr-defined]
    leaf.speed.setCurrentIndex(leaf.speed.count() - 1)
    leaf.mishap.setCurrentText(mishap)
    qtbot.mouseClick(leaf.begin, Qt.MouseButton.LeftButton)
    assert window.session.printing.is_running and not leaf.begin.isEnabled()
    until(qtbot, lambda: not window.session.printing.is_running)


def test_a_run_is_followed_written_down_graded_and_found_again(
    logged: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch
) -> None:  # type: ignore[no-untyped-def]
    session, step = logged.session, logged.steps["log"]
    page = logged.pages.page("log")
    run(logged, qtbot)
    live = session.printing.live
    assert live is not None and live.is_over and live.entry.ended == "done" and live.layer == live.expected.layers - 1
    page.live.refresh()
    assert "done" in page.live.state.text() and page.live.figures["layer"].text() == f"{live.layer + 1} of {live.expected.layers}"
    assert np.isfinite(live.pull_n).all() and page.live.curves.shown is not None
    step.turn_to("Prints")  # type: ignore[attr-defined]
    until(qtbot, lambda: session.logging.details is not None and session.logging.details.entry.ended == "done")
    assert page.prints.model.rowCount() == 1 and page.prints.detail.head.text().startswith("Two buoys")

    def row() -> list[str]:
        return [page.prints.model.data(page.prints.model.index(0, c), Qt.ItemDataRole.DisplayRole) for c in range(7)]

    until(qtbot, lambda: all(row()[2:6]))  # the sheet was made just now: what it lists is read once more
    texts = row()
    assert texts[1] == "Two buoys" and texts[6] == session.job.bench.resin.name and all(texts[2:6])

    # a fate, a cause, how it came off, a note
    detail = page.prints.detail
    detail._set_fate(1, 3)
    detail._set_cause(detail.cause.findData("screen"))
    detail._write(came_off="hard")
    step.leaves["Prints"].note.setPlainText("a dull spot near Float")  # type: ignore[attr-defined]
    step.leaves["Prints"]._keep_note()  # type: ignore[attr-defined]
    book = Logbook(tmp_path / "logbook.sqlite")

    def is_written() -> bool:
        (entry,) = book.entries()
        return entry.note != "" and entry.came_off == "hard" and entry.parts[1].fate == "lost" and entry.cause == "screen"

    until(qtbot, is_written)
    assert book.entries()[0].failed and "nothing that is predicted" in detail.warned.text()

    # what a printer without sensors does not tell is typed; what is emptied is not known any more
    detail.grams.enter(12.5)
    detail.took.enter(1.5)
    until(qtbot, lambda: (book.entries()[0].resin_g, book.entries()[0].seconds) == (12.5, 5400.0))
    detail.grams.edit.setText("")
    detail.grams.edit.setModified(True)
    detail.grams._take()
    until(qtbot, lambda: book.entries()[0].resin_g is None)

    # graded where it was clicked, in the part's own frame; marks; taken out again
    step.turn_to("Grade")  # type: ignore[attr-defined]
    grade = step.leaves["Grade"]  # type: ignore[attr-defined]
    grade.grade.setCurrentIndex(1)
    assert logged.pages.currentWidget() is page
    qtbot.mouseClick(grade.click, Qt.MouseButton.LeftButton)
    assert logged.pages.currentWidget() is logged.table and not step.page.isChecked()  # type: ignore[attr-defined]
    solids = session.prediction.solids_of(session.job.parts[0].id)
    own = np.array([4.0, 0.0, 4.0])
    grade._clicked(session.job.parts[0].id, (solids.matrix @ np.append(own, 1.0))[:3])
    qtbot.mouseClick(grade.click, Qt.MouseButton.LeftButton)
    assert logged.pages.currentWidget() is page
    grade.many.enter(7)
    grade.kind.setCurrentText("crater")
    grade._add_scars()
    until(qtbot, lambda: grade.told.count() == 2)
    until(qtbot, lambda: len(book.entries()[0].parts[0].scars) == 1)
    part = book.entries()[0].parts[0]
    assert part.spots[0].grade == 2 and part.spots[0].at_mm == pytest.approx(tuple(own), abs=1e-6)
    assert part.scars[0].count == 7 and part.scars[0].kind == "crater"
    grade.told.setCurrentRow(0)
    grade._drop()
    until(qtbot, lambda: book.entries()[0].parts[0].spots == ())

    # searched, written out and read in
    step.turn_to("Prints")  # type: ignore[attr-defined]
    leaf = step.leaves["Prints"]  # type: ignore[attr-defined]
    leaf.words.setText("dull")
    until(qtbot, lambda: session.logging.known.search.words == "dull" and page.prints.model.rowCount() == 1)
    leaf.words.setText("nowhere")
    until(qtbot, lambda: page.prints.model.rowCount() == 0)
    leaf.words.setText("")
    until(qtbot, lambda: page.prints.model.rowCount() == 1)
    table, copy = tmp_path / "prints.csv", tmp_path / "copy.sqlite"
    names = iter([str(table), str(copy)])
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (next(names), ""))
    leaf._write()
    leaf._back_up()
    until(qtbot, lambda: table.exists() and copy.exists())
    assert read_log_csv(table) == book.entries() == Logbook(copy).entries()


def test_a_loss_is_told_while_it_runs_and_the_height_log_shows_what_was_felt(logged: MainWindow, qtbot: QtBot) -> None:
    session = logged.session
    told: list[str] = []
    session.printing.alarmed.connect(told.append)
    run(logged, qtbot, "tips let go")
    live = session.printing.live
    assert live is not None
    lost = [a for a, _ in live.told if a.kind in ("lost", "all")]
    middle = live.expected.layers // 2 - 1
    assert lost and middle <= lost[0].layer <= middle + 4
    assert "no longer feels" in told[0] or "almost no pull" in told[0]
    assert live.entry.failed and live.entry.alarms
    session.selection.choose_step("predict")
    qtbot.wait(50)
    felt = logged.log.frame.felt_n
    assert felt is not None and np.isfinite(felt).all() and felt[-1] == live.pull_n[-1]
    session.document.set_bench("print.lift_mm_per_min", 40.0)
    settled(qtbot, logged, current=True)
    assert logged.log.frame.felt_n is None  # of another job


def test_what_prints_teach_is_taken_over_as_one_change_and_taken_back(logged: MainWindow, qtbot: QtBot) -> None:
    session, step = logged.session, logged.steps["log"]
    book = session.logging.book()
    add_past(book, session.prediction, expected_of(session.prediction), 3, 12)
    before = session.job.bench
    step.turn_to("Learn")  # type: ignore[attr-defined]
    until(qtbot, lambda: session.logging.fit is not None)
    sheet = logged.pages.page("log").learn
    assert len(sheet.boxes) == 11 and session.logging.ticked
    keep = {"printer.motion_factor", "printer.overhead_s"}
    assert keep <= session.logging.ticked  # told as a sum
    for is_on in (False, True):
        sheet.boxes["printer.overhead_s"].click()
        assert sheet.boxes["printer.motion_factor"].isChecked() is is_on
    for key in session.logging.ticked - keep:
        sheet.boxes[key].click()
    assert session.logging.ticked == keep
    qtbot.mouseClick(step.leaves["Learn"].take, Qt.MouseButton.LeftButton)  # type: ignore[attr-defined]
    now = session.job.bench
    changed = {v.key for v, w in zip(now.values(), before.values(), strict=True) if v.value != w.value}
    assert keep <= changed and changed - keep <= {v.key for v in now.values() if v.key.startswith(("ranges.", "laws.time_"))}
    assert all(dict(now.sources)[key].startswith("fitted from ") for key in keep)
    until(qtbot, lambda: len(book.fits()) == 1)
    settled(qtbot, logged, current=True)
    assert "fitted from 12 prints" in logged.strip.subtitle.text()
    session.document.undo()
    assert session.job.bench == before
    until(qtbot, lambda: book.fits()[0].state == "taken back")
    session.document.redo()
    until(qtbot, lambda: book.fits()[0].state == "taken")
    session.document.undo()
    step.turn_to("How good")  # type: ignore[attr-defined]
    until(qtbot, lambda: session.logging.known is not None and session.logging.known.accuracy.prints == 12)
    good = logged.pages.page("log").accuracy
    assert good.head.text().startswith("12 prints") and good.chart.steps
    leaf = step.leaves["How good"]  # type: ignore[attr-defined]
    until(qtbot, lambda: "Film: " in leaf.behind.text())
    hours = leaf.behind.text()
    leaf._changed()
    until(qtbot, lambda: leaf.behind.text() != hours)
    assert "Film: 0.0 h and 0 pulls" in leaf.behind.text()


def test_the_panel_tells_what_was_read_while_another_step_was_open(
    window: MainWindow, two_buoys: Job, qtbot: QtBot, tmp_path: Path
) -> None:
    """Hours by the log are told in the plan, before anyone looks at the log itself."""
    session = window.session
    session.logging._path = tmp_path / "logbook.sqlite"
    session.document.begin(two_buoys)
    settled(qtbot, window, current=True)
    add_past(session.logging.book(), session.prediction, expected_of(session.prediction), 5, 3)
    session.logging.read()
    until(qtbot, lambda: session.logging.known is not None)
    session.logging.choose(session.logging.known.entries[0].id)
    until(qtbot, lambda: session.logging.details is not None)
    prints, learn = (window.steps["log"].leaves[name] for name in ("Prints", "Learn"))  # type: ignore[attr-defined]
    assert prints.said.text() == "3 of 3 prints" and prints.resin.count() > 1
    assert prints.note.toPlainText() == session.logging.details.entry.note
    assert learn.maker.currentText() == session.logging.known.maker


def test_what_another_window_writes_is_seen_here(logged: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    session = logged.session
    until(qtbot, lambda: session.logging.known is not None)
    assert session.logging.known.entries == ()
    other = Logbook(tmp_path / "logbook.sqlite")
    add_past(other, session.prediction, expected_of(session.prediction), 4, 2)
    until(qtbot, lambda: len(session.logging.known.entries) == 2, 20)
    first = other.entries()[0]
    note = logged.steps["log"].leaves["Prints"].note  # type: ignore[attr-defined]
    until(qtbot, lambda: session.logging.details is not None and session.logging.details.entry.id == first.id)
    note.setFocus()
    qtbot.keyClicks(note, "half a thou")
    other.change(first.id, lambda e: e.with_part(PartOutcome(0, first.parts[0].name, "flawed")))
    until(qtbot, lambda: session.logging.details.entry.parts[0].fate == "flawed", 20)
    assert note.toPlainText() == "half a thou"  # what is being typed stays


def test_prints_are_found_by_when_they_began_and_taken_out_for_good(logged: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    session = logged.session
    until(qtbot, lambda: session.logging.known is not None)
    other, leaf = Logbook(tmp_path / "logbook.sqlite"), logged.steps["log"].leaves["Prints"]  # type: ignore[attr-defined]
    add_past(other, session.prediction, expected_of(session.prediction), 4, 3)
    old, now = other.entries()[-1], utc_now()
    for entry, days in zip(other.entries(), (2, 20, 200), strict=True):
        other.change(entry.id, lambda e, days=days: replace(e, began=now - timedelta(days=days)))  # type: ignore[misc]
    for words, count in (("this week", 1), ("30 days", 2), ("90 days", 2), ("a year", 3), ("any time", 3)):
        leaf.when.setCurrentText(words)
        leaf._find()
        until(qtbot, lambda count=count: len(session.logging.known.entries) == count, 20)  # type: ignore[misc]
    session.logging.choose(old.id)
    until(qtbot, lambda: session.logging.details.entry.id == old.id)
    leaf.out.click()
    assert other.has(old.id) and "for good" in leaf.out.text()
    leaf.out.click()
    until(qtbot, lambda: len(session.logging.known.entries) == 2, 20)
    assert not other.has(old.id) and leaf.out.text() == "Take it out"
    until(qtbot, lambda: session.logging.details is None or session.logging.details.entry.id != old.id)


@pytest.mark.prove
def test_pictures_are_kept_and_looked_at_large(
    logged: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A large one, a small one, and what is none: all are kept, those that can be are seen, small and as large as the window."""
    run(logged, qtbot)
    session, step = logged.session, logged.steps["log"]
    page = logged.pages.page("log")
    step.turn_to("Prints")  # type: ignore[attr-defined]
    sheet = page.prints.detail
    until(qtbot, lambda: session.logging.details is not None and session.logging.details.entry.ended == "done")
    Image.new("RGB", (5000, 2500), (10, 120, 90)).save(tmp_path / "a large one.jpg")
    Image.new("RGB", (40, 60), (200, 30, 30)).save(tmp_path / "b small.png")
    (tmp_path / "c none.png").write_bytes(b"\x89PNG\r\n\x1a\n but no more")
    step.turn_to("Grade")  # type: ignore[attr-defined]
    leaf = step.leaves["Grade"]  # type: ignore[attr-defined]
    for number, file in enumerate(sorted(tmp_path.glob("? *.*"))):
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, f=file: (str(f), ""))
        leaf._picture()
        until(qtbot, lambda n=number: len(session.logging.details.pictures) == n + 1)
    step.turn_to("Prints")  # type: ignore[attr-defined]
    until(qtbot, lambda: len(sheet.pictures.findChildren(Thumb)) == 3)
    thumbs = sorted(sheet.pictures.findChildren(Thumb), key=lambda t: t.accessibleName())
    assert [t.pixmap().isNull() for t in thumbs] == [False, False, True] and "c none.png" in thumbs[2].text()
    assert max(thumbs[0].pixmap().width(), thumbs[0].pixmap().height()) <= 76
    qtbot.mouseClick(thumbs[0], Qt.MouseButton.LeftButton)
    view = sheet.large
    assert view.isVisible() and "a large one.jpg · 1 of 3" in view.windowTitle()
    middle = view.grab().toImage().pixelColor(view.width() // 2, view.height() // 2)
    assert abs(middle.green() - 120) < 12
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert view.grab().toImage().pixelColor(view.width() // 2, view.height() // 2).red() > 180
    qtbot.keyClick(view, Qt.Key.Key_Right)
    view.grab()
    assert view.windowTitle() == "c none.png · 3 of 3"
    view.close()


@pytest.mark.prove
def test_the_trainer_covers_the_verdict_until_it_is_guessed_and_counts_points(logged: MainWindow, qtbot: QtBot) -> None:
    session, step = logged.session, logged.steps["log"]
    step.turn_to("Trainer")  # type: ignore[attr-defined]
    leaf = step.leaves["Trainer"]  # type: ignore[attr-defined]
    cover = logged.covers[0]
    assert not cover.isVisible() and not leaf.say.isEnabled()
    leaf.model.setCurrentIndex(1)
    leaf._put()
    until(qtbot, lambda: session.training.covers)
    settled(qtbot, logged, current=True)
    assert session.job.title == "Bollard" and cover.isVisible() and leaf.say.isEnabled()
    assert logged.log.frame.covered == ("hold", "plate")
    session.selection.choose_step("predict")
    assert all(c.isVisible() and c.size() == c.parentWidget().size() for c in logged.covers[1:])
    _no_step_tells_a_margin(logged, qtbot)
    session.selection.choose_step("log")
    leaf.margin.enter(6.0)
    leaf.z.enter(1.0)
    leaf.chance.enter(10)
    leaf._say()
    assert not session.training.covers and not cover.isVisible() and logged.log.frame.covered == ()
    until(qtbot, lambda: session.training.outcome is not None)
    outcome = session.training.outcome
    assert 0 <= outcome.points.total <= 100
    until(qtbot, lambda: session.logging.known is not None and len(session.logging.known.exercises) == 1)
    assert session.logging.known.exercises[0].score == outcome.points.total == session.training.best(session.training.model)
    sheet = logged.pages.page("log").trainer
    assert f"{outcome.points.total} of 100" in sheet.state.text()


def _no_step_tells_a_margin(logged: MainWindow, qtbot: QtBot) -> None:
    """Neither a sentence nor a slip nor the status line says how well anything holds; the bollard has tips for it."""
    session = logged.session
    session.document.change("tips", propose_support(session.job, session.job.parts[0].id, session.stages).job)
    settled(qtbot, logged, current=True)
    verdict = session.prediction.verdict
    assert verdict.hold_margin is not None
    margins = {margin_text(m) for m in (verdict.hold_margin, verdict.plate_margin, *(t.margin for t in verdict.tips))}
    said: list[str] = []
    session.messages.said.connect(said.append)
    for name, step in logged.steps.items():
        session.selection.choose_step(name)
        settled(qtbot, logged)
        for words in (w.text() for w in step.findChildren(QLabel) if w.isVisible()):
            assert name == "predict" or not any(m in words for m in margins), (name, words)
    support = logged.steps["support"]
    support.tips.next_least()
    support.propose.go_to_weakest()
    assert said == [COVERED, COVERED]
    session.selection.choose_step("plate")
    facts = logged.steps["plate"].facts
    until(qtbot, lambda: facts.is_current and bool(facts._told))
    assert np.isfinite([t.margin for t in facts._told.values()]).all()
    assert all(t.margin == np.inf for t in facts.told.values()) and facts.losses == ()


@pytest.mark.prove
def test_the_pointer_on_a_logged_run_tells_the_layer_under_it(logged: MainWindow, qtbot: QtBot) -> None:
    run(logged, qtbot)
    curves = logged.pages.page("log").live.curves
    curves.resize(600, 400)
    layers = curves.shown.expected.layers
    pointed: list[int] = []
    curves.pointed.connect(pointed.append)
    body = curves._body()
    qtbot.mouseMove(curves, QPointF(body.center().x(), body.bottom() - 0.25 * body.height()).toPoint())
    until(qtbot, lambda: bool(pointed), 10)
    assert pointed[-1] == pytest.approx(0.25 * layers, abs=0.02 * layers + 2) and curves.layer == pointed[-1]
    assert isinstance(logged.session.job.parts[0].source.mesh, Mesh)


@pytest.mark.prove
def test_the_station_washes_as_long_as_the_bench_says_and_stops(logged: MainWindow, qtbot: QtBot) -> None:
    leaf = logged.steps["log"].leaves["Live"]  # type: ignore[attr-defined]
    logged.session.document.set_bench("station.wash_s", 1800.0)
    leaf.wash.click()
    until(qtbot, lambda: leaf.station.text().startswith("washing"))
    assert logged.session.washing.now is not None and 1500 < logged.session.washing.now.left_s <= 1800
    leaf.enough.click()
    until(qtbot, lambda: leaf.station.text() == "idle" and not leaf.enough.isEnabled())
    logged.session.document.set_bench("station.cure_s", 60.0)
    leaf.cure.click()
    until(qtbot, lambda: "curing" in leaf.station.text())
    until(qtbot, lambda: leaf.station.text() == "idle", 20)


def test_a_print_that_no_device_told_of_is_written_down_by_hand_and_teaches(
    logged: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    session, step = logged.session, logged.steps["log"]
    step.turn_to("Prints")  # type: ignore[attr-defined]
    step.leaves["Prints"].by_hand.click()  # type: ignore[attr-defined]
    until(qtbot, lambda: session.logging.details is not None)
    detail = logged.pages.page("log").prints.detail
    assert detail.head.text().endswith("not looked at") and detail.took.edit.text() == "not known"
    detail._set_fate(0, 3)
    detail._set_fate(1, 1)
    detail._set_cause(detail.cause.findData("tips"))
    book = Logbook(tmp_path / "logbook.sqlite")
    until(qtbot, lambda: book.entries()[0].failed is True and book.entries()[0].cause == "tips")
    (entry,) = book.entries()
    assert entry.source == "by hand" and entry.parts[0].lost_layer is None and book.expected(entry.id) is not None
    session.logging.learn()
    until(qtbot, lambda: session.logging.fit is not None)
    assert session.logging.fit.tips.prints == 1 and session.logging.fit.tips.value < session.logging.fit.tips.was
    assert session.logging.fit.time.one.prints == 0
