"""The logbook: one SQLite file that several windows may write to, in which nothing is ever half written."""

from __future__ import annotations

import hashlib
import json
import os
import sqlite3
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict
from pathlib import Path
from typing import Any

import platformdirs
from sqlalchemy import URL, Connection, Engine, Select, create_engine, delete, event, func, insert, or_, select, update
from sqlalchemy.dialects.sqlite import insert as upsert
from sqlalchemy.exc import DatabaseError
from sqlalchemy.pool import NullPool

from wideberth.core.bench import Bench, bench_toml
from wideberth.core.errors import BadLog, CannotWrite
from wideberth.core.logbook.behind import Service
from wideberth.core.logbook.expected import Expected
from wideberth.core.logbook.expected_file import packed, unpacked
from wideberth.core.logbook.measured import Measured, Sample, measured_of, packed_measures, unpacked_measures
from wideberth.core.logbook.record import Entry, Exercise, Search, TakenFit
from wideberth.core.logbook.rows import entry_of, part_row, row_of
from wideberth.core.logbook.schema import (
    BENCHES,
    BLOBS,
    EXERCISES,
    FITS,
    PARTS,
    PRINTS,
    SAMPLES,
    SERVICES,
    refuse_strangers,
    upgrade,
)
from wideberth.core.saving import written_beside

BUSY_MS = 15_000
"""How long one window waits for another's write."""
MOST_PICTURE = 20_000_000
EXPECTED, MEASURED, PICTURE = "expected", "measured", "picture"


def logbook_file() -> Path:
    """Where the user's logbook lives."""
    return Path(platformdirs.user_data_dir("wide-berth")) / "logbook.sqlite"


