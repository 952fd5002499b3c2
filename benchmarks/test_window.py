"""How long a start takes, a step of the cursor, and a preview of the demo while its whelk is turned. Run with `make bench`."""

from __future__ import annotations

import statistics
import subprocess
import sys
import time

from wideberth.core.job import open_job, turned_part
from wideberth.core.predict import Disk, Stages, predict, preview
from wideberth.demo import job_path

START = """
import gc, time, sys
gc.disable()
began = time.perf_counter()
from PySide6.QtCore import QTimer
from wideberth.demo import job_path
from wideberth.desktop import app as start
from wideberth.desktop.session import Session
app, session = start.application(), Session()
done = []
session.predicting.predicted.connect(lambda: QTimer.singleShot(0, lambda: done.append(time.perf_counter() - began)))
session.files.open([job_path()])
from wideberth.desktop.window import MainWindow
window = MainWindow(session)
window.show()
while not done:
    app.processEvents()
print("figures drawn", done[0], flush=True)
if sys.argv[1] == "scrub":
    while session.is_busy or not session.is_current or session.looks.waits:
        app.processEvents()
        time.sleep(0.01)
    until = time.perf_counter() + 1.0
    while time.perf_counter() < until:
        app.processEvents()
    session.cursor.move_to(5.0)
    for _ in range(140):
        step = time.perf_counter()
        session.cursor.step_by(1)
        app.processEvents()
        print("step", time.perf_counter() - step, flush=True)
import os
os._exit(0)
"""


def told(how: str) -> dict[str, list[float]]:
    """What one start says it took [s]."""
    said = subprocess.run([sys.executable, "-c", START, how], capture_output=True, text=True, check=True, timeout=300).stdout
    found: dict[str, list[float]] = {}
    for line in said.splitlines():
        name, _, seconds = line.rpartition(" ")
        found.setdefault(name, []).append(float(seconds))
    return found


def test_second_start_and_one_step_of_the_cursor() -> None:
    told("scrub")  # which waits until what was seen first is kept
    starts = [told("start")["figures drawn"][0] for _ in range(5)]
    steps = told("scrub")["step"][20:]
    print(
        f"\nsecond start to the demo's figures: {statistics.median(starts):.1f} s ({min(starts):.1f} to {max(starts):.1f}); "
        f"a step of the cursor: {1000 * statistics.median(steps):.0f} ms"
    )
    assert statistics.median(starts) < 30


def test_preview_of_the_demo_while_its_whelk_is_turned() -> None:
    job, stages = open_job(job_path()), Stages(disk=Disk())
    predict(job, stages, preview(job.bench))
    taken = []
    for turn in range(14):
        job = job.with_part(turned_part(job.parts[0], turn % 2, 3.0))
        began = time.perf_counter()
        predict(job, stages, preview(job.bench))
        taken.append(time.perf_counter() - began)
    print(f"\nturning the whelk: {1000 * statistics.median(taken[2:]):.0f} ms")
    assert statistics.median(taken[2:]) < 5
