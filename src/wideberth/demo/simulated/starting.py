"""Begin a simulated device as a process of its own, that ends with this one."""

from __future__ import annotations

import subprocess
import sys
from types import TracebackType

from wideberth.core.errors import BadDevice
from wideberth.demo.simulated.nature import MISHAPS, Mishap


class Started:
    """A simulated device's process and the port that it answers at.

    Raises
    ------
    BadDevice : when it does not begin.
    """

    def __init__(self, device: str, *options: str) -> None:
        command = [sys.executable, "-m", f"wideberth.demo.simulated.{device}", "--with-parent", *options]
        try:
            self._process = subprocess.Popen(
                command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
            )
        except OSError as error:
            raise BadDevice(f"cannot be begun ({error.strerror}).", where=f"the simulated {device}") from error
        assert self._process.stdout is not None
        line = self._process.stdout.readline()
        if not line.strip().isdigit():
            _, told = self._process.communicate()
            raise BadDevice(f"does not begin ({told.strip()[-200:]}).", where=f"the simulated {device}")
        self.port = int(line)

    def end(self) -> None:
        """End the process."""
        self._process.kill()
        self._process.communicate()

    def __enter__(self) -> Started:
        return self

    def __exit__(self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None) -> None:
        self.end()


def mishap_in(text: str) -> Mishap | str | None:
    """What is to go wrong, as written on the command line: "", `lot`, or `tip:500:1` (kind, layer from 1, print from 1).

    Raises
    ------
    ValueError
    """
    if text in ("", "lot"):
        return text or None
    kind, _, rest = text.partition(":")
    layer, _, print_ = rest.partition(":")
    made = Mishap(kind, int(layer or 1) - 1, int(print_ or 1) - 1)
    if kind not in MISHAPS or made.layer < 0 or made.print < 0:
        raise ValueError(f"`{text}` is no mishap")
    return made


def simulated_printer(seed: int, speed: float, mishap: str = "", prints: int = 0) -> Started:
    """A simulated printer. `mishap` : as on its command line. prints : how many it has printed before."""
    more = ("--mishap", mishap) if mishap else ()
    return Started("printer", "--seed", str(seed), "--speed", f"{speed:g}", "--prints", str(prints), *more)


def simulated_station(speed: float) -> Started:
    """A simulated wash and cure station."""
    return Started("station", "--speed", f"{speed:g}")
