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
from wideberth.core.support import Contact, Need, NeedKind, Supports, room_of


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


@pytest.mark.prove
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
    shut, tips = tips_of(replace(plain, holes=()), bench), []
    for part in (plain, replace(plain, shell=Shell(2.0))):
        relief = relief_of(part, Stages(), bench)
        assert relief is not None and [bore.wall_mm for bore in relief.bores] == [pytest.approx(1.5, abs=0.1)]
        tips.append({(c.x_mm, c.y_mm, c.z_mm): c.diameter_mm for c in tips_of(part, bench)})
    assert tips[0] == tips[1]
    assert area_mm2(tips_of(plain, bench)) < 0.8 * area_mm2(shut)
    into_stem_alone = replace(plain, shell=Shell(2.0), holes=(into_stem,))
    assert area_mm2(tips_of(into_stem_alone, bench)) == pytest.approx(area_mm2(shut), rel=0.1)


def test_a_hole_into_a_void_that_counts_as_filled_ends_in_it(bench: Bench) -> None:
    void = as_mesh(trimesh.creation.box((12, 12, 12)))
    block = joined([as_mesh(trimesh.creation.box((20, 20, 20))), Mesh(void.points, void.faces[:, ::-1].copy())])
    into_void, through_edge = Hole(0, 0, 10, 3.0), Hole(8, 10, 0, 2.0)
    part = Part("Block", as_source(block), holes=(into_void, through_edge))
    relief = relief_of(part, Stages(), bench)
    assert relief is not None and [bore.wall_mm for bore in relief.bores] == pytest.approx([4.0, 20.0])
    alone = relief_of(replace(part, holes=(into_void,)), Stages(), bench)
    assert alone is not None and np.ptp(alone.drills.points[:, 2]) < 12.0


RIMS = [
    (9.0, (20, 10, 5), 2.0),
    *further([(14.0, (20, 10, 5), 2.0), (14.0, (0, 0, 0), 3.5), (14.0, (45, 35, 0), 3.5), (14.0, (-8, 57, 48), 2.9)], True),
]


@pytest.mark.parametrize(("radius", "turn", "wide"), RIMS)
def test_what_begins_at_the_rim_of_a_drain_hole_is_held_beside_it(
    radius: float, turn: tuple[float, ...], wide: float, bench: Bench
) -> None:
    """An egg that is hollowed and drained where it is lowest: its lowest point is drilled away, a ring round it begins."""
    pose, mesh = Pose(turned_xyz(*turn), 4.0), as_mesh(trimesh.creation.icosphere(5, radius).apply_scale([1, 1, 1.3]))
    own = placing(mesh, pose)[:3, :3]
    low = mesh.points[(mesh.points @ own[2]).argmin()]
    part = Part("Egg", as_source(mesh), pose=pose, shell=Shell(2.0), holes=(Hole(*low, wide),))
    job, stages = job_of("Job", bench, (part,)), Stages()
    proposed = propose_support(job, job.parts[0].id, stages).job
    seen = predict(proposed, stages, fine())
    assert seen.solids[0].at_home.left_out == ()
    assert seen.verdict.islands and all(island.supported or island.inside for island in seen.verdict.islands)
    assert seen.verdict.hold_margin is not None and seen.verdict.hold_margin > 0.99 * bench.supports.wanted_margin
    assert seen.loads.unsteady.max() <= 1
    mouth = (placing(mesh, pose) @ [*low, 1])[:3]
    tips = proposed.parts[0].supports.contacts
    assert all(np.linalg.norm(tip.spot_mm - mouth) > 0.5 * (wide + tip.diameter_mm) for tip in tips)
    assert sum(np.linalg.norm(tip.spot_mm - mouth) < 0.5 * wide + 2.0 for tip in tips) <= 4


@pytest.mark.parametrize("way_deg", [0, 70, 200, 310])
def test_a_tip_stands_as_near_a_rim_as_it_may_and_reaches_what_begins_there(way_deg: float, bench: Bench) -> None:
    """Under a flat board with a hole of 3 mm, for a spot 0.1 mm off its rim."""
    tips, way = bench.supports, np.array([np.cos(np.radians(way_deg)), np.sin(np.radians(way_deg)), 0])
    board = as_mesh(moved(trimesh.creation.box((30, 30, 4)), 0, 0, 12))
    room = replace(room_of(board, tips), mouths_mm=np.array([[0, 0, 10, 1.5]]))
    at = room.way_under(np.array([0, 0, 10]) + 1.6 * way, Supports())
    assert at is not None
    (route, wide), off = at, np.linalg.norm(np.subtract(at[0].spot_mm, [0, 0, 10]))
    assert 1.5 + 0.5 * tips.largest_tip_mm < off < 1.5 + 0.5 * tips.largest_tip_mm + 0.1
    assert np.cross(np.subtract(route.spot_mm, [0, 0, 10]) / off, way) == pytest.approx(0, abs=0.02)
    assert off - 0.5 * wide < 1.6 and wide <= tips.largest_tip_mm
    held = Supports().with_route(route, 0.3, Need(NeedKind.ISLAND))
    grown = room.grown_under(np.array([0, 0, 10]) + 1.6 * way, held)
    assert grown is not None and grown.contacts[0].diameter_mm == pytest.approx(wide)
    assert room.grown_under(np.array([0, 0, 10]) + 1.6 * way, grown) is None
    assert room.grown_under(np.array([0, 0, 10]) - 1.6 * way, held) is None
