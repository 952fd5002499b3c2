"""One tip less, or a thinner one, told at once: as the tug of all the others says, one whole tug after the other."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import set_down, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.loads import OneOther, Tug, others
from wideberth.core.support import propose_tips
from wideberth.core.support.bearing import Trial
from wideberth.core.support.sizes import most_mm2, needed_mm
from wideberth.core.support.solids import resized, touches, without_touch

SOLIDS = {
    "slab": lambda: turned(trimesh.creation.box((30, 20, 4)), 20, (1, 0.3, 0)),
    "arch": lambda: trimesh.creation.annulus(8, 14, 12).apply_transform(
        trimesh.transformations.rotation_matrix(np.pi / 2, (1, 0.2, 0))
    ),  # two feet that grow together late
    "torus": lambda: turned(trimesh.creation.torus(12, 3), 15, (0, 1, 0)),
}


@pytest.fixture(scope="module", params=["arch", *further(["slab", "torus"])])
def trial(request: pytest.FixtureRequest, bench: Bench) -> Trial:
    coarse = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0)
    return Trial(set_down(SOLIDS[request.param](), 6.0), coarse)


def test_who_is_overloaded_is_told_as_by_the_tug_of_all_others(trial: Trial) -> None:
    supports = propose_tips(trial.light, trial.bench).supports
    held = touches(supports, trial.bench.supports, 0, 0.0, 0.0)
    pulls = trial.borne(supports).part_pulls
    now = pulls.tug(held, by_cause=False)
    thinner = tuple(replace(touch, diameter_mm=round(0.8 * touch.diameter_mm, 3)) for touch in held)
    least = np.full(len(held), now.weakest)

    def weak(tug: Tug, times: float) -> int:
        return int((tug.tip_margin.min(axis=0) < times * now.weakest).sum())

    told = set()
    for n, touch in enumerate(held):
        begins = now.printed.touched[n] in now.printed.islands
        for other, rest in (
            (OneOther(now), without_touch(held, touch.contact)),
            (OneOther(now, others(thinner, now)), resized(held, {touch.contact: thinner[n].diameter_mm})),
        ):
            after = pulls.tug(rest, by_cause=False)
            for times in (0.8, 0.97, 1.0, 1.1):
                for most in (0, 2):
                    overloads = other.overloads(n, times * least, most)
                    assert overloads == (weak(after, times) > most and not begins)
                    told.add(overloads)
    assert told == {True, False}


def test_a_tip_that_could_not_be_thick_enough_is_told(trial: Trial) -> None:
    """With one tip less, some hold less than is wanted: it is told where one of those needs a size that is not allowed."""
    supports = propose_tips(trial.light, trial.bench).supports
    held = touches(supports, trial.bench.supports, 0, 0.0, 0.0)
    pulls, told = trial.borne(supports).part_pulls, []
    now = pulls.tug(held, by_cause=False)
    other, least = OneOther(now), np.full(len(held), trial.bench.supports.wanted_margin)
    for largest in (0.3, 0.45, 0.6, 0.9, 2.0, 3.0):
        small = replace(trial.bench, supports=replace(trial.bench.supports, largest_tip_mm=largest))
        could = most_mm2(now.tips, small)
        for n, touch in enumerate(held):
            if now.printed.touched[n] in now.printed.islands:
                continue
            after = pulls.tug(without_touch(held, touch.contact), by_cause=False)
            weak = after.tip_margin.min(axis=0) < least[0]
            needed = needed_mm(after.tip_load_n, after.tips, small)
            told.append(other.overloads(n, least, len(held), could))
            assert told[-1] == bool((needed[weak] > largest).any())
    assert set(told) == {True, False}
