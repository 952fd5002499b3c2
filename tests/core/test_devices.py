"""Devices: simulated ones as processes of their own, and what is refused of any that says what cannot be."""

from __future__ import annotations

import json
import socket
import threading
import time
import zipfile
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import nullcontext
from pathlib import Path

import numpy as np
import pytest

from reference.prints import made_expected
from wideberth.core.bench import Bench
from wideberth.core.devices import (
    LONGEST_LINE,
    Heard,
    LayerDone,
    Now,
    Printer,
    Run,
    WashAndCure,
    asked_in,
    line_of,
    looked_at,
    told_in,
)
from wideberth.core.devices.messages import Device, LookedAt, Lost
from wideberth.core.errors import BadDevice, BadLog
from wideberth.core.logbook import Entry, Expected, Logbook, PartOutcome, Told, utc_now
from wideberth.demo.simulated import mishap_in, read_nature, simulated_printer, simulated_station, write_nature

LAYERS = 80
HELLO = {"tell": "hello", "version": 1, "kind": "printer", "name": "A stand-in", "serial": "1", "sensors": ["pull_n"]}
LOADED = {"tell": "loaded", "title": "x", "layers": 3, "seconds": 30}


@pytest.fixture(scope="module")
def expected(bench: Bench) -> Expected:
    return made_expected(4, bench, layers=LAYERS, weakest=3.0)


@pytest.fixture
def package(tmp_path: Path, expected: Expected) -> Path:
    """A layer package as small as one may be, of as many layers as are expected."""
    motion = dict.fromkeys(
        ("lift_mm", "lift_mm_per_min", "second_lift_mm_per_min", "return_mm_per_min", "slow_return_mm_per_min"), 5.0
    ) | dict.fromkeys(("second_lift_mm", "slow_return_mm", "wait_before_s", "wait_after_s", "wait_lifted_s"), 1.0)  # fmt: skip
    layers = [{"file": f"layers/{k:05d}.png", "z_mm": 0.05 * (k + 1), "exposure_s": 2.5, "seconds": 12.0} for k in range(LAYERS)]
    manifest = {
        "format": "wide-berth layers", "version": 1, "title": "A test", "printer": "P", "resin": "R", "pixels": [40, 30],
        "pixel_mm": [0.05, 0.05], "plate_mm": [2.0, 1.5], "image_rows": "", "grey_levels": 2, "layer_height_mm": 0.05,
        "layer_count": LAYERS, "total_seconds": 12.0 * LAYERS, "resin_ml": 3.0, "motion": motion, "first_layers": 4,
        "first_motion": motion, "layers": layers,
    }  # fmt: skip
    path = tmp_path / "layers.zip"
    with zipfile.ZipFile(path, "w") as whole:
        whole.writestr("manifest.json", json.dumps(manifest))
        for layer in layers:
            whole.writestr(str(layer["file"]), b"png")
    return path


@pytest.fixture
def nature(tmp_path: Path, expected: Expected, bench: Bench) -> Path:
    path = tmp_path / "nature.zip"
    write_nature(expected, bench, path)
    return path


def entry_for_test(expected: Expected) -> Entry:
    told = Told(expected.layers, float(expected.seconds.sum()), 0.0, 1e6, 10.0, 5.0, 3.0, 2.0, 4.0, None)
    parts = tuple(PartOutcome(n, name) for n, name in enumerate(expected.names))
    return Entry("run", utc_now(), "A test", "P", "F", "R", told, source="simulated", parts=parts)


def test_a_simulated_printer_prints_a_package_and_the_log_has_every_layer(
    package: Path, nature: Path, expected: Expected, bench: Bench, tmp_path: Path
) -> None:
    book = Logbook(tmp_path / "log.sqlite")
    heard: list[Heard] = []
    with simulated_printer(seed=3, speed=10_000) as begun:
        printer = Printer(begun.port)
        assert printer.is_simulated and printer.sensors == ("pull_n", "vat_g", "vat_c")
        assert printer.load(package, nature).layers == LAYERS
        entry = Run(printer, book, entry_for_test(expected), expected, bench).follow(heard.append)
        printer.close()
    assert entry.ended == "done" and entry.layers == LAYERS and entry == book.entry("run")
    assert [h.sample.layer for h in heard if h.sample is not None] == list(range(LAYERS))
    assert [h.state for h in heard if h.state] == ["printing", "done"]
    assert entry.failed is False and entry.resin_g is not None and entry.resin_g > 1
    measured = book.measured("run")
    assert measured is not None and np.isfinite(measured.pull_n).all()
    assert (np.diff(measured.at_s) > 0).all() and entry.seconds == pytest.approx(measured.seconds.sum(), rel=1e-5)


