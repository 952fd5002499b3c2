"""Cuts that step: nothing lost, pieces that part along the normal, seams as long as by hand, and where a step is worth it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from manifold3d import Manifold

from conftest import ONE, as_mesh, as_source
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.handover import save_job
from wideberth.core.job import Part, assembly_lines, job_of, open_job, resized
from wideberth.core.model import Mesh, as_solid, pieces_of, points_inside, rotation_about
from wideberth.core.predict import Stages
from wideberth.core.propose import propose_split
from wideberth.core.split import (
    Aim,
    Creases,
    Cut,
    Kind,
    Step,
    apply_cuts,
    looked_over,
    on_its_broader_tread,
    piece_of,
    seam_of,
    stepped,
    with_keys,
)
from wideberth.core.split.cut import DRAFT

STEPS = [Step(0.0, 4.0, 6.0), Step(75.0, -3.0, -5.0), Step(200.0, 1.5, 2.0), Step(318.0, 0.0, -8.0)]


def knob(seed: int) -> Mesh:
    """A turned shape that nobody would split by hand."""
    ball = trimesh.creation.icosphere(subdivisions=4, radius=20)
    rng = np.random.default_rng(seed)
    way = rng.normal(size=(6, 3))
    bumps = 1 + 0.25 * np.sin(ball.vertices @ (way.T / np.linalg.norm(way, axis=1) * 0.35)).mean(axis=1)
    ball.vertices *= bumps[:, None] * (1.0, 0.8, 1.3)
    return as_mesh(ball)


@pytest.mark.parametrize("step", [*STEPS[:2], *further(STEPS[2:])])
@pytest.mark.parametrize("seed", [1, *further([0, 2])])
def test_both_pieces_are_the_whole_and_come_apart_along_the_normal(step: Step, seed: int) -> None:
    whole = knob(seed)
    normal = np.random.default_rng(seed + 9).normal(size=3)
    x, y, z = (float(v) for v in normal / np.linalg.norm(normal))
    cut = Cut((x, y, z), 1.0, 1, step=step)
    solid, one, other = (as_solid(m) for m in (whole, piece_of(whole, cut), piece_of(whole, cut.other_side)))
    assert one.volume() + other.volume() == pytest.approx(solid.volume(), rel=1e-9) and min(one.volume(), other.volume()) > 500
    assert (one ^ other).volume() == pytest.approx(0.0, abs=1e-6)
    for away in (0.3, 2.0, 9.0):  # on their way apart
        assert (one.translate((away * np.array(cut.normal)).tolist()) ^ other).volume() == pytest.approx(0.0, abs=1e-6)
    spots = np.random.default_rng(3).uniform(whole.low, whole.high, (4000, 3))
    spots = spots[points_inside(whole, spots) & (np.abs(cut.over_mm(spots)) > 0.05)]
    assert (points_inside(apply_cuts(whole, (cut,), ""), spots) == (cut.over_mm(spots) > 0)).all()


@pytest.mark.parametrize(("rise", "turn"), [(6.0, 0.0), (-4.0, 0.0), (5.0, 180.0)])
def test_a_seam_over_a_step_by_hand(rise: float, turn: float) -> None:
    """A block of 40 x 20 x 30 cut level at its middle, stepping 5 mm beside it: each tread's rim, and the risers' two sides."""
    block = as_mesh(trimesh.creation.box((40, 20, 30)))
    cut = Cut((0.0, 0.0, 1.0), 0.0, 1, step=Step(turn, 5.0, rise))
    # the cut's own across is x for a normal along z
    seam, lean = seam_of(block, cut), abs(rise) * DRAFT
    length = (25 - lean / 2) * 2 + 20 + (15 - lean / 2) * 2 + 20 + 2 * np.hypot(rise, lean)
    assert seam.length_mm == pytest.approx(length, rel=1e-6)
    assert seam.area_mm2 == pytest.approx(20 * (40 - lean), rel=1e-6)
    straight = seam_of(block, replace(cut, step=None))
    assert (straight.length_mm, straight.area_mm2) == pytest.approx((120, 800))


@pytest.mark.parametrize("seed", range(4))
def test_a_seam_is_the_rim_between_both_pieces(seed: int) -> None:
    """Against the edges that both exact pieces share with the part's surface: where a piece's own surface meets the cut."""
    whole, rng = knob(seed), np.random.default_rng(seed)
    normal = rng.normal(size=3)
    x, y, z = (float(v) for v in normal / np.linalg.norm(normal))
    cut = Cut((x, y, z), float(rng.uniform(-4, 4)), 1, step=Step(float(rng.uniform(0, 360)), float(rng.uniform(-5, 5)), 4.0))
    piece = apply_cuts(whole, (cut,), "")
    spots = np.concatenate((piece.corners, 0.5 * (piece.corners + np.roll(piece.corners, 1, axis=1))), axis=1)
    bare = np.abs(cut.over_mm(spots.reshape(-1, 3)).reshape(-1, 6)).max(axis=1) < 1e-5
    edges: dict[tuple[int, int], list[bool]] = {}
    for face, is_bare in zip(piece.faces.tolist(), bare.tolist(), strict=True):
        for a, b in ((face[0], face[1]), (face[1], face[2]), (face[2], face[0])):
            edges.setdefault((min(a, b), max(a, b)), []).append(is_bare)
    rim = sum(
        np.linalg.norm(piece.points[a] - piece.points[b]) for (a, b), sides in edges.items() if sorted(sides) == [False, True]
    )
    assert seam_of(whole, cut).length_mm == pytest.approx(rim, rel=2e-3)


@pytest.mark.parametrize("kind", [None, Kind.PEG, Kind.FLAT_PEG])
@pytest.mark.parametrize("rise", [4.0, -4.0])
def test_keys_on_a_stepped_cut_go_together_one_way(kind: Kind | None, rise: float) -> None:
    block = as_mesh(trimesh.creation.box((50, 36, 40)))
    cut = Cut((0.0, 0.0, 1.0), 2.0, 1, step=Step(30.0, 6.0, rise))
    joint = with_keys(block, cut, kind, 0.1, 2.0)
    assert joint.cut.keys and joint.cut.step == cut.step
    told = looked_over(block, joint.cut)
    assert told.kept_share == pytest.approx(1.0, abs=1e-6) and told.overlap_mm3 == pytest.approx(0.0, abs=1e-4)
    assert told.one_way and 0.08 <= told.clearance_mm[0] <= told.clearance_mm[1] <= 0.12
    for key in joint.cut.keys:
        assert (key.across_mm, key.over_mm) @ cut.step.way + key.size_mm / 2 + 2.0 <= 6.0 + 1e-6


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("stretch", [(1.0, 1.0, 1.0), (1.3, 0.8, 1.1)])
@pytest.mark.parametrize("step", STEPS[:3])
def test_a_step_goes_along_with_the_material(step: Step, stretch: tuple[float, float, float], mirrored: bool) -> None:
    whole = knob(5)
    cut = Cut((0.36, 0.48, 0.8), 2.0, 1, step=step)
    part = resized(Part(id=ONE, name="knob", source=as_source(whole), cuts=(cut,)), 1.5, stretch, mirrored)
    by = part.factors
    there = Mesh(whole.points * by, whole.faces[:, ::-1].copy() if mirrored else whole.faces)
    before = as_solid(apply_cuts(whole, (cut,), "")).volume() * abs(by.prod())
    after = as_solid(apply_cuts(there, part.cuts, "")).volume()
    assert after == pytest.approx(before, rel=1e-6 if stretch == (1.0, 1.0, 1.0) else 1e-2)


def plinth(rise: float) -> Mesh:
    """Two blocks beside each other, each with a groove around it, at unlike heights: no plane meets both grooves."""

    def block(x: float, groove: float) -> Manifold:
        own = Manifold.cube((30.0, 30.0, 60.0), True).translate((x, 0.0, 0.0))
        ring = Manifold.cube((40.0, 40.0, 3.0), True) - Manifold.cube((26.0, 26.0, 3.0), True)
        return own - ring.translate((x, 0.0, groove))

    from wideberth.core.model import as_mesh as solid_mesh

    return solid_mesh(block(-15.5, 0.0) + block(15.5, rise) + Manifold.cube((4.0, 10.0, 60.0), True))


@pytest.mark.parametrize("turn", [0.0, 25.0, 110.0])
@pytest.mark.parametrize("rise", [6.0, -7.5])
def test_a_step_follows_the_folds_where_no_plane_does(rise: float, turn: float) -> None:
    """The seam keeps to both grooves; a plane through one of them crosses the other block's bare sides."""
    bare = plinth(rise)
    whole = Mesh(bare.points @ rotation_about(2, turn).T, bare.faces)
    folds, times, barred = Creases.of(whole), np.ones(whole.triangles), np.zeros(whole.triangles, bool)
    flat = Cut((0.0, 0.0, 1.0), -1.48, 1)
    cut = stepped(whole, flat, times, barred, folds)
    assert cut.step is not None and abs(cut.step.rise_mm) == pytest.approx(abs(rise), abs=3.1)
    before, after = (seam_of(whole, c).finishing(times, barred, folds)[0] for c in (flat, cut))
    assert after < 0.75 * before
    assert all(len(pieces_of(piece_of(whole, c))) == 1 for c in (cut, cut.other_side))


