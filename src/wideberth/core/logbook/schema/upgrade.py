"""Bring a logbook's tables up to the present ones, whole or not at all."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from sqlalchemy import Engine, inspect, text

from wideberth.core.errors import BadLog
from wideberth.core.logbook.schema.tables import HEAD

VERSIONS = Path(__file__).parent


def refuse_strangers(path: Path) -> None:
    """Refuse a database that is no logbook before anything of it is changed.

    Raises
    ------
    BadLog : for one. sqlite3.Error : for what is no database.
    """
    if not path.is_file() or path.stat().st_size == 0:
        return
    connection = sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)
    try:
        names = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    finally:
        connection.close()
    if names and "alembic_version" not in names:
        raise BadLog("is a database, but no logbook.", where=str(path), kept="It is untouched.")


def version_of(engine: Engine) -> str:
    """The version of a logbook's tables; "" for an empty file."""
    with engine.connect() as connection:
        if "alembic_version" not in inspect(connection).get_table_names():
            return ""
        return str(connection.execute(text("SELECT version_num FROM alembic_version")).scalar() or "")


def upgrade(engine: Engine, to: str = HEAD) -> None:
    """Bring the tables up to a version; a copy of an older logbook is kept beside it.

    Raises
    ------
    BadLog : for a logbook of a later version.
    """
    now = version_of(engine)
    if now == to:
        return
    if now > to:
        raise BadLog(
            f"was written by a later version ({now}).",
            where=str(engine.url.database),
            kept="It is untouched.",
            remedy="Update Wide Berth.",
        )
    from alembic import command  # half a second to load, and needed once
    from alembic.config import Config

    if now and engine.url.database:
        _copy(Path(engine.url.database), Path(f"{engine.url.database}.before-{to}"))
    config = Config()
    config.set_main_option("script_location", str(VERSIONS))
    with engine.connect().execution_options(writes=True) as connection, connection.begin():
        config.attributes["connection"] = connection
        command.upgrade(config, to)


def _copy(source: Path, target: Path) -> None:
    """A whole copy of a database that others may be using."""
    one, other = sqlite3.connect(source), sqlite3.connect(target)
    try:
        one.backup(other)
    finally:
        one.close()
        other.close()
