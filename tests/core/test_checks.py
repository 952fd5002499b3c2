"""Checks of supports: what runs through the part, tips that print as one or finer than a pixel, snips, cups that posts close."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved, placed_at
from reference.further import further
from wideberth.core.bench import Bench, load_bench
from wideberth.core.job import Job, Part, job_of
from wideberth.core.layers import cast, grid_over
from wideberth.core.model import Closest
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Prediction, Stages, fine, predict
from wideberth.core.progress import quiet
from wideberth.core.propose import propose_support, remedy_for
from wideberth.core.support import Brace, Need, NeedKind, Route, Supports, led_anew, through_part
from wideberth.core.verdict import Code, Finding

BY_HAND = Need(NeedKind.BY_HAND)
AS_IT_LIES = Pose(turned_xyz(0, 0, 0), 6.0)


@pytest.fixture(scope="module")
def coarse() -> Bench:
    return load_bench().with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0)


def on_posts(*spots: tuple[float, float, float], tip_mm: float = 0.5) -> Supports:
    """Straight posts under spots (x, y, z), each with 1.5 mm of tapered end."""
    supports = Supports()
    for x, y, z in spots:
        route = Route((x, y, z), (x, y, z - 1.5), (x, y, z - 1.5), (x, y, 0.0))
        supports = supports.with_route(route, tip_mm, BY_HAND)
    return supports


def told(job: Job, code: Code) -> list[Finding]:
    return [f for f in predicted(job).verdict.findings if f.code is code]


def predicted(job: Job) -> Prediction:
    return predict(job, Stages(), fine(0.2))


def slab_job(supports: Supports, bench: Bench, solid: trimesh.Trimesh | None = None) -> Job:
    mesh = as_mesh(solid if solid is not None else trimesh.creation.box((30, 20, 3)))
    return job_of("Slab", bench, (Part("Slab", as_source(mesh), pose=AS_IT_LIES, supports=supports),))


CORNERS = ((-12, -8, 6), (12, -8, 6), (12, 8, 6), (-12, 8, 6))


@pytest.mark.parametrize("turn", [0.0, 37.0, -120.0])
def test_a_post_through_a_plate_is_told_where_it_enters_however_the_print_is_turned(turn: float, coarse: Bench) -> None:
    """A plate of 3 mm under a second one, joined at a side: the post under the upper one goes through the lower."""
    two = trimesh.boolean.union(
        [
            trimesh.creation.box((30, 20, 3)),
            moved(trimesh.creation.box((30, 20, 3)), 0, 0, 10),
            moved(trimesh.creation.box((2, 20, 10)), 14, 0, 5),
        ],
        engine="manifold",
    )
    through = on_posts(*CORNERS, (3, 2, 16))
    job = placed_at(slab_job(through, coarse, two), 5.0, -4.0, turn_deg=turn)
    (finding,) = told(job, Code.LIMB_IN_PART)
    assert finding.count == 1 and finding.severity == "doubtful"
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    x, y, z = finding.places[0]
    assert (x, y) == pytest.approx((5 + 3 * c - 2 * s, -4 + 3 * s + 2 * c), abs=0.7)  # within the post
    assert z == pytest.approx(9.0, abs=1e-6)  # from its top down it meets the lower plate's upper face
    assert not told(slab_job(on_posts(*CORNERS), coarse, two), Code.LIMB_IN_PART)


@pytest.mark.parametrize("y, on_part", [(8.5, False), (0.0, True)])
def test_what_runs_through_the_part_is_led_clear_by_one_press(y: float, on_part: bool, coarse: Bench) -> None:
    """Beside the lower plate's edge a twig leads round it; over its middle the post stands on it."""
    two = trimesh.boolean.union(
        [
            trimesh.creation.box((30, 20, 3)),
            moved(trimesh.creation.box((30, 20, 3)), 0, 0, 10),
            moved(trimesh.creation.box((2, 20, 10)), 14, 0, 5),
        ],
        engine="manifold",
    )
    job, stages = slab_job(on_posts(*CORNERS, (-3, y, 16)), coarse, two), Stages()
    seen = predict(job, stages, fine(0.2))
    (finding,) = (f for f in seen.verdict.findings if f.code is Code.LIMB_IN_PART)
    remedy = remedy_for(finding, seen, stages)
    assert remedy is not None
    supports = remedy.make(quiet()).job.part(ONE).supports
    was = job.part(ONE).supports
    assert {c.id: c.diameter_mm for c in supports.contacts} == {c.id: c.diameter_mm for c in was.contacts} and not supports.idle
    assert len(supports.feet_on_part) == on_part
    assert not told(job.with_part(replace(job.part(ONE), supports=supports)), Code.LIMB_IN_PART)
    kept = led_anew(was, {was.contacts[-1].id}, lambda spot, past: None)
    assert len(kept.contacts) == 4 and [i.contact for i in kept.idle] == [was.contacts[-1]]


