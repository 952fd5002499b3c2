"""A program that is killed at a chosen moment of an act on files: at its n-th call of the system's that touches them, or after so
many seconds."""

from __future__ import annotations

import multiprocessing
import os
import shutil
import signal
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from wideberth.core.handover import save_job
from wideberth.core.job import Job, Rescue, open_job
from wideberth.core.predict import Stages

SOONEST_S, LATEST_S = 1e-4, 0.05
TOUCH = ("open", "os.", "fcntl.", "shutil.", "tempfile.")


def save(before: Path, after: Path, state: Path, arm: Callable[[], None]) -> None:
    """The job of one file is saved over another."""
    job, stages = open_job(after), Stages()
    arm()
    save_job(job, before, stages)


def keep(before: Path, after: Path, state: Path, arm: Callable[[], None]) -> None:
    """A job is kept for rescue where another was kept before."""
    rescue, old, new = Rescue(state), open_job(before), open_job(after)
    assert rescue.keep(old, before)
    arm()
    assert rescue.keep(new, before)


def recover(before: Path, after: Path, state: Path, arm: Callable[[], None]) -> None:
    """What another program left behind is taken up, kept anew, changed and kept again."""
    rescue = Rescue(state)
    (left,) = rescue.left_behind()
    arm()
    job = open_job(left.work)
    assert rescue.keep(job, left.of)
    left.throw_away()
    assert rescue.keep(replace(job, title="after"), left.of)


ACTS = {"save": save, "keep": keep, "recover": recover}


def _die_in(act: str, before: Path, after: Path, state: Path, call: int, seconds: float) -> None:
    calls = 0

    def hook(event: str, _: object) -> None:
        nonlocal calls
        if event.startswith(TOUCH):
            calls += 1
            if calls == call:
                os.kill(os.getpid(), signal.SIGKILL)

    def arm() -> None:
        if call:
            sys.addaudithook(hook)
        else:
            signal.signal(signal.SIGALRM, signal.SIG_DFL)
            signal.setitimer(signal.ITIMER_REAL, seconds)

    ACTS[act](before, after, state, arm)
    os._exit(0)


def killed(act: str, before: Path, after: Path, state: Path, call: int = 0, seconds: float = 0.0) -> bool:
    """Do an act in a program of its own that dies at the given call or after some seconds; False when it came to its end."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["reference.warmed", "reference.killing"])
    child = context.Process(target=_die_in, args=(act, before, after, state, call, seconds))
    with pytest.MonkeyPatch.context() as places:
        places.setenv("PYTHONPATH", str(Path(__file__).parents[1]))  # the server of such programs loads by it, once
        child.start()
    child.join()
    assert child.exitcode in (0, -signal.SIGKILL, -signal.SIGALRM), child.exitcode
    return child.exitcode != 0


def killed_everywhere(act: str, job: Job, folder: Path, moments: int, every: int = 1) -> int:
    """Kill an act at its calls that touch files, one in `every`, and at so many moments up to its end; how often it died.

    Each time the file opens and what was kept for rescue is there, whole, as before or as after.
    """
    state, file, other = folder / "state", folder / "before.3mf", folder / "after.3mf"
    for path in (file, other):
        save_job(replace(job, title=path.stem), path, Stages())
    original, mine = file.read_bytes(), Rescue(state)

    def died(call: int = 0, seconds: float = 0.0) -> bool:
        file.write_bytes(original)
        shutil.rmtree(state, ignore_errors=True)
        if act == "recover":
            killed("keep", file, other, state, call=1)
        was_killed = killed(act, file, other, state, call, seconds)
        assert open_job(file).title in ("before", "after")
        kept = [open_job(left.work).title for left in mine.left_behind()]
        assert act == "save" or (kept and set(kept) <= {"before", "after"})
        return was_killed

    deaths = 0
    while died(every * deaths + 1):
        deaths += 1
    return deaths + sum(died(seconds=float(s)) for s in np.geomspace(SOONEST_S, LATEST_S, moments))