@pytest.mark.prove
def test_a_proposed_seam_out_of_sight_steps_where_folds_do(bench: Bench) -> None:
    """Four times as large it does not fit the printer: the pieces are the whole, and the joint says that it steps."""
    whole = plinth(6.0)
    whole = Mesh(whole.points * 4.2, whole.faces)
    stages = Stages()
    job = job_of("plinth", bench, (Part(id=ONE, name="plinth", source=as_source(whole)),))
    (hidden,) = propose_split(job, job.parts[0].id, stages, aims=(Aim.HIDDEN,), place=False).candidates
    cuts = [part.cuts for part in hidden.job.parts]
    assert any(cut.step is not None for own in cuts for cut in own) and "with a step to hide it" in hidden.why
    pieces = [stages.cut(part) for part in hidden.job.parts]
    assert sum(p.volume_mm3 for p in pieces) == pytest.approx(whole.volume_mm3, rel=3e-3)  # clearances and room for glue
    assert any("The joint steps by" in line for line in assembly_lines(hidden.job))


def test_a_step_keeps_off_a_face_that_is_to_stay_clean_and_a_plain_block_gets_none() -> None:
    """One end of a long block is to stay clean from 3 mm under the plane to 3 over it: the seam goes round that."""
    block = as_mesh(trimesh.creation.box((60, 20, 40)).subdivide().subdivide().subdivide().subdivide())
    folds, times = Creases.of(block), np.ones(block.triangles)
    flat = Cut((0.0, 0.0, 1.0), 0.0, 1)
    assert stepped(block, flat, times, np.zeros(block.triangles, bool), folds) == flat
    middle = block.corners.mean(axis=1)
    barred = (middle[:, 0] > 29.9) & (np.abs(middle[:, 2]) < 3.0)
    cut = stepped(block, flat, times, barred, folds)
    assert seam_of(block, flat).finishing(times, barred)[1] == pytest.approx(20.0)
    assert cut.step is not None and seam_of(block, cut).finishing(times, barred)[1] < 0.5


