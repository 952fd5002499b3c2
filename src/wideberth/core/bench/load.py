"""Bench files in and out: TOML with units in the keys, checked, overridable by the user.

Shipped files lie in `data/KIND/NAME.toml`; a user's own file of the same name in the platform's data folder
(`wide-berth/bench/KIND/NAME.toml`) takes its place. A bench file names one of each kind and may override any key.
"""

from __future__ import annotations

import dataclasses
import tomllib
from importlib import resources
from pathlib import Path
from typing import Any

import platformdirs
from pydantic import TypeAdapter, ValidationError

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.schema import KINDS, UNIT_SUFFIXES
from wideberth.core.errors import BadBench

DEFAULTS = {kind: "standard" for kind in KINDS}


def user_folder() -> Path:
    """Where the user's own bench files live."""
    return Path(platformdirs.user_data_dir("wide-berth")) / "bench"


def checked(kind: str, entries: dict[str, Any], where: str, text: str = "") -> Any:
    """The dataclass of a bench section from raw entries.

    Raises
    ------
    BadBench : names the key, its line in `text` if given, and what is wrong.
    """
    try:
        return TypeAdapter(KINDS[kind]).validate_python(entries)
    except ValidationError as error:
        first = error.errors()[0]
        key = ".".join(str(piece) for piece in first["loc"]) or "file"
        line = _line_of(key, text)
        place = f"{where}, line {line}" if line else where
        raise BadBench(
            f"`{kind}.{key}` = {first.get('input')!r}: {first['msg'].lower()}.",
            where=place,
            kept="The bench in use is unchanged.",
            remedy=_unit_hint(kind, key),
        ) from error


def _line_of(key: str, text: str) -> int:
    for number, line in enumerate(text.splitlines(), 1):
        if line.split("=")[0].strip() == key:
            return number
    return 0


def _unit_hint(kind: str, key: str) -> str:
    """Suggest the right key when a unit was left off or mistaken."""
    names = [field.name for field in dataclasses.fields(KINDS[kind])]
    if key in names:
        return ""
    stem = key
    for ending, _ in UNIT_SUFFIXES:
        if key.endswith(ending):
            stem = key.removesuffix(ending)
            break
    near = [name for name in names if name.startswith(stem)]
    return f"Did you mean `{near[0]}`?" if near else "The keys are listed in docs/formats.md."


def _read_toml(path: Path) -> tuple[dict[str, Any], str]:
    try:
        text = path.read_text(encoding="utf-8")
        return tomllib.loads(text), text
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise BadBench(
            f"cannot be read as TOML ({error}).", where=str(path), remedy="Look at an example with `wide-berth bench`."
        ) from error


def section_file(kind: str, name: str) -> tuple[Path, str]:
    """The file of a named printer, film, ... and whether it is the user's or shipped."""
    own = user_folder() / kind / f"{name}.toml"
    if own.is_file():
        return own, f"your file {own.name}"
    shipped = Path(str(resources.files("wideberth.core.bench") / "data" / kind / f"{name}.toml"))
    if shipped.is_file():
        return shipped, "default"
    raise BadBench(f"no {kind} is called `{name}`.", where=str(own), remedy=f"Known: {', '.join(names_of(kind))}.")


def names_of(kind: str) -> list[str]:
    """Names of all shipped and own files of a kind."""
    shipped = Path(str(resources.files("wideberth.core.bench") / "data" / kind))
    own = user_folder() / kind
    return sorted({p.stem for folder in (shipped, own) if folder.is_dir() for p in folder.glob("*.toml")})


def load_bench(path: Path | None = None) -> Bench:
    """The standard bench, or the one described by a bench file.

    Parameters
    ----------
    path : a TOML file with tables `[printer]`, `[film]`, `[resin]`, `[print]`, `[laws]`, `[supports]`, `[house]`, each with an
        optional `use = "NAME"` (default `standard`) and any keys to override.

    Raises
    ------
    BadBench : when a file is missing, not TOML, or holds an unknown key or a value out of range.
    """
    wanted: dict[str, Any] = {}
    text = ""
    if path is not None:
        wanted, text = _read_toml(path)
    return bench_from(wanted, text, str(path or "bench"))


def bench_from(wanted: dict[str, Any], text: str, where: str) -> Bench:
    """A bench from the tables of a bench file (see `load_bench`)."""
    strange = [kind for kind in wanted if kind not in KINDS]
    if strange:
        raise BadBench(f"`[{strange[0]}]` is no table of a bench.", where=where, remedy=f"Use {', '.join(KINDS)}.")
    parts: dict[str, Any] = {}
    sources: list[tuple[str, str]] = []
    for kind in KINDS:
        table = wanted.get(kind, {})
        if not isinstance(table, dict):
            raise BadBench(f"`{kind}` must be a table.", where=where)
        overrides = dict(table)
        name = overrides.pop("use", DEFAULTS[kind])
        file, source = section_file(kind, str(name))
        entries, file_text = _read_toml(file)
        checked(kind, entries, str(file), file_text)
        parts[kind] = checked(kind, entries | overrides, where if overrides else str(file), text)
        sources.append((kind, source))
        sources += [(f"{kind}.{key}", where) for key in overrides]
    return Bench(**parts, sources=tuple(sources))


def told_apart(bench: Bench, source: str) -> Bench:
    """The bench with each value's source set: `default` where it equals the standard bench's, else `source`."""
    standard = {b.key: b.value for b in load_bench().values()}
    sources = tuple((b.key, "default" if standard.get(b.key) == b.value else source) for b in bench.values())
    return dataclasses.replace(bench, sources=sources)


def bench_toml(bench: Bench) -> str:
    """The whole bench as one TOML text that `load_bench` reads back to the same values."""
    lines = ["# Every value of a bench; keep only the keys you want to override.", ""]
    for kind in KINDS:
        lines.append(f"[{kind}]")
        part = getattr(bench, kind)
        for field in dataclasses.fields(part):
            value = getattr(part, field.name)
            if value is not None:
                lines.append(f"{field.name} = {_toml_value(value)}")
        lines.append("")
    return "\n".join(lines)


def _toml_value(value: object) -> str:
    if isinstance(value, str):
        escaped = value.replace("\\", "\\\\").replace('"', '\\"')
        return f'"{escaped}"'
    return repr(value)
