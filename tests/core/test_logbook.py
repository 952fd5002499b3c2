"""The logbook: what is written is there, whole, for every window; older ones open; what is none is refused in words."""

from __future__ import annotations

import json
import platform
import signal
import sqlite3
import subprocess
import sys
import threading
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import text

from reference.logging import assert_whole, killed_after
from reference.prints import made_expected, played
from wideberth.core.bench import Bench
from wideberth.core.errors import BadLog, CannotWrite
from wideberth.core.logbook import (
    CAUSES_OF_FAILURE,
    Entry,
    Exercise,
    Logbook,
    PartOutcome,
    Sample,
    Scars,
    Search,
    Service,
    Spot,
    TakenFit,
    Told,
    close_abandoned,
    followed,
    had_warned,
    log_csv,
    measured_of,
    packed,
    read_log_csv,
    unpacked,
    write_log_csv,
)
from wideberth.core.logbook.schema import HEAD, upgrade, version_of
from wideberth.core.logbook.store import _engine
from wideberth.core.verdict import Code

DAY = datetime(2026, 3, 1, 8, 30)


def entry_of(number: int, **values: object) -> Entry:
    """A print that was not looked at yet."""
    told = Told(600, 5000.0 + number, 4800.0, 6000.0, 40.0, 20.0, 1.7, 1.2, 2.3, 4.0)
    made = Entry(
        f"print-{number}", DAY + timedelta(days=number), f"Job {number}", "Quayside 200", "Film", "Grey", told, ended="done",
        parts=(PartOutcome(0, "Whelk"), PartOutcome(1, "Bell")),
    )  # fmt: skip
    return replace(made, **values)


@pytest.fixture
def book(tmp_path: Path) -> Logbook:
    return Logbook(tmp_path / "déep #1? 100%" / "logbook.sqlite")


def test_what_is_written_of_a_print_is_read_as_it_was(book: Logbook, bench: Bench) -> None:
    expected = made_expected(1, bench, layers=120)
    first = entry_of(
        1, note="läuft; 'quoted' \"twice\"\n=1+1", cause="tips", lost_tips=(3, 8), findings=("island",), warned=False
    )
    book.begin(first, expected, bench)
    samples = [Sample(k, 10.0 * k + 9, 9.5, 0.25 * k, 300 - k, None) for k in range(120)]
    book.add_samples(first.id, samples[:70])
    assert len(book.measured(first.id)) == 70  # type: ignore[arg-type]
    book.add_samples(first.id, samples[60:])  # what is told twice is there once
    spots = (Spot("corner", 4, (1.0, -2.5, 3.25), "a chip"), Spot("face", 5))
    scars = (Scars("after the cure", "snipped", 0.35, "crater", 3),)
    last = replace(first, seconds=1199.0, layers=120, resin_g=44.5, off_plate=None).with_part(
        PartOutcome(1, "Bell", "lost", 77, spots, scars)
    )
    book.finish(last.id, lambda _: last)
    again = Logbook(book.path)
    assert again.entries() == [last] and again.entry(last.id) == last and again.entry(last.id).failed
    measured = again.measured(last.id)
    assert measured is not None and len(measured) == 120 and not np.isfinite(measured.vat_c).any()
    np.testing.assert_allclose(measured.pull_n, 0.25 * np.arange(120), rtol=1e-6)
    kept = again.expected(last.id)
    assert kept is not None and kept.names == expected.names and kept.at == expected.at and len(kept.tip_n) == 0
    np.testing.assert_allclose(kept.line_n, expected.line_n, rtol=1e-6)
    assert 'name = "' in (again.bench(last.id) or "")
    book.add_picture(last.id, "corner.png", b"\x89PNG")
    assert again.pictures(last.id) == [("corner.png", b"\x89PNG")]
    book.remove(last.id)
    assert again.count() == 0 and again.measured(last.id) is None and again.pictures(last.id) == []


