"""What a finding's button does, and that the finding is gone or less after it."""

from __future__ import annotations

from dataclasses import replace

import pytest
import trimesh

from conftest import ONE, as_mesh, as_source
from wideberth.core.bench import Bench
from wideberth.core.job import Job, Part, job_of, with_count
from wideberth.core.layers import PREVIEW_SQUEEZE
from wideberth.core.orient import Pose
from wideberth.core.predict import Fineness, Prediction, Stages, predict
from wideberth.core.progress import quiet
from wideberth.core.propose import Proposal, propose_support, propose_thicker, remedy_for
from wideberth.core.verdict import Finding

COARSE = Fineness(0.2, 1, PREVIEW_SQUEEZE, False)


def made_of(solid: trimesh.Trimesh, bench: Bench, gap: float) -> Job:
    return job_of("made", bench, (Part("made", as_source(as_mesh(solid)), pose=Pose(gap_mm=gap)),))


def codes(p: Prediction) -> list[str]:
    return [f.code for f in p.verdict.findings]


def cured(p: Prediction, finding: Finding, stages: Stages) -> tuple[Proposal, Prediction]:
    remedy = remedy_for(finding, p, stages)
    assert remedy is not None
    proposal = remedy.make(quiet())
    assert proposal.needed, proposal.why
    return proposal, predict(proposal.job, stages, COARSE)


@pytest.fixture(scope="module")
def coarse_bench(bench: Bench) -> Bench:
    return bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0)


def test_a_tip_where_it_sags_stills_it_there(coarse_bench: Bench) -> None:
    """A flat plate on tips too far apart: a tip at the worst spot halves the sag there at least."""
    stages = Stages()
    wide = coarse_bench.with_value("resin.green_modulus_mpa", 60.0).with_value("supports.spacing_mm", 14.0)
    job = propose_support(made_of(trimesh.creation.box((24, 24, 2)), wide, 5.0), ONE, stages).job
    before = predict(job, stages, COARSE)
    finding = next(f for f in before.verdict.findings if f.code in ("sags", "curls"))
    proposal, after = cured(before, finding, stages)
    had, has = (len(j.parts[0].supports.contacts) for j in (job, proposal.job))
    assert had < has <= had + finding.count
    spot = (before.sag.points_mm[:, 0] - finding.x_mm) ** 2 + (before.sag.points_mm[:, 1] - finding.y_mm) ** 2
    at = int(spot.argmin())
    assert after.sag.sag_mm[at] + after.sag.curl_mm[at] < 0.5 * (before.sag.sag_mm[at] + before.sag.curl_mm[at])


def test_nothing_holds_gets_tips_and_a_face_on_the_plate_is_raised(coarse_bench: Bench) -> None:
    stages = Stages()
    bare = predict(made_of(trimesh.creation.icosphere(4, 8), coarse_bench, 5.0), stages, COARSE)
    finding = next(f for f in bare.verdict.findings if f.code == "nothing_holds")
    assert "nothing_holds" not in codes(cured(bare, finding, stages)[1])
    flat = predict(made_of(trimesh.creation.box((10, 10, 4)), coarse_bench, 0.0), stages, COARSE)
    finding = next(f for f in flat.verdict.findings if f.code == "face_on_plate")
    raised, after = cured(flat, finding, stages)
    assert raised.job.parts[0].pose.gap_mm == coarse_bench.supports.gap_mm
    assert "face_on_plate" not in codes(after)


def test_a_setting_is_set_as_the_finding_asks(coarse_bench: Bench) -> None:
    stages = Stages()
    hasty = coarse_bench.with_value("print.exposure_s", 0.7)
    before = predict(made_of(trimesh.creation.box((10, 10, 4)), hasty, 0.0), stages, COARSE)
    finding = next(f for f in before.verdict.findings if f.code == "under_bonded")
    proposal, after = cured(before, finding, stages)
    assert proposal.job.bench.print.exposure_s > 0.7
    assert "under_bonded" not in codes(after)


@pytest.mark.prove
def test_pressed_posts_grow_stouter_until_they_stand(coarse_bench: Bench) -> None:
    """A ball high over the plate on its proposed tips, given thin posts: the proposal brings them over ×1."""
    stages = Stages()
    job = propose_support(made_of(trimesh.creation.icosphere(4, 9), coarse_bench, 40.0), ONE, stages).job
    thin = job.parts[0].supports.stouter({post.id: 0.7 for post in job.parts[0].supports.posts})
    job = job.with_part(replace(job.parts[0], supports=thin))
    before = predict(job, stages, COARSE)
    assert before.loads.posts.margin.min() < 1
    assert "post_buckles" in codes(before)
    after = predict(propose_thicker(job, stages).job, stages, COARSE)
    assert after.loads.posts.margin.min() > 3 * before.loads.posts.margin.min()