def test_a_saved_step_opens_again_and_one_of_no_height_is_refused(bench: Bench, tmp_path: Path) -> None:
    stages, cut = Stages(), Cut((0.0, 0.0, 1.0), 0.0, 1, step=Step(40.0, 2.0, -3.5))
    block = as_source(as_mesh(trimesh.creation.box((40, 20, 30))))
    save_job(job_of("block", bench, (Part(id=ONE, name="block", source=block, cuts=(cut,)),)), tmp_path / "a.3mf", stages)
    assert open_job(tmp_path / "a.3mf").parts[0].cuts == (cut,)
    level = replace(cut, step=Step(40.0, 2.0, 0.0))
    save_job(job_of("block", bench, (Part(id=ONE, name="block", source=block, cuts=(cut, level)),)), tmp_path / "b.3mf", stages)
    with pytest.raises(BadJob, match="step of no height"):
        open_job(tmp_path / "b.3mf")


def test_the_plane_is_that_of_the_broader_tread() -> None:
    block = as_mesh(trimesh.creation.box((40, 20, 30)))
    narrow = Cut((0.0, 0.0, 1.0), 0.0, 1, step=Step(0.0, -12.0, 5.0))
    broad = on_its_broader_tread(block, narrow)
    assert broad.offset_mm == 5.0 and broad.step == Step(180.0, 12.0, -5.0)
    assert piece_of(block, broad).volume_mm3 == pytest.approx(piece_of(block, narrow).volume_mm3, rel=1e-9)
    assert on_its_broader_tread(block, broad) == broad
