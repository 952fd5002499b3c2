"""What helps a newcomer: the list of words and keys, recent jobs, and what letting go of a file would do."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDragLeaveEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from wideberth.core.job import note_recent, recent_jobs
from wideberth.core.job import recent as recent_file
from wideberth.desktop.glossary import GLOSSARY, matching, words_of
from wideberth.desktop.window import MainWindow
from wideberth.desktop.window.word_list import WORDS
from wideberth.desktop.words import STEP_NAMES


def test_the_words_of_the_craft_are_found_by_their_other_names() -> None:
    for other, ours in (("pillar", "post"), ("raft", "base"), ("contact", "tip"), ("orientation", "pose"), ("slice", "section")):
        assert ours in [head.split(" (")[0] for head, _ in matching(other, WORDS)]
    assert matching("tip", WORDS)[0][0] == "tip (contact)"
    assert matching("no such thing", WORDS) == []
    assert len({w.word for w in GLOSSARY}) == len(GLOSSARY)
    assert {step for w in GLOSSARY for step in w.steps} <= STEP_NAMES.keys()
    assert all(words_of(step) for step in STEP_NAMES)


def test_f1_opens_the_words_and_typing_narrows_them(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.keyClick(window, Qt.Key.Key_F1)
    words = window.words
    assert words is not None
    qtbot.waitUntil(words.isVisible)
    assert "post (pillar" in words.list.toPlainText() and "F6" in words.list.toPlainText()
    qtbot.keyClicks(words.search, "what decides")
    assert "F6" in words.list.toPlainText() and "pillar" not in words.list.toPlainText()
    words.search.setText("<b>xyz")
    assert "Nothing by that name" in words.list.toPlainText()
    words.close()


def test_jobs_opened_and_saved_are_recent_and_open_again(
    window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path
) -> None:
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window)
    first, second = tmp_path / "first & last.3mf", tmp_path / "second.3mf"
    for path in (first, second):
        window.session.files.save(path)
        qtbot.waitUntil(lambda path=path: window.session.document.path == path, timeout=30_000)  # type: ignore[misc]
    assert recent_jobs()[:2] == [second, first]
    menu = window.status.recent.menu()
    menu.aboutToShow.emit()
    assert menu.actions()[1].text().startswith("first && last ")
    menu.actions()[1].trigger()
    qtbot.waitUntil(lambda: window.session.document.path == first, timeout=30_000)
    assert recent_jobs()[:2] == [first, second]
    second.unlink()
    assert second not in recent_jobs()
    settled(qtbot, window)


@pytest.mark.parametrize("content", ["", "{", "[1, null, {}]", '"text"', "[" * 100_000, '["\\u0000"]'])
def test_a_damaged_list_of_recent_jobs_is_begun_anew(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, content: str) -> None:
    monkeypatch.setattr(recent_file, "_file", lambda: tmp_path / "deep" / "recent.json")
    (tmp_path / "deep").mkdir()
    (tmp_path / "deep" / "recent.json").write_text(content)
    assert recent_jobs() == []
    note_recent(tmp_path / "deep" / "recent.json")
    assert recent_jobs() == [tmp_path / "deep" / "recent.json"]


def test_what_a_drop_would_do_is_said_while_it_is_over_the_window(
    window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path
) -> None:
    def told(*paths: Path) -> str:
        dragged = QMimeData()
        dragged.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
        action, button, held = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        QApplication.sendEvent(window, QDragEnterEvent(QPoint(300, 300), action, dragged, button, held))
        assert window.drop_note.isVisible()
        QApplication.sendEvent(window, QDragLeaveEvent())
        assert not window.drop_note.isVisible()
        return window.drop_note.text()

    assert "onto the plate" in told(egg_file)
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window)
    assert "this plate or into a new job" in told(egg_file) and "2 model files" in told(egg_file, egg_file)
    saved = tmp_path / "<b>egg.3mf"
    window.session.files.save(saved)
    qtbot.waitUntil(lambda: window.session.document.is_saved, timeout=30_000)
    assert "open the job <b>egg in place of this one" in told(saved) and "asked about" not in told(saved)
    window.session.document.set_bench("print.vat_c", 23.0)
    assert "not saved is asked about first" in told(saved)
    assert "cannot be opened" in told(tmp_path / "notes.pdf")
    settled(qtbot, window)
