"""The logbook in a window: what of it is listed, the print that is chosen, and what prints teach; all read and written beside."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from wideberth.core.bench import Bench
from wideberth.core.logbook import (
    REAL,
    Accuracy,
    Behind,
    Entry,
    Exercise,
    Expected,
    Fit,
    Measured,
    Search,
    Service,
    TakenFit,
    accuracy_of,
    behind_of,
    by_printer,
    changed_values,
    close_abandoned,
    ended_entry,
    entry_for,
    expected_of,
    learn,
    learnt_bench,
    makers_of,
    utc_now,
)
from wideberth.core.predict import Prediction
from wideberth.core.progress import Progress
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.tasks import Tasks, Work
from wideberth.desktop.work import Task

if TYPE_CHECKING:
    from wideberth.core.logbook import Logbook

WAIT_MS = 5000
LOOK_MS = 2000
"""So often it is looked whether another window has written."""


@dataclass(frozen=True, eq=False)
class Listed:
    """What was read: entries of the search; who printed; and what all prints of the chosen maker say."""

    search: Search
    entries: tuple[Entry, ...]
    everything: tuple[Entry, ...]
    makers: tuple[str, ...]
    maker: str
    accuracy: Accuracy
    printers: dict[str, Accuracy]
    services: tuple[Service, ...]
    fits: tuple[TakenFit, ...]
    exercises: tuple[Exercise, ...]
    stamp: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class Details:
    """A print with all that the log has of it."""

    entry: Entry
    expected: Expected | None
    measured: Measured | None
    pictures: tuple[tuple[str, bytes], ...]


@dataclass(frozen=True)
class _Taken:
    """The fit that was taken over last: its number in the log, and the bench before and after it."""

    number: int
    before: Bench
    after: Bench
    state: str = "taken"


class Logging(QObject):
    """Signals: listed (something else is in it, or is searched for), chosen (another print, or more of it), learnt (a fit is
    there, or none any more), turned (another sheet)."""

    listed = Signal()
    chosen = Signal()
    learnt = Signal()
    turned = Signal()

    def __init__(self, document: Document, tasks: Tasks, messages: Messages, path: Path | None = None) -> None:
        super().__init__()
        self._document, self._tasks, self._messages, self._path = document, tasks, messages, path
        self._book: Logbook | None = None
        self._opening = threading.Lock()
        self._threads = QThreadPool(self)
        self._threads.setMaxThreadCount(1)  # so that what is written last is what stays
        self.known: Listed | None = None
        self.details: Details | None = None
        self.search = Search()
        self.maker = ""
        """Whose prints are learnt from and counted; "" for real printers where there are any."""
        self.sheet = "Prints"
        self.fit: Fit | None = None
        self.fit_bench: Bench | None = None
        self.ticked: frozenset[str] = frozenset()
        """Keys of the estimates that are to be taken over."""
        self.is_learning = False
        self._reading = self._again = False
        self._id, self._changes = "", 0
        self._taken: _Taken | None = None
        self._beat = QTimer(self)
        self._beat.setInterval(LOOK_MS)
        self._beat.timeout.connect(self._look)
        document.changed.connect(self._bench_changed)

    def book(self) -> Logbook:
        """The logbook, opened when it is first asked for; not on the interface thread.

        Raises
        ------
        BadLog, CannotWrite : see `Logbook`.
        """
        with self._opening:
            if self._book is None:
                from wideberth.core.logbook import Logbook  # its database library is slow to load

                self._book = Logbook(self._path)
            return self._book

    def end(self) -> None:
        """Let what is being written be written, before the window goes."""
        self._beat.stop()
        self._threads.waitForDone(WAIT_MS)

    def _do(self, work: Work, done: Callable[[Any], None], stopped: Callable[[], None] | None = None) -> None:
        """Do something to the logbook after all that was asked for before; what goes wrong is said in the status line."""

        def failed(text: str) -> None:
            self._messages.say(text)
            if stopped is not None:
                stopped()

        Task(work, done, failed, stopped).start(self._threads)

    # what is listed

    def look(self, wanted: bool) -> None:
        """Whether anyone looks at the log."""
        if wanted:
            self.read()
            self._beat.start()
        else:
            self._beat.stop()

    def turn_to(self, sheet: str) -> None:
        """Open another sheet of the page."""
        self.sheet = sheet
        self.turned.emit()

    def find(self, search: Search) -> None:
        """List what answers a search."""
        self.search = search
        self.read()

    def choose_maker(self, maker: str) -> None:
        """Learn from the prints of another maker, and count those."""
        self.maker, self.fit, self.fit_bench = maker, None, None
        self.learnt.emit()
        self.read()
        self.learn()

    @property
    def counted(self) -> tuple[Entry, ...]:
        """Prints of the chosen maker."""
        return () if self.known is None else tuple(e for e in self.known.everything if e.maker == self.known.maker)

    def read(self) -> None:
        """Read what is in it; once more when something was written meanwhile."""
        if self._reading:
            self._again = True
            return
        self._reading, self._again = True, False
        search, chosen = self.search, self.maker

        def work(_: Progress) -> Listed:
            book = self.book()
            close_abandoned(book)
            stamp = book.stamp()
            everything = tuple(book.entries())
            entries = everything if search == Search() else tuple(book.entries(search))
            makers = makers_of(everything)
            maker = chosen if chosen in makers else next(iter(makers), REAL)
            counted = [e for e in everything if e.maker == maker]
            return Listed(
                search,
                entries,
                everything,
                tuple(makers),
                maker,
                accuracy_of(counted),
                by_printer(counted),
                tuple(book.services()),
                tuple(book.fits()),
                tuple(book.exercises()),
                stamp,
            )

        def done(listed: Listed) -> None:
            self._reading = False
            self.known = listed
            self.listed.emit()
            self._refresh_details()
            if self._again:
                self.read()

        def over() -> None:
            self._reading = False

        self._do(work, done, over)

    def _look(self) -> None:
        if self._book is not None and self.known is not None and self._book.stamp() != self.known.stamp:
            self.read()

    # the chosen print

    def choose(self, id: str) -> None:
        """Show a print with all that is known of it."""
        self._id = id
        self._read_details()

    def _refresh_details(self) -> None:
        known = None if self.known is None else next((e for e in self.known.everything if e.id == self._id), None)
        if self.details is None or known is None or known != self.details.entry:
            self._read_details()

    def _read_details(self) -> None:
        id, changes = self._id, self._changes
        if not id:
            return

        def work(_: Progress) -> Details | None:
            book = self.book()
            if not book.has(id):
                return None
            return Details(book.entry(id), book.expected(id), book.measured(id), tuple(book.pictures(id)))

        def done(details: Details | None) -> None:
            if id == self._id and changes == self._changes:  # else a later one follows: what was changed is not shown as it was
                self.details = details
                self.chosen.emit()

        self._do(work, done)

    def change(self, change: Callable[[Entry], Entry]) -> None:
        """Change the chosen entry: shown at once, and written on what anyone else wrote meanwhile."""
        if self.details is None:
            return
        id, self._changes = self.details.entry.id, self._changes + 1
        self.details = replace(self.details, entry=change(self.details.entry))
        self.chosen.emit()
        self.carry_out(lambda book: book.change(id, change))

    def write_down(self, seen: Prediction) -> None:
        """A print of a plate that no device told of: it is chosen, and what is known of it is filled in by hand."""
        entry = replace(entry_for(seen), ended="done", finished=utc_now())

        def done(_: Any) -> None:
            self._messages.say("written down: fill in what became of it")
            self._id = entry.id
            self.read()
            self._read_details()

        self._do(lambda _: self.book().begin(entry, expected_of(seen), seen.job.bench), done)

    def close_chosen(self) -> None:
        """Write that the chosen run is over: whoever followed it was ended with it."""
        if self.details is not None:
            id = self.details.entry.id

            def act(book: Logbook) -> Entry:
                measured = book.measured(id)
                return book.finish(id, lambda entry: ended_entry(entry, "lost touch", measured))

            self.carry_out(act)

    def carry_out(self, act: Callable[[Logbook], Any], said: str = "") -> None:
        """Do something to the logbook, and read it again."""

        def done(_: Any) -> None:
            if said:
                self._messages.say(said)
            self.read()
            self._read_details()  # a picture changes nothing of the entry itself

        self._do(lambda _: act(self.book()), done)

    # what prints teach

    def learn(self) -> None:
        """Fit the coefficients of the present bench."""
        if self.is_learning:
            return
        bench, maker = self._document.job.bench, self.maker
        self.is_learning = True
        self.learnt.emit()

        def done(fit: Fit) -> None:
            self.is_learning = False
            if maker != self.maker:
                self.learn()
                return
            self.fit, self.fit_bench, self.ticked = fit, bench, frozenset(e.key for e in fit.of_use)
            self.learnt.emit()

        def over() -> None:
            self.is_learning = False
            self.learnt.emit()

        self._tasks.beside(lambda progress: learn(self.book(), bench, progress, maker), done, over)

    def tick(self, key: str, wanted: bool) -> None:
        """Whether an estimate is to be taken over, with the one that is only told as a sum with it."""
        keys = {key} if self.fit is None else self.fit.with_partner(key)
        self.ticked = self.ticked | keys if wanted else self.ticked - keys

    def take_ticked(self) -> None:
        """Take the chosen estimates over on the bench, as one change that can be undone; the log knows of it."""
        fit, job, keys = self.fit, self._document.job, tuple(sorted(self.ticked))
        if fit is None or job.bench != self.fit_bench or not keys:
            return
        bench = learnt_bench(job.bench, fit, keys)
        values = changed_values(job.bench, bench)
        self._document.change("take what prints teach", replace(job, bench=bench))
        taken = TakenFit(0, utc_now(), fit.group, fit.prints, values)

        def done(number: int) -> None:
            self._taken = _Taken(number, job.bench, bench)
            self._bench_changed()
            self.read()

        self._do(lambda _: self.book().take_fit(taken), done)

    def _bench_changed(self) -> None:
        """A fit is of a bench; and undo and redo of one that was taken over are written down."""
        bench, taken = self._document.job.bench, self._taken
        if taken is not None and bench in (taken.before, taken.after):
            state = "taken" if bench == taken.after else "taken back"
            if state != taken.state:
                self._taken = replace(taken, state=state)
                self.carry_out(lambda book: book.set_fit(taken.number, state))
        if self.fit is not None and self._document.job.bench != self.fit_bench:
            self.fit = self.fit_bench = None
            self.learnt.emit()

    @property
    def behind(self) -> Behind | None:
        """What film, screen, bath and vat of the bench's printer have behind them; None while it is not known."""
        if self.known is None:
            return None
        return behind_of(self.counted, self.known.services, self._document.job.bench.printer.name)
