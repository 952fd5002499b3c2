"""A bridge to a machine: an outside command that makes of a layer package what a printer reads.

Commands are the user's own, in `converters.toml` of the data folder; none is ever taken from a job or a bench, which others may
have written.
"""

from __future__ import annotations

import os
import signal
import subprocess
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from typing import Annotated

from pydantic import AfterValidator, ConfigDict, Field, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from wideberth.core.bench import read_toml, user_folder
from wideberth.core.errors import BadBench, CannotWrite
from wideberth.core.naming import cleaned
from wideberth.core.progress import Progress, quiet

FILE = "converters.toml"
PACKAGE, OUT = "{package}", "{out}"
LOOK_S = 0.1
TOLD, MOST_BYTES = 2000, 8000
"""Characters of what a command says, of its end, and as many bytes as these may take."""


def _command(words: tuple[str, ...]) -> tuple[str, ...]:
    if not any(PACKAGE in word for word in words) or not any(OUT in word for word in words):
        raise ValueError(f"it has to name both {PACKAGE} and {OUT}")
    return words


@dataclass(frozen=True, config=ConfigDict(extra="forbid"))
class Converter:
    """An outside command. command : the program and its arguments, with {package} and {out} in them; ending : of what it makes,
    "" for a folder."""

    name: Annotated[str, Field(min_length=1, max_length=80), AfterValidator(cleaned)]
    command: Annotated[tuple[str, ...], Field(min_length=2, max_length=40), AfterValidator(_command)]
    ending: Annotated[str, Field(max_length=12, pattern=r"^(\.\w+)?$")] = ""
    minutes: Annotated[float, Field(gt=0, le=240)] = 10.0


def converters(path: Path | None = None) -> tuple[Converter, ...]:
    """The user's converters, in the order of their file; none where there is no file.

    Raises
    ------
    BadBench : when the file cannot be read, or a converter of it cannot be used.
    """
    path = path or user_folder().parent / FILE
    if not path.is_file():
        return ()
    entries, _ = read_toml(path)
    try:
        return TypeAdapter(tuple[Converter, ...]).validate_python(entries.get("converter", []))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(piece) for piece in first["loc"])
        raise BadBench(f"`converter.{where}`: {first['msg'].lower()}.", where=str(path), remedy="See docs/formats.md.") from error


def convert(converter: Converter, package: Path, out: Path, progress: Progress | None = None) -> str:
    """Let a converter make a file or folder of a layer package; returns what it said.

    It runs without a shell, in a folder of its own, and is ended when its time is over. What it made takes the place of `out`
    only when it ended well and something is there.

    Raises
    ------
    CannotWrite : when it cannot be run, ends badly, takes too long or makes nothing. Cancelled : it is ended then.
    """
    progress = progress or quiet()
    if out.resolve() == package.resolve():
        raise CannotWrite(
            "would take the place of the layer package.", where=converter.name, remedy=f"Give it another ending in {FILE}."
        )
    kept = "The layer package is written; what stood there before is untouched."
    with tempfile.TemporaryDirectory(prefix="wide-berth-", dir=out.parent) as place:
        made = Path(place) / f"made{converter.ending}"
        words = [word.replace(PACKAGE, str(package.resolve())).replace(OUT, str(made)) for word in converter.command]
        with tempfile.TemporaryFile() as said:
            try:
                running = subprocess.Popen(
                    words, stdin=subprocess.DEVNULL, stdout=said, stderr=subprocess.STDOUT, cwd=place, start_new_session=True
                )
            except OSError as error:
                raise CannotWrite(
                    f"cannot be run ({error.strerror}).", where=words[0], kept=kept, remedy=f"Look at {FILE}."
                ) from error
            try:
                _waited(running, converter, progress)
            finally:
                with suppress(ProcessLookupError):
                    os.killpg(running.pid, signal.SIGKILL)  # and all that it has begun
                running.wait()
            said.seek(max(0, said.seek(0, os.SEEK_END) - MOST_BYTES))
            text = cleaned_lines(said.read().decode(errors="replace"))
        why = f"ended with {running.returncode}" if running.returncode else "" if _is_made(made) else "made nothing"
        if why:
            raise CannotWrite(f"{why}: {text or 'it said nothing'}", where=converter.name, kept=kept, remedy=f"Look at {FILE}.")
        _take_place(made, out)
    progress.at(1.0, f"{converter.name} is done")
    return text


def _waited(running: subprocess.Popen[bytes], converter: Converter, progress: Progress) -> None:
    """Wait until a command ends, and no longer than it may take."""
    begun = time.monotonic()
    while running.poll() is None:
        gone = time.monotonic() - begun
        progress.at(min(gone / (60 * converter.minutes), 0.99), f"{converter.name} is at work")
        if gone > 60 * converter.minutes:
            raise CannotWrite(
                f"takes longer than {converter.minutes:g} min, and was ended.",
                where=converter.name,
                kept="The layer package is written.",
                remedy=f"Give it more minutes in {FILE}.",
            )
        time.sleep(LOOK_S)


def _is_made(made: Path) -> bool:
    return any(made.iterdir()) if made.is_dir() else made.is_file() and made.stat().st_size > 0


def _take_place(made: Path, out: Path) -> None:
    """Put what was made where it is wanted; a folder takes no other folder's place."""
    try:
        if made.is_dir() and out.exists():
            raise CannotWrite("is there already.", where=str(out), kept="It is untouched.", remedy="Choose another name.")
        made.rename(out)  # a file takes the place of a file
    except OSError as error:
        raise CannotWrite(f"cannot be written ({error.strerror}).", where=str(out)) from error


def cleaned_lines(text: str) -> str:
    """What a command said, without what cannot be seen, as far as it fits."""
    lines = [cleaned(line, "") for line in text[-TOLD:].splitlines()]
    return "\n".join(line for line in lines if line)
