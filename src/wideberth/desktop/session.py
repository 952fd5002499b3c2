"""The open job, its history and its running computations: the only place with state."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Qt, QTimer, Signal

from wideberth.core.bench import facts_of, load_bench
from wideberth.core.errors import WideBerthError
from wideberth.core.handover import save_job
from wideberth.core.job import History, Job, Part, is_job, job_of, remembered_factor, scaled, taken_in
from wideberth.core.model import guess_unit, read_models
from wideberth.core.predict import Disk, FirstLooks, Prediction, Stages, fine, look_closer, predict, preview
from wideberth.core.progress import Progress
from wideberth.core.propose import Proposal, propose_all, propose_places
from wideberth.desktop.drilling import Driller
from wideberth.desktop.examining import Examiner
from wideberth.desktop.work import Task, start

SETTLE_MS = 60
DRAW_MS = 200
"""The views' time to draw a prediction, before a finer one competes with them for the interpreter."""
LAYER_KEYS = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_PageUp: 50, Qt.Key.Key_PageDown: -50}
"""Keys that step the height cursor, in every view that shows a layer."""


class Session(QObject):
    """What all views look at.

    Signals
    -------
    job_changed : another recipe. predicted : a new prediction (coarse first, then fine). drawn : the views had time to draw
    it. busy : (fraction, phrase) or (-1, "") when all is quiet. failed : an error to show. noticed : a word for the status
    line. cursor_moved : height [mm]. part_chosen : its id. step_chosen : name of a step. ghost_changed : another state to
    compare with, or none.
    """

    job_changed = Signal()
    predicted = Signal()
    drawn = Signal()
    busy = Signal(float, str)
    failed = Signal(str)
    noticed = Signal(str)
    cursor_moved = Signal(float)
    part_chosen = Signal(str)
    step_chosen = Signal(str)
    ghost_changed = Signal()
    show_wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        disk = Disk()
        self.stages, self.looks = Stages(disk=disk), FirstLooks(disk)
        self.history = History.begin(job_of("Untitled", load_bench()))
        self.prediction: Prediction | None = None
        self.ghost: Prediction | None = None
        self.path: Path | None = None
        self.saved: Job | None = self.job
        self.part = ""
        """Id of the chosen part, "" when there is none."""
        self.cursor_mm = 0.0
        self.step = "model"
        self.last_reason: dict[str, str] = {}
        self.examiner = Examiner(self)
        self.driller = Driller(self)
        self._predicting: Task | None = None
        self._working: Task | None = None
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self._predict)
        self._go_on = QTimer(self)
        self._go_on.setSingleShot(True)
        self._go_on.setInterval(DRAW_MS)
        self._go_on.timeout.connect(self._finer)

    # the job and its history

    @property
    def job(self) -> Job:
        return self.history.present

    @property
    def has_parts(self) -> bool:
        return bool(self.job.parts)

    @property
    def is_saved(self) -> bool:
        return self.saved is self.job

    @property
    def is_current(self) -> bool:
        """Whether the prediction at hand is the fine one of the present job."""
        p = self.prediction
        return p is not None and p.job is self.job and not p.fineness.light

    def change(self, label: str, job: Job) -> None:
        """Make another recipe the present one."""
        if job is self.job:
            return
        self.history = self.history.then(label, job)
        self._moved_on()

    def undo(self) -> None:
        if label := self.history.undo_label:
            self.history = self.history.undo()
            self.noticed.emit(f"undone: {label}")
            self._moved_on()

    def redo(self) -> None:
        if label := self.history.redo_label:
            self.history = self.history.redo()
            self.noticed.emit(f"done again: {label}")
            self._moved_on()

    def _moved_on(self) -> None:
        if not self.job.has(self.part):
            self.part = self._next_to(self.part)
        if not self.has_parts:
            self.prediction = None
        self.job_changed.emit()
        if self._predicting is not None:
            self._predicting.cancel()
        self._go_on.stop()
        self._settle.start()

    def keep_ghost(self) -> None:
        """Keep the prediction at hand, to be seen beside later ones."""
        self.ghost = self.prediction
        self.noticed.emit("kept to compare with: the dashed curves in the log")
        self.ghost_changed.emit()

    def drop_ghost(self) -> None:
        self.ghost = None
        self.ghost_changed.emit()

    def set_bench(self, key: str, value: object, source: str = "set by hand") -> None:
        """Change one bench value; what is out of range is refused and told."""
        try:
            bench = self.job.bench.with_value(key, value, source)
        except WideBerthError as error:
            self.failed.emit(error.text)
            return
        section, _, name = key.partition(".")
        facts = next((f for f in facts_of(section) if f.key == name), None)
        shown = f"{value:g}" if isinstance(value, float) else value if value is not None else "not known"
        self.change(
            f"set {facts.words} to {shown} {facts.unit}".rstrip() if facts else f"set {key}",
            replace(self.job, bench=bench),
        )

    def use_section(self, section: str, part: object, source: str) -> None:
        """Put another printer, film, resin, ... on the bench."""
        bench = self.job.bench.with_section(section, part, source)
        self.change(f"use {getattr(part, 'name', section)}", replace(self.job, bench=bench))

    def _next_to(self, gone: str) -> str:
        """The part to choose when the chosen one is gone: a piece of it, else the first."""
        pieces = [p.id for p in self.job.parts if p.piece is not None and p.piece.of == gone]
        return (pieces or [p.id for p in self.job.parts] or [""])[0]

    @property
    def present_part(self) -> Part | None:
        """The chosen part, or None when there is none."""
        return self.job.part(self.part) if self.job.has(self.part) else None

    def choose_part(self, id: str) -> None:
        self.part = id
        self.part_chosen.emit(id)

    def choose_step(self, step: str) -> None:
        self.step = step
        self.step_chosen.emit(step)

    def move_cursor(self, z_mm: float) -> None:
        """Move the height cursor; every view follows."""
        top = 1.0
        if self.prediction is not None:
            top = self.prediction.loads.layers * self.prediction.layer_mm
        self.cursor_mm = min(max(z_mm, 0.0), top)
        self.cursor_moved.emit(self.cursor_mm)

    def step_by(self, layers: int) -> None:
        """Move the cursor by so many layers of the prediction at hand."""
        if self.prediction is not None:
            self.move_cursor((self.cursor_layer + layers + 0.5) * self.prediction.layer_mm)

    @property
    def cursor_layer(self) -> int:
        """Layer at the cursor in the prediction at hand."""
        p = self.prediction
        if p is None:
            return 0
        return min(int(self.cursor_mm / p.layer_mm), p.loads.layers - 1)

    # work off the interface thread

    def _predict(self) -> None:
        """Predict the present job, coarse then fine; a later change cancels this."""
        if self._predicting is not None:
            self._predicting.cancel()
            self._predicting = None
        if not self.has_parts:
            self.predicted.emit()
            self.busy.emit(-1, "")
            return
        job, stages = self.job, self.stages
        self._run_prediction(job, lambda p: predict(job, stages, preview(job.bench), p))

    def _show(self, job: Job, seen: Prediction) -> None:
        """Show a prediction of the present job, and once that is drawn go on to a finer or a closer one."""
        self.prediction = seen
        self.predicted.emit()
        self.busy.emit(-1, "")
        self._go_on.start()

    def _finer(self) -> None:
        """After a coarse prediction the fine one, after that the closer look."""
        self.drawn.emit()
        job, seen = self.job, self.prediction
        if seen is None or seen.job is not job or self._predicting is not None:
            return
        if seen.fineness.light:
            self._run_prediction(job, lambda p: predict(job, self.stages, fine(), p))
        elif seen.may_be_closer:
            self._run_prediction(job, lambda p: look_closer(seen, self.stages, p))
        elif self.looks.waits:
            start(Task(lambda _: self.looks.keep()))

    def _run_prediction(self, job: Job, work: Callable[[Progress], Prediction]) -> None:
        task = Task(work)
        self._predicting = task

        def finished(result: Prediction) -> None:
            if task is not self._predicting or job is not self.job:
                return
            self._predicting = None
            self._show(job, result)

        def failed(text: str) -> None:
            if task is self._predicting:
                self._predicting = None
                self._not_predicted(text)

        def advanced(fraction: float, phrase: str) -> None:
            if task is self._predicting and self._working is None:
                self.busy.emit(fraction, phrase)

        self._wire(task, finished, failed, advanced)

    def _not_predicted(self, text: str) -> None:
        """Tell what stopped a prediction; what cannot be predicted can still be looked over."""
        self.busy.emit(-1, "")
        self.failed.emit(text)
        self.examiner.wake()

    def work(self, phrase: str, work: Callable[[Progress], Any], done: Callable[[Any], None]) -> None:
        """Run one long action; its result goes to `done` unless the job has changed meanwhile."""
        if self._working is not None:
            self.noticed.emit("something else is running; cancel it first")
            return
        job = self.job
        task = Task(work)
        self._working = task
        self.busy.emit(0.0, phrase)

        def over() -> None:
            self._working = None
            self.busy.emit(-1, "")

        def finished(result: Any) -> None:
            over()
            if job is not self.job:
                self.noticed.emit(f"{phrase}: the job has changed meanwhile, nothing was taken over")
                return
            done(result)

        def failed(text: str) -> None:
            over()
            self.failed.emit(text)

        def cancelled() -> None:
            over()
            self.noticed.emit(f"{phrase}: cancelled, nothing was changed")

        task.heard.when_cancelled = cancelled
        self._wire(task, finished, failed, self.busy.emit)

    def _wire(self, task: Task, finished: Callable, failed: Callable, advanced: Callable) -> None:
        task.heard.when_finished = finished
        task.heard.when_failed = failed
        task.heard.when_advanced = advanced
        start(task)

    def cancel(self) -> None:
        """Stop the long action, or the prediction if none is running."""
        task = self._working or self._predicting
        self._go_on.stop()
        if task is not None:
            task.cancel()
            if task is self._predicting:
                self._predicting = None
                self.busy.emit(-1, "")
                self.noticed.emit("prediction stopped; it starts again with the next change")

    @property
    def is_busy(self) -> bool:
        return (
            self._working is not None
            or self._predicting is not None
            or self._settle.isActive()
            or self._go_on.isActive()
            or self.examiner.is_busy
        )

    # proposals and files

    def propose(self, phrase: str, make: Callable[[Progress], Proposal]) -> None:
        """Compute a proposal and take it over; undo refuses it."""

        def done(proposal: Proposal) -> None:
            self.last_reason[proposal.step] = proposal.why
            if proposal.needed:
                self.change(proposal.label, proposal.job)
            self.noticed.emit(f"{proposal.step}: {proposal.why}")
            self.job_changed.emit()

        self.work(phrase, make, done)

    def propose_everything(self) -> None:
        """The whole chain for all parts, as one change."""
        job = self.job

        def done(result: tuple[Job, list[Proposal]]) -> None:
            together, taken = result
            for proposal in taken:
                self.last_reason[proposal.step] = proposal.why
            self.change("propose everything", together)
            if taken[0].unsolved:
                self.failed.emit(taken[0].why)

        self.work("proposing", lambda p: propose_all(job, self.stages, p), done)

    def open_files(self, paths: list[Path]) -> None:
        """Open a job, or add models to the present one."""
        if len(paths) == 1 and paths[0].suffix.lower() == ".3mf" and is_job(paths[0]):
            self._open_job(paths[0])
        else:
            self._add_models(paths)

    def _open_job(self, path: Path) -> None:
        """Open a job together with its coarse prediction, so that both are seen at once."""

        def work(progress: Progress) -> tuple[Job, Prediction | None, WideBerthError | None]:
            progress.at(0.1, f"opening {path.name}")
            return self.looks.open(path, self.stages, progress)

        def done(result: tuple[Job, Prediction | None, WideBerthError | None]) -> None:
            opened, seen, error = result
            self.path, self.saved = path, opened
            self.history = History.begin(opened)
            self.drop_ghost()  # it was of another job
            self.prediction = None  # so was this
            self.part = ""
            self._moved_on()
            if seen is not None or error is not None:
                self._settle.stop()
            if seen is not None:
                self._show(opened, seen)
            elif error is not None:
                self.predicted.emit()
                self._not_predicted(error.text)
            self.move_cursor(0.0)

        self.work("opening", work, done)

    def _add_models(self, paths: list[Path]) -> None:
        """Add all models of some files to the present job."""
        job = self.job

        def work(progress: Progress) -> tuple[Job, list[str]]:
            together, notes = _taken_in(job, paths, progress)
            if len(together.parts) > 1:
                together = propose_places(together, self.stages).job
            return together, notes

        def done(result: tuple[Job, list[str]]) -> None:
            opened, notes = result
            self.part = opened.parts[-1].id
            self.change(f"open {', '.join(p.name for p in paths)}", opened)
            if notes:
                self.noticed.emit("; ".join(notes))
            self.examiner.ask_unit(tuple(part.id for part in opened.parts[len(job.parts) :]), paths)
            self.move_cursor(0.0)

        self.work("opening", work, done)

    def save(self, path: Path) -> None:
        """Save the job; the old file stays until the new one is whole."""
        job = self.job

        def done(notes: list[str]) -> None:
            self.path, self.saved = path, job
            self.noticed.emit("; ".join([f"saved {path.name}", *notes]))
            self.job_changed.emit()

        self.work(f"saving {path.name}", lambda p: save_job(job, path, self.stages, p), done)


def _taken_in(job: Job, paths: list[Path], progress: Progress) -> tuple[Job, list[str]]:
    """The job with every model of the files as a part, in the unit that was told for its folder; and what was noted."""
    notes: list[str] = []
    for number, path in enumerate(paths):
        share = progress.part(number / len(paths), (number + 1) / len(paths))
        factor = remembered_factor(path.parent)
        for source in read_models(path, share):
            notes += source.notes
            part = taken_in(source)
            if part.mends:
                notes.append(f"{source.name} was inside out: its faces were turned; undo under Model")
            if factor not in (None, 1.0) and guess_unit(source.mesh, _plate_side(job)) is not None:
                part = scaled(part, float(factor or 1.0))
                notes.append(f"{source.name}: scaled by {factor:g}, as told for this folder")
            job = job.with_more(part)
            if job.title == "Untitled":
                job = replace(job, title=path.stem)
    return job, notes


def _plate_side(job: Job) -> float:
    """The longest side that the printer takes [mm]."""
    printer = job.bench.printer
    return max(printer.plate_x_mm, printer.plate_y_mm, printer.height_mm)