def test_prints_are_found_by_words_fate_and_time(book: Logbook) -> None:
    fates = {1: "good", 2: "lost", 3: "not looked at", 4: "good"}
    for number, fate in fates.items():
        parts = tuple(PartOutcome(n, "p", fate) for n in range(2))  # type: ignore[arg-type]
        note = "a 100% _odd_ one" if number == 4 else ""
        book.begin(entry_of(number, parts=parts, note=note, resin="Clear" if number == 2 else "Grey"))
    found = {
        "all": [e.id for e in book.entries()],
        "lost": [e.id for e in book.entries(Search(failed=True))],
        "held": [e.id for e in book.entries(Search(failed=False))],
        "clear": [e.id for e in book.entries(Search(resin="Clear"))],
        "words": [e.id for e in book.entries(Search("odd 100%"))],
        "underscore is a letter": [e.id for e in book.entries(Search("x_odd"))],
        "job, any case": [e.id for e in book.entries(Search("JOB 3"))],
        "since": [e.id for e in book.entries(Search(since=DAY + timedelta(days=3)))],
        "until": [e.id for e in book.entries(Search(until=DAY + timedelta(days=3)))],
        "two": [e.id for e in book.entries(Search(limit=2))],
    }
    assert found == {
        "all": ["print-4", "print-3", "print-2", "print-1"],
        "lost": ["print-2"],
        "held": ["print-4", "print-1"],
        "clear": ["print-2"],
        "words": ["print-4"],
        "underscore is a letter": [],
        "job, any case": ["print-3"],
        "since": ["print-4", "print-3"],
        "until": ["print-2", "print-1"],
        "two": ["print-4", "print-3"],
    }


def test_two_windows_write_to_one_logbook_and_nothing_is_lost(book: Logbook) -> None:
    """Two of them, each with prints of its own and its turns at one entry, at once."""
    other = Logbook(book.path)
    book.begin(entry_of(0))
    troubles: list[Exception] = []

    def write(of: Logbook, base: int) -> None:
        try:
            for n in range(25):
                of.begin(entry_of(base + n))
                of.add_samples(f"print-{base + n}", [Sample(k, k, 1.0) for k in range(5)])
                of.finish(f"print-{base + n}", lambda e: replace(e, layers=5))
                of.change("print-0", lambda e: replace(e, note=e.note + "x"))
        except Exception as error:
            troubles.append(error)

    threads = [threading.Thread(target=write, args=(of, base)) for of, base in ((book, 100), (other, 200))]
    stamp = other.stamp()
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not troubles
    assert book.count() == other.count() == 51 and book.stamp() != stamp
    assert book.entry("print-0").note == 50 * "x"  # each on what the other wrote before
    assert all(len(book.measured(f"print-{b + n}")) == 5 for b in (100, 200) for n in range(25))  # type: ignore[arg-type]


def test_an_entry_is_not_written_twice_and_none_is_not_written_over(book: Logbook) -> None:
    book.begin(entry_of(1))
    with pytest.raises(BadLog, match="is in it already"):
        book.begin(entry_of(1))
    for act in (book.change, book.finish):
        with pytest.raises(BadLog, match="no print"):
            act("print-2", lambda e: e)
    with pytest.raises(BadLog, match="no print"):
        book.entry("nowhere")
    assert book.count() == 1


FIRST_PRINT = {
    "id": "old", "began": "2025-02-03 04:05:06", "job": "Old", "plate": "Plate 1", "recipe": "", "variant": "", "printer": "P",
    "film": "F", "resin": "R", "settings": "S", "source": "by hand", "ended": "done", "seconds": 4000.0, "layers": 300,
    "resin_g": 31.0, "came_off": "easy", "cause": "tips", "failed": 1, "note": "kept", "alarms": "[]", "findings": '["island"]',
    "told": json.dumps({"layers": 300, "seconds": 3900.0, "seconds_low": 3800.0, "seconds_high": 4500.0, "resin_ml": 28.0,
                        "peak_n": 9.0, "margin": 1.1, "margin_low": 0.8, "margin_high": 1.5, "plate_margin": None}),
}  # fmt: skip


