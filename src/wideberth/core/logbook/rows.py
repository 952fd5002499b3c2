"""Entries as rows of the tables, and back."""

from __future__ import annotations

import json
from dataclasses import asdict
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from pydantic import TypeAdapter, ValidationError

from wideberth.core.errors import BadLog
from wideberth.core.logbook.record import Entry, PartOutcome, Scars, Spot, Told

if TYPE_CHECKING:
    from sqlalchemy import Row

PLAIN = (
    "id", "began", "finished", "job", "plate", "recipe", "variant", "printer", "film", "resin", "settings", "source", "ended",
    "seconds", "layers", "resin_g", "vat_c", "came_off", "off_plate", "cause", "warned", "fitted", "note", "film_torn",
)  # fmt: skip
"""Fields of an entry that are columns of their own."""
TOLD = TypeAdapter(Told)
TEXTS: TypeAdapter[tuple[str, ...]] = TypeAdapter(tuple[str, ...])
SPOTS: TypeAdapter[tuple[Spot, ...]] = TypeAdapter(tuple[Spot, ...])
SCARS: TypeAdapter[tuple[Scars, ...]] = TypeAdapter(tuple[Scars, ...])
TIPS: TypeAdapter[tuple[int, ...]] = TypeAdapter(tuple[int, ...])


CACHED = 4096
"""Lists that are read again and again: most prints have the same few findings, and no alarms."""


@lru_cache(CACHED)
def _texts(content: str) -> tuple[str, ...]:
    return TEXTS.validate_json(content)


@lru_cache(CACHED)
def _tips(content: str) -> tuple[int, ...]:
    return TIPS.validate_json(content)


@lru_cache(CACHED)
def _spots(content: str) -> tuple[Spot, ...]:
    return SPOTS.validate_json(content)


@lru_cache(CACHED)
def _scars(content: str) -> tuple[Scars, ...]:
    return SCARS.validate_json(content)


def row_of(entry: Entry) -> dict[str, Any]:
    """The columns of a print; its parts have rows of their own."""
    return {name: getattr(entry, name) for name in PLAIN} | {
        "told": json.dumps(asdict(entry.told)),
        "alarms": json.dumps(entry.alarms),
        "lost_tips": json.dumps(entry.lost_tips),
        "findings": json.dumps(entry.findings),
        "failed": entry.failed,
    }


def part_row(entry: Entry, part: PartOutcome) -> dict[str, Any]:
    """The columns of a part."""
    return {
        "print": entry.id,
        "number": part.number,
        "name": part.name,
        "fate": part.fate,
        "lost_layer": part.lost_layer,
        "spots": json.dumps([asdict(s) for s in part.spots]),
        "scars": json.dumps([asdict(s) for s in part.scars]),
    }


def entry_of(row: Row[Any], parts: list[Row[Any]]) -> Entry:
    """What a row and the rows of its parts say.

    Raises
    ------
    BadLog : for a row that cannot be.
    """
    r = row._mapping
    try:
        return Entry(
            told=TOLD.validate_json(r["told"]),
            alarms=_texts(r["alarms"]),
            lost_tips=_tips(r["lost_tips"]),
            findings=_texts(r["findings"]),
            parts=tuple(_part_of(p) for p in parts),
            **{name: r[name] for name in PLAIN},
        )
    except ValidationError as error:
        raise BadLog(f"holds an entry that cannot be read ({r['id']}).", where="the log") from error


def _part_of(row: Row[Any]) -> PartOutcome:
    _, number, name, fate, lost_layer, spots, scars = tuple(row)
    return PartOutcome(number, name, fate, lost_layer, _spots(spots), _scars(scars))
