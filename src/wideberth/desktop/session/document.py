"""The open job with its history and its file."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from wideberth.core.bench import facts_of, load_bench, retested
from wideberth.core.errors import WideBerthError
from wideberth.core.job import History, Job, job_of
from wideberth.desktop.session.messages import Messages


class Document(QObject):
    """Signals: changed (another recipe is the present one), replaced (by another job; `changed` follows), filed (saved)."""

    changed = Signal()
    replaced = Signal()
    filed = Signal()

    def __init__(self, messages: Messages) -> None:
        super().__init__()
        self._messages = messages
        self.history = History.begin(job_of("Untitled", retested(load_bench())))
        self._saved: Job | None = self.job
        self.path: Path | None = None
        self._stamp: tuple[int, int] | None = None

    @property
    def job(self) -> Job:
        return self.history.present

    @property
    def is_saved(self) -> bool:
        return self._saved is self.job

    @property
    def may_be_lost(self) -> bool:
        """Whether there is something that is not saved."""
        return bool(self.job.parts) and not self.is_saved

    @property
    def was_changed_by_others(self) -> bool:
        """Whether the document's file is not the one that was opened or saved here."""
        return self.path is not None and self._stamp is not None and _stamp(self.path) != self._stamp

    def came_by(self, job: Job) -> bool:
        """Whether the present recipe is a job or came out of it by what was done since."""
        return any(state is job for _, state in self.history.states[: self.history.at + 1])

    def holds(self, job: Job) -> bool:
        """Whether undo or redo lead to a job, or it is the present one."""
        return any(state is job for _, state in self.history.states)

    def begin(self, job: Job, path: Path | None = None, saved: bool = True) -> None:
        """Take up another job, with the file it belongs to; saved : whether it is as it is there."""
        self.history, self._saved, self.path = History.begin(job), job if saved else None, path
        self._stamp = None if path is None else _stamp(path)
        self.replaced.emit()
        self.changed.emit()

    def file_under(self, path: Path, job: Job) -> None:
        """A job was written to a file: from now on that is this document's, unless another job was taken up meanwhile."""
        if not self.holds(job):
            return
        self.path, self._saved, self._stamp = path, job, _stamp(path)
        self.filed.emit()

    def change(self, label: str, job: Job) -> None:
        """Make another recipe the present one; another bench rests on the test of one's own that was made on it."""
        if job is not self.job:
            if job.bench is not self.job.bench:
                job = replace(job, bench=retested(job.bench))
            self.history = self.history.then(label, job)
            self.changed.emit()

    def undo(self) -> None:
        if label := self.history.undo_label:
            self.history = self.history.undo()
            self._messages.say(f"undone: {label}")
            self.changed.emit()

    def redo(self) -> None:
        if label := self.history.redo_label:
            self.history = self.history.redo()
            self._messages.say(f"done again: {label}")
            self.changed.emit()

    def set_bench(self, key: str, value: object, source: str = "set by hand") -> None:
        """Change one bench value; what is out of range is refused and told."""
        try:
            bench = self.job.bench.with_value(key, value, source)
        except WideBerthError as error:
            self._messages.warn(error.text)
            return
        section, _, name = key.partition(".")
        facts = next((f for f in facts_of(section) if f.key == name), None)
        shown = f"{value:g}" if isinstance(value, float) else value
        if facts is None:
            label = f"set {key}"
        else:
            label = f"leave {facts.words} out" if value is None else f"set {facts.words} to {shown} {facts.unit}".rstrip()
        self.change(label, replace(self.job, bench=bench))

    def use_section(self, section: str, part: object, source: str) -> None:
        """Put another printer, film, resin, ... on the bench."""
        bench = self.job.bench.with_section(section, part, source)
        self.change(f"use {getattr(part, 'name', section)}", replace(self.job, bench=bench))


def _stamp(path: Path) -> tuple[int, int] | None:
    """What changes whenever a file is written; None when it is not there."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size
