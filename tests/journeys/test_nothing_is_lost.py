"""Opening, saving and closing over unsaved work: nothing goes without a word."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
import trimesh
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from wideberth.core.job import Rescue, open_job, recent_jobs
from wideberth.demo import job_path
from wideberth.desktop.app import run
from wideberth.desktop.session import Session
from wideberth.desktop.window import MainWindow, asking

Answers = Callable[[str], list[str]]


@pytest.fixture
def answers(monkeypatch: pytest.MonkeyPatch) -> Answers:
    """Questions are noted and answered; the list of what was asked."""
    asked: list[str] = []

    def answer(with_: str) -> list[str]:
        def choose(_: object, question: str, more: str, offered: tuple[str, ...]) -> str:
            assert with_ in offered
            asked.append(f"{question} {more}")
            return with_

        monkeypatch.setattr(asking, "choose", choose)
        asked.clear()
        return asked

    return answer


@pytest.fixture
def saved_egg(window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path) -> Path:
    """The egg open in the window, and saved."""
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window)
    path = tmp_path / "egg.3mf"
    window.session.files.save(path)
    qtbot.waitUntil(lambda: window.session.document.is_saved, timeout=30_000)
    return path


def changed(window: MainWindow, qtbot: QtBot) -> None:
    window.session.document.set_bench("print.vat_c", 23.0)
    settled(qtbot, window)


def test_a_job_opened_over_unsaved_work_asks_first(
    window: MainWindow, qtbot: QtBot, saved_egg: Path, answers: Answers, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, elsewhere = window.session, []
    monkeypatch.setattr(asking, "open_elsewhere", elsewhere.append)
    window.open([saved_egg])
    settled(qtbot, window)  # nothing was unsaved: nobody was asked
    changed(window, qtbot)
    asked = answers(asking.STAY)
    window.open([saved_egg])
    assert len(asked) == 1 and "not saved" in asked[0] and session.job.bench.print.vat_c == 23.0
    answers(asking.OTHER_WINDOW)
    window.open([saved_egg])
    assert elsewhere == [[saved_egg]] and session.job.bench.print.vat_c == 23.0
    answers(asking.SAVE_FIRST)
    window.open([saved_egg])
    qtbot.waitUntil(lambda: session.document.is_saved and not session.is_busy, timeout=60_000)
    assert open_job(saved_egg).bench.print.vat_c == 23.0 and session.job.bench.print.vat_c == 23.0
    session.document.set_bench("print.vat_c", 26.0)
    answers(asking.LET_GO)
    window.open([saved_egg])
    qtbot.waitUntil(lambda: session.document.is_saved and not session.is_busy, timeout=60_000)
    assert session.job.bench.print.vat_c == 23.0


def test_a_model_goes_onto_the_plate_or_into_a_new_job_and_is_never_refused(
    window: MainWindow, qtbot: QtBot, saved_egg: Path, answers: Answers, tmp_path: Path
) -> None:
    session = window.session
    large = tmp_path / "large.stl"
    trimesh.creation.box((190, 110, 4)).export(large)
    asked = answers(asking.ONTO_PLATE)
    window.open([large])
    settled(qtbot, window, current=True)
    assert len(asked) == 1 and len(session.job.parts) == 2
    first, second = session.prediction.solids  # type: ignore[union-attr]
    assert second.low[0] > 0.5 * session.job.bench.printer.plate_x_mm and abs(first.low[0]) < 20  # it stays
    assert any(f.code == "off_plate" for f in session.prediction.verdict.findings)  # type: ignore[union-attr]
    answers(asking.LET_GO)
    session.document.undo()
    answers(asking.NEW_JOB)
    session.document.file_under(saved_egg, session.job)
    window.open([large])
    qtbot.waitUntil(lambda: [p.name for p in session.job.parts] == ["large"], timeout=60_000)
    assert session.document.path is None
    settled(qtbot, window)


def test_a_file_that_somebody_else_wrote_is_not_written_over_unasked(
    window: MainWindow, qtbot: QtBot, saved_egg: Path, answers: Answers, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    session, other = window.session, tmp_path / "other.3mf"
    changed(window, qtbot)
    theirs = saved_egg.read_bytes() + b" "
    saved_egg.write_bytes(theirs)
    asked = answers(asking.STAY)
    window.save()
    assert len(asked) == 1 and saved_egg.read_bytes() == theirs
    answers(asking.OTHER_NAME)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(other), ""))
    window.save()
    qtbot.waitUntil(lambda: session.document.path == other, timeout=60_000)
    assert saved_egg.read_bytes() == theirs and open_job(other).bench.print.vat_c == 23.0
    asked = answers(asking.STAY)
    session.document.set_bench("print.vat_c", 22.0)
    window.save()
    qtbot.waitUntil(lambda: session.document.is_saved and not session.is_busy, timeout=60_000)
    assert asked == [] and open_job(other).bench.print.vat_c == 22.0


def test_a_change_during_a_save_is_told(window: MainWindow, qtbot: QtBot, saved_egg: Path) -> None:
    session, said = window.session, []
    session.messages.said.connect(said.append)
    changed(window, qtbot)
    session.files.save(saved_egg)
    session.document.set_bench("print.vat_c", 24.0)
    qtbot.waitUntil(lambda: any("saved egg.3mf" in word for word in said), timeout=60_000)
    assert "changed since" in " ".join(said) and not session.document.is_saved
    assert open_job(saved_egg).bench.print.vat_c == 23.0
    settled(qtbot, window)


def test_save_as_proposes_a_name_and_never_a_path(
    window: MainWindow, qtbot: QtBot, egg_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    proposed: list[str] = []
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda _w, _t, name, _f: (proposed.append(name), ("", ""))[1])
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window)
    job = window.session.job
    window.session.document.change("call it", replace(job, title="../../tmp/x: <b>gull</b>\n"))
    window.save_as()
    assert Path(proposed[0]).parent == Path.cwd() and Path(proposed[0]).name == "-..-tmp-x- -b-gull--b-.3mf"
    settled(qtbot, window)


def test_two_windows_on_one_file_know_of_each_other(window: MainWindow, qtbot: QtBot, saved_egg: Path) -> None:
    second, told = MainWindow(Session()), []
    second.unattended = True
    qtbot.addWidget(second)
    second.session.messages.warned.disconnect()
    second.session.messages.warned.connect(told.append)
    second.session.files.open([saved_egg])
    qtbot.waitUntil(lambda: second.session.document.path == saved_egg, timeout=60_000)
    assert len(told) == 1 and "open in another window" in told[0]
    settled(qtbot, second)
    second.close()


def test_unsaved_work_is_kept_when_the_step_changes_and_taken_up_by_the_next_window(
    window: MainWindow, qtbot: QtBot, saved_egg: Path, answers: Answers, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, rescue = window.session, window.session.rescuing.rescue
    changed(window, qtbot)
    session.selection.choose_step("drain")
    qtbot.waitUntil(lambda: (rescue._folder / "about.json").is_file(), timeout=30_000)
    os.close(rescue._lock)  # as when the program is killed
    rescue._lock = -1
    later = MainWindow(Session())
    later.unattended = True
    qtbot.addWidget(later)
    later.show()
    asked = answers(asking.TAKE_UP)
    later.offer_left_behind()
    qtbot.waitUntil(lambda: later.session.has_parts, timeout=60_000)
    assert len(asked) == 1 and "was not saved" in asked[0]
    assert later.session.job.bench.print.vat_c == 23.0 and later.session.document.path == saved_egg
    assert later.session.document.may_be_lost
    qtbot.waitUntil(lambda: not rescue._folder.exists(), timeout=30_000)  # it is the new window's own now
    later.session.files.save(saved_egg)
    qtbot.waitUntil(lambda: later.session.document.is_saved and not later.session.is_busy, timeout=60_000)
    assert open_job(saved_egg).bench.print.vat_c == 23.0 and later.session.rescuing.rescue.left_behind() == []
    later.close()


def test_closing_over_unsaved_work_asks(window: MainWindow, qtbot: QtBot, saved_egg: Path, answers: Answers) -> None:
    window.unattended = False
    changed(window, qtbot)
    asked = answers(asking.STAY)
    window.close()
    assert window.isVisible() and len(asked) == 1
    answers(asking.SAVE_FIRST)
    window.close()
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=60_000)
    assert open_job(saved_egg).bench.print.vat_c == 23.0
    window.unattended = True


def test_a_model_that_cannot_be_read_leaves_the_open_job_where_it_is(
    window: MainWindow, qtbot: QtBot, saved_egg: Path, answers: Answers, tmp_path: Path
) -> None:
    session, broken, told = window.session, tmp_path / "broken.stl", []
    session.messages.warned.disconnect()
    session.messages.warned.connect(told.append)
    broken.write_bytes(b"solid nothing")
    answers(asking.NEW_JOB)
    window.open([broken])
    qtbot.waitUntil(lambda: bool(told), timeout=30_000)
    settled(qtbot, window)
    assert [p.name for p in session.job.parts] == ["egg"] and session.document.path == saved_egg and session.document.is_saved


def test_a_save_that_ends_after_another_job_was_taken_up_is_not_that_one_s(
    window: MainWindow, qtbot: QtBot, saved_egg: Path, tmp_path: Path
) -> None:
    session = window.session
    was = session.job
    session.document.begin(replace(was, title="Another"))
    session.document.file_under(tmp_path / "old.3mf", was)
    assert session.document.path is None and session.job.title == "Another"
    settled(qtbot, window)


def test_what_was_left_behind_is_offered_at_the_start_once_the_first_job_is_open(
    qapp: QApplication, qtbot: QtBot, saved_egg: Path, answers: Answers, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The program's own start, with nobody but the question to answer; a quick answer finds no other act in its way."""
    left = Rescue()
    left.keep(replace(open_job(saved_egg), title="Left behind"), saved_egg)
    os.close(left._lock)
    asked = answers(asking.TAKE_UP)
    seen: list[MainWindow] = []

    def until_taken_up(_: QApplication) -> int:
        (opened,) = (w for w in QApplication.topLevelWidgets() if isinstance(w, MainWindow) and w.isVisible() and w not in before)
        opened.unattended = True
        qtbot.waitUntil(lambda: opened.session.job.title == "Left behind", timeout=90_000)
        settled(qtbot, opened)
        qtbot.waitUntil(lambda: Rescue().left_behind() == [], timeout=90_000)  # once it is kept as this window's own
        seen.append(opened)
        return 0

    before = [w for w in QApplication.topLevelWidgets() if isinstance(w, MainWindow)]
    monkeypatch.setattr(QApplication, "exec", until_taken_up)
    assert run([saved_egg]) == 0
    (opened,) = seen
    assert len(asked) == 1 and opened.session.document.path == saved_egg and opened.session.document.may_be_lost
    opened.close()
    assert Rescue().left_behind() == []


@pytest.mark.prove
def test_the_demo_is_saved_under_a_name_of_its_own(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What came with the program is never written over."""
    shipped = job_path().read_bytes()
    window.session.files.open([job_path()])
    qtbot.waitUntil(lambda: len(window.session.job.parts) == 2, timeout=90_000)
    assert window.session.document.path is None and window.session.document.is_saved
    window.session.document.set_bench("print.vat_c", 24.0)
    kept = tmp_path / "mine.3mf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(kept), ""))
    window.save()
    qtbot.waitUntil(lambda: window.session.document.path == kept, timeout=90_000)
    assert open_job(kept).bench.print.vat_c == 24.0 and job_path().read_bytes() == shipped
    assert recent_jobs()[0] == kept and job_path() not in recent_jobs()