@pytest.mark.prove
def test_the_same_printer_pulls_alike_and_another_does_not(package: Path, nature: Path, expected: Expected) -> None:
    def pulls(seed: int) -> list[float]:
        with simulated_printer(seed, 10_000) as begun:
            printer = Printer(begun.port)
            printer.load(package, nature)
            printer.do("start")
            return [t.pull_n or 0.0 for t in printer.follow(5) if isinstance(t, LayerDone)]

    assert pulls(7) == pulls(7) != pulls(8)


def test_a_run_is_paused_gone_on_with_and_stopped(
    package: Path, nature: Path, expected: Expected, bench: Bench, tmp_path: Path
) -> None:
    states: list[str] = []
    with simulated_printer(seed=3, speed=100) as begun:
        printer = Printer(begun.port)
        printer.load(package, nature)
        run = Run(printer, Logbook(tmp_path / "log.sqlite"), entry_for_test(expected), expected, bench)

        def heard(of: Heard) -> None:
            if of.state:
                states.append(of.state)
                if of.state == "paused":
                    run.ask("resume")
            elif of.sample is not None and of.sample.layer == 3 and "paused" not in states:
                run.ask("pause")
            elif of.sample is not None and of.sample.layer == 6:
                run.ask("stop")

        entry = run.follow(heard)
    assert states == ["printing", "paused", "printing", "stopped"]
    assert entry.ended == "stopped" and 7 <= (entry.layers or 0) < LAYERS


def test_a_power_cut_ends_in_words_and_what_was_told_is_kept(
    package: Path, nature: Path, expected: Expected, bench: Bench, tmp_path: Path
) -> None:
    book = Logbook(tmp_path / "log.sqlite")
    with simulated_printer(3, 10_000, "power:41:1") as begun:
        printer = Printer(begun.port)
        printer.load(package, nature)
        with pytest.raises(BadDevice, match="hung up"):
            Run(printer, book, entry_for_test(expected), expected, bench).follow(lambda _: None)
    (entry,) = book.entries()
    assert entry.ended == "lost touch" and entry.layers == 40 and len(book.measured("run")) == 40  # type: ignore[arg-type]


@pytest.mark.prove
def test_whoever_comes_back_to_a_printer_hears_all_that_was_printed_meanwhile(package: Path, nature: Path) -> None:
    with simulated_printer(3, 200) as begun:
        first = Printer(begun.port)
        first.load(package, nature)
        first.do("start")
        told = first.follow(5)
        while not isinstance(layer := next(told), LayerDone) or layer.layer < 4:
            pass
        first.close()
        time.sleep(0.5)
        again = Printer(begun.port)
        again.do("state")
        layers = [t.layer for t in again.follow(5) if isinstance(t, LayerDone)]
    assert layers == list(range(LAYERS))


def test_a_printer_that_is_heard_before_it_says_its_name_is_a_printer_and_one_that_never_does_is_none() -> None:
    layer, name = (json.dumps(said).encode() + b"\n" for said in ({"tell": "layer", "layer": 0, "at_s": 1, "seconds": 1}, HELLO))
    for lines, is_one in ((layer + layer + name, True), (name, True), (layer, False)):
        with socket.create_server(("127.0.0.1", 0)) as door, ThreadPoolExecutor(1) as beside:

            def answer(door: socket.socket = door, lines: bytes = lines) -> None:
                line, _ = door.accept()
                with line:
                    line.sendall(lines)
                    line.recv(1000)

            answered = beside.submit(answer)
            with nullcontext() if is_one else pytest.raises(BadDevice, match=r"is no printer|has hung up"):
                Printer(door.getsockname()[1]).close()
            answered.result(10)