def test_a_diagonal_through_a_peg_is_told(coarse: Bench) -> None:
    peg = trimesh.boolean.union(
        [trimesh.creation.box((30, 20, 3)), moved(trimesh.creation.cylinder(1.0, 8, sections=24), 0, -8, -4.5)], engine="manifold"
    )
    posts = on_posts(*((x, y, 13.0) for x, y, _ in CORNERS))
    surface, lift = Closest(as_mesh(moved(peg, 0, 0, 14.5))), np.eye(4)
    assert through_part(posts, surface, lift, coarse.supports) == ()
    level = replace(posts, braces=(Brace("brace-99", posts.posts[0].top, posts.posts[1].top),), last=99)
    (spot,) = through_part(level, surface, lift, coarse.supports)
    assert spot[1] == pytest.approx(-8.0, abs=0.6) and abs(spot[0]) == pytest.approx(1.0, abs=0.2)


@pytest.mark.parametrize("turn", [(25, 10), *further([(0, 0), (-40, 15), (80, -35)])])
def test_nothing_that_is_proposed_runs_through_the_part(turn: tuple[float, float], coarse: Bench) -> None:
    ring = trimesh.boolean.union(
        [trimesh.creation.torus(14, 3.5), trimesh.creation.box((4, 30, 4)), moved(trimesh.creation.icosphere(3, 5), 0, 0, 6)],
        engine="manifold",
    )
    part = Part("Ring", as_source(as_mesh(ring)), pose=Pose(turned_xyz(*turn, 0), 5.0))
    job = propose_support(job_of("Ring", coarse, (part,)), ONE, Stages()).job
    assert job.part(ONE).supports and not told(job, Code.LIMB_IN_PART)


def test_tips_that_print_as_one_are_told_by_their_rims(coarse: Bench) -> None:
    """0.5 mm wide, 0.56 mm apart: their light runs together; at 0.9 mm it does not."""
    near = on_posts(*CORNERS, (0.0, 0, 6), (0.56, 0, 6))
    (finding,) = told(slab_job(near, coarse), Code.TIPS_TOGETHER)
    assert finding.places[0][:2] == pytest.approx((0.0, 0.0)) and "Tip 5 and tip 6" in finding.message
    assert not told(slab_job(on_posts(*CORNERS, (0.0, 0, 6), (0.9, 0, 6)), coarse), Code.TIPS_TOGETHER)


def test_a_tip_finer_than_a_pixel_is_told(coarse: Bench) -> None:
    """Pixels of 0.2 mm; what is drawn 0.15 mm wide prints finer still."""
    bench = coarse.with_value("printer.pixels_x", 700).with_value("printer.pixels_y", 400)
    supports = on_posts(*CORNERS, (0.0, 0, 6))
    fifth = supports.contacts[4].id
    assert not told(slab_job(supports, bench), Code.TIP_TOO_FINE)
    (finding,) = told(slab_job(supports.sized({fifth: 0.15}), bench), Code.TIP_TOO_FINE)
    assert finding.count == 1 and finding.places[0] == pytest.approx((0.0, 0.0, 6.0))


