"""Bench files in and out: TOML with units in the keys, checked, overridable by the user.

Shipped files lie in `data/KIND/NAME.toml`; a user's own file of the same name in the platform's data folder
(`wide-berth/bench/KIND/NAME.toml`) takes its place. A bench file names one of each section and may override any key.
"""

from __future__ import annotations

import dataclasses
import tomllib
from importlib import resources
from pathlib import Path, PurePath
from typing import Any, cast

import platformdirs
import tomli_w
from pydantic import TypeAdapter, ValidationError

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.kinds import FITTED_TABLE, KINDS, SECTIONS, TESTED, UNIT_SUFFIXES, keys_of
from wideberth.core.bench.learnt import fitted_counts, source_of_fit
from wideberth.core.bench.mix import mixed
from wideberth.core.bench.schema import Mix, Resin, Tested
from wideberth.core.errors import BadBench
from wideberth.core.naming import cleaned

SCHEMA = 1
"""Version of the bench files. A later one is refused; earlier ones would be carried over here."""
LONGEST_NAME = 60
"""Characters of a file's name, whatever they take as bytes."""
DEFAULT = "standard"
RETIRED: dict[str, dict[str, tuple[str, ...]]] = {
    "laws": {"clinging_mm": (), "time_spread": ("time_less_share", "time_more_share"), "scrape_factor": ()},
    "house": {"minutes_per_mark_mm2": ()},
}
"""Keys that older files have, and the keys that take their values over."""


def user_folder() -> Path:
    """Where the user's own bench files live."""
    return Path(platformdirs.user_data_dir("wide-berth")) / "bench"


def checked(kind: str, entries: dict[str, Any], where: str, text: str = "") -> Any:
    """The dataclass of a kind from raw entries.

    Raises
    ------
    BadBench : names the key, its line in `text` if given, and what is wrong.
    """
    try:
        return TypeAdapter(Tested if kind == TESTED else KINDS[kind]).validate_python(entries)
    except ValidationError as error:
        first = min(error.errors(), key=lambda e: e["type"] == "missing")  # a misspelt key says more than what it leaves out
        key = ".".join(str(piece) for piece in first["loc"]) or "file"
        line = _line_of(str(first["loc"][0]) if first["loc"] else "", text, kind)
        place = f"{where}, line {line}" if line else where
        given = "" if first["type"] == "missing" else f" = {first.get('input')!r}"
        raise BadBench(
            f"`{kind}.{key}`{given}: {first['msg'].lower()}.",
            where=place,
            kept="The bench in use is unchanged.",
            remedy=_unit_hint(kind, key),
        ) from error


def _line_of(key: str, text: str, table: str) -> int:
    """Line of a key: in its own table when the file has that table, else the first of that name."""
    lines = text.splitlines()
    start = next((n for n, line in enumerate(lines) if line.strip() == f"[{table}]"), 0)
    for number, line in enumerate(lines[start:], start + 1):
        if key and line.split("=")[0].strip().strip('"') == key:
            return number
    return 0


def _unit_hint(kind: str, key: str) -> str:
    """Suggest the right key when a unit was left off or mistaken."""
    names = [] if kind == TESTED else keys_of(kind)
    if key in names:
        return ""
    stem = key
    for ending, _ in UNIT_SUFFIXES:
        if key.endswith(ending):
            stem = key.removesuffix(ending)
            break
    near = [name for name in names if name.startswith(stem)]
    return f"Did you mean `{near[0]}`?" if near else "The keys are listed in docs/formats.md."


def read_toml(path: Path) -> tuple[dict[str, Any], str]:
    """Tables and text of a TOML file whose schema we know.

    Raises
    ------
    BadBench : when it cannot be read, is no TOML (the line is named), or was written by a later version.
    """
    try:
        text = path.read_text(encoding="utf-8")
        entries = tomllib.loads(text)
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise BadBench(
            f"cannot be read as TOML ({error}).", where=str(path), remedy="Look at an example with `wide-berth bench`."
        ) from error
    return without_schema(entries, str(path)), text


def without_schema(entries: dict[str, Any], where: str) -> dict[str, Any]:
    """The entries less their `schema`, which is checked."""
    version = entries.pop("schema", SCHEMA)
    if not isinstance(version, int) or version < 1:
        raise BadBench(f"`schema` = {version!r} is no version.", where=where, remedy=f"Write `schema = {SCHEMA}`.")
    if version > SCHEMA:
        raise BadBench(f"was written for a later version (schema {version}).", where=where, remedy="Update Wide Berth.")
    return entries


