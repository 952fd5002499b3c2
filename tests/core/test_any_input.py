"""Any input at all: bytes, damaged files, changed jobs, benches and kept results. Each is taken, or refused in one sentence, in
little time and memory. A few examples of each run always; ten thousand with `make fuzz`."""

from __future__ import annotations

import io
import json
import resource
import time
import tomllib
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import tomli_w
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from conftest import as_mesh, as_source, zipped
from wideberth.core.bench import Bench, bench_from, bench_toml, load_bench
from wideberth.core.drain import Hole
from wideberth.core.errors import BadJob, BadModel, WideBerthError
from wideberth.core.handover import save_job
from wideberth.core.hollow import Shell
from wideberth.core.job import Job, Part, Refused, Rescue, job_of, open_job, with_marked
from wideberth.core.model import MarkKind, Mend, binary_stl, parse_model, parse_models
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, predict, preview
from wideberth.core.predict.packing import FORMAT, HEAD, SIZE, packed, unpacked
from wideberth.core.propose import propose_support
from wideberth.core.split import Cut, Step, with_keys

LONGEST_S, MOST_BYTES = 20.0, 1.5e9
BALL = trimesh.creation.icosphere(1, 5)

_took: list[float] = []


@pytest.fixture(autouse=True, scope="module")
def _within_bounds() -> Iterator[None]:
    """No input takes too long, and all of them together not too much memory."""
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    yield
    after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    print(f"\n{len(_took)} inputs, the longest {max(_took):.2f} s, {1024e-6 * (after - before):.0f} MB more at the peak")
    assert max(_took) < LONGEST_S and 1024.0 * (after - before) < MOST_BYTES


class timed:
    """Notes how long an input took; an error of the family is an answer."""

    def __enter__(self) -> None:
        self._began = time.perf_counter()

    def __exit__(self, kind: type | None, error: BaseException | None, _: object) -> bool:
        _took.append(time.perf_counter() - self._began)
        return isinstance(error, WideBerthError) and len(error.text) > 0


changes = st.lists(st.tuples(st.integers(0, 1 << 16), st.integers(0, 255)), min_size=1, max_size=6)


def damaged(data: bytes, at: list[tuple[int, int]], keep: float = 1.0) -> bytes:
    """Bytes with some of them set to others, and cut short."""
    made = bytearray(data)
    for place, value in at:
        made[place % len(made)] = value
    return bytes(made[: int(keep * len(made))])


# models

SAMPLES: dict[str, bytes] = {
    ".stl": binary_stl(as_mesh(BALL)),
    ".obj": BALL.export(file_type="obj").encode(),
    ".ply": BALL.export(file_type="ply"),
    ".3mf": BALL.export(file_type="3mf"),
    ".zip": zipped({"ball.stl": binary_stl(as_mesh(BALL)), "more/ball.obj": BALL.export(file_type="obj").encode()}),
}
with zipfile.ZipFile(io.BytesIO(SAMPLES[".3mf"])) as _package:
    MEMBERS = {name: _package.read(name) for name in _package.namelist()}
"""Of a 3MF package, so that their text can be damaged and packed again."""


@given(data=st.binary(max_size=400), suffix=st.sampled_from(sorted(SAMPLES)))
def test_any_bytes_are_a_model_or_refused(data: bytes, suffix: str) -> None:
    with timed():
        assert parse_models("any", suffix, data)[0].mesh.triangles > 0


@given(text=st.text(alphabet="vfn 0123456789./-+eE#\n", max_size=200))
def test_any_obj_text_is_a_model_or_refused(text: str) -> None:
    with timed():
        assert parse_model("any", ".obj", text.encode()).mesh.triangles > 0


