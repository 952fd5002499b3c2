"""How long the interface thread keeps anyone waiting, and where it was when it did."""

from __future__ import annotations

import os
import re
import sys
import threading
import time
import traceback
from dataclasses import dataclass, field
from pathlib import Path
from types import FrameType

from PySide6.QtCore import QObject, QTimer

BEAT_MS = 10
LONG_S = 0.12
HELD_S = 0.25
"""Whoever keeps the interpreter for so long keeps even a thread waiting that has nothing to do."""
DEPTH = 5
"""Innermost calls that are noted of a long gap."""


@dataclass
class Gap:
    """seconds : how long nothing was answered. what : what was being done. calls : where the interface thread stood. worked : how
    long it computed itself meanwhile [s]; the rest it waited, for the interpreter or for a machine that others were given.
    beside : where the other threads stood once the interpreter was free again, if nobody got it for long. away : how long the
    machine was given to others meanwhile, by its own account, that of the core that was away longest [s]."""

    seconds: float
    what: str
    calls: str = ""
    worked: float = 0.0
    beside: str = ""
    away: float = 0.0

    @property
    def here(self) -> float:
        """How long nothing was answered while the machine was there [s]."""
        return max(self.seconds - self.away, 0.0)


@dataclass
class Heartbeat:
    """Beats on the interface thread from `start` to `stop`; the gaps between beats that were long are kept."""

    gaps: list[Gap] = field(default_factory=list)
    what: str = "start"
    beats: int = 0

    def start(self, parent: QObject) -> Heartbeat:
        self._thread = threading.get_ident()
        self._last, self._worked, self._calls, self._beside = time.perf_counter(), time.thread_time(), "", ""
        self._away = away()
        self._timer = QTimer(parent)
        self._timer.timeout.connect(self._beat)
        self._timer.start(BEAT_MS)
        self._over, self._watching = threading.Event(), threading.Lock()
        self._frames: list[FrameType] = []
        threading.Thread(target=self._watch, daemon=True).start()
        return self

    def stop(self) -> None:
        self._timer.stop()
        self._over.set()

    def told(self, most: int = 12) -> str:
        """A table of the longest gaps."""
        here = sorted((1000 * gap.here for gap in self.gaps if gap.here > LONG_S), reverse=True)
        lines = [
            f"{self.beats} beats, {len(self.gaps)} gaps over {1000 * LONG_S:.0f} ms",
            f"less what the machine was away: {len(here)}, the longest {', '.join(f'{ms:.0f}' for ms in here[:5])} ms",
        ]
        for gap in sorted(self.gaps, key=lambda gap: -gap.here)[:most]:
            worked, gone = 1000 * gap.worked, 1000 * gap.away
            lines.append(
                f"{1000 * gap.seconds:6.0f} ms  {gap.what}, {worked:.0f} ms its own work, the machine away for {gone:.0f} ms"
            )
            lines += [f"           {line}" for line in gap.calls.splitlines() if line.lstrip().startswith("File")]
            lines += [f"           beside: {line}" for line in gap.beside.splitlines()]
        return "\n".join(lines)

    def _beat(self) -> None:
        now, worked, gone = time.perf_counter(), time.thread_time(), away()
        if now - self._last > LONG_S:
            longest = max(after - before for before, after in zip(self._away, gone, strict=True))
            self.gaps.append(Gap(now - self._last, self.what, self._calls, worked - self._worked, self._beside, longest))
        self._last, self._worked, self._calls, self._beside, self._away = now, worked, "", "", gone
        self.beats += 1
        if self._watching.acquire(blocking=False):
            self._frames.clear()
            self._watching.release()

    def _watch(self) -> None:
        woke = time.perf_counter()
        while not self._over.wait(0.02):
            late, woke = time.perf_counter() - woke > HELD_S, time.perf_counter()
            asks = time.perf_counter() - self._last > LONG_S and not self._calls
            if late or asks:
                with self._watching:
                    self._look(late, asks)

    def _look(self, late: bool, asks: bool) -> None:
        """Note where threads stand. What the interface thread's frames hold, such as a menu, may only end there: the frames are
        kept until it lets them go."""
        frames = sys._current_frames()
        del frames[threading.get_ident()]  # that would hold this very dictionary
        own = frames.pop(self._thread)
        self._frames.append(own)
        if late:
            self._beside += _others(frames)
        if asks:
            self._calls = "".join(traceback.format_stack(own)[-DEPTH:])


def away() -> list[float]:
    """How long each core of the machine was given to others so far [s]: what a guest of a larger machine is told."""
    told = [line.split() for line in Path("/proc/stat").read_text().splitlines() if re.match(r"cpu\d", line)]
    return [int(core[8]) / os.sysconf("SC_CLK_TCK") for core in told]


def _others(frames: dict[int, FrameType]) -> str:
    """Where some threads stand: the innermost line of the program's own, and the innermost of all."""
    lines = []
    for frame in frames.values():
        stack = traceback.extract_stack(frame)
        own = [call for call in stack if "wideberth" in call.filename]
        if own:
            lines.append(f"{own[-1].filename}:{own[-1].lineno} {own[-1].name}, {stack[-1].filename}:{stack[-1].lineno}")
    return "".join(f"{line}\n" for line in lines)
