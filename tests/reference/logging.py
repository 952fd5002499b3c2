"""A program that writes prints into a logbook, to be killed while it does, and what must be true of the logbook then."""

from __future__ import annotations

import multiprocessing
import sqlite3
import time
from dataclasses import replace
from datetime import datetime
from multiprocessing.connection import Connection
from pathlib import Path

from wideberth.core.logbook import Entry, Logbook, PartOutcome, Sample, Told

LAYERS = 60
TOLD = Told(LAYERS, 600.0, 570.0, 720.0, 12.0, 5.0, 1.5, 1.1, 2.0, None)


def print_of(number: int) -> Entry:
    """The entry of a print that has just begun."""
    parts = (PartOutcome(0, "A"), PartOutcome(1, "B"))
    return Entry(f"{number}", datetime(2026, 1, 1), "killed", "P", "F", "R", TOLD, parts=parts)


def _done(entry: Entry) -> Entry:
    done = replace(entry, ended="done", layers=LAYERS, seconds=600.0)
    return done.with_part(PartOutcome(1, "B", "lost", 33))


def write(path: Path, first: int, told: Connection) -> None:
    """Print after print, telling what has been written; for ever."""
    book = Logbook(path)
    told.send(("open", first))
    for number in range(first, first + 10_000):
        entry = print_of(number)
        book.begin(entry)
        told.send(("begun", number))
        for k in range(0, LAYERS, 20):
            book.add_samples(entry.id, [Sample(n, 10.0 * n, 10.0, 1.0, 100.0, 25.0) for n in range(k, k + 20)])
            told.send(("layers", number, k + 20))
        book.finish(entry.id, _done)
        told.send(("done", number))


def killed_after(path: Path, first: int, seconds: float) -> list[tuple[object, ...]]:
    """What the program had told when it was killed so long after it had opened the logbook."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["wideberth.core.logbook"])
    here, there = context.Pipe()
    child = context.Process(target=write, args=(path, first, there))
    child.start()
    there.close()
    assert here.poll(60)
    told = [here.recv()]
    time.sleep(seconds)
    child.kill()
    child.join()
    try:
        while here.poll(0):
            told.append(here.recv())
    except EOFError:
        pass
    return told


def assert_whole(path: Path, told: list[tuple[object, ...]], first: int, before: int) -> int:
    """Whatever was told is there; each print from a number on is as it was at one moment between two writes. How many there are;
    `before` : that there were."""
    connection = sqlite3.connect(path)
    assert connection.execute("PRAGMA integrity_check").fetchall() == [("ok",)]
    assert connection.execute("PRAGMA foreign_key_check").fetchall() == []
    connection.close()
    book = Logbook(path)
    everything = book.entries()
    assert len({e.id for e in everything if int(e.id) < first}) == before
    by_id = {e.id: e for e in everything if int(e.id) >= first}
    for what, number, *rest in told[1:]:
        entry = by_id[f"{number}"]
        measured = book.measured(entry.id)
        layers = 0 if measured is None else len(measured)
        if what == "layers":
            assert isinstance(rest[0], int) and layers >= rest[0]
        if what == "done":
            assert entry.ended == "done"
    for entry in by_id.values():
        measured = book.measured(entry.id)
        layers = 0 if measured is None else len(measured)
        assert len(entry.parts) == 2 and layers % 20 == 0
        if entry.ended == "done":
            assert layers == LAYERS and entry.layers == LAYERS and entry.parts[1].fate == "lost"
        else:
            assert entry.ended == "printing" and entry.parts[1].fate == "not looked at"
    return len(everything)
