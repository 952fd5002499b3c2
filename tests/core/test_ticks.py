"""Ticks of a checklist: kept for one run of one plate of one job, and nothing that a file holds is taken unlooked at."""

from __future__ import annotations

import json
import os
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from wideberth.core.plan import NO_TICKS, TickFile, Ticks, key_of

NOW = datetime(2026, 3, 1, 21, 40, tzinfo=UTC)
LASTS = timedelta(hours=14)


@pytest.fixture
def file(tmp_path: Path) -> TickFile:
    return TickFile(tmp_path / "job.3mf", "Plate 1", tmp_path / "ticks")


def test_what_is_ticked_is_read_again_until_the_run_is_long_over(file: TickFile) -> None:
    felt, drip = key_of("Before", "vat felt"), key_of("After", "drip")
    ticks = NO_TICKS.ticked(felt, NOW).timed(drip, NOW + timedelta(minutes=10))
    file.write(ticks)
    for later, there in ((0, True), (14, True), (25.9, True), (26.1, False), (-0.1, False)):
        assert file.read(NOW + timedelta(hours=later), LASTS) == (ticks if there else NO_TICKS)
    assert (ticks.began, ticks.latest) == (NOW, NOW)
    assert ticks.ticked(drip, NOW + LASTS).rings == {} and ticks.unticked(felt).at == {}
    file.write(NO_TICKS)
    assert not file.path.exists() and file.read(NOW, LASTS) == NO_TICKS


def test_each_plate_of_each_job_has_its_own_list_whatever_they_are_called(tmp_path: Path) -> None:
    folder = tmp_path / "ticks"
    of = [
        TickFile(tmp_path / job, plate, folder)
        for job in ("a.3mf", "../a.3mf", "ä\udcff.3mf")
        for plate in ("1", "../1", "x" * 5000)
    ]
    assert len({f.path for f in of}) == 9 and {f.path.parent for f in of} == {folder}
    for n, file in enumerate(of):
        file.write(NO_TICKS.ticked(f"line {n}", NOW))
    assert [list(f.read(NOW, LASTS).at) for f in of] == [[f"line {n}"] for n in range(9)]
    link = tmp_path / "link.3mf"
    link.symlink_to(tmp_path / "a.3mf")
    assert TickFile(link, "1", folder).path == of[0].path


@pytest.mark.parametrize(
    "harm",
    [
        b"",
        b"\x00\xff",
        b"[" * 100_000,
        b'{"format": "wide-berth checklist", "version": 2, "ticks": {"at": {}, "rings": {}}}',
        b'{"format": "wide-berth checklist", "version": 1, "ticks": {"at": {"Before/film": true}, "rings": {}}}',
        b'{"format": "wide-berth checklist", "version": 1, "ticks": {"at": {"Before/film": "2026-03-01T21:40:00"}, "rings": {}}}',
        b'{"format": "wide-berth checklist", "version": 1, "ticks": {"at": {}, "rings": {}, "more": 1}}',
    ],
)
def test_a_spoilt_file_ticks_nothing(file: TickFile, harm: bytes) -> None:
    """A line that seems to be done and is not is worse than one too few: in doubt nothing is ticked."""
    file.path.parent.mkdir()
    file.path.write_bytes(harm)
    assert file.read(NOW, LASTS) == NO_TICKS
    file.path.write_bytes(json.dumps({"at": {f"line {n}": NOW.isoformat() for n in range(20_000)}}).encode())
    assert file.read(NOW, LASTS) == NO_TICKS


def test_old_lists_are_cleared_away_and_young_ones_stay(file: TickFile, tmp_path: Path) -> None:
    old, young = (TickFile(tmp_path / "job.3mf", name, tmp_path / "ticks") for name in ("old", "young"))
    for one in (old, young):
        one.write(Ticks({"a/b": NOW}))
    long_ago = datetime.now(UTC).timestamp() - 40 * 24 * 3600
    os.utime(old.path, (long_ago, long_ago))
    file.write(Ticks({"a/b": NOW}))
    assert not old.path.exists() and young.path.exists() and file.path.exists()
