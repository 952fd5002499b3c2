"""Sizes and kits: stretched, mirrored, counted, linked; copies follow their part."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, placed_at
from reference.plates import least_gap
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.errors import BadJob
from wideberth.core.handover import save_job
from wideberth.core.hollow import Shell
from wideberth.core.job import Job, Part, Placement, job_of, job_scaled, open_job, resized, with_count, with_twin
from wideberth.core.model import Mend
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, fine, plate_meshes, predict
from wideberth.core.propose import propose_places, propose_support
from wideberth.core.split import Cut

ELL = trimesh.boolean.union(
    [trimesh.creation.box(bounds=[[0, 0, 0], [12, 4, 5]]), trimesh.creation.box(bounds=[[0, 0, 0], [4, 10, 5]])],
    engine="manifold",
)


@pytest.fixture
def coarse(bench: Bench) -> Bench:
    return bench.with_value("print.layer_height_mm", 0.1)


def ell(**recipe: object) -> Part:
    return Part("Ell", as_source(as_mesh(ELL)), **recipe)  # type: ignore[arg-type]


def test_stretch_and_mirror_change_the_volume_as_they_should() -> None:
    stages = Stages()
    part = resized(ell(), 2.0, (1.0, 0.5, 3.0), True)
    mesh = stages.scaled(part)
    assert mesh.extents_mm == pytest.approx([24.0, 10.0, 30.0])
    assert mesh.volume_mm3 == pytest.approx(ELL.volume * 8 * 1.5)
    assert mesh.high[0] == pytest.approx(0.0)  # mirrored across x = 0


def test_cuts_and_holes_stay_in_the_material_they_were_made_in() -> None:
    normal = np.array([1.0, 2.0, 2.0]) / 3
    spot = np.array([5.0, 1.0, 2.0])
    part = ell(cuts=(Cut(tuple(normal), float(normal @ spot), 1),), holes=(Hole(*spot, 2.0),))  # type: ignore[arg-type]
    sized = resized(part, 1.7, (1.0, 0.6, 2.0), True)
    moved_spot = spot * sized.factors
    cut, hole = sized.cuts[0], sized.holes[0]
    assert (hole.x_mm, hole.y_mm, hole.z_mm) == pytest.approx(tuple(moved_spot))
    assert np.array(cut.normal) @ moved_spot == pytest.approx(cut.offset_mm)
    assert np.linalg.norm(cut.normal) == pytest.approx(1.0)
    before, after = Stages().cut(part), Stages().cut(sized)
    assert after.volume_mm3 == pytest.approx(before.volume_mm3 * abs(float(np.prod(sized.factors))), rel=1e-6)
    back = resized(sized, 1.0, (1.0, 1.0, 1.0), False)
    assert back.cuts[0].normal == pytest.approx(part.cuts[0].normal) and back.cuts[0].keep == part.cuts[0].keep


def test_a_stretch_that_is_no_size_is_refused() -> None:
    with pytest.raises(BadJob, match="scale"):
        resized(ell(), 1.0, (1.0, 0.0, 1.0), False)


def test_a_linked_kit_keeps_one_scale(bench: Bench) -> None:
    job = job_of("Kit", bench, (ell(), ell(scale=2.0)), linked=True)
    grown = job_scaled(job, job.parts[0].id, 1.5)
    assert [p.scale for p in grown.parts] == pytest.approx([1.5, 3.0])
    alone = job_scaled(replace(job, linked=False), ONE, 1.5)
    assert [p.scale for p in alone.parts] == pytest.approx([1.5, 2.0])


def three(job: Job) -> Job:
    """A part at x = -30 mm, once more in the middle, and mirrored at 30 mm."""
    at = ((-30.0, False), (0.0, False), (30.0, True))
    prints = tuple(Placement(f"print-{n}", ONE, x, 0.0, mirrored=twin) for n, (x, twin) in enumerate(at, 10))
    return job.replated(replace(job.plates[0], placements=prints))


def test_copies_keep_supports_holes_and_shell_and_mirrored_ones_are_mirror_images(coarse: Bench) -> None:
    stages = Stages()
    part = ell(pose=Pose(turned_xyz(20, 10, 0), 5.0), shell=Shell(0.8, 0.0))
    part = propose_support(job_of("L", coarse, (part,)), ONE, stages).job.parts[0]
    job = three(job_of("L", coarse, (part,)))
    own, copy, twin = stages.solids_on(job)
    for other in (copy, twin):
        assert other.outer.volume_mm3 == pytest.approx(own.outer.volume_mm3)
        assert other.supports is not None and other.supports.volume_mm3 == pytest.approx(own.supports.volume_mm3)  # type: ignore[union-attr]
        assert len(other.touches) == len(own.touches) > 0
        assert len(other.chambers) == len(own.chambers)
    assert copy.outer.points - own.outer.points == pytest.approx(np.full((len(own.outer.points), 3), [30.0, 0, 0]))
    mirrored = own.outer.points * [-1, 1, 1] + [-30.0 + 30.0, 0, 0]
    assert twin.outer.points == pytest.approx(mirrored)
    for mine, theirs in zip(own.touches, twin.touches, strict=True):
        assert (theirs.x_mm, theirs.post_x_mm) == pytest.approx((-mine.x_mm, -mine.post_x_mm))
    found = predict(job, stages, fine(0.2))
    alone = predict(job_of("L", coarse, (part,)), stages, fine(0.2))
    assert found.verdict.totals.part_ml == pytest.approx(3 * alone.verdict.totals.part_ml, rel=2e-3)
    assert found.loads.peel_n.max() == pytest.approx(3 * alone.loads.peel_n.max(), rel=0.01)
    third = len(own.touches)
    margins = found.loads.tip_margin.reshape(3, third)
    assert margins[1] == pytest.approx(margins[0], rel=0.02)  # on whole rows: the same
    pulled = np.isfinite(margins[[0, 2]]).all(axis=0)
    assert pulled.mean() > 0.8 and np.median((margins[2] / margins[0])[pulled]) == pytest.approx(1.0, abs=0.05)


@pytest.mark.parametrize("spot", [(0.0, 0.0), (0.0, 0.13), (3.0, -7.31), (0.27, 0.39), (-11.17, 0.2)])
def test_a_ball_s_layers_lie_round_its_own_middle_wherever_it_stands(spot: tuple[float, float], coarse: Bench) -> None:
    """Also off whole rows, which lie 0.4 mm apart here."""
    ball = trimesh.creation.icosphere(4, 8.0)
    job = placed_at(job_of("Ball", coarse, (Part("Ball", as_source(as_mesh(ball)), pose=Pose(turned_xyz(0, 0, 0), 3.0)),)), *spot)
    layers = predict(job, Stages(), fine(0.4)).printed.part_sections
    middle = np.average(np.stack([layers.x_mm, layers.y_mm], axis=1), axis=0, weights=layers.area_mm2)
    assert middle == pytest.approx(spot, abs=2e-3)


def test_changing_the_part_changes_its_copies(bench: Bench) -> None:
    stages = Stages()
    job = with_count(job_of("L", bench, (ell(),)), ONE, 2, (38.0, 10.0), 2.0)
    larger = job.with_part(resized(job.parts[0], 2.0, (1.0, 1.0, 1.0), False))
    assert stages.solids_on(larger)[1].outer.volume_mm3 == pytest.approx(8 * ELL.volume)


def test_arranging_gives_every_copy_a_place_of_its_own(bench: Bench) -> None:
    stages = Stages()
    job = with_count(job_of("L", bench, (ell(), ell())), ONE, 7, (12.0, 10.0), 2.0)
    job = propose_places(job, stages).job
    assert len(job.placements_of(ONE)) == 7 and len(job.placed()) == 8
    assert [p.name for p in job.placed()[:2]] == ["Ell", "Ell (2)"]
    assert least_gap([s.at_home.outer.moved(s.shift_mm) for s in stages.solids_on(job)], 9.0) >= bench.house.apart_mm - 1e-6


def test_counts_and_twins(bench: Bench) -> None:
    one = job_of("L", bench, (ell(),))
    job = with_count(one, ONE, 3, (12.0, 10.0), 2.0)
    first, second, third = job.placements_of(ONE)
    assert third.x_mm - second.x_mm == second.x_mm - first.x_mm == pytest.approx(14.0)
    assert with_count(job, ONE, 1, (12.0, 10.0), 2.0).placements_of(ONE) == (first,)
    pair = with_twin(one, ONE, (12.0, 10.0), 2.0)
    assert pair.placements_of(ONE)[1].mirrored and pair.parts[0].side == "right"
    with pytest.raises(BadJob, match="200"):
        with_count(job, ONE, 0, (1.0, 1.0), 1.0)


def test_a_kit_comes_back_from_its_file_and_exports_every_copy(bench: Bench, tmp_path: Path) -> None:
    mends = (Mend("orient"), Mend("weld", 0.02))
    part = resized(ell(side="left", mends=mends), 1.5, (1.0, 2.0, 1.0), True)
    job = with_twin(job_of("Kit", bench, (part,), linked=True), ONE, (12.0, 10.0), 2.0)
    stages = Stages()
    save_job(job, tmp_path / "kit.3mf", stages)
    back = open_job(tmp_path / "kit.3mf")
    assert (back.parts, back.plates) == (job.parts, job.plates) and back.linked
    meshes, _ = plate_meshes(job, stages)
    assert [name for name, _, kind in meshes if kind == "model"] == ["Ell", "Ell (2, mirrored)"]