def shipped_file(kind: str, name: str) -> Path | None:
    """The shipped file of a name, or None."""
    file = Path(str(resources.files("wideberth.core.bench") / "data" / kind / f"{name}.toml"))
    return file if file.is_file() else None


def own_file(kind: str, name: str) -> Path:
    """Where the user's own file of a name lies or would lie."""
    return user_folder() / kind / f"{name}.toml"


def find_file(kind: str, name: str) -> tuple[Path, str]:
    """The file of a named printer, film, ... and whether it is the user's or shipped.

    Raises
    ------
    BadBench : when nothing is called so, and for what can be no name of a file.
    """
    known = ", ".join(names_of(kind))
    if PurePath(name).name != name or name.startswith("."):
        raise BadBench(f"`{cleaned(name)}` is no name of a {kind} but a path.", where=kind, remedy=f"Known: {known}.")
    if len(name) > LONGEST_NAME:
        raise BadBench(f"`{cleaned(name)}…` is too long for a name of a {kind}.", where=kind, remedy=f"Known: {known}.")
    own = own_file(kind, name)
    if own.is_file():
        return own, f"your file {own.name}"
    if shipped := shipped_file(kind, name):
        return shipped, "default"
    raise BadBench(f"no {kind} is called `{cleaned(name)}`.", where=str(own), remedy=f"Known: {known}.")


def names_of(kind: str) -> list[str]:
    """Names of all shipped and own files of a kind."""
    shipped = Path(str(resources.files("wideberth.core.bench") / "data" / kind))
    own = user_folder() / kind
    return sorted({p.stem for folder in (shipped, own) if folder.is_dir() for p in folder.glob("*.toml")})


def shipped_names(kind: str) -> list[str]:
    """Names of the shipped files of a kind."""
    return sorted(p.stem for p in Path(str(resources.files("wideberth.core.bench") / "data" / kind)).glob("*.toml"))


def load_file(kind: str, path: Path) -> Any:
    """The checked content of a bench file of a kind.

    Raises
    ------
    BadBench : when it cannot be read, or holds what cannot be.
    """
    entries, text = read_toml(path)
    declared = entries.pop("kind", kind)
    entries = _carried_over(kind, entries)
    if declared != kind:
        raise BadBench(f"holds a {declared}, not a {kind}.", where=str(path))
    return checked(kind, entries, str(path), text)


def _carried_over(kind: str, entries: dict[str, Any]) -> dict[str, Any]:
    """The entries of a section without retired keys, whose values go to those that took their place."""
    retired = RETIRED.get(kind, {})
    heirs = {heir: value for key, value in entries.items() for heir in retired.get(key, ()) if heir not in entries}
    return {key: value for key, value in entries.items() if key not in retired} | heirs


def load_named(kind: str, name: str) -> Any:
    """A printer, film, resin, mix, ... by its file's name; a mix by the name of a resin is worked out."""
    if kind == "resin" and name not in names_of("resin") and name in names_of("mix"):
        return mixed(cast(Mix, load_named("mix", name)), lambda one: cast(Resin, load_named("resin", one)))
    return load_file(kind, find_file(kind, name)[0])


def load_bench(path: Path | None = None) -> Bench:
    """The standard bench, or the one described by a bench file.

    Parameters
    ----------
    path : a TOML file with tables `[printer]`, `[film]`, `[resin]`, `[print]`, `[station]`, `[laws]`, `[supports]`, `[house]`,
        each with an optional `use = "NAME"` (default `standard`) and any keys to override. A table that gives every key that
        has no default, and names no other, stands by itself.

    Raises
    ------
    BadBench : when a file is missing, not TOML, or holds an unknown key or a value out of range.
    """
    wanted: dict[str, Any] = {}
    text = ""
    if path is not None:
        wanted, text = read_toml(path)
        for own in (TESTED, FITTED_TABLE):
            wanted.pop(own, None)  # another's test, and another's prints, say nothing of this workshop
    return bench_from(wanted, text, str(path or "bench"))


