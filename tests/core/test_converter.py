"""An outside command makes of a layer package what a printer reads: run without a shell, watched, ended in time."""

from __future__ import annotations

import csv
import json
import sys
import time
import zipfile
from pathlib import Path

import pytest

from wideberth.core.errors import BadBench, Cancelled, CannotWrite
from wideberth.core.handover.converter import Converter, convert, converters
from wideberth.core.progress import Progress


@pytest.fixture
def package(tmp_path: Path) -> Path:
    path = tmp_path / "a; touch pwned $(id).zip"
    layers = [{"file": f"layers/{k}.png", "z_mm": 0.05 * (k + 1), "exposure_s": 2.5, "seconds": 11.0} for k in range(3)]
    with zipfile.ZipFile(path, "w") as out:
        out.writestr("manifest.json", json.dumps({"layers": layers}))
        for layer in layers:
            out.writestr(layer["file"], layer["file"].encode())
    return path


def python(code: str, ending: str = ".out", minutes: float = 1.0) -> Converter:
    return Converter("Test", (sys.executable, "-c", code, "{package}", "{out}"), ending, minutes)


def test_the_example_makes_a_numbered_folder_and_a_table(package: Path, tmp_path: Path) -> None:
    example = Converter("Folder", (sys.executable, "-m", "wideberth.demo.unpack", "{package}", "{out}"))
    assert convert(example, package, tmp_path / "layers") == "3 layers"
    assert [p.name for p in sorted((tmp_path / "layers").iterdir())] == ["00000.png", "00001.png", "00002.png", "layers.csv"]
    assert (tmp_path / "layers" / "00002.png").read_bytes() == b"layers/2.png"
    rows = list(csv.DictReader((tmp_path / "layers" / "layers.csv").open()))
    assert [float(r["z_mm"]) for r in rows] == pytest.approx([0.05, 0.1, 0.15])
    with pytest.raises(CannotWrite, match="is there already"):
        convert(example, package, tmp_path / "layers")


def test_names_are_no_commands(package: Path, tmp_path: Path) -> None:
    convert(python("import sys; open(sys.argv[2], 'w').write(sys.argv[1])"), package, tmp_path / "x.out")
    assert (tmp_path / "x.out").read_text() == str(package)
    assert sorted(p.name for p in tmp_path.iterdir()) == [package.name, "x.out"]


@pytest.mark.parametrize(
    ("code", "told"),
    [
        ("import sys; print('no such machine'); sys.exit(3)", "ended with 3: no such machine"),
        ("pass", "made nothing"),
        ("import sys; open(sys.argv[2], 'w')", "made nothing"),
    ],
)
def test_what_ends_badly_or_makes_nothing_is_told(package: Path, tmp_path: Path, code: str, told: str) -> None:
    (tmp_path / "x.out").write_text("old")
    with pytest.raises(CannotWrite) as refused:
        convert(python(code), package, tmp_path / "x.out")
    assert told in refused.value.text and (tmp_path / "x.out").read_text() == "old"


def test_what_a_command_has_begun_ends_with_it(package: Path, tmp_path: Path) -> None:
    """A child that would write later is ended too; much that is said is told from its end."""
    later = tmp_path / "later"
    child = f"import time; time.sleep(2); open({str(later)!r}, 'w')"
    begin = f"import subprocess, sys; subprocess.Popen([sys.executable, '-c', {child!r}]);"
    code = f"{begin} print('x' * 10**6); print('end'); sys.exit(1)"
    with pytest.raises(CannotWrite, match="end") as refused:
        convert(python(code), package, tmp_path / "x.out")
    assert len(refused.value.text) < 3000
    time.sleep(3)
    assert not later.exists()


def test_it_never_takes_the_package_s_place(package: Path) -> None:
    with pytest.raises(CannotWrite, match="take the place"):
        convert(python("pass", ending=".zip"), package, package)


def test_a_command_that_is_not_there_is_told(package: Path, tmp_path: Path) -> None:
    with pytest.raises(CannotWrite, match="cannot be run"):
        convert(Converter("None", ("/no/such/program", "{package}", "{out}"), ".x"), package, tmp_path / "x")


def test_it_is_ended_when_its_time_is_over_and_when_it_is_cancelled(package: Path, tmp_path: Path) -> None:
    slow = "import time; time.sleep(60)"
    begun = time.monotonic()
    with pytest.raises(CannotWrite, match="takes longer"):
        convert(python(slow, minutes=0.005), package, tmp_path / "x.out")

    def stop(_share: float, _phrase: str) -> None:
        progress.cancel()

    progress = Progress(stop)
    with pytest.raises(Cancelled):
        convert(python(slow), package, tmp_path / "x.out", progress)
    assert time.monotonic() - begun < 20 and sorted(p.name for p in tmp_path.iterdir()) == [package.name]


def test_converters_are_the_users_own_and_checked(tmp_path: Path) -> None:
    path = tmp_path / "converters.toml"
    assert converters(path) == ()
    path.write_text('[[converter]]\nname = "Folder"\ncommand = ["unpack", "{package}", "{out}"]\n')
    assert converters(path) == (Converter("Folder", ("unpack", "{package}", "{out}")),)
    for bad in ('name = ""', 'command = ["rm", "-rf"]', 'ending = "../x"', "minutes = 1e9", "shell = true"):
        key = bad.partition(" ")[0]
        entries = {"name": 'name = "A"', "command": 'command = ["u", "{package}", "{out}"]'} | {key: bad}
        path.write_text("[[converter]]\n" + "\n".join(entries.values()))
        with pytest.raises(BadBench, match="converter"):
            converters(path)
