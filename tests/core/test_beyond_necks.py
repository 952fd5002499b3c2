"""What a thin neck of the part's own alone would hold is held by tips beyond it, as thick as a hinge's balance asks for."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.job import Job, Part, job_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Prediction, Stages, fine, predict
from wideberth.core.propose import propose_support
from wideberth.core.verdict import Code, Finding

NECK_AT_MM = 6.5
"""Height of the middle of the neck over the foot of the block."""


def limb(radius_mm: float, lean_deg: float, long_mm: float, thick_mm: float) -> trimesh.Trimesh:
    """A block, on it a round neck, and on that a bar that leans over so steeply that it carries itself."""
    lean = np.radians(lean_deg)
    low, high = np.array([0.0, 0.0, 8.0]), np.array([long_mm * np.sin(lean), 0.0, 8.0 + long_mm * np.cos(lean)])
    ends = [trimesh.creation.icosphere(3, thick_mm / 2).apply_translation(end) for end in (low, high)]
    bar = trimesh.creation.cylinder(thick_mm / 2, segment=(low, high), sections=32)
    neck = moved(trimesh.creation.cylinder(radius_mm, 4.0, sections=96), 0, 0, NECK_AT_MM)
    return trimesh.boolean.union([moved(trimesh.creation.box((12, 12, 5)), 0, 0, 2.5), neck, bar, *ends], engine="manifold")


def standing(solid: trimesh.Trimesh, bench: Bench, gap_mm: float, about_z: float = 0.0) -> Job:
    pose = Pose(turned_xyz(0.0, 0.0, about_z), gap_mm)
    return job_of("limb", bench, (Part(id=ONE, name="Limb", source=as_source(as_mesh(solid)), pose=pose),))


def necks(seen: Prediction) -> list[Finding]:
    return [f for f in seen.verdict.findings if f.code == Code.NECK and f.severity in ("lost", "doubtful")]


FURTHER = [
    (0.35, 42.0, 18.0, 2.0, 0.0, 65.0),
    (0.3, 40.0, 12.0, 2.0, 0.0, 0.0),
    (0.3, 36.0, 20.0, 2.0, 4.0, 120.0),
    (0.4, 40.0, 22.0, 2.2, 0.0, 300.0),
]


@pytest.mark.parametrize(
    ("radius", "lean", "long", "thick", "gap", "about_z"), [(0.25, 30.0, 14.0, 2.0, 0.0, 200.0), *further(FURTHER, True)]
)
def test_a_limb_on_a_thin_neck_gets_tips_that_bear_it(
    radius: float, lean: float, long: float, thick: float, gap: float, about_z: float, bench: Bench
) -> None:
    bench, stages = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0), Stages()
    bench = bench.with_value("film.line_adhesion_n_per_mm", 0.08)  # so that what hangs on the neck needs more than a thin tip
    job = standing(limb(radius, lean, long, thick), bench, gap, about_z)
    assert [f.severity for f in necks(predict(job, stages, fine()))] == ["lost"]
    made = propose_support(job, ONE, stages).job
    part = made.part(ONE)
    seen = predict(made, stages, fine())
    assert necks(seen) == []

    beyond = [c.id for c in part.supports.contacts if c.z_mm > gap + NECK_AT_MM]
    assert 1 <= len(beyond) <= 2
    without = predict(made.with_part(replace(part, supports=part.supports.without(beyond))), stages, fine())
    sections, found = without.printed.part_sections, without.loads.necks
    at_neck = np.flatnonzero(np.abs((sections.layer + 0.5) * without.layer_mm - gap - NECK_AT_MM) < 1.0)
    worst = at_neck[found.stress_n_per_mm2[at_neck].argmax()]
    pull, moment, peeling = (float(of[worst]) for of in (found.pull_n, found.moment_nmm, found.peeling))
    along = np.array([np.cos(np.radians(about_z)), np.sin(np.radians(about_z))])
    own = {touch.contact: touch for touch in seen.printed.touches}
    reach = np.array([(own[id].x_mm, own[id].y_mm) for id in beyond]) - [sections.x_mm[worst], sections.y_mm[worst]]
    bears, *_ = np.linalg.lstsq(reach.T, moment * along, rcond=None)
    left = np.linalg.norm(reach.T @ bears - moment * along)
    stress = abs(pull - bears.sum()) / (np.pi * radius**2) + left / (np.pi * radius**3 / 4)
    strength = float(without.loads.neck_strength_n_per_mm2[worst])
    assert strength / stress > 0.9 * bench.house.margin_doubtful
    for id, bears_n in zip(beyond, bears, strict=True):
        number = [touch.contact for touch in seen.printed.touches].index(id)
        assert seen.loads.tip_capacity_n[int(peeling), number] > 0.95 * bench.supports.wanted_margin * bears_n


def test_where_tips_beyond_would_bear_too_little_the_neck_is_told(bench: Bench) -> None:
    """A round cup on a hair, on its axis: no hinge turns, and a tip or two beside it would only hide it."""
    bench = bench.with_value("print.layer_height_mm", 0.1).with_value("film.line_adhesion_n_per_mm", 0.4)
    profile = np.array([[0, 0], [5, 0], [5, 2], [0.3, 2], [0.3, 5], [7, 18], [7, 20], [0, 20]], float)
    job, stages = standing(trimesh.creation.revolve(profile, sections=96), bench, 0.0), Stages()
    made = propose_support(job, ONE, stages, may_raise=False)
    told = necks(predict(made.job, stages, fine()))
    assert told and told[0].severity == "lost" and not made.job.part(ONE).supports.contacts
    assert (
        "A neck of the part's own at " in made.why and "tips beyond it would not help; turn the part, or thicken it" in made.why
    )
