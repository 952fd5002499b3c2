"""Start-up: the application, its dress, and the first job."""

from __future__ import annotations

import gc
import os
import sys
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtWidgets import QApplication

from wideberth.core import unexpected
from wideberth.core.errors import WideBerthError
from wideberth.demo import job_path
from wideberth.desktop.session import Session
from wideberth.desktop.style import apply_style
from wideberth.desktop.warming import Warming
from wideberth.desktop.work import Collector, keep_memory_together, let_the_window_go_first, take_short_turns


def application() -> QApplication:
    """The one Qt application, dressed."""
    os.environ.setdefault("QT_API", "pyside6")
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
        app.setApplicationName("Wide Berth")
        app.setOrganizationName("wide-berth")
        QSettings.setDefaultFormat(QSettings.Format.IniFormat)  # beside the height log's own
        keep_memory_together()
        take_short_turns()
        apply_style(app)
        Collector(app)
    return app


def run(files: list[Path]) -> int:
    """Open the window on files, or on the demo job, and stay until it is closed."""
    missing = [f for f in files if not f.is_file()]
    if missing:
        raise WideBerthError("there is no such file.", where=str(missing[0]))
    app = application()
    let_the_window_go_first()
    session = Session()

    def tell(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        """What went wrong where nobody was asked: noted in a file, said in the status line."""
        if isinstance(error, Exception):
            session.messages.say(unexpected.told(error))
        else:
            sys.__excepthook__(kind, error, trace)

    sys.excepthook = tell
    session.files.open(files or [job_path()])
    from wideberth.desktop.window import MainWindow  # the 3D view is slow to load; meanwhile the job is opened beside

    window = MainWindow(session)
    window.show()

    def offer() -> None:
        """Once the first job is open: what is taken up then finds no other act in its way."""
        session.tasks.free.disconnect(offer)
        QTimer.singleShot(0, window.offer_left_behind)

    session.tasks.free.connect(offer)
    gc.freeze()  # modules stay, so they need not be looked through again and again
    warming = Warming(session)
    code = app.exec()
    del warming  # it had to live as long
    return code
