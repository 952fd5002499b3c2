"""Job files: a 3MF package that any 3MF reader opens as the plate, with the recipe, bench and sources attached."""

from __future__ import annotations

import json
import tomllib
import zipfile
from pathlib import Path

from pydantic import ConfigDict, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from wideberth.core.bench import bench_from, bench_toml, told_apart
from wideberth.core.drain import Hole
from wideberth.core.errors import BadJob, BadModel
from wideberth.core.hollow import Shell
from wideberth.core.job.recipe import Copy, Job, PartRecipe
from wideberth.core.model import Mend, Source, members_under, parse_models
from wideberth.core.orient import Pose
from wideberth.core.split import Cut
from wideberth.core.support import Tip

VERSION = 1
FOLDER = "/WideBerth/"
RECIPE = FOLDER + "recipe.json"
BENCH = FOLDER + "bench.toml"
STRICT = ConfigDict(extra="forbid")


@dataclass(frozen=True, config=STRICT)
class _PartFile:
    """A part as recipe.json holds it."""

    name: str
    source: str
    source_name: str
    scale: float
    cuts: tuple[Cut, ...]
    shell: Shell | None
    holes: tuple[Hole, ...]
    pose: Pose
    tips: tuple[Tip, ...]
    source_item: int = 0
    mends: tuple[Mend, ...] = ()
    stretch: tuple[float, float, float] = (1.0, 1.0, 1.0)
    mirrored: bool = False
    copies: tuple[Copy, ...] = ()
    side: str = ""


@dataclass(frozen=True, config=STRICT)
class _RecipeFile:
    """recipe.json, version 1."""

    version: int
    title: str
    parts: tuple[_PartFile, ...]
    linked: bool = False


def _part_file(p: PartRecipe) -> _PartFile:
    source = p.source.file_key + p.source.suffix
    return _PartFile(p.name, source, p.source.name, p.scale, p.cuts, p.shell, p.holes, p.pose, p.tips, p.source.item, p.mends,
                     p.stretch, p.mirrored, p.copies, p.side)  # fmt: skip


def attachments_of(job: Job) -> dict[str, bytes]:
    """Recipe, bench and sources of a job, by their paths in the package."""
    parts = tuple(_part_file(p) for p in job.parts)
    recipe = TypeAdapter(_RecipeFile).dump_json(_RecipeFile(VERSION, job.title, parts, job.linked), indent=1)
    attached = {RECIPE: recipe, BENCH: bench_toml(job.bench).encode()}
    for part in job.parts:
        attached[f"{FOLDER}sources/{part.source.file_key}{part.source.suffix}.bin"] = part.source.data
    return attached


def open_job(path: Path) -> Job:
    """Read a job file back.

    Raises
    ------
    BadJob : when it is no 3MF package, not one of ours, of a later version, or damaged.
    BadBench, BadModel : when what is attached cannot be used.
    """
    attachments = _attachments(path)
    if RECIPE not in attachments or BENCH not in attachments:
        raise BadJob(
            "is a 3MF package but holds no recipe of ours.", where=str(path), remedy="Open it as a model instead."
        )
    try:
        raw = json.loads(attachments[RECIPE])
        if isinstance(raw, dict) and raw.get("version", 0) > VERSION:
            raise BadJob("was saved by a later version of Wide Berth.", where=str(path), remedy="Update the program.")
        recipe = TypeAdapter(_RecipeFile).validate_python(raw)
        text = attachments[BENCH].decode()
        bench = told_apart(bench_from(tomllib.loads(text), text, path.name), f"saved in {path.name}")
    except (ValueError, ValidationError) as error:
        raise BadJob(f"its recipe cannot be read ({str(error).splitlines()[0]}).", where=str(path)) from error
    sources: dict[str, tuple[Source, ...]] = {}
    parts = []
    for p in recipe.parts:
        if p.source not in sources:
            where = f"{FOLDER}sources/{p.source}.bin"
            if where not in attachments:
                raise BadJob(f"the source of {p.name} is missing from it.", where=str(path))
            sources[p.source] = parse_models(p.source_name, "." + p.source.rsplit(".", 1)[-1], attachments[where])
        if p.source_item >= len(sources[p.source]):
            raise BadJob(f"the source of {p.name} has no object {p.source_item + 1}.", where=str(path))
        source = sources[p.source][p.source_item].named(p.source_name)
        parts.append(PartRecipe(p.name, source, p.scale, p.cuts, p.shell, p.holes, p.pose, p.tips, p.mends, p.stretch,
                                p.mirrored, p.copies, p.side))  # fmt: skip
    return Job(recipe.title, bench, tuple(parts), recipe.linked)


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
