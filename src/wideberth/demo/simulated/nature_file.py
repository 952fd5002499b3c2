"""What a simulated printer may know of a print and no real one can: its predicted loads and the bench they were reckoned at."""

from __future__ import annotations

import io
import tempfile
import zipfile
from pathlib import Path

from wideberth.core.bench import Bench, bench_toml, load_bench
from wideberth.core.errors import BadLog
from wideberth.core.logbook import Expected, packed, unpacked
from wideberth.core.saving import write_safely

EXPECTED, BENCH = "expected.npz", "bench.toml"
MOST_BENCH = 1_000_000


def write_nature(expected: Expected, bench: Bench, path: Path) -> None:
    """Write the file.

    Raises
    ------
    CannotWrite
    """
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as whole:
        whole.writestr(EXPECTED, packed(expected))
        whole.writestr(BENCH, bench_toml(bench))
    write_safely(path, out.getvalue())


def nature_beside(package: Path, expected: Expected, bench: Bench) -> Path:
    """The file beside a layer package, written.

    Raises
    ------
    CannotWrite
    """
    path = package.with_name("nature.zip")
    write_nature(expected, bench, path)
    return path


def read_nature(path: Path) -> tuple[Expected, Bench]:
    """What `write_nature` wrote.

    Raises
    ------
    BadLog : for anything else. BadBench : for a bench that is none.
    """
    try:
        with zipfile.ZipFile(path) as whole:
            if whole.getinfo(BENCH).file_size > MOST_BENCH:
                raise BadLog("holds no bench.", where=str(path))
            text, expected = whole.read(BENCH), unpacked(whole.read(EXPECTED), str(path))
    except (OSError, KeyError, zipfile.BadZipFile, EOFError) as error:
        raise BadLog("is nothing that a simulated printer can play.", where=str(path)) from error
    with tempfile.TemporaryDirectory(prefix="wide-berth-") as place:
        file = Path(place) / BENCH
        file.write_bytes(text)
        return expected, load_bench(file)
