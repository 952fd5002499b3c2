"""Screenshots of the main views from the demo job: `python -m wideberth.desktop.shots FOLDER [NAME...]`."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np
from PySide6.QtCore import QSettings
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QApplication

from wideberth.core.bench import load_bench, load_named
from wideberth.core.job import job_of, taken_in, with_marked
from wideberth.core.logbook import expected_of
from wideberth.core.model import MarkKind, Mesh, ball, binary_stl, joined, read_model
from wideberth.core.propose import facing_faces
from wideberth.demo import job_path, mesh_path
from wideberth.demo.past import add_past
from wideberth.desktop.app import application
from wideberth.desktop.heightlog.curves import USUAL
from wideberth.desktop.session import Session
from wideberth.desktop.window import MainWindow

PATIENCE_S = 120


def settle(app: QApplication, ready: Callable[[], bool]) -> None:
    """Run the event loop until something holds, and a moment more."""
    end = time.monotonic() + PATIENCE_S
    while not ready() and time.monotonic() < end:
        app.processEvents()
        time.sleep(0.01)
    for _ in range(30):
        app.processEvents()
        time.sleep(0.01)


STEPS = ("support", "plate", "predict", "handover")
KEPT = (
    "bench", "drain", "handover", "hollow", "intake", "learn", "log", "model", "orient", "plan", "plate", "predict", "prints",
    "quote", "split", "support", "variants", "ways-up", "why",
)  # fmt: skip
"""Pictures in docs/screenshots; others are made when they are named."""
FRIDAY = datetime(2026, 11, 27, 9, 12)
PAIRS = ((1.5, 0.063), (2, 0.081), (3, 0.135), (4, 0.163), (6, 0.262), (8, 0.249), (12, 0.299))


def torn_bell(folder: Path) -> Path:
    """The demo's bell with a piece out of its side, some faces turned and a few stray bits, to show intake with."""
    bell = read_model(mesh_path("bell")).mesh
    middle = bell.corners.mean(axis=1)
    half = np.abs(middle[:, 2] - middle[:, 2].mean()) < 4
    spot = middle[half][np.argmax(middle[half] @ np.array([0.55, -0.8, 0.0]))]
    faces = bell.faces[np.linalg.norm(middle - spot, axis=1) > 8].copy()
    turned = bell.points[faces].mean(axis=1)[:, 2] > bell.high[2] - 6
    faces[turned] = faces[turned][:, ::-1]
    bits = [ball(spot + [6.0 + 3 * k, -5.0, 4.0 * k], 0.2) for k in range(4)]
    path = folder / "torn bell.stl"
    path.write_bytes(binary_stl(joined([Mesh(bell.points, faces), *bits])))
    return path


def main() -> None:
    """Open the demo job and keep one picture of each main view, or of those named."""
    folder, wanted = Path(sys.argv[1]), sys.argv[2:]
    folder.mkdir(parents=True, exist_ok=True)
    own = tempfile.mkdtemp()  # no picture shows, and no run adds to, what whoever makes them has printed
    os.environ |= {"XDG_DATA_HOME": own, "XDG_STATE_HOME": own}
    app = application()
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, own)
    session = Session()
    window = MainWindow(session)
    window.unattended = True
    window.show()

    def quiet() -> None:
        settle(app, lambda: session.is_current and not session.is_busy)

    def keep(name: str) -> None:
        quiet()
        if name in (wanted or KEPT):
            window.grab().save(str(folder / f"{name}.png"))

    session.files.open([job_path()])
    quiet()
    session.cursor.move_to(24.0)
    for name in STEPS:
        session.selection.choose_step(name)
        if name == "plate":
            settle(app, lambda: window.steps["plate"].facts.is_current)  # type: ignore[attr-defined]
        keep(name)
    predict = window.steps["predict"]
    session.selection.choose_step("predict")
    for leaf in ("Coming off", "Afterwards"):
        predict.turn_to(leaf)  # type: ignore[attr-defined]
        keep(leaf.lower().replace(" ", "-"))
    predict.turn_to("Hold")  # type: ignore[attr-defined]
    _plan(window, keep)
    _logged(app, window, keep)
    _ways(app, window, keep)
    _inside(app, window, keep)
    _log_and_reasons(window, keep, folder, wanted)
    _bench(window, keep)
    _model(app, window, keep)
    _split(window, keep)
    with tempfile.TemporaryDirectory() as place:
        session.document.begin(job_of("Untitled", load_bench()))
        session.files.open([torn_bell(Path(place))])
        quiet()
        session.selection.choose_step("model")
        model = window.steps["model"]
        model.turn_to("Health")  # type: ignore[attr-defined]
        quiet()
        model.examiner.show_flaw(model.examiner.present.flaws[0])  # type: ignore[attr-defined]
        keep("intake")
    window.close()


