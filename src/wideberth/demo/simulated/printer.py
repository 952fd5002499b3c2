"""A simulated printer, a process of its own: `python -m wideberth.demo.simulated.printer --seed 3 --speed 5000`."""

from __future__ import annotations

import json
import os
import zipfile
from collections.abc import Iterator
from pathlib import Path

from pydantic import TypeAdapter, ValidationError

from wideberth.core.devices import Asked, Device, Do, LayerDone, Load, Loaded, Now, Refused
from wideberth.core.errors import WideBerthError
from wideberth.core.handover import Manifest
from wideberth.core.logbook import Sample
from wideberth.demo.simulated.nature import Mishap, Play, Truth, hidden_of, mishap_of
from wideberth.demo.simulated.nature_file import read_nature
from wideberth.demo.simulated.serving import Clock, Served, checked_options, device_options
from wideberth.demo.simulated.starting import mishap_in

MOST_MANIFEST = 200_000_000


class SimulatedPrinter(Served):
    """Takes a layer package and plays it on a clock of its own; what it prints in truth is hidden.

    Parameters
    ----------
    seed : of the truth, and of each print's luck. speed : 1 to 10,000 times as fast. mishap : that is to happen; "lot" for one by
        lot.
    """

    def __init__(self, seed: int, speed: float, mishap: Mishap | str | None = None, print_: int = 0) -> None:
        super().__init__()
        self._seed, self._clock, self._mishap, self._print = seed, Clock(speed), mishap, print_
        self.who = Device("printer", "Simulated printer", f"seed {seed}", ("pull_n", "vat_g", "vat_c"), True)
        self._state = "idle"
        self._layers: Iterator[Sample] = iter(())
        self._next: Sample | None = None
        self._told: list[LayerDone] = []
        self._truth: Truth | None = None

    def asked(self, message: Asked) -> None:
        """Load, start, pause, resume, stop, state; what cannot be is refused."""
        if isinstance(message, Load):
            self._load(message)
        elif not isinstance(message, Do):
            self.tell(Refused("a printer does not do that"))
        elif message.ask == "state":
            for layer in self._told:
                self.tell(layer)
            self.tell(self._now())
        elif message.ask == "start" and self._state == "loaded":
            self._clock.begin()
            self._told.clear()
            self._go_on_to("printing")
            self._step()
        elif message.ask == "pause" and self._state == "printing":
            self._clock.hold()
            self._go_on_to("paused")
        elif message.ask == "resume" and self._state == "paused":
            self._clock.go_on()
            self._go_on_to("printing")
        elif message.ask == "stop" and self._state in ("printing", "paused"):
            self._over("stopped")
        else:
            self.tell(Refused(f"it is {self._state}, and cannot {message.ask}"))

    def due_s(self) -> float:
        """Until the next layer is done."""
        if self._state != "printing" or self._next is None:
            return 1.0
        return self._clock.until_s(self._next.at_s)

    def tick(self) -> None:
        """A layer is done."""
        sample = self._next
        if sample is None:
            return
        done = LayerDone(sample.layer, sample.at_s, sample.seconds, sample.pull_n, sample.vat_g, sample.vat_c)
        self._told.append(done)
        self.tell(done)
        self._step()

    def _step(self) -> None:
        self._next = next(self._layers, None)
        if self._next is None:
            if self._truth is not None and self._truth.power_cut:
                os._exit(1)  # the lights are out: no word more
            self._over("done")

    def _over(self, state: str) -> None:
        if state == "stopped":
            self._layers = iter(())
        if self._truth is not None:
            self.tell(self._truth.told())
        self._go_on_to(state)

    def _go_on_to(self, state: str) -> None:
        self._state = state
        self.tell(self._now())

    def _now(self) -> Now:
        return Now(self._state, len(self._told))  # type: ignore[arg-type]

    def _load(self, message: Load) -> None:
        if self._state in ("printing", "paused"):
            self.tell(Refused(f"it is {self._state}"))
            return
        try:
            of = read_manifest(Path(message.package))
        except (OSError, KeyError, ValueError, zipfile.BadZipFile) as error:
            self.tell(Refused(f"no layer package: {str(error)[:200]}"))
            return
        if message.nature is None:
            self._layers, self._truth = _by_the_clock(of), None
        else:
            try:
                expected, bench = read_nature(Path(message.nature))
            except WideBerthError as error:
                self.tell(Refused(error.text[:400]))
                return
            if expected.layers != of.layer_count:
                self.tell(Refused(f"{of.layer_count} layers in the package, {expected.layers} in what is known of it"))
                return
            luck = self._seed * 1000 + self._print
            mishap = mishap_of(luck, expected) if self._mishap == "lot" else self._mishap
            assert mishap is None or isinstance(mishap, Mishap)
            play = Play(expected, bench, hidden_of(self._seed, bench), luck, mishap)
            self._layers, self._truth = play.layers(), play.truth
        self._print += 1
        self._state = "loaded"
        self._told.clear()
        self.tell(Loaded(of.title[:200], of.layer_count, of.total_seconds))


def read_manifest(package: Path) -> Manifest:
    """The manifest of a layer package, once its images are seen to be there.

    Raises
    ------
    OSError, KeyError, ValueError, BadZipFile : for what is no such package.
    """
    with zipfile.ZipFile(package) as whole:
        entry = whole.getinfo("manifest.json")
        if entry.file_size > MOST_MANIFEST:
            raise ValueError("its manifest is too large")
        try:
            made = TypeAdapter(Manifest).validate_python(json.loads(whole.read(entry)))
        except ValidationError as error:
            raise ValueError(error.errors()[0]["msg"]) from error
        there = set(whole.namelist())
    missing = [layer.file for layer in made.layers if layer.file not in there]
    if missing or len(made.layers) != made.layer_count:
        raise ValueError(f"{len(missing)} of its images are missing" if missing else "its layers are not as many as it says")
    return made


def _by_the_clock(of: Manifest) -> Iterator[Sample]:
    """A print of which nothing is known but its times: no sensor says anything."""
    at_s = 0.0
    for k, layer in enumerate(of.layers):
        at_s += layer.seconds
        yield Sample(k, at_s, layer.seconds)


def main() -> None:
    """Serve until the end of whoever began it, or for ever."""
    options = device_options(__doc__)
    options.add_argument("--seed", type=int, default=0, help="of its hidden truth")
    options.add_argument("--mishap", type=mishap_in, default=None, help="lot, or kind:layer:print as tip:500:1")
    options.add_argument("--prints", type=int, default=0, help="how many it has printed before: each has its own luck")
    of = checked_options(options)
    SimulatedPrinter(of.seed, of.speed, of.mishap, of.prints).serve(of.port)


if __name__ == "__main__":
    main()
