"""What runs is stopped before the machine's memory is used up: the system would end the program then, and what was not saved."""

from __future__ import annotations

import os
import sys
import time
import traceback
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, QTimer

from wideberth.core import unexpected
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.tasks import Tasks

LOOK_MS = 500
LEAST_FREE, LEAST_OWN = 0.08, 0.25
"""Shares of the machine's memory: what is left when work is stopped, and how much of the rest must be the program's own."""
SAID_EVERY_S = 60.0


@dataclass(frozen=True)
class Memory:
    """Bytes: what this program has in use, what the machine could still give, and all that it has."""

    own: int
    free: int
    whole: int

    @property
    def is_short(self) -> bool:
        """Whether little is left and this program has much of it."""
        return self.free < LEAST_FREE * self.whole and self.own > LEAST_OWN * self.whole


def memory() -> Memory:
    """As the system tells it now."""
    told = dict(line.split(":") for line in Path("/proc/meminfo").read_text().splitlines())
    free, whole = (1024 * int(told[name].split()[0]) for name in ("MemAvailable", "MemTotal"))
    own = int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
    return Memory(own, free, whole)


class Sparing(QObject):
    """Looks twice a second while something runs."""

    def __init__(self, tasks: Tasks, messages: Messages) -> None:
        super().__init__()
        self._tasks, self._messages = tasks, messages
        self._said = -SAID_EVERY_S
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)
        with suppress(OSError, LookupError, ValueError):  # where the system does not tell it nobody looks
            memory()
            self._timer.start(LOOK_MS)

    def _look(self) -> None:
        if not self._tasks.are_running or not (now := memory()).is_short:
            return
        all_stand = _where_all_stand()
        self._tasks.cancel_all()
        if (again := time.monotonic()) - self._said > SAID_EVERY_S:
            self._said, where = again, unexpected.noted(f"{now}\n{all_stand}")
            own, whole = f"{1e-9 * now.own:.1f}", f"{1e-9 * now.whole:.0f}"
            self._messages.warn(
                f"The machine's memory is nearly used up ({own} of {whole} GB by this program): what ran was stopped, the job is "
                f"as it was. Close other programs, or take a smaller part or thicker layers.{where}"
            )


def _where_all_stand() -> str:
    """The calls of all threads."""
    return "\n".join("".join(traceback.format_stack(frame)) for frame in sys._current_frames().values())
