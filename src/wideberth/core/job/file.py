"""Job files: the recipe of a job, its bench and its sources, attached to a 3MF package that any 3MF reader opens as the plate.

Version 2 of the recipe. Version 1 (`version1.py`) is read as well; later ones are refused.
"""

from __future__ import annotations

import json
import tomllib
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from pydantic import ConfigDict, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from wideberth.core.bench import Bench, bench_from, bench_toml, told_apart
from wideberth.core.drain import Hole
from wideberth.core.errors import BadJob, BadModel
from wideberth.core.hollow import Shell
from wideberth.core.job.bounds import check_bounds
from wideberth.core.job.job import Job, Variant
from wideberth.core.job.part import Part, Piece, Refused
from wideberth.core.job.plate import Plate
from wideberth.core.job.version1 import read_version_1
from wideberth.core.model import Mark, Mend, Source, members_under, parse_models
from wideberth.core.naming import cleaned
from wideberth.core.orient import Pose
from wideberth.core.split import Cut, Rebore
from wideberth.core.support import Supports

VERSION = 2
FOLDER = "/WideBerth/"
RECIPE = FOLDER + "recipe.json"
BENCH = FOLDER + "bench.toml"
STRICT = ConfigDict(extra="forbid", allow_inf_nan=False)


@dataclass(frozen=True, config=STRICT)
class _PartFile:
    """A part as recipe.json holds it: its source by the name of its attachment."""

    id: str
    name: str
    source: str
    source_name: str
    source_item: int
    mends: tuple[Mend, ...]
    scale: float
    stretch: tuple[float, float, float]
    mirrored: bool
    side: str
    cuts: tuple[Cut, ...]
    piece: Piece | None
    shell: Shell | None
    holes: tuple[Hole, ...]
    marks: tuple[Mark, ...]
    pose: Pose
    supports: Supports
    last: int
    pose_pinned: bool = False
    refused: tuple[Refused, ...] = ()
    rebores: tuple[Rebore, ...] = ()
    engraved: str = ""


@dataclass(frozen=True, config=STRICT)
class _StateFile:
    """A state of a job: the present one or a variant."""

    id: str
    name: str
    bench: str
    parts: tuple[_PartFile, ...]
    plates: tuple[Plate, ...]
    linked: bool


@dataclass(frozen=True, config=STRICT)
class _RecipeFile:
    """recipe.json, version 2."""

    version: int
    title: str
    present: _StateFile
    variants: tuple[_StateFile, ...]
    last: int


# out


def attachments_of(job: Job) -> dict[str, bytes]:
    """Recipe, benches and sources of a job, by their paths in the package."""
    present = Variant("", "", job.bench, job.parts, job.plates, job.linked)
    states = [_state_file(v) for v in (present, *job.variants)]
    recipe = _RecipeFile(VERSION, job.title, states[0], tuple(states[1:]), job.last)
    attached = {RECIPE: TypeAdapter(_RecipeFile).dump_json(recipe, indent=1)}
    for file, state in zip(states, (present, *job.variants), strict=True):
        attached[FOLDER + file.bench] = bench_toml(state.bench).encode()
        for part in state.parts:
            attached[f"{FOLDER}sources/{_source_name(part.source)}.bin"] = part.source.data
    return attached


def _state_file(v: Variant) -> _StateFile:
    bench = f"{v.id}.toml" if v.id else BENCH.removeprefix(FOLDER)
    return _StateFile(v.id, v.name, bench, tuple(_part_file(p) for p in v.parts), v.plates, v.linked)


def _source_name(source: Source) -> str:
    return source.file_key + source.suffix


def _part_file(p: Part) -> _PartFile:
    return _PartFile(
        p.id,
        p.name,
        _source_name(p.source),
        p.source.name,
        p.source.item,
        p.mends,
        p.scale,
        p.stretch,
        p.mirrored,
        p.side,
        p.cuts,
        p.piece,
        p.shell,
        p.holes,
        p.marks,
        p.pose,
        p.supports,
        p.last,
        p.pose_pinned,
        p.refused,
        p.rebores,
        p.engraved,
    )


# in


Parse = Callable[[str, str, bytes], tuple[Source, ...]]