@given(suffix=st.sampled_from([*sorted(SAMPLES), *sorted(MEMBERS)]), at=changes, keep=st.just(1.0) | st.floats(0.3, 1.0))
def test_a_damaged_model_is_mended_and_predicted_or_refused(suffix: str, at: list[tuple[int, int]], keep: float) -> None:
    """Read, mended in all ways, and its first prediction made."""
    if suffix in SAMPLES:
        data = damaged(SAMPLES[suffix], at, keep)
    else:
        data, suffix = zipped(MEMBERS | {suffix: damaged(MEMBERS[suffix], at, keep)}), ".3mf"
    with timed():
        for source in parse_models("any", suffix, data):
            assert np.isfinite(source.mesh.points).all() and source.mesh.faces.min() >= 0
            assert source.mesh.faces.max() < len(source.mesh.points)
            stages = Stages()
            part = replace(Part("Any", source), mends=tuple(Mend(kind) for kind in ("weld", "orient", "fill")))
            assert stages.mended(part)[0].triangles > 0
            bench = load_bench().with_value("print.layer_height_mm", 0.1)
            assert predict(job_of("Any", bench, (part,)), stages, preview(bench)).verdict.totals.seconds >= 0


# jobs


@pytest.fixture(scope="module")
def saved(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """Members of a job file with a hollow, holed part and one that is cut, keyed, marked, numbered and supported, and a
    variant."""
    ball = as_source(as_mesh(trimesh.creation.icosphere(2, 12)))
    path, stages = tmp_path_factory.mktemp("saved") / "ball.3mf", Stages()
    hollow = Part("Ball", ball, shell=Shell(2.0), holes=(Hole(0.0, 0.0, -12.0, 3.0),))
    block = as_source(as_mesh(trimesh.creation.box((30, 20, 30))))
    stepped = with_keys(block.mesh, Cut((0.0, 0.0, 1.0), 1.0, 1, step=Step(0.0, 6.0, 3.0)), None, 0.1, 2.0).cut
    away = Refused("support", None, (1.0, 2.0, 3.0))
    cut = Part("Block", block, cuts=(stepped,), engraved="7", refused=(away,), pose=Pose(turned_xyz(200.0, 10.0, 0.0), 4.0))
    job = job_of("Ball", load_bench(), (hollow, with_marked(cut, MarkKind.KEEP_CLEAN, np.arange(2))))
    job = propose_support(job, job.parts[1].id, stages).job
    assert job.parts[1].supports.contacts and stepped.keys
    save_job(job.keep_variant("before"), path, stages)
    with zipfile.ZipFile(path) as package:
        return {name: package.read(name) for name in package.namelist()}


def reopened(members: dict[str, bytes], folder: Path) -> Job:
    path = folder / "changed.3mf"
    path.write_bytes(zipped(members))
    return open_job(path)


LEAVES = st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=20)
VALUES = st.recursive(
    LEAVES, lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=12), inner, max_size=4), max_leaves=30
)


