"""A logbook of 5,000 prints, opened, listed, searched and read of one print. Run with `make bench`."""

from __future__ import annotations

import statistics
import time
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import numpy as np

from reference.logging import LAYERS, print_of
from reference.prints import made_expected
from wideberth.core.bench import load_bench
from wideberth.core.logbook import Logbook, Sample, Search

PRINTS, WITH_PREDICTION = 5_000, 10
OPENS = 5


def filled(path: Path) -> Logbook:
    """A logbook with pull curves of all prints, and the prediction of every tenth."""
    book, bench, draw = Logbook(path), load_bench(), np.random.default_rng(0)
    expected = made_expected(1, bench, layers=LAYERS)
    for number in range(PRINTS):
        entry = print_of(number)
        entry = replace(entry, began=entry.began + timedelta(hours=number), note=f"shelf {number % 97}")
        book.begin(entry, expected if number % WITH_PREDICTION == 0 else None, bench)
        pull = draw.uniform(0, 20, LAYERS)
        book.add_samples(entry.id, [Sample(k, 10.0 * k, 10.0, float(n), 300.0 - k, 25.0) for k, n in enumerate(pull)])
        book.finish(entry.id, lambda e: replace(e, ended="done", layers=LAYERS, seconds=600.0))
    return book


def test_a_logbook_of_five_thousand_prints(tmp_path: Path) -> None:
    path = tmp_path / "logbook.sqlite"
    filled(path)
    opened, searched, read = [], [], []
    for _ in range(OPENS):
        began = time.perf_counter()
        book = Logbook(path)
        entries = book.entries()
        opened.append(time.perf_counter() - began)
        began = time.perf_counter()
        found = book.entries(Search("shelf 41"))
        searched.append(time.perf_counter() - began)
        began = time.perf_counter()
        measured, expected = book.measured(entries[0].id), book.expected("0")
        read.append(time.perf_counter() - began)
        assert len(entries) == PRINTS and 50 <= len(found) <= 53 and measured is not None and expected is not None
    size = path.stat().st_size / 1e6
    print(
        f"\n{PRINTS} prints, {size:.0f} MB: opened and listed {statistics.median(opened):.2f} s (first {opened[0]:.2f}), "
        f"searched {statistics.median(searched):.2f} s, one read {1000 * statistics.median(read):.0f} ms"
    )
    assert statistics.median(opened) < 5
