"""Holes through a part's own walls: its cups breathe by them, and its tips are for what is left of their suction."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, as_source, moved
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.hollow import Shell
from wideberth.core.job import Part, job_of
from wideberth.core.model import Mesh, joined
from wideberth.core.orient import Pose, placing, turned_xyz
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.propose import propose_support
from wideberth.core.propose.rooming import relief_of
from wideberth.core.support import Contact


def cup(floor_mm: float = 1.5) -> trimesh.Trimesh:
    """A cup that opens upward, onto the film: 20 mm wide, its floor's underside at z = -8."""
    room = moved(trimesh.creation.cylinder(8.5, 16, sections=96), 0, 0, floor_mm)
    return trimesh.boolean.difference([trimesh.creation.cylinder(10, 16, sections=96), room], engine="manifold")


def tips_of(part: Part, bench: Bench) -> tuple[Contact, ...]:
    """Proposed, and where it is solid found to hold as is wanted."""
    job, stages = job_of("Job", bench, (part,)), Stages()
    proposed = propose_support(job, job.parts[0].id, stages).job
    if part.shell is None:
        hold = predict(proposed, stages, fine()).verdict.hold_margin
        assert hold is not None and hold > 0.99 * bench.supports.wanted_margin
    return proposed.parts[0].supports.contacts


def area_mm2(tips: tuple[Contact, ...]) -> float:
    return sum(np.pi / 4 * tip.diameter_mm**2 for tip in tips)


TURNS = [((0, 0, 0), 3.0), *further([((20, 10, 0), 3.0), ((0, 30, 0), 4.0), ((35, -15, 50), 3.0)], of_several=True)]


@pytest.mark.parametrize(("turn", "wide"), TURNS)
def test_a_drilled_cup_asks_for_the_tips_of_one_modelled_so(turn: tuple[float, ...], wide: float, bench: Bench) -> None:
    """And not for those of one that is shut; none of them stands in the hole."""
    pose, mesh = Pose(turned_xyz(*turn), 5.0), as_mesh(cup())
    bored = trimesh.boolean.difference([cup(), trimesh.creation.cylinder(wide / 2, 40, sections=64)], engine="manifold")
    shut = Part("Cup", as_source(mesh), pose=pose)
    own = tips_of(replace(shut, holes=(Hole(0, 0, -8, wide),)), bench)
    assert area_mm2(own) == pytest.approx(area_mm2(tips_of(replace(shut, source=as_source(as_mesh(bored))), bench)), rel=0.25)
    assert area_mm2(own) < 0.7 * area_mm2(tips_of(shut, bench))
    mouth = (placing(mesh, pose) @ [0, 0, -8, 1])[:3]
    assert all(np.linalg.norm(tip.spot_mm - mouth) > 0.5 * (wide + tip.diameter_mm) for tip in own)


@pytest.mark.prove
def test_hollowing_leaves_the_tips_of_a_drilled_cup_as_they_are(bench: Bench) -> None:
    """A thick stem that is hollowed under a cup whose wall is not: the hole through that wall counts before and after, one into
    the stem's chamber never."""
    stem = moved(trimesh.creation.cylinder(7, 16, sections=96), 0, 0, -15)
    goblet, pose = trimesh.boolean.union([cup(2.0), stem], engine="manifold"), Pose(turned_xyz(15, 0, 0), 5.0)
    into_cup, into_stem = Hole(10, 0, -4, 3.0), Hole(7, 0, -16, 3.0)
    plain = Part("Goblet", as_source(as_mesh(goblet)), pose=pose, holes=(into_cup,))
    tips = []
    for part in (plain, replace(plain, shell=Shell(2.0), holes=(into_cup, into_stem))):
        relief = relief_of(part, Stages(), bench)
        assert relief is not None and [bore.wall_mm for bore in relief.bores] == [pytest.approx(1.5, abs=0.1)]
        tips.append({(c.x_mm, c.y_mm, c.z_mm): c.diameter_mm for c in tips_of(part, bench)})
    assert tips[0] == tips[1]
    assert area_mm2(tips_of(plain, bench)) < 0.8 * area_mm2(tips_of(replace(plain, holes=()), bench))


def test_a_hole_into_a_void_that_counts_as_filled_lets_no_cup_breathe(bench: Bench) -> None:
    void = as_mesh(trimesh.creation.box((12, 12, 12)))
    block = joined([as_mesh(trimesh.creation.box((20, 20, 20))), Mesh(void.points, void.faces[:, ::-1].copy())])
    into_void, through_edge = Hole(0, 0, 10, 3.0), Hole(8, 10, 0, 2.0)
    part = Part("Block", as_source(block), holes=(into_void, through_edge))
    relief = relief_of(part, Stages(), bench)
    assert relief is not None and [bore.wall_mm for bore in relief.bores] == [pytest.approx(20.0)]
    assert relief_of(replace(part, holes=(into_void,)), Stages(), bench) is None
