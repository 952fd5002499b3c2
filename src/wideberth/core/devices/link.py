"""A line to a device over a local socket: what it says is heard line by line, checked, and given up when it falls silent."""

from __future__ import annotations

import socket
import time
from types import TracebackType

from wideberth.core.devices.messages import LONGEST_LINE, Asked, Device, Hello, Told, line_of, told_in
from wideberth.core.errors import BadDevice

LOOPBACK = "127.0.0.1"
"""Devices are spoken to on this machine alone; a bridge to a real one runs here too."""
CONNECT_S = 5.0
HELLO_S = 10.0
CHUNK = 65_536


class Link:
    """A connection to a device that has told who it is.

    Raises
    ------
    BadDevice : when nothing answers at the port, or what answers is no such device.
    """

    def __init__(self, port: int, kind: str) -> None:
        self._name, self._left = f"the {kind} at port {port}", b""
        if not 0 < port < 65_536:
            raise BadDevice(f"{port} is no port.", where=kind, remedy="From 1 to 65535.")
        try:
            self._socket = socket.create_connection((LOOPBACK, port), CONNECT_S)
        except OSError as error:
            raise BadDevice(
                f"does not answer ({error.strerror or error}).",
                where=self._name,
                remedy="Is it switched on, and its bridge running?",
            ) from error
        try:
            self.say(Hello())
            until = time.monotonic() + HELLO_S
            told = self.hear(HELLO_S)
            while told is not None and not isinstance(told, Device):  # a run goes on while one comes in
                told = self.hear(until - time.monotonic())
            if not isinstance(told, Device) or told.kind != kind:
                raise BadDevice(f"is no {kind}.", where=self._name)
        except BaseException:
            self._socket.close()
            raise
        self.device = told
        self._name = told.name

    def __enter__(self) -> Link:
        return self

    def __exit__(self, _kind: type[BaseException] | None, _error: BaseException | None, _trace: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        self._socket.close()

    def say(self, message: Asked) -> None:
        """Ask something.

        Raises
        ------
        BadDevice : when the line is gone.
        """
        try:
            self._socket.settimeout(CONNECT_S)
            self._socket.sendall(line_of(message))
        except OSError as error:
            raise self._gone(error) from error

    def hear(self, longest_s: float) -> Told | None:
        """The next message; None when nothing came for so long.

        Raises
        ------
        BadDevice : when the line is gone, or what comes is no message.
        """
        until = time.monotonic() + longest_s
        while b"\n" not in self._left:
            if len(self._left) > LONGEST_LINE:
                raise BadDevice(f"said a line of over {LONGEST_LINE:,} bytes.", where=self._name, kept="What was heard is kept.")
            rest = until - time.monotonic()
            if rest <= 0:
                return None
            try:
                self._socket.settimeout(max(rest, 1e-3))
                more = self._socket.recv(CHUNK)
            except TimeoutError:
                return None
            except OSError as error:
                raise self._gone(error) from error
            if not more:
                raise self._gone(None)
            self._left += more
        line, _, self._left = self._left.partition(b"\n")
        return told_in(line, self._name)

    def _gone(self, error: OSError | None) -> BadDevice:
        why = f" ({error.strerror or error})" if error is not None else ""
        return BadDevice(
            f"has hung up{why}.",
            where=self._name,
            kept="What it told until then is kept.",
            remedy="A power cut, or its cable: look.",
        )
