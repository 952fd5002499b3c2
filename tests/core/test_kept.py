"""What is remembered: counted in bytes, what is shared once, the longest unused forgotten first."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import trimesh

from conftest import as_mesh, as_source
from wideberth.core.bench import Bench
from wideberth.core.hollow import Shell
from wideberth.core.job import Part, job_of
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.predict.kept import SMALL_BYTES, Kept, size_of


@dataclass
class Thing:
    values: np.ndarray

    @cached_property
    def doubled(self) -> np.ndarray:
        return 2 * self.values


def test_bytes_of_arrays_wherever_they_hide_and_of_shared_ones_once() -> None:
    shared = np.zeros(1000)
    held = (Thing(shared), {"a": [shared, shared[10:20]]}, "text", 3.0)
    containers = 4  # the tuple, the thing, the dict and the list
    assert size_of(held, set()) == shared.nbytes + containers * SMALL_BYTES
    held[0].doubled  # noqa: B018 - computed late, and kept in the thing
    assert size_of(held, set()) == 2 * shared.nbytes + containers * SMALL_BYTES
    assert size_of(np.zeros(1000)[::2], set()) == 8000  # a view keeps all of what it looks into


def test_the_longest_unused_goes_first_and_the_newest_always_stays() -> None:
    kept = Kept(100_000)
    for n in range(4):
        kept[n] = np.full(3000, n)  # 24 kB each
    assert list(kept) == [0, 1, 2, 3]
    _ = kept[0]
    kept[4] = np.zeros(3000)
    assert list(kept) == [3, 0, 4]  # down to nine tenths of the room
    assert kept.tidy() == 72_000
    kept["large"] = np.zeros(100_000)
    assert list(kept) == ["large"]


def test_what_grows_after_it_was_kept_is_found_out() -> None:
    kept = Kept(100_000)
    old = Thing(np.zeros(4000))
    kept["old"], kept["new"] = old, np.zeros(4000)
    assert kept.tidy() == 64_000 + SMALL_BYTES
    old.doubled  # noqa: B018
    kept["more"] = np.zeros(1000)
    kept.tidy()  # 104 kB by now
    assert list(kept) == ["new", "more"]


def test_what_grew_is_counted_again_before_long() -> None:
    """Whenever a fifth of the room was added, whatever was counted before."""
    kept = Kept(100_000)
    old = Thing(np.zeros(4000))
    kept["old"], kept["new"] = old, np.zeros(2000)
    old.doubled  # noqa: B018
    for n in range(4):
        kept[n] = np.zeros(1000)
    assert list(kept) == ["new", 0, 1, 2, 3]


def test_what_newer_results_share_is_no_reason_to_forget() -> None:
    kept, shared = Kept(100_000), np.zeros(10_000)
    for n in range(20):
        kept[n] = (shared, np.full(10, n))
    assert len(kept) == 20


def test_an_unchanged_plate_of_many_hollow_parts_is_computed_once(bench: Bench) -> None:
    """Sixteen parts, each unlike the others: a cache that counted entries forgot the first by the time of the last."""
    coarse = bench.with_value("print.layer_height_mm", 0.2)
    parts, places = [], []
    for n in range(16):
        block = as_source(as_mesh(trimesh.creation.box((8 + 0.1 * n, 8, 8))), f"block {n}")
        places.append((14.0 * (n % 4 - 1.5), 14.0 * (n // 4 - 1.5)))
        parts.append(Part(f"Block {n}", block, shell=Shell(1.5, 0.01)))
    stages = Stages()
    job = job_of("Blocks", coarse, parts, places)
    predict(job, stages, fine())
    assert len(stages.computed) > 160
    stages.computed.clear()
    predict(job, stages, fine())
    assert stages.computed == []
    predict(replace(job, bench=coarse.with_value("print.lift_mm_per_min", 90.0)), stages, fine())
    assert stages.computed == []