class Logbook:
    """A logbook at a path; made where there is none.

    Raises
    ------
    BadLog : for a file that is no logbook, or one of a later version. CannotWrite : where it cannot be made.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or logbook_file()
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise CannotWrite(f"cannot be made ({error.strerror}).", where=str(self.path.parent)) from error
        self.engine = _engine(self.path)
        with self._told_in_words():
            refuse_strangers(self.path)
            upgrade(self.engine)

    # what is there

    def entries(self, of: Search | None = None) -> list[Entry]:
        """Entries, the newest first."""
        wanted = _asked(of or Search())
        with self._reading() as connection:
            rows = connection.execute(wanted).all()
            ids = wanted.with_only_columns(PRINTS.c.id).order_by(None) if of is None or of.limit is None else None
            which = PARTS.c.print.in_(ids if ids is not None else [r.id for r in rows])
            parts: dict[str, list[Any]] = {}
            for row in connection.execute(select(PARTS).where(which).order_by(PARTS.c.print, PARTS.c.number)).all():
                parts.setdefault(row.print, []).append(row)
        return [entry_of(row, parts.get(row.id, [])) for row in rows]

    def entry(self, id: str) -> Entry:
        """One entry.

        Raises
        ------
        BadLog : when there is none of that id.
        """
        with self._reading() as connection:
            return self._entry(connection, id)

    def has(self, id: str) -> bool:
        """Whether a print of that id is in it."""
        with self._reading() as connection:
            return connection.execute(select(PRINTS.c.id).where(PRINTS.c.id == id)).first() is not None

    def count(self) -> int:
        """How many prints it has."""
        with self._reading() as connection:
            return int(connection.execute(select(func.count()).select_from(PRINTS)).scalar_one())

    def expected(self, id: str) -> Expected | None:
        """What was expected of a print, None where that is not known."""
        content = self._blob(id, EXPECTED)
        return None if content is None else unpacked(content, f"{self.path}, {id}")

    def measured(self, id: str) -> Measured | None:
        """What was measured of a print, None where nothing was; of one under way, all until now."""
        content = self._blob(id, MEASURED)
        if content is not None:
            return unpacked_measures(content, f"{self.path}, {id}")
        with self._reading() as connection:
            return self._samples(connection, id)

    def bench(self, id: str) -> str | None:
        """The bench that a print was predicted with, as TOML."""
        with self._reading() as connection:
            asked = select(BENCHES.c.toml).join(PRINTS, PRINTS.c.bench == BENCHES.c.hash).where(PRINTS.c.id == id)
            return connection.execute(asked).scalar()

    def pictures(self, id: str) -> list[tuple[str, bytes]]:
        """Pictures of a print, by name."""
        asked = select(BLOBS.c.name, BLOBS.c.content).where(BLOBS.c.print == id, BLOBS.c.kind == PICTURE).order_by(BLOBS.c.name)
        with self._reading() as connection:
            return [(r.name, r.content) for r in connection.execute(asked)]

    def stamp(self) -> tuple[int, ...]:
        """Something that changes whenever anyone writes to it."""
        stamps: list[int] = []
        for file in (self.path, Path(f"{self.path}-wal")):
            try:
                stat = os.stat(file)
                stamps += [stat.st_mtime_ns, stat.st_size]
            except OSError:
                stamps += [0, 0]
        return tuple(stamps)

    # what is written

    def begin(self, entry: Entry, expected: Expected | None = None, bench: Bench | None = None) -> None:
        """Write a new print, with what is expected of it.

        Raises
        ------
        BadLog : when one of that id is there. CannotWrite : see `Logbook`.
        """
        with self._writing() as connection:
            if connection.execute(select(PRINTS.c.id).where(PRINTS.c.id == entry.id)).first():
                raise BadLog(f"print `{entry.id}` is in it already.", where=str(self.path))
            row = row_of(entry)
            if bench is not None:
                toml = bench_toml(bench)
                row["bench"] = hashlib.sha256(toml.encode()).hexdigest()
                connection.execute(upsert(BENCHES).values(hash=row["bench"], toml=toml).on_conflict_do_nothing())
            self._insert(connection, entry, row)
            if expected is not None:
                content = packed(expected.kept())
                connection.execute(insert(BLOBS).values(print=entry.id, kind=EXPECTED, name="", content=content))

    def add_samples(self, id: str, samples: Sequence[Sample]) -> None:
        """Write layers as they come; one that is there already is written over."""
        if not samples:
            return
        with self._writing() as connection:
            rows = [{"print": id} | asdict(s) for s in samples]
            connection.execute(insert(SAMPLES).prefix_with("OR REPLACE"), rows)

    def change(self, id: str, change: Callable[[Entry], Entry]) -> Entry:
        """Change an entry as it is now, whoever wrote it last; what it is then.

        Raises
        ------
        BadLog : when there is none of that id.
        """
        with self._writing() as connection:
            return self._changed(connection, id, change)

    def finish(self, id: str, change: Callable[[Entry], Entry]) -> Entry:
        """Change the entry of a run that is over; its layers become one record, with the entry or not at all.

        Raises
        ------
        BadLog : when there is none of that id.
        """
        with self._writing() as connection:
            entry = self._changed(connection, id, change)
            of = self._samples(connection, id)
            if of is not None:
                values = {"print": id, "kind": MEASURED, "name": "", "content": packed_measures(of)}
                connection.execute(insert(BLOBS).prefix_with("OR REPLACE").values(**values))
                connection.execute(delete(SAMPLES).where(SAMPLES.c.print == id))
            return entry

    def add_picture(self, id: str, name: str, content: bytes) -> None:
        """Keep a picture with a print.

        Raises
        ------
        BadLog : when it is too large.
        """
        if len(content) > MOST_PICTURE:
            raise BadLog(f"is over {MOST_PICTURE / 1e6:.0f} MB.", where=name, remedy="Make it smaller first.")
        with self._writing() as connection:
            values = {"print": id, "kind": PICTURE, "name": name[:120], "content": content}
            connection.execute(insert(BLOBS).prefix_with("OR REPLACE").values(**values))

    def remove(self, id: str) -> None:
        """Take a print out of the log, with all that belongs to it."""
        with self._writing() as connection:
            connection.execute(delete(PRINTS).where(PRINTS.c.id == id))

    def add_all(self, entries: Iterable[Entry]) -> int:
        """Write entries that are not there yet, all of them or none; how many those were."""
        added = 0
        with self._writing() as connection:
            there = set(connection.execute(select(PRINTS.c.id)).scalars())
            for entry in entries:
                if entry.id in there:
                    continue
                there.add(entry.id)
                self._insert(connection, entry, row_of(entry))
                added += 1
        return added

    def back_up(self, path: Path) -> None:
        """A whole copy, while anyone may be writing.

        Raises
        ------
        CannotWrite
        """
        with written_beside(path) as temporary, self._told_in_words():
            source, target = sqlite3.connect(self.path), sqlite3.connect(temporary)
            try:
                source.backup(target)
            finally:
                source.close()
                target.close()

    # what was learnt, changed and tried

    def services(self) -> list[Service]:
        """What was changed on printers, the latest first."""
        with self._reading() as connection:
            rows = connection.execute(select(SERVICES).order_by(SERVICES.c.at.desc(), SERVICES.c.id.desc())).all()
        return [Service(r.at, r.printer, r.what, r.note) for r in rows]

    def add_service(self, service: Service) -> None:
        """Write that something was changed on a printer."""
        with self._writing() as connection:
            connection.execute(insert(SERVICES).values(**asdict(service)))

    def fits(self) -> list[TakenFit]:
        """Fits that were taken over on a bench, the latest first, and whether they were taken back."""
        with self._reading() as connection:
            rows = connection.execute(select(FITS).order_by(FITS.c.id.desc())).all()
        return [TakenFit(r.id, r.at, (r.printer, r.resin, r.film), r.prints, json.loads(r.estimates), r.state) for r in rows]

    def take_fit(self, fit: TakenFit) -> int:
        """Write that a fit was taken over; its number."""
        printer, resin, film = fit.group
        values = {"at": fit.at, "printer": printer, "resin": resin, "film": film, "prints": fit.prints, "state": fit.state}
        with self._writing() as connection:
            made = connection.execute(insert(FITS).values(**values, estimates=json.dumps(fit.values)))
            return int(made.inserted_primary_key[0])  # type: ignore[index]

    def set_fit(self, number: int, state: str) -> None:
        """Write that a fit was taken back, or taken again."""
        with self._writing() as connection:
            connection.execute(update(FITS).where(FITS.c.id == number).values(state=state))

    def exercises(self) -> list[Exercise]:
        """What was tried on the trainer's shelf, the latest first."""
        with self._reading() as connection:
            rows = connection.execute(select(EXERCISES).order_by(EXERCISES.c.id.desc())).all()
        return [Exercise(r.at, r.model, r.seed, json.loads(r.guess), json.loads(r.result), r.score) for r in rows]

    def add_exercise(self, exercise: Exercise) -> None:
        """Write what was tried."""
        values = asdict(exercise) | {"guess": json.dumps(exercise.guess), "result": json.dumps(exercise.result)}
        with self._writing() as connection:
            connection.execute(insert(EXERCISES).values(**values))

    # the tables

    def _entry(self, connection: Connection, id: str) -> Entry:
        row = connection.execute(select(PRINTS).where(PRINTS.c.id == id)).first()
        if row is None:
            raise BadLog(f"no print `{id}` is in it.", where=str(self.path))
        parts = connection.execute(select(PARTS).where(PARTS.c.print == id).order_by(PARTS.c.number)).all()
        return entry_of(row, list(parts))

    def _insert(self, connection: Connection, entry: Entry, row: dict[str, Any]) -> None:
        connection.execute(insert(PRINTS).values(**row))
        if entry.parts:
            connection.execute(insert(PARTS), [part_row(entry, p) for p in entry.parts])

    def _samples(self, connection: Connection, id: str) -> Measured | None:
        """Layers of a run under way, None where there are none."""
        rows = connection.execute(select(SAMPLES).where(SAMPLES.c.print == id)).all()
        return measured_of(Sample(r.layer, r.at_s, r.seconds, r.pull_n, r.vat_g, r.vat_c) for r in rows) if rows else None

    def _changed(self, connection: Connection, id: str, change: Callable[[Entry], Entry]) -> Entry:
        entry = change(self._entry(connection, id))
        connection.execute(update(PRINTS).where(PRINTS.c.id == entry.id).values(**row_of(entry)))
        connection.execute(delete(PARTS).where(PARTS.c.print == entry.id))
        if entry.parts:
            connection.execute(insert(PARTS), [part_row(entry, p) for p in entry.parts])
        return entry

    def _blob(self, id: str, kind: str) -> bytes | None:
        with self._reading() as connection:
            return connection.execute(select(BLOBS.c.content).where(BLOBS.c.print == id, BLOBS.c.kind == kind)).scalar()

    @contextmanager
    def _reading(self) -> Iterator[Connection]:
        with self._told_in_words(), self.engine.connect() as connection:
            yield connection

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        """A transaction that holds the file from its start, so that what it read is still so when it writes."""
        with self._told_in_words(), self.engine.connect().execution_options(writes=True) as connection, connection.begin():
            yield connection

    @contextmanager
    def _told_in_words(self) -> Iterator[None]:
        try:
            yield
        except (DatabaseError, sqlite3.Error) as error:
            why = str(getattr(error, "orig", error))
            if "readonly" in why or "full" in why or "locked" in why or "unable to open" in why:
                raise CannotWrite(
                    f"cannot be written ({why}).", where=str(self.path), kept="What it held is untouched.", remedy="Make room."
                ) from error
            raise BadLog(
                f"cannot be read ({why}).",
                where=str(self.path),
                kept="It is untouched.",
                remedy="Move it away, or bring back a backup.",
            ) from error


