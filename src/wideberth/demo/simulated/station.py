"""A simulated wash and cure station, a process of its own: `python -m wideberth.demo.simulated.station --speed 60`."""

from __future__ import annotations

from wideberth.core.devices import Asked, Device, Do, Now, Refused, RunTimer
from wideberth.demo.simulated.serving import Clock, Served, checked_options, device_options

LONGEST_S = 24 * 3600.0


class SimulatedStation(Served):
    """Two timers of which one runs at a time."""

    def __init__(self, speed: float) -> None:
        super().__init__()
        self.who = Device("station", "Simulated wash and cure", "simulated-station", (), True)
        self._clock, self._state, self._seconds = Clock(speed), "idle", 0.0
        self._speed = speed

    def asked(self, message: Asked) -> None:
        """RunTimer, stop, state; what cannot be is refused."""
        if isinstance(message, RunTimer):
            if message.seconds > LONGEST_S:
                self.tell(Refused(f"no longer than {LONGEST_S / 3600:.0f} h"))
                return
            self._clock.begin()
            self._state, self._seconds = {"wash": "washing", "cure": "curing"}[message.what], message.seconds
        elif isinstance(message, Do) and message.ask == "stop":
            self._state = "idle"
        elif not (isinstance(message, Do) and message.ask == "state"):
            self.tell(Refused("a station does not do that"))
            return
        self.tell(self._now())

    def due_s(self) -> float:
        """Until the timer is over."""
        return 1.0 if self._state == "idle" else self._clock.until_s(self._seconds)

    def tick(self) -> None:
        """It is over."""
        self._state = "idle"
        self.tell(self._now())

    def _now(self) -> Now:
        left = 0.0 if self._state == "idle" else max(self._clock.until_s(self._seconds) * self._speed, 0.0)
        return Now(self._state, 0, left)  # type: ignore[arg-type]


def main() -> None:
    """Serve until the end of whoever began it, or for ever."""
    of = checked_options(device_options(__doc__))
    SimulatedStation(of.speed).serve(of.port)


if __name__ == "__main__":
    main()
