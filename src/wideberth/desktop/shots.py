"""Screenshots of the main views from the demo job: `python -m wideberth.desktop.shots FOLDER [STEP]`."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QApplication

from wideberth.demo import job_path
from wideberth.desktop.app import application
from wideberth.desktop.session import Session
from wideberth.desktop.window import MainWindow

PATIENCE_S = 120


def settle(app: QApplication, ready: Callable[[], bool]) -> None:
    """Run the event loop until something holds, and a moment more."""
    end = time.monotonic() + PATIENCE_S
    while not ready() and time.monotonic() < end:
        app.processEvents()
        time.sleep(0.01)
    for _ in range(30):
        app.processEvents()
        time.sleep(0.01)


def main() -> None:
    """Open the demo job and keep one picture of each step."""
    folder = Path(sys.argv[1])
    wanted = sys.argv[2:]
    folder.mkdir(parents=True, exist_ok=True)
    app = application()
    session = Session()
    window = MainWindow(session)
    window.unattended = True
    window.show()
    session.open_files([job_path()])
    settle(app, lambda: session.is_current and not session.is_busy)
    session.move_cursor(24.0)
    for name in wanted or list(window.steps):
        session.choose_step(name)
        settle(app, lambda: not session.is_busy)
        window.grab().save(str(folder / f"{name}.png"))
    window.close()


if __name__ == "__main__":
    main()
