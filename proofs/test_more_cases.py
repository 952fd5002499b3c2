"""More cases of laws that the tests look at in one or two: each takes about ten seconds."""

from __future__ import annotations

from pathlib import Path

import pytest

from core import test_split as split
from core import test_written_layers as written_layers
from reference.same import assert_same_supports
from wideberth.core.bench import Bench, load_bench


@pytest.fixture(scope="module")
def bench() -> Bench:
    return load_bench()


@pytest.mark.parametrize("name", ["box", "nut"])
def test_shuffling_subdividing_and_moving_change_little(bench: Bench, name: str) -> None:
    assert_same_supports(bench, name)


def test_the_whole_chain_leaves_mating_faces_up_on_a_capsule(bench: Bench) -> None:
    split.test_the_whole_chain_leaves_mating_faces_up(bench, "capsule")


def test_a_turned_scan_is_written_with_grey_edges_as_it_stands(bench: Bench, tmp_path: Path) -> None:
    written_layers.test_turned_scan_on_supports_is_written_as_it_stands(bench, tmp_path, 16, 0.08, 75.0)
