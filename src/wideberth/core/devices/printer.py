"""A printer that is spoken to: it takes a package, begins, tells each layer, and can be paused or stopped."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from wideberth.core.devices.link import Link
from wideberth.core.devices.messages import Do, LayerDone, Load, Loaded, LookedAt, Now, Refused, Told
from wideberth.core.errors import BadDevice
from wideberth.core.logbook import SIMULATED

ANSWER_S = 60.0
"""A large package takes a while to be read."""
TICK_S = 0.2
"""So often who follows may look up."""


class Printer:
    """The printer at a port of this machine.

    Raises
    ------
    BadDevice : see `Link`.
    """

    def __init__(self, port: int) -> None:
        self._link = Link(port, "printer")
        self._next, self._at_s = 0, 0.0
        self.state = "idle"
        self.looked_at: LookedAt | None = None
        """What a simulated one tells of its print once it is over."""

    @property
    def name(self) -> str:
        return self._link.device.name

    @property
    def sensors(self) -> tuple[str, ...]:
        return self._link.device.sensors

    @property
    def is_simulated(self) -> bool:
        return self._link.device.simulated

    @property
    def source(self) -> str:
        """Where a print comes from, as the log has it: of a simulated one by its serial, so that none is taken for a real one."""
        device = self._link.device
        return f"{SIMULATED}, {device.serial}" if device.simulated else device.name

    def close(self) -> None:
        self._link.close()

    def load(self, package: Path, nature: Path | None = None) -> Loaded:
        """Have it take a package.

        Raises
        ------
        BadDevice : when it refuses, or does not answer.
        """
        self._link.say(Load(str(package.resolve()), None if nature is None else str(nature.resolve())))
        told = self._link.hear(ANSWER_S)
        if isinstance(told, Loaded):
            return told
        raise self._unfit(told)

    def do(self, what: str) -> None:
        """Ask it to `start`, `pause`, `resume` or `stop`; what it does then is told by `follow`."""
        self._link.say(Do(what))  # type: ignore[arg-type]

    def follow(self, longest_silence_s: float) -> Iterator[LayerDone | Now | None]:
        """All that it tells until the run is over; None five times a second while nothing comes.

        Parameters
        ----------
        longest_silence_s : after which it counts as gone; a paused printer may be silent as long as it likes.

        Raises
        ------
        BadDevice : when it falls silent, or tells layers that cannot be.
        """
        silent_s = 0.0
        while True:
            told = self._link.hear(TICK_S)
            if told is None:
                silent_s += TICK_S
                if silent_s > longest_silence_s and self.state != "paused":
                    raise BadDevice(
                        f"has told nothing for {silent_s:.0f} s.",
                        where=self.name,
                        kept="What it told until then is kept.",
                        remedy="A power cut, or its cable: look.",
                    )
                yield None
                continue
            silent_s = 0.0
            if isinstance(told, LayerDone):
                yield self._in_order(told)
            elif isinstance(told, LookedAt) and self.is_simulated:
                self.looked_at = told
            elif isinstance(told, Now):
                self.state = told.state
                yield told
                if told.state in ("done", "stopped", "idle"):
                    return
            else:
                raise self._unfit(told)

    def _in_order(self, told: LayerDone) -> LayerDone:
        """A layer as it must follow the last one."""
        if told.layer != self._next or told.at_s < self._at_s:
            raise BadDevice(
                f"tells layer {told.layer + 1} at {told.at_s:.0f} s after layer {self._next} at {self._at_s:.0f} s.",
                where=self.name,
                kept="What it told until then is kept.",
            )
        self._next, self._at_s = told.layer + 1, told.at_s
        return told

    def _unfit(self, told: Told | None) -> BadDevice:
        if isinstance(told, Refused):
            return BadDevice(f"refuses: {told.what}", where=self.name)
        if told is None:
            return BadDevice("does not answer.", where=self.name)
        return BadDevice(f"answers with `{told.tell}`, which nobody asked for.", where=self.name)
