"""What begins in mid-liquid is held at its lowest spot by one tip, and what hardly rises from there along its length."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved, set_down, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.job import Part, job_of
from wideberth.core.loads import spacing_mm
from wideberth.core.model import Mesh
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, predict
from wideberth.core.propose import propose_support
from wideberth.core.support import NeedKind
from wideberth.core.support.bearing import Trial
from wideberth.core.support.spots import wanted_spots

REACHED_MM = 0.3
"""A tip that cannot stand where something begins stands so near that it reaches over it."""


def barbed() -> Mesh:
    """A stem with a dozen slanted flat barbs, whose ends begin as a corner each."""
    barb = turned(moved(trimesh.creation.box((10.0, 0.5, 1.0)), 5.0, 0.0, 0.0), -40, (0, 1, 0))
    barbs = [moved(turned(barb, 180 * side, (0, 0, 1)), 0, 0, 4.0 + 3 * n) for n in range(6) for side in (0, 1)]
    return as_mesh(trimesh.boolean.union([moved(trimesh.creation.cylinder(0.8, 24.0), 0, 0, 12.0), *barbs], engine="manifold"))


@pytest.mark.parametrize("turn", [(156.1, -33.0, 41.7), *further([(-120.0, 17.0, 80.0), (4.0, 162.0, -128.0)])])
def test_slanted_ends_get_a_tip_each_at_their_lowest_and_no_second_beside_it(bench: Bench, turn: tuple[float, ...]) -> None:
    part, stages = Part("Barbs", as_source(barbed()), pose=Pose(turned_xyz(*turn), 4.0), id=ONE), Stages()
    job = propose_support(job_of("Barbs", bench, (part,)), ONE, stages).best.job
    seen, contacts = predict(job, stages), job.part(ONE).supports.contacts
    begins = np.array([(i.x_mm, i.y_mm, i.z_mm) for i in seen.verdict.islands]) - seen.solids[0].shift_mm
    assert len(begins) > 4 and all(i.supported for i in seen.verdict.islands)
    spots, size = np.array([c.spot_mm for c in contacts]), np.array([c.diameter_mm for c in contacts])
    apart = np.linalg.norm(spots[:, None] - spots[None], axis=2) + 99 * np.eye(len(spots))
    assert (apart > 0.5 * (size[:, None] + size[None])).all()
    own = spots[[c.need.kind is NeedKind.ISLAND for c in contacts]]
    assert np.linalg.norm(own[:, None] - begins[None], axis=2).min(axis=1).max() < REACHED_MM


def keel_spots(bench: Bench, rises_deg: float, long_mm: float) -> np.ndarray:
    """Where spots are wanted along the lowest edge of a prism whose sides are too steep to be held, from its lower end [mm]."""
    corners = [(x, y, z) for x in (0.0, long_mm) for y, z in ((0.0, 0.0), (-5.0, 12.0), (5.0, 12.0))]
    mesh = set_down(turned(trimesh.convex.convex_hull(np.array(corners)), -rises_deg, (0, 1, 0)), 4.0)
    spots, _ = wanted_spots(mesh, Trial(mesh, bench).alone(), bench.supports, spacing_mm(bench))
    along = np.array([np.cos(np.radians(rises_deg)), 0.0, np.sin(np.radians(rises_deg))])
    off = spots.points - mesh.points[mesh.points[:, 2].argmin()]
    at = off @ along
    return np.sort(at[np.linalg.norm(off - at[:, None] * along, axis=1) < 0.2])


@pytest.mark.parametrize("rises_deg", [3.0, 8.0, 13.0])
def test_a_keel_that_hardly_rises_is_held_along_its_length(bench: Bench, rises_deg: float) -> None:
    at = keel_spots(bench, rises_deg, 40.0)
    assert at[0] < 0.5 * spacing_mm(bench) and at[-1] > 40 - spacing_mm(bench)
    assert np.diff(at).max() < 1.3 * spacing_mm(bench)


def test_a_keel_that_rises_well_is_held_where_it_begins(bench: Bench) -> None:
    at = keel_spots(bench, 25.0, 40.0)
    assert len(at) == 1 and at[0] < 0.2