def test_a_tip_down_a_well_is_out_of_snips_reach(coarse: Bench) -> None:
    """The slab has a well of 10 mm bore and 8 mm depth round the middle tip; in the open the same tip is free."""
    well = trimesh.boolean.union(
        [
            trimesh.creation.box((30, 20, 3)),
            moved(
                trimesh.boolean.difference(
                    [trimesh.creation.cylinder(7, 8, sections=64), trimesh.creation.cylinder(5, 9, sections=64)],
                    engine="manifold",
                ),
                0,
                0,
                -5.4,
            ),
        ],
        engine="manifold",
    )
    deep = replace(AS_IT_LIES, gap_mm=6.0)
    under = 6.0 + 7.9
    part = Part(
        "Well", as_source(as_mesh(well)), pose=deep, supports=on_posts(*((x, y, under) for x, y, _ in CORNERS), (0, 0, under))
    )
    (finding,) = told(job_of("Well", coarse, (part,)), Code.NO_WAY_FOR_SNIPS)
    assert finding.count == 1 and finding.places[0][:2] == pytest.approx((0.0, 0.0))


def test_posts_that_close_a_ring_are_named_as_what_shuts_the_cup(coarse: Bench) -> None:
    """Forty posts side by side round a square make a cup under the slab that the slab itself has not."""
    side = np.linspace(-9, 9, 13)
    square = [(x, y) for x in side for y in (-7.0, 7.0)] + [(x, y) for x in (-9.0, 9.0) for y in np.linspace(-7, 7, 11)[1:-1]]
    bench = coarse.with_value("supports.post_mm", 2.4)
    ring = on_posts(*((float(x), float(y), 6.0) for x, y in square))
    closed = {f.code for f in predicted(slab_job(ring, bench)).verdict.findings}
    assert Code.CUP_OF_SUPPORTS in closed and Code.CUP_SEALED not in closed
    cup = trimesh.boolean.difference(
        [trimesh.creation.box((30, 20, 9)), moved(trimesh.creation.box((18, 14, 9)), 0, 0, 3)], engine="manifold"
    )
    own = {f.code for f in predicted(slab_job(on_posts(*CORNERS), bench, cup)).verdict.findings}
    assert Code.CUP_SEALED in own and Code.CUP_OF_SUPPORTS not in own


@pytest.mark.parametrize("turn", [0.0, 90.0, 180.0])
@pytest.mark.parametrize("mirrored", [False, True])
def test_a_base_ends_at_the_plate_s_edge_and_nothing_else_is_cut(turn: float, mirrored: bool, coarse: Bench) -> None:
    """Pads of 10 mm under posts 3 mm (or 2 mm) within the slab's side, which stands half a millimetre from the edge.

    What is left is the whole base up to the edge, by the runs of both.
    """
    bench = coarse.with_value("supports.pad_mm", 10.0)
    edge, half, post = 0.5 * bench.printer.plate_x_mm, *((10.0, 8.0) if turn == 90 else (15.0, 12.0))
    job, stages = slab_job(on_posts(*CORNERS), bench), Stages()

    def at(x_mm: float) -> Job:
        return job.with_placement(replace(job.placements_of(ONE)[0], x_mm=x_mm, turn_deg=turn, mirrored=mirrored))

    near = at(edge - half - 0.5)
    (cut,), (whole,) = stages.solids_on(near), stages.solids_on(at(0.0))
    assert cut.supports is not None and whole.supports is not None
    assert whole.high[0] == pytest.approx(post + 5, abs=0.1) and cut.high[0] == pytest.approx(edge, abs=1e-3)
    assert not told(near, Code.OFF_PLATE)
    moved_there = whole.supports.moved(np.array([edge - half - 0.5, 0.0, 0.0]))
    grid = grid_over(moved_there.low, moved_there.high, 0.1, 0.1)
    expected, left = (cast(m.points, m.faces, grid) for m in (moved_there, cut.supports))
    assert (left.x1 - left.x0).sum() == pytest.approx(
        (np.minimum(expected.x1, edge) - np.minimum(expected.x0, edge)).sum(), rel=2e-3
    )

    over = at(edge - post - 0.2)  # the slab and a post reach over the edge
    assert stages.solids_on(over)[0].high[0] > edge and told(over, Code.OFF_PLATE)
