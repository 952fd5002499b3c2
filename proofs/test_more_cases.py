"""More cases of laws that the tests look at in one or two: each takes about ten seconds."""

from __future__ import annotations

from pathlib import Path

import pytest

from core import test_coming_off as coming_off
from core import test_split as split
from core import test_written_layers as written_layers
from reference.same import assert_same_supports
from wideberth.core.bench import Bench, load_bench


@pytest.fixture(scope="module")
def bench() -> Bench:
    return load_bench()


@pytest.mark.parametrize("seed", range(2, 12))
def test_the_front_agrees_with_lines_drawn_across_turned_boxes(seed: int) -> None:
    coming_off.test_the_front_agrees_with_lines_drawn_across_four_turned_boxes(seed)


@pytest.mark.parametrize("name", ["box", "nut"])
def test_shuffling_subdividing_and_moving_change_little(bench: Bench, name: str) -> None:
    assert_same_supports(bench, name)


def test_the_whole_chain_leaves_mating_faces_up_on_a_capsule(bench: Bench) -> None:
    split.test_the_whole_chain_leaves_mating_faces_up(bench, "capsule")


@pytest.mark.parametrize(("turn", "high"), [((0.0, 0.0, 0.0), 0.0), ((0.0, 0.0, 0.0), 60.0), ((20.0, 35.0, 70.0), 0.0)])
def test_a_cut_that_opens_a_void_says_so(bench: Bench, turn: tuple[float, float, float], high: float) -> None:
    split.test_a_cut_that_opens_a_void_says_so(turn, high, bench)


def test_a_turned_scan_is_written_with_grey_edges_as_it_stands(bench: Bench, tmp_path: Path) -> None:
    written_layers.test_turned_scan_on_supports_is_written_as_it_stands(bench, tmp_path, 16, 0.08, 75.0)