def open_job(path: Path, parse: Parse = parse_models) -> Job:
    """Read a job file back. `parse` : reads the objects of an attached source, by its name, suffix and bytes.

    Raises
    ------
    BadJob : when it is no 3MF package, not one of ours, of a later version, or damaged.
    BadBench, BadModel : when what is attached cannot be used.
    """
    attachments = _attachments(path)
    if RECIPE not in attachments or BENCH not in attachments:
        raise BadJob("is a 3MF package but holds no recipe of ours.", where=str(path), remedy="Open it as a model instead.")
    try:
        raw = json.loads(attachments[RECIPE])  # RecursionError where it is nested too deep
        version = raw.get("version", 0) if isinstance(raw, dict) else 0
        if isinstance(version, int) and version > VERSION:
            raise BadJob("was saved by a later version of Wide Berth.", where=str(path), remedy="Update the program.")
        read = _Reader(path, attachments, parse)
        if version == 1:
            job = read_version_1(raw, read.bench(BENCH.removeprefix(FOLDER)), read.source)
        elif version == VERSION:
            job = read.job(raw)
        else:
            raise BadJob("does not tell which version its recipe is of.", where=str(path))
        check_bounds(job, str(path))
        return job
    except (ValueError, ValidationError, RecursionError, KeyError, TypeError, OverflowError) as error:
        raise BadJob(f"its recipe cannot be read ({str(error).splitlines()[0]}).", where=str(path)) from error


class _Reader:
    """What is attached to a job file, each source parsed once."""

    def __init__(self, path: Path, attachments: dict[str, bytes], parse: Parse) -> None:
        self._path, self._attachments, self._parse = path, attachments, parse
        self._sources: dict[str, tuple[Source, ...]] = {}

    def job(self, raw: Any) -> Job:
        """A job from the recipe's content."""
        recipe = TypeAdapter(_RecipeFile).validate_python(raw)
        now = self._state(recipe.present)
        kept = tuple(self._state(v) for v in recipe.variants)
        return Job(cleaned(recipe.title), now.bench, now.parts, now.plates, now.linked, kept, recipe.last)

    def _state(self, file: _StateFile) -> Variant:
        parts = tuple(self._part(p) for p in file.parts)
        ids = [p.id for p in parts] + [plate.id for plate in file.plates]
        ids += [p.id for plate in file.plates for p in plate.placements]
        placed = {p.part for plate in file.plates for p in plate.placements}
        if len(set(ids)) < len(ids) or placed - {p.id for p in parts}:
            raise BadJob("its parts and plates do not fit together.", where=str(self._path), kept="Nothing was opened.")
        plates = tuple(replace(plate, name=cleaned(plate.name)) for plate in file.plates)
        return Variant(file.id, cleaned(file.name), self.bench(file.bench), parts, plates, file.linked)

    def _part(self, p: _PartFile) -> Part:
        source = self.source(p.source, p.source_name, p.source_item, p.name)
        return Part(
            cleaned(p.name),
            source,
            p.id,
            p.scale,
            p.cuts,
            p.shell,
            p.holes,
            p.pose,
            p.supports.checked(p.name),
            p.mends,
            p.stretch,
            p.mirrored,
            p.side,
            p.marks,
            p.piece,
            p.pose_pinned,
            p.refused,
            p.last,
            p.rebores,
            p.engraved,
        )

    def bench(self, name: str) -> Bench:
        """An attached bench."""
        content = self._attachments.get(FOLDER + name)
        if content is None:
            raise BadJob(f"its bench {name} is missing from it.", where=str(self._path))
        text = content.decode()
        return told_apart(bench_from(tomllib.loads(text), text, self._path.name), f"saved in {self._path.name}")

    def source(self, key: str, name: str, item: int, part: str) -> Source:
        """An attached source by its key: which of its objects, under a name, for a part."""
        if key not in self._sources:
            where = f"{FOLDER}sources/{key}.bin"
            if where not in self._attachments:
                raise BadJob(f"the source of {part} is missing from it.", where=str(self._path))
            self._sources[key] = self._parse(name, "." + key.rsplit(".", 1)[-1], self._attachments[where])
        if not 0 <= item < len(self._sources[key]):
            raise BadJob(f"the source of {part} has no object {item + 1}.", where=str(self._path))
        return self._sources[key][item].named(name)


def _attachments(path: Path) -> dict[str, bytes]:
    """All that we attach to a 3MF package, by its path in it; its meshes, which only follow from that, are not looked at."""
    if not path.is_file():
        raise BadJob("there is no such file.", where=str(path))
    try:
        return {"/" + name: data for name, data in members_under(str(path), path.read_bytes(), FOLDER[1:])}
    except BadModel as error:
        raise BadJob(error.what, where=error.where, kept=error.kept, remedy=error.remedy) from error
    except OSError as error:
        raise BadJob(f"cannot be opened ({error.strerror or error}).", where=str(path)) from error


def is_job(path: Path) -> bool:
    """Whether a file is a job of ours."""
    try:
        with zipfile.ZipFile(path) as package:
            return RECIPE[1:] in package.namelist()
    except (OSError, zipfile.BadZipFile):
        return False