def test_sealed_cup_is_drilled(coarse_bench: Bench) -> None:
    outer, room = trimesh.creation.cylinder(9, 14, sections=64), trimesh.creation.cylinder(7.5, 14, sections=64)
    room.apply_translation((0, 0, 1.5))
    stages = Stages()
    before = predict(made_of(trimesh.boolean.difference([outer, room], engine="manifold"), coarse_bench, 0.0), stages, COARSE)
    finding = next(f for f in before.verdict.findings if f.code == "cup_sealed")
    proposal, after = cured(before, finding, stages)
    assert len(proposal.job.parts[0].holes) >= 1
    # the first layers over the floor stay sealed, for the hole comes after them
    assert after.loads.suction_n[40:].max() < 0.2 * before.loads.suction_n[40:].max()


def test_finding_on_a_copy_puts_the_tip_under_the_part_it_follows(coarse_bench: Bench) -> None:
    """The copy stands 40 mm beside the part: its sagging spot is the part's own, 40 mm away."""
    stages = Stages()
    wide = coarse_bench.with_value("resin.green_modulus_mpa", 60.0).with_value("supports.spacing_mm", 14.0)
    job = propose_support(made_of(trimesh.creation.box((24, 24, 2)), wide, 5.0), ONE, stages).job
    job = with_count(job, ONE, 2, (38.0, 24.0), 2.0)
    seen = predict(job, stages, COARSE)
    finding = next(f for f in seen.verdict.findings if f.code in ("sags", "curls"))
    x, y, z = next(spot for spot in finding.spots if spot[0] > 20)
    finding = replace(finding, x_mm=x, y_mm=y, z_mm=z, spots=((x, y, z),))
    remedy = remedy_for(finding, seen, stages)
    assert remedy is not None
    tip = remedy.make(quiet()).job.parts[0].supports.contacts[-1]
    assert (tip.x_mm, tip.y_mm) == pytest.approx((finding.x_mm - 40.0, finding.y_mm), abs=0.2)  # type: ignore[operator]


def test_what_hangs_on_nothing_is_supported_on_the_part_it_belongs_to(coarse_bench: Bench) -> None:
    """Two parts on the plate, one of them aloft: its spot says which, and tips are proposed for that one."""
    stages = Stages()
    job = made_of(trimesh.creation.icosphere(3, 5), coarse_bench, 5.0)
    aloft = job.parts[0]
    standing = replace(aloft, name="standing", pose=Pose())
    for parts, places in (((standing, aloft), (-20.0, 0.0)), ((aloft, standing), (0.0, -20.0))):
        both = job_of("both", coarse_bench, parts, [(x, 0.0) for x in places])
        seen = predict(both, stages, COARSE)
        finding = next(f for f in seen.verdict.findings if f.code == "nothing_holds")
        remedy = remedy_for(finding, seen, stages)
        assert remedy is not None
        held = {p.name: len(p.supports.contacts) for p in remedy.make(quiet()).job.parts}
        assert held["standing"] == 0 and sum(held.values()) > 0


def test_finding_at_no_spot_names_no_part_of_several(coarse_bench: Bench) -> None:
    """Where nobody can tell which part is meant there is no button, rather than one for the wrong part."""
    stages = Stages()
    job = made_of(trimesh.creation.icosphere(3, 5), coarse_bench, 5.0)
    other = replace(job.parts[0], name="other", pose=Pose(gap_mm=5.0))
    seen = predict(job.with_more(other, places=[(20.0, 0.0)]), stages, COARSE)
    finding = next(f for f in seen.verdict.findings if f.code == "nothing_holds")
    assert remedy_for(replace(finding, x_mm=None, y_mm=None), seen, stages) is None


def test_where_no_tip_may_be_thicker_that_is_said_and_not_that_all_are_thick_enough(coarse_bench: Bench) -> None:
    """A slab on tips of 0.3 mm, all pinned: as many as the verdict counts hold less than is wanted. Free again they grow."""
    stages = Stages()
    job = propose_support(made_of(trimesh.creation.box((24, 20, 6)), coarse_bench, 5.0), ONE, stages).job
    part = job.part(ONE)
    assert propose_thicker(job, stages).why == "every tip and post is thick enough"
    thin = part.supports.sized({c.id: 0.3 for c in part.supports.contacts})
    pinned = replace(thin, contacts=tuple(replace(c, pinned=True) for c in thin.contacts))
    job = job.with_part(replace(part, supports=pinned))
    weak = [tip.margin for tip in predict(job, stages).verdict.tips if tip.margin < 0.99 * coarse_bench.supports.wanted_margin]
    proposal = propose_thicker(job, stages)
    assert weak and not proposal.needed and proposal.job == job
    assert f"none may be thicker, and {len(weak)} tip" in proposal.why and f"the weakest ×{min(weak):.2f}" in proposal.why
    grown = propose_thicker(job.with_part(replace(part, supports=thin)), stages)
    assert grown.needed and "grow" in grown.why