def _plan(window: MainWindow, keep: Callable[[str], None]) -> None:
    """The days ahead, the quote and the checklist, in a workshop with prices."""
    session = window.session
    session.planning.clock = lambda: FRIDAY
    session.document.use_section("trade", load_named("trade", "museum-workshop"), "shipped museum-workshop")
    session.selection.choose_step("plan")
    for leaf, name in (("When", "plan"), ("Quote", "quote"), ("Checks", "checklist")):
        window.steps["plan"].turn_to(leaf)  # type: ignore[attr-defined]
        keep("")
        settle(application(), lambda: session.planning.is_current and session.planning.known.looked_closer)  # type: ignore[union-attr]
        keep(name)
    session.document.undo()
    keep("")


def _logged(app: QApplication, window: MainWindow, keep: Callable[[str], None]) -> None:
    """A season of prints, what they teach, how good predictions were; the shelf; a run, half way."""
    session, log = window.session, window.steps["log"]
    session.selection.choose_step("log")
    add_past(session.logging.book(), session.prediction, expected_of(session.prediction), 3, 24, FRIDAY)  # type: ignore[arg-type]
    session.logging.read()
    settle(app, lambda: session.logging.details is not None)
    log.turn_to("Prints")  # type: ignore[attr-defined]
    keep("prints")
    log.turn_to("Learn")  # type: ignore[attr-defined]
    settle(app, lambda: session.logging.fit is not None)
    keep("learn")
    for leaf in ("How good", "Trainer"):
        log.turn_to(leaf)  # type: ignore[attr-defined]
        keep(leaf.lower().replace(" ", "-"))
    log.turn_to("Live")  # type: ignore[attr-defined]
    session.printing.start_simulated(3, 1000.0, "tip:700:1")
    settle(app, lambda: session.printing.live is not None and session.printing.live.layer > 1000)
    keep("live")
    session.printing.ask("stop")
    settle(app, lambda: not session.printing.is_running)
    session.printing.live = None  # other pictures show the job, not this run of it
    session.messages.say("")


def _split(window: MainWindow, keep: Callable[[str], None]) -> None:
    """The lighthouse, which is too tall, in pieces; three sets of cuts side by side."""
    session = window.session
    session.document.begin(job_of("Lighthouse", load_bench(), (taken_in(read_model(mesh_path("lighthouse"))),)))
    session.selection.choose_step("split")
    keep("")
    window.steps["split"].leaves["Propose"]._propose()  # type: ignore[attr-defined]
    keep("split")


def _ways(app: QApplication, window: MainWindow, keep: Callable[[str], None]) -> None:
    """Marks on faces, the chart of ways up, and states side by side."""
    session, orient = window.session, window.steps["orient"]
    before = session.job
    session.selection.choose_step("orient")
    orient.turn_to("Marks")  # type: ignore[attr-defined]
    whelk, bell = session.job.parts
    rim = facing_faces(bell, session.stages, np.array([0.0, 0.0, -1.0]), 35.0)
    front = facing_faces(whelk, session.stages, np.array([-0.3, -1.0, 0.2]), 40.0)
    marked = session.job.with_part(with_marked(bell, MarkKind.MATING, rim)).with_part(
        with_marked(whelk, MarkKind.KEEP_CLEAN, front)
    )
    session.document.change("mark faces", marked)
    keep("orient")
    session.document.change("as before", before)
    orient.turn_to("Ways up")  # type: ignore[attr-defined]
    orient.page.setChecked(True)  # type: ignore[attr-defined]
    page = window.pages.page("orient")
    page._weigh()
    settle(app, lambda: page.table.rowCount() > 2)
    page.table.setCurrentCell(2, 1)
    keep("ways-up")
    orient.page.setChecked(False)  # type: ignore[attr-defined]
    session.selection.choose_step("predict")
    variants = window.pages.page("predict")
    variants.name.setText("hollow, as proposed")
    variants._keep()
    whelk = session.job.parts[0]
    session.document.change("solid", session.job.with_part(replace(whelk, shell=None, holes=())))
    window.steps["predict"].page.setChecked(True)  # type: ignore[attr-defined]
    settle(app, lambda: session.is_current and all(session.comparing.known(state) for _, state in variants.states))
    variants.table.setCurrentCell(1, 1)
    keep("variants")
    window.steps["predict"].page.setChecked(False)  # type: ignore[attr-defined]
    session.document.change("as before", before)


