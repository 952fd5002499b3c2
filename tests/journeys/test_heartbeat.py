"""The watch over the interface thread, itself."""

from __future__ import annotations

import threading
import time
import traceback
from typing import Any

import pytest
from PySide6.QtCore import QObject
from pytestqt.qtbot import QtBot

from reference.heartbeat import Heartbeat


class Local:
    """Notes on which thread it ends."""

    def __init__(self, ended: list[int]) -> None:
        self._ended = ended

    def __del__(self) -> None:
        self._ended.append(threading.get_ident())


def test_what_the_interface_thread_lets_go_ends_there_though_it_is_watched(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    """A menu that ended on the watching thread, the last to hold its frame, left timers behind that brought the window down."""

    look = traceback.extract_stack

    def slowly(*args: Any, **more: Any) -> Any:
        time.sleep(0.05)
        return look(*args, **more)

    monkeypatch.setattr(traceback, "extract_stack", slowly)
    ended: list[int] = []

    def act(seconds: float) -> None:
        local = Local(ended)
        time.sleep(seconds)
        assert local is not None

    parent = QObject()
    beat = Heartbeat().start(parent)
    waits = [0.13 + 0.01 * n for n in range(10)]
    for seconds in waits:
        act(seconds)
        qtbot.wait(100)
    beat.stop()
    qtbot.wait(50)
    beat._beat()
    assert len(beat.gaps) >= len(waits) and len(ended) == len(waits) and set(ended) == {threading.get_ident()}
