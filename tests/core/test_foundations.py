"""Units, errors and progress: what everyone stands on."""

import ast
import importlib
import re
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Event, Timer

import pytest

import wideberth
from wideberth.core.errors import BadJob, BadModel, Cancelled, WideBerthError
from wideberth.core.progress import Progress, waited
from wideberth.core.units import duration_text, g_weight_n, kelvin, mm_per_s


def test_durations_read_as_a_workshop_says_them() -> None:
    assert duration_text(12) == "12 s"
    assert duration_text(600) == "10 min"
    assert duration_text(27600) == "7 h 40"
    assert duration_text(3599) == "1 h 00"


def test_small_conversions() -> None:
    assert kelvin(25) == pytest.approx(298.15)
    assert mm_per_s(90) == 1.5
    assert g_weight_n(1e6, 1000) == pytest.approx(9.80665)


def test_error_says_what_where_kept_and_what_to_do() -> None:
    error = BadModel("is empty.", where="egg.stl", kept="Nothing was opened.", remedy="Export it again.")
    assert str(error) == "egg.stl: is empty. Nothing was opened. Export it again."
    assert isinstance(error, WideBerthError)
    assert str(BadJob("no part.")) == "no part."


def test_nested_progress_reports_on_the_whole() -> None:
    seen: list[tuple[float, str]] = []
    whole = Progress(lambda f, phrase: seen.append((round(f, 3), phrase)))
    half = whole.part(0.5, 1.0)
    half.part(0.5, 1.0).at(0.5, "posts")
    half.at(0.0, "begin")
    assert seen == [(0.875, "posts"), (0.5, "begin")]


def test_cancelling_anywhere_stops_every_part() -> None:
    whole = Progress()
    inner = whole.part(0.2, 0.4).part(0.0, 0.5)
    inner.at(0.1, "on")
    inner.cancel()
    assert whole.cancelled
    with pytest.raises(Cancelled):
        whole.part(0.9, 1.0).at(0.0, "elsewhere")


def test_nobody_waits_for_what_is_no_longer_wanted() -> None:
    wanted, unwanted, enough = Progress(), Progress(), Event()
    with ThreadPoolExecutor(1) as beside:
        work = beside.submit(enough.wait, 60)
        Timer(0.1, unwanted.part(0.0, 0.5).cancel).start()
        with pytest.raises(Cancelled):
            waited(work, unwanted)
        assert not work.done()
        wanted.heed()
        enough.set()
        assert waited(work, wanted) is True


def test_what_is_done_beside_is_not_heard_and_is_cancelled_with_the_rest() -> None:
    seen: list[str] = []
    whole = Progress(lambda _, phrase: seen.append(phrase))
    beside = whole.part(0.2, 0.4).unheard()
    beside.part(0.0, 0.5).at(0.5, "beside")
    whole.at(0.5, "itself")
    assert seen == ["itself"]
    whole.cancel()
    with pytest.raises(Cancelled):
        beside.at(0.6, "beside")


def test_every_file_that_the_map_names_is_there_and_every_room_is_on_it() -> None:
    root = Path(__file__).parents[2]
    text = (root / "CONTRIBUTING.md").read_text(encoding="utf-8")
    named = re.findall(r"`((?:core|desktop)/[\w/]+\.py)`", text)
    assert len(named) > 40
    assert [name for name in named if not (root / "src/wideberth" / name).is_file()] == []
    rooms = {path.parent.name for path in (root / "src/wideberth/core").glob("*/__init__.py")}
    assert rooms == set(re.findall(r"^\| `(\w+)/` \|", text, flags=re.M))


@pytest.mark.parametrize(
    "room", sorted(p.parent.name for p in (Path(__file__).parents[2] / "src/wideberth/core").glob("*/__init__.py"))
)
def test_every_room_has_what_it_says_that_it_offers(room: str) -> None:
    module = importlib.import_module(f"wideberth.core.{room}")
    assert [name for name in module.__all__ if not hasattr(module, name)] == []


def test_nothing_in_the_window_ends_in_an_error_without_a_value() -> None:
    """`next` without a default raises an error that has no value, and inside an override of Qt's that ends the process."""
    bare = []
    for path in (Path(wideberth.__file__).parent / "desktop").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "next" and len(node.args) < 2:
                bare.append(f"{path.name}:{node.lineno}")
    assert not bare


def test_a_window_that_has_no_use_for_a_library_yet_does_not_load_it() -> None:
    """The database takes a third of a second at every start, mesh formats and charts some fifty megabytes beside a prediction; a
    type checker, which the 3D library would load, another fifteen."""
    libraries = ["sqlalchemy", "trimesh", "pyqtgraph", "lib3mf", "reportlab", "mypy"]
    asked = f"import sys, wideberth.cli.main, wideberth.desktop.window; print([n for n in {libraries} if sys.modules.get(n)])"
    assert subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True).stdout.strip() == "[]"