def places_of(tree: Any, at: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Ways to all that stands in a tree of JSON."""
    inner = tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ()
    return [at, *(way for key, value in inner for way in places_of(value, (*at, key)))]


@given(data=st.data(), value=VALUES)
def test_any_value_anywhere_in_a_recipe_is_taken_or_refused(
    saved: dict[str, bytes], tmp_path_factory: pytest.TempPathFactory, data: st.DataObject, value: Any
) -> None:
    recipe = json.loads(saved["WideBerth/recipe.json"])
    way = data.draw(st.sampled_from([w for w in places_of(recipe) if w]))
    holder = recipe
    for key in way[:-1]:
        holder = holder[key]
    holder[way[-1]] = value
    with timed():
        members = saved | {"WideBerth/recipe.json": json.dumps(recipe).encode()}
        assert isinstance(reopened(members, tmp_path_factory.mktemp("any", numbered=True)), Job)


@given(data=st.data(), at=changes, keep=st.just(1.0) | st.floats(0.3, 1.0))
def test_a_damaged_member_of_a_job_file_is_no_harm(
    saved: dict[str, bytes], tmp_path_factory: pytest.TempPathFactory, data: st.DataObject, at: list[tuple[int, int]], keep: float
) -> None:
    member = data.draw(st.sampled_from(sorted(saved)))
    with timed():
        members = saved | {member: damaged(saved[member], at, keep)}
        assert isinstance(reopened(members, tmp_path_factory.mktemp("any", numbered=True)), Job)


@given(about=VALUES | st.binary(max_size=60), has_work=st.booleans())
def test_any_note_of_work_left_behind_is_an_offer_or_none(
    tmp_path_factory: pytest.TempPathFactory, about: Any, has_work: bool
) -> None:
    folder = tmp_path_factory.mktemp("state", numbered=True)
    left = folder / "unsaved" / "abc"
    left.mkdir(parents=True)
    (left / "about.json").write_bytes(about if isinstance(about, bytes) else json.dumps(about).encode())
    if has_work:
        (left / "work.3mf").write_bytes(b"work")
    with timed():
        assert len(Rescue(folder).left_behind()) <= 1


# benches

STANDARD = tomllib.loads(bench_toml(load_bench()))
KEYS = [(kind, key) for kind, table in STANDARD.items() if isinstance(table, dict) for key in table] + [("resin", "use")]
TOML_VALUES = st.recursive(
    st.booleans() | st.floats() | st.integers(-(2**63), 2**63 - 1) | st.text(max_size=20),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=12,
)


@given(place=st.sampled_from(KEYS), value=TOML_VALUES)
def test_any_value_on_a_bench_is_taken_or_refused(place: tuple[str, str], value: Any) -> None:
    kind, key = place
    with timed():
        bench = bench_from({kind: {key: value}}, "", "any")
        assert isinstance(bench, Bench) and np.isfinite([v for _, v in numbers_of(bench)]).all()


def numbers_of(bench: Bench) -> list[tuple[str, float]]:
    return [(b.key, b.value) for b in bench.values() if isinstance(b.value, float)]


@given(at=changes, keep=st.just(1.0) | st.floats(0.3, 1.0))
def test_a_damaged_bench_file_is_taken_or_refused(
    tmp_path_factory: pytest.TempPathFactory, at: list[tuple[int, int]], keep: float
) -> None:
    path = tmp_path_factory.mktemp("bench", numbered=True) / "bench.toml"
    path.write_bytes(damaged(tomli_w.dumps(STANDARD).encode(), at, keep))
    with timed():
        assert isinstance(load_bench(path), Bench)


# kept results

KEPT = b"".join(packed((as_mesh(BALL), MarkKind.KEEP_CLEAN, np.arange(6).reshape(2, 3), {"holes": [1.5, None]})))
(_LENGTH,) = SIZE.unpack_from(KEPT, HEAD.size)
STRUCTURE = json.loads(KEPT[HEAD.size + SIZE.size : HEAD.size + SIZE.size + _LENGTH])
ARRAYS = KEPT[HEAD.size + SIZE.size + _LENGTH :]


@given(data=st.data(), value=VALUES | st.integers(-1, 2**62))
def test_a_kept_result_of_any_structure_is_taken_or_counts_as_not_there(data: st.DataObject, value: Any) -> None:
    """Its checksum is right, as if someone had meant it."""
    structure = json.loads(json.dumps(STRUCTURE))
    way = data.draw(st.sampled_from([w for w in places_of(structure) if w]))
    holder = structure
    for key in way[:-1]:
        holder = holder[key]
    holder[way[-1]] = value
    text = json.dumps(structure).encode()
    content = SIZE.pack(len(text)) + text + ARRAYS
    with timed():
        try:
            unpacked(HEAD.pack(FORMAT, zlib.crc32(content)) + content)
        except ValueError as error:
            assert str(error)


@given(at=changes, keep=st.just(1.0) | st.floats(0.0, 1.0))
def test_a_damaged_kept_result_counts_as_not_there(at: list[tuple[int, int]], keep: float) -> None:
    data = damaged(KEPT, at, keep)
    with timed():
        if data == KEPT:
            assert unpacked(data)[0] == as_mesh(BALL)
        else:
            with pytest.raises(ValueError):
                unpacked(data)


def test_the_family_s_errors_are_what_a_refusal_is() -> None:
    with timed():
        raise BadJob("no job.", where="any")
    with pytest.raises(KeyError), timed():
        raise KeyError("any")
    assert issubclass(BadModel, WideBerthError)
