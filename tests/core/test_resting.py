"""What rests lies in a file: the same numbers, out of memory."""

from __future__ import annotations

import ctypes
import shutil
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import pytest
import trimesh
from numba import njit

from conftest import ONE, as_mesh, as_source
from wideberth.core.bench import Bench
from wideberth.core.hollow import Shell
from wideberth.core.job import Part, job_of, posed
from wideberth.core.layers import Printed
from wideberth.core.layers._kernels import cast
from wideberth.core.mapped import let_go
from wideberth.core.orient import Pose, turned, turned_xyz
from wideberth.core.predict import Stages, fine, look_closer, predict, resting
from wideberth.core.predict.resting import Rest


@dataclass(frozen=True, eq=False)
class Held:
    own: Any
    other: Any = None


class Pair(NamedTuple):
    number: int
    values: Any


@njit
def compiled(count: int):  # type: ignore[no-untyped-def]
    return np.arange(count) * 0.5


def large(seed: int, shape: tuple[int, ...] = (3_000_000,)) -> np.ndarray:
    return np.random.default_rng(seed).random(shape)


def in_memory_mb() -> float:
    """Memory of the process that lies in no file, once what is free was given back."""
    ctypes.CDLL(None).malloc_trim(0)
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("RssAnon")) / 1e3


def test_every_holder_gets_the_same_numbers_and_memory_is_free_again(tmp_path: Path) -> None:
    shared, whole = large(1), large(2, (1500, 2000))
    held = Held(shared, {"list": [large(3), "text"], "again": shared})
    others = Held((1, whole, Held(compiled(2_000_000))), Pair(7, large(4)[:2_000_000]))
    deep = Held((((large(8), 2), "text"), [(3, large(9))]))
    copies = [a.copy() for a in (shared, whole, held.other["list"][0], others.own[2].own, others.other.values)]
    copies += [deep.own[0][0][0].copy(), deep.own[1][0][1].copy()]
    before = in_memory_mb()
    laid = Rest(tmp_path).lay([held, others, deep, (large(10, (10_000,)), (4, Held(shared)))])
    size = sum(a.nbytes for a in copies)
    del shared, whole
    assert laid == size and before - in_memory_mb() > 0.9 * size / 1e6
    now = [held.own, others.own[1], held.other["list"][0], others.own[2].own, others.other.values]
    now += [deep.own[0][0][0], deep.own[1][0][1]]
    for array, copy in zip(now, copies, strict=True):
        assert (array.dtype, array.flags.writeable) == (copy.dtype, copy.flags.writeable)
        np.testing.assert_array_equal(array, copy)
    assert (
        held.other["again"] is held.own and type(others.other) is Pair and others.own[0] == 1 and held.other["list"][1] == "text"
    )


def test_what_is_read_again_is_let_go_again_and_nothing_is_written_twice(tmp_path: Path) -> None:
    rest, held = Rest(tmp_path), [Held(large(5, (9_000_000,)))]
    assert rest.lay(held) == 72_000_000
    laid, total = held[0].own, held[0].own.sum()
    read = Path("/proc/self/status").read_text()
    assert rest.lay(held) == 0 and held[0].own is laid and held[0].own.sum() == total

    def file_mb(text: str) -> float:
        return next(int(line.split()[1]) for line in text.splitlines() if line.startswith(("RssFile", "RssShmem"))) / 1e3

    let_go()
    assert file_mb(read) - file_mb(Path("/proc/self/status").read_text()) > 60


def test_little_and_what_cannot_be_written_stay_where_they_are(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A folder that is none, and a disk that has less room than is to be left free."""
    little, much = Held(large(6, (20_000,))), Held(large(7, (9_000_000,)))
    own = little.own, much.own
    assert Rest(tmp_path).lay([little]) == 0
    (tmp_path / "file").write_text("no folder")
    assert Rest(tmp_path / "file").lay([much]) == 0
    usage = shutil.disk_usage(tmp_path)
    monkeypatch.setattr(shutil, "disk_usage", lambda _: usage._replace(free=1_500_000_000))
    assert Rest(tmp_path).lay([much]) == 0
    assert little.own is own[0] and much.own is own[1]


def test_casts_rest_while_sections_are_found_and_all_that_is_printed_while_it_is_weighed(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    """And what was weighed once ways and voids are looked at."""
    monkeypatch.setattr(resting, "LARGE_BYTES", 1 << 10)
    monkeypatch.setattr(resting, "WORTH_BYTES", 1 << 16)
    ball = as_mesh(trimesh.creation.icosphere(3, 9.0))
    part = Part("Ball", as_source(ball), id=ONE, pose=Pose(turned_xyz(20.0, 5.0, 0.0), 3.0), shell=Shell(2.0))
    job, stages = job_of("Rest", bench, (part,)), Stages()
    label, awake = Printed.label, []

    def labelled(printed: Printed, liquid: bool = True) -> None:
        casts = [runs for (stage, _), runs in stages.cache._kept.items() if stage == "cast_runs"]
        awake.append([resting._is_awake(runs.x0) for runs in (*casts, printed.part)])
        label(printed, liquid)

    monkeypatch.setattr(Printed, "label", labelled)
    seen = predict(job, stages, fine(0.1))
    assert awake == [[False] * 4 + [True]]  # outside and chamber, along x and along y
    assert not resting._is_awake(seen.printed.part.x0) and resting._is_awake(seen.loads.peel_n)
    look_closer(seen, stages)
    assert not resting._is_awake(seen.loads.peel_n)


def test_predictions_go_on_from_what_was_laid_to_rest(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    block = as_source(as_mesh(trimesh.creation.icosphere(5, 22.0)))
    job = job_of("Rest", bench, (Part("Ball", block, id=ONE, pose=Pose(turned_xyz(20.0, 5.0, 0.0), 3.0)),))
    pitch_mm, later = 0.05, job.with_part(posed(job.parts[0], turned(job.parts[0].pose, 2, 90.0)))
    rested, plain = Stages(), Stages()
    monkeypatch.setattr(plain.cache, "lay_aside", lambda *_, **__: 0)
    first = predict(job, rested, fine(pitch_mm))
    loops = len(cast.crossings.signatures)
    assert not resting._is_awake(first.printed.all.x0)
    for asked in (job, later, replace(later, title="another")):
        a, b = (predict(asked, stages, fine(pitch_mm)) for stages in (rested, plain))
        np.testing.assert_array_equal(a.loads.pull_n, b.loads.pull_n)
        np.testing.assert_array_equal(a.printed.all.x0, b.printed.all.x0)
        assert resting._is_awake(b.printed.all.x0)
    assert len(cast.crossings.signatures) == loops