def test_a_logbook_of_the_first_version_opens_with_all_that_it_held_and_is_kept_as_it_was(tmp_path: Path) -> None:
    path = tmp_path / "logbook.sqlite"
    engine = _engine(path)
    upgrade(engine, "0001")
    with engine.connect().execution_options(writes=True) as connection, connection.begin():
        columns = ", ".join(FIRST_PRINT)
        values = ", ".join(f":{name}" for name in FIRST_PRINT)
        connection.execute(text(f"INSERT INTO prints ({columns}) VALUES ({values})"), FIRST_PRINT)
        connection.execute(text("INSERT INTO parts VALUES ('old', 0, 'Cleat', 'lost', 120, '[]', '[]')"))
        connection.execute(text("INSERT INTO samples VALUES ('old', 0, 10, 10, 1.5, NULL, NULL)"))
    assert version_of(engine) == "0001"
    book = Logbook(path)
    assert version_of(book.engine) == HEAD
    (entry,) = book.entries()
    assert entry.began == datetime(2025, 2, 3, 4, 5, 6) and entry.note == "kept" and entry.told.margin == 1.1
    assert entry.parts == (PartOutcome(0, "Cleat", "lost", 120),) and entry.lost_tips == () and not entry.film_torn
    assert len(book.measured("old")) == 1 and book.fits() == []  # type: ignore[arg-type]
    before = sqlite3.connect(f"{path}.before-{HEAD}")
    assert before.execute("SELECT version_num FROM alembic_version").fetchone() == ("0001",)
    assert before.execute("SELECT note FROM prints").fetchone() == ("kept",)


def test_what_is_no_logbook_is_refused_in_words_and_left_as_it_is(tmp_path: Path) -> None:
    strange = tmp_path / "strange.sqlite"
    connection = sqlite3.connect(strange)
    connection.execute("CREATE TABLE recipes (name TEXT)")
    connection.commit()
    connection.close()
    garbage = tmp_path / "garbage.sqlite"
    garbage.write_bytes(b"no database at all, and long enough to be looked at " * 40)
    later = tmp_path / "later.sqlite"
    book = Logbook(later)
    with book.engine.connect().execution_options(writes=True) as open_, open_.begin():
        open_.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    for path, why in ((strange, "no logbook"), (garbage, "cannot be read"), (later, "later version")):
        before = path.read_bytes()
        with pytest.raises(BadLog, match=why):
            Logbook(path)
        assert path.read_bytes() == before
    with pytest.raises(CannotWrite):
        Logbook(garbage / "below a file" / "logbook.sqlite")