@pytest.mark.prove
def test_a_printer_refuses_what_is_no_package_and_what_cannot_be_now(package: Path, nature: Path, tmp_path: Path) -> None:
    torn = tmp_path / "torn.zip"
    with zipfile.ZipFile(package) as whole, zipfile.ZipFile(torn, "w") as less:
        for name in whole.namelist()[:-1]:
            less.writestr(name, whole.read(name))
    text = tmp_path / "text.zip"
    text.write_text("hello")
    with simulated_printer(3, 1000) as begun:
        printer = Printer(begun.port)
        for bad, why in (
            (torn, "1 of its images are missing"),
            (text, "no layer package"),
            (tmp_path / "none.zip", "no layer package"),
        ):
            with pytest.raises(BadDevice, match=why):
                printer.load(bad, nature)
        with pytest.raises(BadDevice, match="nothing that a simulated printer can play"):
            printer.load(package, text)
        printer.do("start")
        with pytest.raises(BadDevice, match="it is idle, and cannot start"):
            list(printer.follow(5))
        second = socket.create_connection(("127.0.0.1", begun.port))
        assert b"someone else is connected" in second.recv(1000)
        assert printer.load(package).layers == LAYERS  # without what only nature knows it goes by the clock
        printer.do("start")
        blind = [t for t in printer.follow(5) if isinstance(t, LayerDone)]
    assert len(blind) == LAYERS and all(t.pull_n is None for t in blind) and blind[-1].at_s == pytest.approx(12.0 * LAYERS)


@pytest.mark.prove
def test_a_station_washes_and_cures_by_its_timers() -> None:
    with simulated_station(speed=100) as begun:
        station = WashAndCure(begun.port)
        washing = station.run("wash", 3000)
        assert washing.state == "washing" and 2000 < washing.left_s <= 3000
        assert station.run("cure", 3000).state == "curing"
        assert station.stop().state == "idle" and station.state().left_s == 0
        with pytest.raises(BadDevice, match="no longer than"):
            station.run("cure", 9e5)
        station.run("wash", 1)
        time.sleep(0.3)
        assert station.state().state == "idle"


# hostile ones


def _serving(lines: list[bytes], port: list[int], hold_s: float) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        port.append(server.getsockname()[1])
        listener, _ = server.accept()
        with listener:
            listener.recv(1000)
            for line in lines:
                listener.sendall(line)
            time.sleep(hold_s)


@pytest.fixture
def stand_in() -> Iterator[Callable[..., int]]:
    """Begins a device that says these lines, whatever it is asked, and hangs up."""
    threads: list[threading.Thread] = []

    def begin(*lines: object, hold_s: float = 0.0) -> int:
        told = [line if isinstance(line, bytes) else json.dumps(line).encode() + b"\n" for line in lines]
        port: list[int] = []
        thread = threading.Thread(target=_serving, args=(told, port, hold_s), daemon=True)
        thread.start()
        threads.append(thread)
        while not port:
            time.sleep(0.005)
        return port[0]

    yield begin
    for thread in threads:
        thread.join(5)


BAD_GREETINGS = {
    "no JSON": b"hello\n",
    "a list": b"[1, 2]\n",
    "another kind": HELLO | {"kind": "kettle"},
    "a station": HELLO | {"kind": "station"},
    "another version": HELLO | {"version": 2},
    "more than asked": HELLO | {"password": "x"},
    "no name": {k: v for k, v in HELLO.items() if k != "name"},
    "a long name": HELLO | {"name": "n" * 500},
    "deep": b"[" * 50_000 + b"\n",
    "no text": b"\xff\xfe\n",
    "endless": b"a" * (2 * LONGEST_LINE),
}


@pytest.mark.parametrize("greeting", BAD_GREETINGS)
def test_what_does_not_greet_as_a_printer_is_none(stand_in: Callable[..., int], greeting: str) -> None:
    with pytest.raises(BadDevice) as told:
        Printer(stand_in(BAD_GREETINGS[greeting]))
    assert told.value.text.count("\n") == 0 and len(told.value.text) < 600


BAD_LAYERS = {
    "out of order": [{"layer": 0, "at_s": 10, "seconds": 10}, {"layer": 2, "at_s": 20, "seconds": 10}],
    "twice": [{"layer": 0, "at_s": 10, "seconds": 10}, {"layer": 0, "at_s": 20, "seconds": 10}],
    "back in time": [{"layer": 0, "at_s": 10, "seconds": 10}, {"layer": 1, "at_s": 5, "seconds": 10}],
    "not a number": [b'{"tell": "layer", "layer": 0, "at_s": NaN, "seconds": 10}\n'],
    "infinite pull": [b'{"tell": "layer", "layer": 0, "at_s": 1, "seconds": 10, "pull_n": 1e999}\n'],
    "absurd pull": [{"layer": 0, "at_s": 10, "seconds": 10, "pull_n": 1e9}],
    "a negative layer": [{"layer": -1, "at_s": 10, "seconds": 10}],
    "words": [{"layer": "first", "at_s": 10, "seconds": 10}],
    "another answer": [LOADED],
    "what only a simulated one knows": [
        {"tell": "looked at", "lost": [], "tips": [], "off_plate": None, "torn": None, "used_g": 1}
    ],
}


