"""Ten minutes of a monkey in the window: no error, nothing lost, nobody kept waiting for long. MINUTES in the environment."""

from __future__ import annotations

import os
import resource
import sys
import time
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings, QtMsgType, qInstallMessageHandler
from PySide6.QtWidgets import QApplication, QFileDialog

from reference.heartbeat import Heartbeat
from reference.monkey import Monkey
from wideberth.core import unexpected
from wideberth.core.job import is_job, open_job
from wideberth.core.model import read_models
from wideberth.demo import job_path, mesh_path

MINUTES = float(os.environ.get("MINUTES", "10"))
SEED = int(os.environ.get("SEED", "1"))


@pytest.fixture
def own_places(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """What the window remembers and keeps goes into a folder of this run's, and so do folders that the monkey makes."""
    monkeypatch.chdir(tmp_path)
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, str(tmp_path))
    for place in ("CACHE", "STATE", "DATA", "CONFIG"):
        monkeypatch.setenv(f"XDG_{place}_HOME", str(tmp_path / place))
    return tmp_path


def test_ten_minutes_of_a_monkey(own_places: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from wideberth.desktop.app import application
    from wideberth.desktop.session import Session
    from wideberth.desktop.window import MainWindow
    from wideberth.desktop.work import let_the_window_go_first

    application()
    let_the_window_go_first()
    wrong: list[str] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, _: wrong.append(unexpected.told(error)))

    def heard(kind: QtMsgType, _: object, text: str) -> None:
        if kind in (QtMsgType.QtCriticalMsg, QtMsgType.QtFatalMsg) or "ainter" in text:
            wrong.append(text)

    qInstallMessageHandler(heard)
    kept = own_places / "kept"
    kept.mkdir()
    saves = iter(range(1_000_000))

    def named(_parent: object, _title: str, start: str, *_: object) -> tuple[str, str]:
        return str(kept / f"{next(saves) % 9} {Path(start).stem}{Path(start).suffix or '.3mf'}"), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", named)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(kept))
    models = [str(mesh_path(name)) for name in ("whelk", "claw")]
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: (models[next(saves) % 2 :][:1], ""))
    monkeypatch.setattr("wideberth.desktop.window.asking.open_elsewhere", lambda _: None)

    window = MainWindow(Session())
    window.show()
    job = own_places / "harbour museum.3mf"  # its hands save what they are given
    job.write_bytes(job_path().read_bytes())
    window.session.files.open([job])
    beat = Heartbeat().start(window)
    monkey = Monkey(window, SEED)
    until = time.monotonic() + 60 * MINUTES
    peak_mb = []
    while time.monotonic() < until:
        beat.what = monkey.last
        QApplication.processEvents()
        time.sleep(0.001)
        if len(peak_mb) < (time.monotonic() + 60 * MINUTES - until) / 60:
            peak_mb.append(resident_mb())
            print(f"minute {len(peak_mb) - 1}: {peak_mb[-1]:.0f} MB, {sum(monkey.acts.values())} acts", flush=True)
    monkey.stop()
    beat.stop()
    print(dict(monkey.acts), beat.told(), f"peak {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB", sep="\n")
    log = unexpected.log_path()
    assert not wrong and not log.exists(), [*wrong, log.read_text() if log.exists() else ""]
    assert sum(monkey.acts.values()) > 60 * MINUTES
    for path in kept.glob("*.3mf"):
        assert open_job(path).parts if is_job(path) else read_models(path)
    window.unattended = True
    window.session.tasks.cancel()
    while window.session.tasks.are_running:
        QApplication.processEvents()
    window.close()
    qInstallMessageHandler(None)


def resident_mb() -> float:
    """Memory of this program that is in use."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6