@pytest.mark.parametrize("harm", ["cut", "other", "pickle", "shapes", "empty"])
def test_a_spoilt_record_of_a_print_says_so(bench: Bench, harm: str) -> None:
    import io

    content = packed(made_expected(2, bench, layers=60))
    out = io.BytesIO()
    if harm == "pickle":
        np.savez(out, plain=np.array([{"a": 1}], dtype=object))
    elif harm == "shapes":
        arrays = dict(np.load(io.BytesIO(content)))
        np.savez(out, **(arrays | {"line_n": arrays["line_n"][:-1]}))
    spoilt = {"cut": content[: len(content) // 2], "other": b"PK" + content[2:][::-1], "empty": b""}.get(harm, out.getvalue())
    with pytest.raises(BadLog):
        unpacked(spoilt)


def test_a_table_of_prints_is_read_as_it_was_written_and_bad_lines_are_named(book: Logbook, tmp_path: Path) -> None:
    prints = [
        entry_of(1, note="=cmd()", job="'quoted", cause="plate", off_plate=12, warned=True, finished=DAY, fitted=7),
        entry_of(2, vat_c=-3.5, note="two\nlines, and a comma", alarms=("layer 3: lost",), lost_tips=(1, 2)),
        entry_of(3, told=replace(entry_of(3).told, margin=None, margin_low=None, margin_high=None)),
    ]
    path = tmp_path / "prints.csv"
    write_log_csv(prints, path)
    assert read_log_csv(path) == prints
    assert "\n=cmd" not in path.read_text() and ",=cmd" not in path.read_text()
    assert book.add_all(read_log_csv(path)) == 3 and book.add_all(read_log_csv(path)) == 0
    assert sorted(e.id for e in book.entries()) == ["print-1", "print-2", "print-3"]
    lines = log_csv(prints).splitlines()
    path.write_text("\n".join([lines[0].replace("resin_g", "grams"), *lines[1:]]))
    with pytest.raises(BadLog, match="resin_g"):
        read_log_csv(path)
    path.write_text(log_csv([entry_of(1)]).replace("5001.0", "soon"))
    with pytest.raises(BadLog, match="line 2"):
        read_log_csv(path)
    path.write_text(log_csv([entry_of(1)]).replace("not looked at", "eaten"))
    with pytest.raises(BadLog):
        read_log_csv(path)
    path.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(BadLog, match="cannot be read"):
        read_log_csv(path)


def test_a_copy_is_whole_while_another_writes(book: Logbook, tmp_path: Path) -> None:
    for n in range(20):
        book.begin(entry_of(n))
    copy = tmp_path / "copy.sqlite"
    book.back_up(copy)
    book.begin(entry_of(99))
    assert Logbook(copy).count() == 20 and book.count() == 21


def test_fits_services_and_exercises_are_kept_the_latest_first(book: Logbook) -> None:
    number = book.take_fit(TakenFit(0, DAY, ("P", "R", "F"), 12, {"film.line_adhesion_n_per_mm": (0.02, 0.0172)}))
    book.take_fit(TakenFit(0, DAY + timedelta(1), ("P", "R", "F"), 13, {}))
    book.set_fit(number, "taken back")
    assert [(f.prints, f.state) for f in book.fits()] == [(13, "taken"), (12, "taken back")]
    assert list(book.fits()[1].values["film.line_adhesion_n_per_mm"]) == [0.02, 0.0172]
    book.add_service(Service(DAY, "P", "film", "scratched"))
    assert book.services() == [Service(DAY, "P", "film", "scratched")]
    tried = Exercise(DAY, "bowl", 3, {"margin": 1.5}, {"lost": "Bowl", "total": 61.0}, 61)
    book.add_exercise(tried)
    assert book.exercises() == [tried]


def test_every_cause_has_signs_and_warnings_that_exist() -> None:
    assert len({c.key for c in CAUSES_OF_FAILURE}) == len(CAUSES_OF_FAILURE)
    codes = {str(code) for code in Code}
    for cause in CAUSES_OF_FAILURE:
        assert cause.name and cause.signs and {str(code) for code in cause.warned_by} <= codes
    assert had_warned("tips", ["area_jump", str(Code.TIP_MARGIN)]) is True
    assert had_warned("tips", ["area_jump"]) is False
    assert had_warned("power", ["area_jump"]) is None


def test_a_print_of_a_simulated_run_is_the_same_after_its_record(bench: Bench, book: Logbook) -> None:
    from wideberth.demo.simulated import hidden_of

    expected = made_expected(5, bench, layers=90)
    shown, truth = played(expected, bench, hidden_of(5, bench), 5)
    book.begin(shown.entry, expected, bench)
    m = shown.measured
    assert m is not None
    book.add_samples(shown.entry.id, [Sample(int(k), *(float(v[n]) for v in (m.at_s, m.seconds, m.pull_n, m.vat_g, m.vat_c)))
                                      for n, k in enumerate(m.layer)])  # fmt: skip
    book.finish(shown.entry.id, lambda _: shown.entry)
    kept = book.measured(shown.entry.id)
    assert kept is not None and truth.ended == 90
    assert measured_of([]).has_pull is False
    np.testing.assert_allclose(kept.vat_g, m.vat_g, rtol=1e-6)
    assert kept.used_g == pytest.approx(m.used_g, abs=1e-3)


@pytest.mark.prove
def test_a_logbook_that_is_killed_while_it_is_written_to_has_all_that_was_told(tmp_path: Path) -> None:
    """Four of the moments that `proofs/test_logbook_killed.py` tries two hundred of."""
    there = 0
    for number, seconds in enumerate((0.0, 0.05, 0.12, 0.3)):
        told = killed_after(tmp_path / "logbook.sqlite", 10_000 * number, seconds)
        there = assert_whole(tmp_path / "logbook.sqlite", told, 10_000 * number, there)
    assert there > 2


FOLLOWS = """
import sys, time
from pathlib import Path
from wideberth.core.logbook import followed
with followed(Path(sys.argv[1]), sys.argv[2]):
    print("follows", flush=True)
    time.sleep(600)
"""


@pytest.mark.prove
def test_a_run_whose_program_was_killed_is_over_and_one_that_is_followed_goes_on(book: Logbook) -> None:
    killed, here, elsewhere, gone = (replace(entry_of(n), ended="printing") for n in range(4))
    for entry in (killed, here, elsewhere):
        book.begin(entry)
    book.add_samples(killed.id, [Sample(k, 9.0 * (k + 1), 9.0, 2.0 + k, None, 24.0) for k in range(5)])
    for entry in (killed, gone):  # the second was killed before its entry was written
        with subprocess.Popen([sys.executable, "-c", FOLLOWS, str(book.path), entry.id], stdout=subprocess.PIPE) as program:
            assert program.stdout is not None and program.stdout.readline() == b"follows\n"
            if entry is killed:
                assert close_abandoned(book) == [] and book.entry(killed.id).ended == "printing"
            program.send_signal(signal.SIGKILL)
    with followed(book.path, here.id):
        assert close_abandoned(book) == [killed.id]
        assert [book.entry(e.id).ended for e in (here, elsewhere)] == ["printing", "printing"]
    ended = book.entry(killed.id)
    assert (ended.ended, ended.layers, ended.seconds, ended.vat_c) == ("lost touch", 5, 45.0, 24.0)
    kept = book.measured(killed.id)
    assert kept is not None and kept.pull_n.tolist() == [2.0, 3.0, 4.0, 5.0, 6.0]
    assert close_abandoned(book) == [] and not list(book.path.parent.glob("*.followed/*"))


def test_what_is_over_already_is_not_closed_again_and_a_read_only_folder_hides_nothing(book: Logbook, tmp_path: Path) -> None:
    done = replace(entry_of(1), ended="done", seconds=90.0)
    book.begin(done)
    lock = book.path.with_name(f"{book.path.name}.followed") / "left.run"
    lock.parent.mkdir()
    lock.write_text(json.dumps({"run": done.id}))
    assert close_abandoned(book) == [] and book.entry(done.id) == done and not lock.exists()
    for spoilt in (b"", b"\xff\x00", b"[1]", b'{"run": 7}', b"x" * 100_000):
        lock.write_bytes(spoilt)
        assert close_abandoned(book) == [] and not lock.exists()
    runs = replace(entry_of(2), ended="printing")
    book.begin(runs)
    lock.write_text(json.dumps({"machine": "another one", "run": runs.id}))
    assert close_abandoned(book) == [] and book.entry(runs.id).ended == "printing" and lock.exists()
    lock.write_text(json.dumps({"machine": platform.node(), "run": runs.id}))
    assert close_abandoned(book) == [runs.id] and not lock.exists()
    with followed(tmp_path / "nowhere" / "logbook.sqlite", "x"):
        assert not (tmp_path / "nowhere").exists()