def _engine(path: Path) -> Engine:
    """An engine whose transactions begin when they say so, and whose writes reach the disk."""
    engine = create_engine(URL.create("sqlite", database=str(path)), poolclass=NullPool)

    @event.listens_for(engine, "connect")
    def set_up(connection: sqlite3.Connection, _record: object) -> None:
        connection.isolation_level = None  # SQLAlchemy says BEGIN itself
        for pragma in (f"busy_timeout = {BUSY_MS}", "journal_mode = WAL", "synchronous = FULL", "foreign_keys = ON"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def begin(connection: Connection) -> None:
        writes = connection.get_execution_options().get("writes", False)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    return engine


def _asked(of: Search) -> Select[Any]:
    """The rows that are asked for, the newest first."""
    wanted = select(PRINTS).order_by(PRINTS.c.began.desc(), PRINTS.c.id)
    for column, value in ((PRINTS.c.printer, of.printer), (PRINTS.c.resin, of.resin), (PRINTS.c.film, of.film)):
        if value:
            wanted = wanted.where(column == value)
    for word in of.words.split():
        places = (PRINTS.c.job, PRINTS.c.plate, PRINTS.c.note, PRINTS.c.printer, PRINTS.c.resin, PRINTS.c.film, PRINTS.c.cause)
        wanted = wanted.where(or_(*(place.icontains(word, autoescape=True) for place in places)))
    if of.failed is not None:
        wanted = wanted.where(PRINTS.c.failed.is_(of.failed))
    if of.since is not None:
        wanted = wanted.where(PRINTS.c.began >= of.since)
    if of.until is not None:
        wanted = wanted.where(PRINTS.c.began < of.until)
    return wanted if of.limit is None else wanted.limit(of.limit)
