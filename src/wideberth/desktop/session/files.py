"""Opening and saving: jobs, and models that come into the job at hand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from wideberth.core.errors import WideBerthError
from wideberth.core.handover import save_job
from wideberth.core.job import Job, LeftBehind, is_job, job_of, note_recent, remembered_factor, scaled, taken_in
from wideberth.core.model import guess_unit, read_models
from wideberth.core.naming import cleaned
from wideberth.core.predict import FirstLooks, Prediction, Stages
from wideberth.core.progress import Progress
from wideberth.core.propose import arranged
from wideberth.demo import job_path
from wideberth.desktop.session.cursor import Cursor
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.predicting import Predicting
from wideberth.desktop.session.rescuing import Rescuing
from wideberth.desktop.session.selection import Selection
from wideberth.desktop.session.tasks import Tasks

NOT_ALL_FIT = "not all fit on the plate: what is new stands beside it; take something off, or put it on a plate of its own"


class Files(QObject):
    """Signals: models_came (ids of the new parts, paths of their files)."""

    models_came = Signal(tuple, list)

    def __init__(
        self,
        document: Document,
        selection: Selection,
        tasks: Tasks,
        messages: Messages,
        predicting: Predicting,
        cursor: Cursor,
        rescuing: Rescuing,
        stages: Stages,
        looks: FirstLooks,
    ) -> None:
        super().__init__()
        self._document, self._selection, self._tasks, self._messages = document, selection, tasks, messages
        self._predicting, self._cursor, self._rescuing = predicting, cursor, rescuing
        self._stages, self._looks = stages, looks

    def open(self, paths: list[Path], anew: bool = False) -> None:
        """Open a job, or add models to the present one; `anew` : to an empty one on the same bench, in its place."""
        if opens_job(paths):
            self._open_job(paths[0])
        else:
            self._add_models(paths, anew)

    def _open_job(self, path: Path, left: LeftBehind | None = None) -> None:
        """Open a job together with its coarse prediction, so that both are seen at once."""

        def work(progress: Progress) -> tuple[Job, Prediction | None, WideBerthError | None]:
            progress.at(0.1, f"opening {path.name}")
            opened = self._looks.open(path, self._stages, progress)
            if opened[1] is not None:
                self._predicting.prepared(opened[1])
            if left is None and not _is_shipped(path):
                note_recent(path)
            return opened

        def done(result: tuple[Job, Prediction | None, WideBerthError | None]) -> None:
            opened, seen, error = result
            if left is None:
                self._document.begin(opened, None if _is_shipped(path) else path)
            else:
                self._document.begin(opened, left.of, saved=False)
                self._rescuing.adopt(left)
            self._predicting.take(seen, error.text if error is not None else "")
            self._cursor.move_to(0.0)

        self._tasks.act("opening", work, done)

    def _add_models(self, paths: list[Path], anew: bool) -> None:
        """Add all models of some files to the present job, or to an empty one that takes its place once they are read."""
        job = self._document.job if not anew else job_of("Untitled", self._document.job.bench)

        def work(progress: Progress) -> tuple[Job, list[str]]:
            together, notes = _taken_in(job, paths, progress)
            if len(together.parts) > 1:
                together, fits = arranged(job, together, self._stages)
                notes += [] if fits else [NOT_ALL_FIT]
            return together, notes

        def done(result: tuple[Job, list[str]]) -> None:
            opened, notes = result
            if anew:
                self._document.begin(opened, saved=False)
            self._selection.part = opened.parts[-1].id
            self._document.change(f"open {', '.join(p.name for p in paths)}", opened)
            if notes:
                self._messages.say("; ".join(notes))
            self.models_came.emit(tuple(part.id for part in opened.parts[len(job.parts) :]), paths)
            self._cursor.move_to(0.0)

        self._tasks.act("opening", work, done)

    def save(self, path: Path, then: Callable[[], None] | None = None) -> None:
        """Save the job; the old file stays until the new one is whole. `then` : what to do once it is."""
        job = self._document.job

        def work(progress: Progress) -> list[str]:
            notes = save_job(job, path, self._stages, progress)
            note_recent(path)
            return notes

        def done(notes: list[str]) -> None:
            self._document.file_under(path, job)
            changed = [] if self._document.is_saved else ["as it was when saving began; it has changed since"]
            self._messages.say("; ".join([f"saved {path.name}", *changed, *notes]))
            if then is not None:
                then()

        self._tasks.act(f"saving {path.name}", work, done, lasting=True)

    def take_up(self, left: LeftBehind) -> None:
        """Open work that was left behind unsaved; it stays there until it is saved."""
        self._open_job(left.work, left)


def _is_shipped(path: Path) -> bool:
    """Whether a job came with the program: it is shown as any other, and saved under a name of its own."""
    return path.resolve() == job_path().resolve()


def opens_job(paths: list[Path]) -> bool:
    """Whether what is to be opened is a job, and not models."""
    return len(paths) == 1 and paths[0].suffix.lower() == ".3mf" and is_job(paths[0])


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
            if factor not in (None, 1.0) and guess_unit(source.mesh, job.bench.printer.longest_mm) is not None:
                part = scaled(part, float(factor or 1.0))
                notes.append(f"{source.name}: scaled by {factor:g}, as told for this folder")
            job = job.with_more(part)
            if job.title == "Untitled":
                job = replace(job, title=cleaned(path.stem))
    return job, notes
