"""Files are written whole or not at all, and what is unsaved outlives the program."""

from __future__ import annotations

import fcntl
import os
import signal
import subprocess
import sys
import textwrap
from dataclasses import replace
from pathlib import Path

import pytest
import trimesh

from conftest import as_mesh, as_source
from reference.further import further
from reference.killing import ACTS, killed_everywhere
from wideberth.core.bench import Bench
from wideberth.core.errors import CannotWrite
from wideberth.core.handover import save_job
from wideberth.core.job import Job, Part, Rescue, job_of, open_job
from wideberth.core.naming import cleaned, file_name
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress
from wideberth.core.saving import write_safely, written_beside


@pytest.fixture
def job(bench: Bench) -> Job:
    return job_of("Buoy", bench, (Part("Buoy", as_source(as_mesh(trimesh.creation.icosphere(2, 5)))),))


def test_a_file_keeps_its_mode_and_a_link_stays_a_link(tmp_path: Path) -> None:
    kept, link = tmp_path / "kept.3mf", tmp_path / "link.3mf"
    kept.write_bytes(b"old")
    kept.chmod(0o640)
    link.symlink_to(kept)
    write_safely(link, b"new")
    assert link.is_symlink() and kept.read_bytes() == b"new" and kept.stat().st_mode & 0o777 == 0o640
    fresh, mask = tmp_path / "fresh.3mf", os.umask(0)
    os.umask(mask)
    write_safely(fresh, b"new")
    assert fresh.stat().st_mode & 0o777 == 0o666 & ~mask


def test_what_is_no_plain_file_is_not_written_over(tmp_path: Path) -> None:
    pipe, folder = tmp_path / "pipe", tmp_path / "folder.3mf"
    os.mkfifo(pipe)
    folder.mkdir()
    for path in (pipe, folder):
        with pytest.raises(CannotWrite, match="no plain file"):
            write_safely(path, b"new")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["folder.3mf", "pipe"]


def test_leavings_of_a_killed_save_are_cleared_and_those_of_one_that_runs_are_not(tmp_path: Path) -> None:
    dead, alive, other = (tmp_path / f".{n}.part" for n in ("job.3mf.dead", "job.3mf.alive", "jobs.3mf.x"))
    for path in (dead, alive, other):
        path.write_bytes(b"half")
    with open(alive, "rb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        write_safely(tmp_path / "job.3mf", b"whole")
        assert not dead.exists() and alive.exists() and other.exists()
    with written_beside(tmp_path / "job.3mf") as temporary:
        temporary.write_bytes(b"newer")
        assert not alive.exists() and temporary.exists()
    assert (tmp_path / "job.3mf").read_bytes() == b"newer"


def test_a_save_that_is_in_its_place_is_not_called_cancelled(job: Job, tmp_path: Path) -> None:
    """Cancelled at any of its reports a save leaves nothing; after the last it is there, and says so."""
    told: list[float] = []
    save_job(job, tmp_path / "a.3mf", Stages(), Progress(lambda f, _: told.append(f)))
    assert told and max(told) < 1.0
    asked = Progress(lambda f, _: asked.cancel() if f >= told[-1] else None)
    save_job(job, tmp_path / "b.3mf", Stages(), asked)
    assert open_job(tmp_path / "b.3mf").title == "Buoy"


KEEPER = textwrap.dedent("""
    import sys, time
    from pathlib import Path
    from wideberth.core.job import Rescue, open_job
    job = open_job(Path(sys.argv[1]))
    rescue = Rescue(Path(sys.argv[2]))
    assert rescue.keep(job, Path(sys.argv[1])) and rescue.take(Path(sys.argv[1]))
    print("kept", flush=True)
    time.sleep(60)
""")


@pytest.mark.parametrize("act", ["save", *further(sorted(ACTS.keys() - {"save"}))])
def test_killed_at_calls_and_moments_nothing_is_lost(job: Job, act: str, tmp_path: Path) -> None:
    """What is in the file, or was kept for rescue, is whole: as it was before or as it is after. The next save clears up. Every
    call is tried by `proofs/test_killed_moments.py`."""
    assert killed_everywhere(act, job, tmp_path, moments=3, every=4) > 4
    save_job(job, tmp_path / "before.3mf", Stages())
    assert not list(tmp_path.glob(".*.part"))


def test_unsaved_work_outlives_a_killed_program_and_is_offered_once(job: Job, tmp_path: Path) -> None:
    saved, state = tmp_path / "buoy.3mf", tmp_path / "state"
    save_job(replace(job, title="Buoy, unsaved"), saved, Stages())
    with subprocess.Popen([sys.executable, "-c", KEEPER, str(saved), str(state)], stdout=subprocess.PIPE) as keeper:
        assert keeper.stdout is not None and keeper.stdout.readline() == b"kept\n"
        mine = Rescue(state)
        assert mine.left_behind() == [] and not mine.take(saved)  # it is alive, and has the file open
        keeper.send_signal(signal.SIGKILL)
    (left,) = mine.left_behind()
    assert (left.title, left.of) == ("Buoy, unsaved", saved) and open_job(left.work).parts == open_job(saved).parts
    assert mine.take(saved)
    assert mine.keep(open_job(left.work), left.of)
    left.throw_away()
    assert mine.left_behind() == [] and Rescue(state).left_behind() == []  # this window is alive
    mine.end()
    assert Rescue(state).left_behind() == [] and not mine.keep(job, None)


def test_a_folder_that_cannot_be_written_keeps_nothing_and_stops_nobody(
    job: Job, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "state").write_bytes(b"a file")
    rescue = Rescue(tmp_path / "state")
    assert not rescue.keep(job, None) and rescue.left_behind() == [] and rescue.take(tmp_path / "x.3mf")
    rescue.clear()
    full = Rescue(tmp_path / "other")

    def no_room(path: Path, content: bytes) -> None:
        raise CannotWrite("cannot be written (no space left).", where=str(path))

    monkeypatch.setattr("wideberth.core.job.rescue.write_safely", no_room)
    assert not full.keep(job, None)
    full.end()
    assert Rescue(tmp_path / "other").left_behind() == []


@pytest.mark.parametrize(
    ("given", "clean", "file"),
    [
        ("Gull\x00 on\x1b[2J a\n post ", "Gull on[2J a post", "Gull on[2J a post"),
        ("\ud800half", "half", "half"),
        ("../../etc/passwd", "../../etc/passwd", "-..-etc-passwd"),
        ("a" * 5000, "a" * 80, "a" * 80),
        ("\u202egnp.exe", "gnp.exe", "gnp.exe"),
        ("  ", "Unnamed", "Unnamed"),
        ("Möwe <b>fett</b>", "Möwe <b>fett</b>", "Möwe -b-fett--b-"),
    ],
)
def test_names_hold_nothing_that_cannot_be_seen_and_are_no_paths(given: str, clean: str, file: str) -> None:
    assert cleaned(given) == clean and file_name(given) == file
