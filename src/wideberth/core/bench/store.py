"""The user's own bench files: keep, duplicate, rename, reset, import, export, compare."""

from __future__ import annotations

import dataclasses
import re
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import tomli_w

from wideberth.core.bench.kinds import KINDS, KeyFacts, facts_of
from wideberth.core.bench.load import (
    SCHEMA,
    checked,
    find_file,
    load_file,
    load_named,
    names_of,
    own_file,
    read_toml,
    shipped_file,
    toml_of,
)
from wideberth.core.errors import BadBench, CannotWrite
from wideberth.core.saving import write_safely


def slug(name: str) -> str:
    """A file name for a printer, resin, ...: letters and digits, dashes between.

    Examples
    --------
    >>> slug("Harbour grey, 70 % / tough")
    'harbour-grey-70-tough'

    Raises
    ------
    BadBench : for a name without a letter or digit.
    """
    made = re.sub(r"[^\w]+", "-", name.lower(), flags=re.UNICODE).strip("-")[:60].strip("-")
    if not made:
        raise BadBench(f"`{name}` makes no file name.", where="bench", remedy="Use letters or digits.")
    return made


def is_own(kind: str, name: str) -> bool:
    """Whether a file of the user's stands behind a name."""
    return own_file(kind, name).is_file()


def save_own(kind: str, name: str, part: Any) -> Path:
    """Keep a checked section as the user's own file of that name."""
    path = own_file(kind, name)
    _write(kind, part, path)
    return path


def _write(kind: str, part: Any, path: Path) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(f"cannot be made ({error.strerror}).", where=str(path.parent)) from error
    write_safely(path, tomli_w.dumps({"schema": SCHEMA, "kind": kind} | toml_of(part)).encode())


def duplicate(kind: str, name: str, title: str) -> str:
    """A copy under another title; returns its file's name.

    Raises
    ------
    BadBench : when there is one of that name already.
    """
    copy = _fresh(kind, title)
    save_own(kind, copy, replace(load_file(kind, find_file(kind, name)[0]), name=title))
    return copy


def rename(kind: str, name: str, title: str) -> str:
    """Another title for one of the user's own files; returns the file's new name.

    Raises
    ------
    BadBench : for a file that ships with the program. CannotWrite : when it cannot be written.
    """
    if not is_own(kind, name) or shipped_file(kind, name):
        raise BadBench(f"`{name}` ships with the program and keeps its name.", where=kind, remedy="Duplicate it instead.")
    fresh = name if slug(title) == name else _fresh(kind, title)
    save_own(kind, fresh, replace(load_file(kind, own_file(kind, name)), name=title))
    if fresh != name:
        own_file(kind, name).unlink()
    return fresh


def _fresh(kind: str, title: str) -> str:
    made = slug(title)
    if made in names_of(kind):
        raise BadBench(f"there is a {kind} called `{made}` already.", where="bench", remedy="Choose another name.")
    return made


def reset(kind: str, name: str) -> str:
    """Take the user's own file away: what ships under that name shows again, or nothing does. Returns what was done."""
    if not is_own(kind, name):
        return f"{name} is as it ships"
    own_file(kind, name).unlink()
    return f"{name} is as it ships again" if shipped_file(kind, name) else f"{name} was taken away"


def export_file(kind: str, name: str, path: Path) -> None:
    """Write one file for somebody else, with its kind and schema."""
    _write(kind, load_file(kind, find_file(kind, name)[0]), path)


def import_file(path: Path) -> tuple[str, str]:
    """Take in a file that somebody exported; returns its kind and name. What is there already is never replaced.

    Raises
    ------
    BadBench : when it does not say its kind, or its values are refused (key and line are named).
    """
    entries, text = read_toml(path)
    kind = entries.pop("kind", None)
    if kind not in KINDS:
        raise BadBench(
            f"says no kind that we know ({kind!r}).", where=str(path), remedy=f"It needs `kind` = one of {', '.join(KINDS)}."
        )
    part = checked(kind, entries, str(path), text)
    name, number, title = slug(part.name), 1, part.name
    while name in names_of(kind):
        if load_named(kind, name) == part:
            return kind, name
        number += 1
        part = replace(part, name=f"{title} ({number})")
        name = slug(part.name)
    save_own(kind, name, part)
    return kind, name


@dataclass(frozen=True)
class Difference:
    """One key in which two sections differ."""

    facts: KeyFacts
    here: Any
    there: Any


def compare(kind: str, here: Any, there: Any) -> list[Difference]:
    """The keys in which two printers, resins, ... differ, names left out."""
    return [
        Difference(f, getattr(here, f.key), getattr(there, f.key))
        for f in facts_of(kind)
        if f.key != "name" and getattr(here, f.key) != getattr(there, f.key)
    ]


def shipped(kind: str, name: str) -> Any | None:
    """What ships under a name, whatever the user's own file says; None when nothing does."""
    file = shipped_file(kind, name)
    return load_file(kind, file) if file else None


def with_entry(part: Any, kind: str, key: str, value: Any) -> Any:
    """A section with one value changed and checked."""
    entries = {field.name: getattr(part, field.name) for field in dataclasses.fields(part)}
    return checked(kind, entries | {key: value}, part.name)