def bench_from(wanted: dict[str, Any], text: str, where: str) -> Bench:
    """A bench from the tables of a bench file (see `load_bench`).

    Raises
    ------
    BadBench : for a table that is none of a bench's, or a value out of range.
    """
    strange = [kind for kind in without_schema(wanted, where) if kind not in (*SECTIONS, TESTED, FITTED_TABLE)]
    if strange:
        raise BadBench(f"`[{strange[0]}]` is no table of a bench.", where=where, remedy=f"Use {', '.join(SECTIONS)}.")
    parts: dict[str, Any] = {}
    sources: list[tuple[str, str]] = []
    for kind in SECTIONS:
        table = wanted.get(kind, {})
        if not isinstance(table, dict):
            raise BadBench(f"`{kind}` must be a table.", where=where)
        overrides = _carried_over(kind, table)
        name = overrides.pop("use", DEFAULT)
        if not isinstance(name, str):
            raise BadBench("`use` must be a name.", where=f"{where}, [{kind}]", remedy=f"Known: {', '.join(names_of(kind))}.")
        if "use" not in table and _is_whole(kind, overrides):
            part = checked(kind, overrides, where, text)  # what it leaves out is not known; it is not the standard's
        else:
            part = load_named(kind, name)
            if overrides:
                part = checked(kind, _entries(part) | overrides, where, text)
        parts[kind] = part
        sources.append((kind, source_of(kind, name)))
        sources += [(f"{kind}.{key}", where) for key in overrides]
    sources += _fitted_sources(wanted.get(FITTED_TABLE, {}), where)
    tested = wanted.get(TESTED)
    return Bench(**parts, sources=tuple(sources), tested=None if tested is None else checked(TESTED, tested, where, text))


def _fitted_sources(table: Any, where: str) -> list[tuple[str, str]]:
    """Sources of values that prints taught, as a job keeps them.

    Raises
    ------
    BadBench : for what are no counts of prints by key.
    """
    keys = {f"{section}.{key}" for section in SECTIONS for key in keys_of(section)}
    if not isinstance(table, dict) or any(k not in keys or type(n) is not int or n < 1 for k, n in table.items()):
        raise BadBench("`fitted` must say from how many prints each key was fitted.", where=where)
    return [(key, source_of_fit(number)) for key, number in table.items()]


def _is_whole(kind: str, entries: dict[str, Any]) -> bool:
    """Whether a section's entries say all that one must say, so that it stands on nothing else."""
    return all(
        field.name in entries
        for field in dataclasses.fields(KINDS[kind])
        if field.default is dataclasses.MISSING and field.default_factory is dataclasses.MISSING
    )


def source_of(kind: str, name: str) -> str:
    """Where the values of a named file come from, as a person reads it."""
    if kind == "resin" and name not in names_of("resin"):
        return f"computed from the mix {name}"
    source = find_file(kind, name)[1]
    return f"shipped {name}" if source == "default" and name != DEFAULT else source


def _entries(part: Any) -> dict[str, Any]:
    """Keys and values of a checked section."""
    return {field.name: getattr(part, field.name) for field in dataclasses.fields(part)}


def told_apart(bench: Bench, source: str) -> Bench:
    """The bench with each value's source set: prints where they taught it, `default` where it equals the standard bench's, else
    `source`."""
    standard, fitted = {b.key: b.value for b in load_bench().values()}, fitted_counts(bench)

    def of(key: str, value: object) -> str:
        return source_of_fit(fitted[key]) if key in fitted else "default" if standard.get(key) == value else source

    sources = tuple((b.key, of(b.key, b.value)) for b in bench.values())
    return dataclasses.replace(bench, sources=sources)


def toml_of(part: Any) -> dict[str, Any]:
    """What TOML can hold of a checked section: unknown values and empty lists are left out."""
    plain = TypeAdapter(type(part)).dump_python(part, mode="json")
    return {key: value for key, value in plain.items() if value is not None and value != []}


def bench_toml(bench: Bench) -> str:
    """The whole bench as one TOML text that `load_bench` reads back to the same values."""
    tables = {kind: toml_of(getattr(bench, kind)) for kind in SECTIONS}
    if fitted := fitted_counts(bench):
        tables[FITTED_TABLE] = dict(fitted)
    if bench.tested is not None:
        tables[TESTED] = toml_of(bench.tested)
    head = "# Every value of a bench; keep only the keys you want to override.\n"
    return head + tomli_w.dumps({"schema": SCHEMA} | tables)
