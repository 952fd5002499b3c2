"""The logbook as a table, and prints from one: comma-separated values, a line a print."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from wideberth.core.errors import BadLog
from wideberth.core.logbook.record import CAME_OFF, ENDED, FATES, Entry, PartOutcome, Told
from wideberth.core.logbook.rows import PLAIN
from wideberth.core.saving import write_safely

COLUMNS = (*PLAIN, *(f"told_{name}" for name in Told.__dataclass_fields__), "lost_tips", "alarms", "findings", "parts")
BEGINS_FORMULA = ("=", "+", "-", "@", "\t", "\r")
MOST_BYTES = 200_000_000
ENTRY: TypeAdapter[Entry] = TypeAdapter(Entry)
NUMBERS = {"seconds", "layers", "resin_g", "vat_c", "off_plate", "fitted"}


def log_csv(entries: Sequence[Entry]) -> str:
    """All that entries say, without curves and pictures; no text in it is taken for a formula."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(COLUMNS)
    for e in entries:
        values: list[Any] = [getattr(e, name) for name in PLAIN] + list(asdict(e.told).values())
        listed = [list(e.lost_tips), list(e.alarms), list(e.findings), [asdict(p) for p in e.parts]]
        writer.writerow([_cell(v) for v in values] + [json.dumps(v, ensure_ascii=False) for v in listed])
    return text.getvalue()


def write_log_csv(entries: Sequence[Entry], path: Path) -> None:
    """Write the table.

    Raises
    ------
    CannotWrite
    """
    write_safely(path, log_csv(entries).encode())


def read_log_csv(path: Path) -> list[Entry]:
    """Prints of a table that `write_log_csv` wrote, or that has its columns.

    Raises
    ------
    BadLog : names the line that cannot be.
    """
    try:
        if path.stat().st_size > MOST_BYTES:
            raise BadLog("is too large for a table of prints.", where=str(path))
        rows = csv.DictReader(io.StringIO(path.read_text(encoding="utf-8-sig")))
        if rows.fieldnames is None or not set(COLUMNS) <= set(rows.fieldnames):
            missing = sorted(set(COLUMNS) - set(rows.fieldnames or ()))
            raise BadLog(f"has no column `{missing[0]}`.", where=str(path), kept="Nothing was taken over.")
        return [_entry(row, f"{path}, line {number}") for number, row in enumerate(rows, 2)]
    except (OSError, UnicodeDecodeError, csv.Error) as error:
        raise BadLog("cannot be read as a table.", where=str(path), kept="Nothing was taken over.") from error


def _cell(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, datetime):
        return value.isoformat()
    text = str(value)
    return f"'{text}" if isinstance(value, str) and text.startswith((*BEGINS_FORMULA, "'")) else text


def _entry(row: dict[str, str], where: str) -> Entry:
    try:
        plain = {
            name: row[name].removeprefix("'") or (None if name in NUMBERS | {"finished", "warned"} else "") for name in PLAIN
        }
        told = {name: row[f"told_{name}"] or None for name in Told.__dataclass_fields__}
        listed = {name: json.loads(row[name]) for name in ("lost_tips", "alarms", "findings", "parts")}
        made = ENTRY.validate_python(plain | {"told": told} | listed)
    except (ValidationError, ValueError, KeyError, AttributeError, RecursionError) as error:
        why = f"{'.'.join(str(p) for p in error.errors()[0]['loc'])}" if isinstance(error, ValidationError) else "a list"
        raise BadLog(f"`{why}` is no value for that.", where=where, kept="Nothing was taken over.") from error
    if made.ended not in ENDED or made.came_off not in CAME_OFF or not _parts_fit(made.parts) or made.began.tzinfo is not None:
        raise BadLog("is no print.", where=where, kept="Nothing was taken over.")
    return made


def _parts_fit(parts: tuple[PartOutcome, ...]) -> bool:
    return len({p.number for p in parts}) == len(parts) and all(p.fate in FATES for p in parts)
