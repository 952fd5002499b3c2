"""A wash and cure station that is spoken to: one timer at a time."""

from __future__ import annotations

from wideberth.core.devices.link import Link
from wideberth.core.devices.messages import Do, Now, Refused, RunTimer
from wideberth.core.errors import BadDevice

ANSWER_S = 10.0


class WashAndCure:
    """The station at a port of this machine.

    Raises
    ------
    BadDevice : see `Link`.
    """

    def __init__(self, port: int) -> None:
        self._link = Link(port, "station")

    @property
    def name(self) -> str:
        return self._link.device.name

    def close(self) -> None:
        self._link.close()

    def run(self, what: str, seconds: float) -> Now:
        """Wash or cure for so long; what ran before ends.

        Raises
        ------
        BadDevice : when it refuses, or does not answer.
        """
        self._link.say(RunTimer(what, seconds))  # type: ignore[arg-type]
        return self._state()

    def state(self) -> Now:
        """What it does, and for how much longer."""
        self._link.say(Do("state"))
        return self._state()

    def stop(self) -> Now:
        """Nothing any more."""
        self._link.say(Do("stop"))
        return self._state()

    def _state(self) -> Now:
        told = self._link.hear(ANSWER_S)
        if isinstance(told, Now):
            return told
        what = f"refuses: {told.what}" if isinstance(told, Refused) else "does not answer as a station does."
        raise BadDevice(what, where=self.name)
