"""The start: a job seen before is there at once, and what loads slowly is fetched when nobody waits for it."""

from __future__ import annotations

from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from journeys.conftest import PATIENCE_MS, quick, settled
from wideberth.desktop import warming
from wideberth.desktop.session import Session
from wideberth.desktop.window import MainWindow


def test_job_seen_before_shows_its_figures_before_anything_is_computed(
    window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path
) -> None:
    """Saved, opened once, and opened again in another session: that one shows the same figures with no stage computed."""
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window)
    path = tmp_path / "egg.3mf"
    window.session.files.save(path)
    settled(qtbot, window)
    window.session.files.open([path])
    settled(qtbot, window)
    qtbot.waitUntil(lambda: not window.session.looks.waits, timeout=PATIENCE_MS)

    later = MainWindow(Session())
    later.unattended = True
    qtbot.addWidget(later)
    later.show()
    computed: list[list[str]] = []
    later.session.predicting.predicted.connect(lambda: computed.append(list(later.session.stages.computed)))
    later.session.files.open([path])
    qtbot.waitUntil(lambda: bool(computed), timeout=PATIENCE_MS)
    assert computed[0] == []
    assert later.session.prediction is not None and later.session.prediction.fineness.light
    settled(qtbot, later, current=True)
    fine = window.session.prediction
    assert fine is not None and later.session.prediction.verdict.pull_n == fine.verdict.pull_n
    later.close()


def test_slow_libraries_and_loops_are_fetched_once_after_the_first_whole_prediction(
    window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    loaded: list[bool] = []
    mark = tmp_path / "compiled"
    monkeypatch.setattr(warming, "_load", lambda: loaded.append(window.session.prediction.looked_closer))
    monkeypatch.setattr(warming, "is_compiled", lambda: False)
    monkeypatch.setattr(warming, "COMPILING", ("-c", f"open({str(mark)!r}, 'a').write('x')"))
    kept = warming.Warming(window.session)
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window, current=True)
    qtbot.waitUntil(lambda: bool(loaded) and mark.exists(), timeout=PATIENCE_MS)
    window.session.document.undo()
    settled(qtbot, window)
    assert kept is not None and loaded == [True] and mark.read_text() == "x"
