"""A simulated device behind a local socket: one who listens at a time, lines in and out, and something to do in between."""

from __future__ import annotations

import argparse
import contextlib
import os
import select
import socket
import sys
import threading
import time
from abc import ABC, abstractmethod

from wideberth.core.devices import LONGEST_LINE, LOOPBACK, Asked, Device, Hello, Refused, Told, asked_in, line_of
from wideberth.core.errors import BadDevice

IDLE_S = 0.5
SLOWEST, FASTEST = 1.0, 10_000.0
"""Times as fast as the clock on the wall."""


class Served(ABC):
    """A device: `asked` answers, `due_s` says when it has something to do by itself, `tick` does it."""

    who: Device

    def __init__(self) -> None:
        self._listener: socket.socket | None = None
        self._left = b""

    @abstractmethod
    def asked(self, message: Asked) -> None:
        """Answer by `tell`."""

    @abstractmethod
    def due_s(self) -> float:
        """Seconds until `tick` is wanted."""

    @abstractmethod
    def tick(self) -> None:
        """Do what is due."""

    def tell(self, message: Told) -> None:
        """Say something to whoever listens; who has gone hears nothing."""
        if self._listener is not None:
            try:
                self._listener.sendall(line_of(message))
            except OSError:
                self._hang_up()

    def serve(self, port: int) -> None:
        """Answer at a port of this machine, 0 for any that is free, and print it; for ever."""
        with socket.create_server((LOOPBACK, port)) as server:
            print(server.getsockname()[1], flush=True)
            while True:
                self._wait(server)
                if self.due_s() <= 0:
                    self.tick()

    def _wait(self, server: socket.socket) -> None:
        waiting = [server] if self._listener is None else [server, self._listener]
        ready, _, _ = select.select(waiting, [], [], min(max(self.due_s(), 0.0), IDLE_S))
        if self._listener is not None and self._listener in ready:
            self._read()  # first: it may have hung up to make room for the next
        if server in ready:
            newcomer, _ = server.accept()
            if self._listener is not None:
                with contextlib.suppress(OSError):
                    newcomer.sendall(line_of(Refused("someone else is connected")))
                newcomer.close()
            else:
                newcomer.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                newcomer.settimeout(5.0)
                self._listener, self._left = newcomer, b""

    def _read(self) -> None:
        assert self._listener is not None
        try:
            more = self._listener.recv(LONGEST_LINE)
        except OSError:
            more = b""
        if not more or len(self._left) > LONGEST_LINE:
            self._hang_up()
            return
        self._left += more
        while b"\n" in self._left:
            line, _, self._left = self._left.partition(b"\n")
            try:
                message = asked_in(line)
            except BadDevice as error:
                self.tell(Refused(error.text[:400]))
                continue
            if isinstance(message, Hello):
                self.tell(self.who)
            else:
                self.asked(message)

    def _hang_up(self) -> None:
        if self._listener is not None:
            self._listener.close()
            self._listener = None


def device_options(told: str | None) -> argparse.ArgumentParser:
    """What every simulated device is asked on its command line."""
    options = argparse.ArgumentParser(description=told)
    options.add_argument("--speed", type=float, default=1.0, help="1 to 10,000 times as fast")
    options.add_argument("--port", type=int, default=0, help="of this machine; 0: any that is free, which is printed")
    options.add_argument("--with-parent", action="store_true", help="end when standard input ends")
    return options


def checked_options(options: argparse.ArgumentParser) -> argparse.Namespace:
    """What was asked, once it can be; the process ends with whoever began it where that was asked."""
    asked = options.parse_args()
    if not SLOWEST <= asked.speed <= FASTEST:
        options.error(f"a speed from {SLOWEST:g} to {FASTEST:,.0f}")
    if asked.with_parent:
        end_with_parent()
    return asked


def end_with_parent() -> None:
    """End this process when whoever began it is gone: its end of our standard input closes then."""

    def wait() -> None:
        sys.stdin.buffer.read()
        os._exit(0)

    threading.Thread(target=wait, daemon=True).start()


class Clock:
    """A clock that runs `speed` times as fast."""

    def __init__(self, speed: float) -> None:
        self._speed, self._at, self._held = speed, time.monotonic(), 0.0

    def begin(self) -> None:
        """From zero, now."""
        self._at = time.monotonic()

    def until_s(self, simulated_s: float) -> float:
        """Real seconds until so much simulated time has gone by since it began."""
        return self._at + simulated_s / self._speed - time.monotonic()

    def hold(self) -> None:
        """Stand still."""
        self._held = time.monotonic()

    def go_on(self) -> None:
        """Run on from where it was held."""
        self._at += time.monotonic() - self._held