@pytest.mark.parametrize("layers", BAD_LAYERS)
def test_layers_that_cannot_be_end_a_run_in_words(stand_in: Callable[..., int], layers: str, tmp_path: Path) -> None:
    told = [line if isinstance(line, bytes) or "tell" in line else {"tell": "layer"} | line for line in BAD_LAYERS[layers]]
    printer = Printer(stand_in(HELLO, LOADED, *told))
    printer.load(tmp_path / "any.zip")
    with pytest.raises(BadDevice) as error:
        list(printer.follow(2))
    assert len(error.value.text) < 600


def test_a_printer_that_falls_silent_counts_as_gone_and_a_paused_one_does_not(
    stand_in: Callable[..., int], tmp_path: Path
) -> None:
    printer = Printer(stand_in(HELLO, LOADED, {"tell": "state", "state": "printing"}, hold_s=2.0))
    printer.load(tmp_path / "any.zip")
    with pytest.raises(BadDevice, match="told nothing for"):
        list(printer.follow(0.6))
    paused = Printer(stand_in(HELLO, LOADED, {"tell": "state", "state": "paused"}, hold_s=1.2))
    paused.load(tmp_path / "any.zip")
    with pytest.raises(BadDevice, match="hung up"):  # after longer than the silence that is allowed
        list(paused.follow(0.6))


def test_nobody_at_a_port_and_no_port_at_all() -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        free = server.getsockname()[1]
    with pytest.raises(BadDevice, match="does not answer"):
        Printer(free)
    with pytest.raises(BadDevice, match="no port"):
        Printer(99_999)


def test_every_message_reads_back_as_it_was_said() -> None:
    for message in (Device("printer", "Ä", "1", ("vat_c",), True), LayerDone(3, 40.0, 12.5, None, 3.25, -4.0), Now("paused", 7),
                    LookedAt((Lost(1, 40),), (3,), None, 12, 55.5)):  # fmt: skip
        assert told_in(line_of(message)[:-1], "d") == message
    for ask in ("start", "pause", "state"):
        assert asked_in(b'{"ask": "%s"}' % ask.encode()).ask == ask  # type: ignore[union-attr]
    with pytest.raises(BadDevice):
        asked_in(b'{"ask": "explode"}')


def test_what_was_found_on_the_plate_goes_into_the_entry(expected: Expected) -> None:
    entry = entry_for_test(expected)
    held = looked_at(entry, LookedAt((), (5,), None, None, 40.0))
    assert held.lost_tips == (5,) and [p.fate for p in held.parts] == ["good", "good"] and held.cause == ""
    one = looked_at(entry, LookedAt((Lost(1, 30),), (), None, 20, 40.0))
    assert [(p.fate, p.lost_layer) for p in one.parts] == [("good", None), ("lost", 30)] and one.cause == "tips" and one.film_torn
    all_ = looked_at(entry, LookedAt((Lost(1, 30),), (), 50, None, 40.0))
    assert [(p.fate, p.lost_layer) for p in all_.parts] == [("lost", 50), ("lost", 30)] and all_.cause == "plate"


def test_nature_is_read_as_written_and_nothing_else_is(nature: Path, expected: Expected, bench: Bench, tmp_path: Path) -> None:
    again, its_bench = read_nature(nature)
    assert again.names == expected.names and its_bench.resin == bench.resin
    np.testing.assert_allclose(again.tip_n, expected.tip_n, rtol=1e-6)
    for content in (b"", b"PK\x05\x06" + bytes(18), nature.read_bytes()[:-400]):
        (tmp_path / "bad.zip").write_bytes(content)
        with pytest.raises(BadLog):
            read_nature(tmp_path / "bad.zip")


def test_mishaps_are_read_as_they_are_written() -> None:
    assert mishap_in("") is None and mishap_in("lot") == "lot"
    made = mishap_in("film:120")
    assert (made.kind, made.layer, made.print) == ("film", 119, 0)  # type: ignore[union-attr]
    for bad in ("tip:0:1", "boom:1:1", "tip:x:1", "tip:5:0"):
        with pytest.raises(ValueError):
            mishap_in(bad)