def _inside(app: QApplication, window: MainWindow, keep: Callable[[str], None]) -> None:
    """Solid, shell and lattice weighed; chambers cut open."""
    session, hollow, drain = window.session, window.steps["hollow"], window.steps["drain"]
    session.selection.choose_step("hollow")
    hollow.turn_to("Does it pay?")  # type: ignore[attr-defined]
    hollow.pays._work()  # type: ignore[attr-defined]
    settle(app, lambda: hollow.pays.proposal is not None)  # type: ignore[attr-defined]
    keep("hollow")
    hollow.turn_to("Shell")  # type: ignore[attr-defined]
    session.selection.choose_step("drain")
    settle(app, lambda: session.prediction is not None and session.prediction.looked_closer)
    window.scene.look("Front")
    drain.turn_to("Chambers")  # type: ignore[attr-defined]
    keep("chambers")
    drain.turn_to("Holes")  # type: ignore[attr-defined]
    drain.holes.list.setCurrentRow(1)  # type: ignore[attr-defined]
    window.scene.show_on_part("margins")
    window.scene.look("Corner")
    keep("drain")


def _log_and_reasons(window: MainWindow, keep: Callable[[str], None], folder: Path, wanted: list[str]) -> None:
    """The log with other tracks beside a kept state, the section enlarged, cups filled; and a figure with its reasons."""
    session, log = window.session, window.log
    session.selection.choose_step("predict")
    session.predicting.keep_ghost()
    session.document.set_bench("print.lift_mm_per_min", 120.0)
    log.set_tracks((("pull", 1.2), ("hold", 1.0), ("cure", 0.7), ("seconds", 0.7), ("settling", 0.7)))
    keep("log")
    session.predicting.drop_ghost()
    session.document.undo()
    log.set_tracks(USUAL)
    window.scene.show_on_part("cups")
    window.scene.look("Front")
    keep("cups")
    window.scene.show_on_part("margins")
    window.scene.look("Corner")
    keep("")
    figure = window.strip.figures[0]
    figure._open()
    settle(QApplication.instance(), lambda: (session.charting.known("print.exposure_s") or (None, False))[1])  # type: ignore[arg-type]
    if figure.card is not None and (not wanted or "why" in wanted):
        shown = window.grab()
        with QPainter(shown) as painter:
            painter.drawPixmap(window.mapFromGlobal(figure.card.pos()), figure.card.grab())
        shown.save(str(folder / "why.png"))
        figure.card.close()


def _bench(window: MainWindow, keep: Callable[[str], None]) -> None:
    """Leaves of the bench page."""
    session, page = window.session, window.pages.page("bench")
    session.selection.choose_step("bench")
    page.turn_to("Resin")
    session.document.set_bench("resin.viscosity_pa_s", 0.24)
    keep("bench")
    page.turn_to("Mix")
    keep("mix")
    page.turn_to("Temperature")
    session.document.set_bench("print.drift_to_c", 17.0)
    keep("temperature")
    session.document.undo()
    page.turn_to("What if")
    settle(QApplication.instance(), lambda: (session.charting.known("print.exposure_s") or (None, False))[1])  # type: ignore[arg-type]
    keep("what-if")
    page.turn_to("Exposure test")
    page.exposures.enter(list(PAIRS))
    page.exposures.note(measured_width_mm=10.06, smallest_slot_mm=0.15, smallest_pin_mm=0.2)
    keep("exposure-test")
    session.document.undo()


def _model(app: QApplication, window: MainWindow, keep: Callable[[str], None]) -> None:
    """Leaves of the model step."""
    session, model = window.session, window.steps["model"]
    session.selection.choose_step("model")
    settle(app, lambda: session.is_current and not session.is_busy)
    model.health.walls.setChecked(True)  # type: ignore[attr-defined]
    settle(app, lambda: session.sight.colours is not None)
    keep("model")
    model.turn_to("Measure")  # type: ignore[attr-defined]
    session.selection.choose_part(session.job.parts[1].id)
    model.measuring.start("distance")  # type: ignore[attr-defined]
    bell = session.prediction.solids_of(session.selection.part).outer  # type: ignore[union-attr]
    for way in (np.array([-1.0, -0.3, 0.1]), np.array([1.0, -0.3, 0.1])):
        model.measuring.clicked(session.selection.part, bell.points[np.argmax(bell.points @ way)])  # type: ignore[attr-defined]
    keep("measure")
    model.measuring.stop()  # type: ignore[attr-defined]
    session.selection.choose_part(session.job.parts[0].id)


if __name__ == "__main__":
    main()
