"""Health, repair, thickness and measuring, on meshes whose faults and sizes are known."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull

from conftest import as_mesh, as_source, moved, turned
from reference.broken import ALL, BALL, BALL_MM3, BOX, Broken
from wideberth.core.errors import BadModel
from wideberth.core.job import Part, advised_mends, job_of, with_mend
from wideberth.core.layers import rebuilt
from wideberth.core.model import (
    Closest,
    Detail,
    Mend,
    Mesh,
    angle_between_deg,
    as_solid,
    bore_at,
    deviation_mm,
    distance_mm,
    examine,
    measure_thickness,
    mended,
    nearest_on,
    spread_over,
    topology,
    unfolded,
    wall_at,
    wall_flaws,
    wall_mm,
)
from wideberth.core.model.constrained import constrained_delaunay
from wideberth.core.predict import Stages, fine, predict

SERIOUS_KINDS = {"open_edges", "crowded_edges", "turned_faces", "inside_out", "duplicate_faces", "debris"}


@pytest.mark.parametrize("name", sorted(ALL))
def test_what_is_wrong_is_found_and_nothing_worse(name: str) -> None:
    broken = ALL[name]()
    health = examine(broken.mesh)
    found = {f.kind for f in health.flaws}
    assert broken.flaws <= found
    assert found & SERIOUS_KINDS == broken.flaws & SERIOUS_KINDS
    for flaw in health.flaws:
        low, high = broken.mesh.low - 1e-6, broken.mesh.high + 1e-6
        assert len(flaw.places_mm) and ((low <= flaw.places_mm) & (flaw.places_mm <= high)).all()
        assert flaw.count > 0


def test_sound_meshes_have_no_flaw() -> None:
    for mesh in (BALL, BOX, as_mesh(trimesh.creation.torus(10, 3)), as_mesh(trimesh.creation.annulus(3, 8, 10))):
        health = examine(mesh)
        assert health.flaws == () and health.solid and health.worst == "sound"


def mend_all(broken: Broken) -> Mesh:
    """The repairs that the health advises, one after the other, and a rebuild where it takes one."""
    mesh = broken.mesh
    for mend in advised_mends(examine(mesh)):
        mesh = rebuilt(mesh)[0] if mend.kind == "rebuild" else mended(mesh, mend)[0]
    return mesh


@pytest.mark.parametrize("name", [n for n in sorted(ALL) if ALL[n]().flaws & SERIOUS_KINDS])
def test_the_advised_repairs_bring_the_solid_back(name: str) -> None:
    broken = ALL[name]()
    result = mend_all(broken)
    health = examine(result)
    assert health.solid
    assert not {f.kind for f in health.flaws} & SERIOUS_KINDS
    assert result.volume_mm3 == pytest.approx(broken.volume_mm3, rel=0.005)


def test_a_curved_hole_is_filled_along_the_curve() -> None:
    broken = ALL["ball with a curved hole"]()
    result, report = mended(broken.mesh, Mend("fill"))
    radius = np.linalg.norm(result.points, axis=1)
    assert np.abs(radius - 15).max() < 0.1  # a flat lid would lie 2.3 mm under the dome
    assert "1 along the surface's curve" in report.what
    assert report.volume_after_mm3 - report.volume_before_mm3 > 0
    # the middle of the new cap is 6.9 mm from the rim, by hand: 2 · 15 · sin(27°/2) and a little less over the facets
    assert report.deviation_mm == pytest.approx(2 * 15 * np.sin(np.radians(27 / 2)), abs=0.4)


def test_a_ragged_hole_is_filled_along_the_curve_too() -> None:
    ball = as_mesh(trimesh.creation.icosphere(5, 15))
    rng = np.random.default_rng(5)
    keep = ball.corners.mean(axis=1)[:, 2] < 12.0 + rng.uniform(-0.9, 0.9, ball.triangles)
    torn, _ = mended(Mesh(ball.points, ball.faces[keep]), Mend("debris"))
    result, report = mended(torn, Mend("fill"))
    assert "along the surface's curve" in report.what and "least area" not in report.what
    assert examine(result).solid
    assert np.abs(np.linalg.norm(result.points, axis=1) - 15).max() < 0.35  # a flat lid would lie 3 mm under the dome


@pytest.mark.parametrize("finer", [1, 3, 5])
def test_half_a_cube_is_filled_to_no_more_than_a_cube(finer: int) -> None:
    """Three sides of a cube of 1 mL, in ever finer faces: what goes on from sharp edges all round stays near the cube."""
    box = trimesh.creation.box((10, 10, 10))
    torn = trimesh.Trimesh(box.vertices, box.faces[:6], process=False)
    for _ in range(finer):
        torn = torn.subdivide()
    result, report = mended(as_mesh(torn), Mend("fill"))
    assert "along the surface's curve" in report.what
    assert 500 < result.volume_mm3 < 1000 and np.abs(result.points).max() < 6.5


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000), st.integers(4, 40))
def test_a_triangulation_keeps_the_outline_it_was_given(seed: int, corners: int) -> None:
    rng = np.random.default_rng(seed)
    angle = (np.arange(corners) + rng.uniform(0, 0.8, corners)) * 2 * np.pi / corners  # no gap of half a turn
    star = rng.uniform(1, 10, corners)[:, None] * np.column_stack((np.cos(angle), np.sin(angle)))
    inner = rng.uniform(-8, 8, (30, 2))
    points = np.concatenate((star, inner))
    along = np.arange(corners)
    outline = np.column_stack((along, (along + 1) % corners))
    made = constrained_delaunay(points, outline)
    assert made is not None
    a, b, c = points[made[:, 0]], points[made[:, 1]], points[made[:, 2]]
    area = 0.5 * ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))
    assert (area > 0).all()
    assert area.sum() == pytest.approx(ConvexHull(points).volume)  # they tile the hull
    kept = {tuple(sorted(e)) for t in made.tolist() for e in ((t[0], t[1]), (t[1], t[2]), (t[2], t[0]))}
    assert {tuple(sorted(e)) for e in outline.tolist()} <= kept


def test_edges_that_cross_cannot_all_be_kept() -> None:
    square = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
    assert constrained_delaunay(square, np.array([[0, 2], [1, 3]])) is None
    on_a_line = np.column_stack((np.arange(4.0), np.zeros(4)))
    assert constrained_delaunay(on_a_line, np.array([[0, 1]])) is None


def test_a_flat_hole_gets_a_flat_lid() -> None:
    broken = ALL["box without lid"]()
    result, report = mended(broken.mesh, Mend("fill"))
    assert result.volume_mm3 == pytest.approx(1000.0, rel=1e-9)
    assert "1 flat" in report.what
    assert examine(result).worst == "sound"


def test_welding_closes_seams_and_says_how_far_it_moved() -> None:
    broken = ALL["unwelded halves"]()
    result, report = mended(broken.mesh, Mend("weld"))
    assert examine(result).solid
    assert report.deviation_mm == pytest.approx(0.001, rel=1e-6)  # half of the 2 µm between them
    untouched, nothing = mended(BALL, Mend("weld"))
    assert untouched == BALL and nothing.deviation_mm == 0


def test_debris_goes_and_the_rest_is_untouched() -> None:
    broken = ALL["debris around"]()
    result, report = mended(broken.mesh, Mend("debris"))
    assert result.triangles == BALL.triangles
    assert "5 stray bits" in report.what
    assert deviation_mm(result, BALL) < 1e-9


def test_small_parts_of_a_set_are_no_debris() -> None:
    pegs = [moved(trimesh.creation.cylinder(0.4, 3, sections=24), 20 + 2 * i, 0, 0) for i in range(4)]
    mesh = as_mesh(trimesh.util.concatenate([trimesh.creation.icosphere(3, 8), *pegs]))
    assert examine(mesh).flaw("debris") is None


def test_rebuilding_joins_overlaps_within_its_spacing() -> None:
    broken = ALL["overlapping balls"]()
    result, report = rebuilt(broken.mesh, 0.25)
    assert examine(result).solid
    assert result.volume_mm3 == pytest.approx(broken.volume_mm3, rel=0.005)
    assert report.deviation_mm < 0.4  # the crease between them is rounded


def test_rebuilding_errs_less_with_a_finer_spacing() -> None:
    coarse, fine_one = (rebuilt(BOX, pitch)[1].deviation_mm for pitch in (0.8, 0.2))
    assert fine_one < 0.5 * coarse


def test_rebuilding_sees_past_holes() -> None:
    broken = ALL["torn sieve"]()
    result, _ = rebuilt(broken.mesh, 0.3)
    assert result.volume_mm3 == pytest.approx(BALL_MM3, rel=0.01)


def test_an_unknown_repair_and_a_spacing_too_fine_are_refused() -> None:
    with pytest.raises(BadModel, match="no repair"):
        mended(BALL, Mend("magic"))
    with pytest.raises(BadModel, match="nodes"):
        rebuilt(BALL, 0.01)


def test_mends_are_part_of_the_recipe_and_can_be_taken_back() -> None:
    broken = ALL["ball with a curved hole"]()
    stages = Stages()
    part = Part("Ball", as_source(broken.mesh))
    assert not stages.mended(part)[0].watertight
    better = with_mend(part, Mend("fill"))
    assert stages.mended(better)[0].watertight
    assert stages.mended(better)[1][0].kind == "fill"
    assert not stages.mended(replace(better, mends=()))[0].watertight
    stages.scaled(replace(better, scale=2.0))
    assert stages.computed.count("mended_once") == 1  # sizing it does not mend it again


def test_what_cannot_be_made_solid_is_still_predicted_and_said(bench) -> None:  # type: ignore[no-untyped-def]
    part = Part("Sieve", as_source(ALL["torn sieve"]().mesh))
    found = predict(job_of("Sieve", bench, (part,)), Stages(), fine(0.4))
    assert any(f.code in ("open_mesh", "sound_copy") for f in found.verdict.findings)
    assert found.verdict.totals.part_ml == pytest.approx(BALL_MM3 / 1000, rel=0.05)


# topology against the obvious way


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(*[st.integers(0, 7)] * 3).filter(lambda t: len(set(t)) == 3), min_size=1, max_size=25))
def test_edges_shells_and_fans_agree_with_the_obvious_way(faces: list[tuple[int, int, int]]) -> None:
    found = topology(np.array(faces, np.int32), 8)
    uses: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for f, face in enumerate(faces):
        for i in range(3):
            a, b = face[i], face[(i + 1) % 3]
            uses.setdefault((min(a, b), max(a, b)), []).append((f, 1 if a < b else -1))
    assert len(found.ends) == len(uses)
    for e, ends in enumerate(found.ends):
        users = uses[int(ends[0]), int(ends[1])]
        assert found.uses[e] == len(users) and found.net[e] == sum(way for _, way in users)
    groups = {f: {f} for f in range(len(faces))}
    for users in uses.values():
        together = set().union(*(groups[f] for f, _ in users))
        for f in together:
            groups[f] = together
    label, count = found.shells
    assert count == len({id(g) for g in groups.values()})
    for f, group in groups.items():
        assert {g for g in range(len(faces)) if label[g] == label[f]} == group
    for p in range(8):
        around = [f for f, face in enumerate(faces) if p in face]
        fans = {f: {f} for f in around}
        for (a, b), users in uses.items():
            if p in (a, b):
                together = set().union(*(fans[f] for f, _ in users))
                for f in together:
                    fans[f] = together
        assert found.fans[p] == len({id(g) for g in fans.values()})


# thickness


def test_walls_and_gaps_of_a_plate_and_a_slit() -> None:
    plate = measure_thickness(as_mesh(trimesh.creation.box((20, 20, 0.3))))
    assert plate.thinnest_mm == pytest.approx(0.3, rel=1e-4)
    assert np.isinf(plate.gap_mm).all()
    slit = measure_thickness(
        as_mesh(
            trimesh.util.concatenate([trimesh.creation.box((20, 20, 5)), moved(trimesh.creation.box((20, 20, 5)), 0, 0, 5.03)])
        )
    )
    assert float(slit.gap_mm.min()) == pytest.approx(0.03, rel=0.01)
    kinds = [f.kind for f in wall_flaws(slit, Detail(0.05, 0.5))]
    assert kinds == ["fine_gaps"]
    assert [f.kind for f in wall_flaws(plate, Detail(0.05, 0.5))] == ["thin_walls"]
    assert [f.kind for f in wall_flaws(plate, Detail(0.05, 0.2))] == []
    assert [f.kind for f in wall_flaws(plate, Detail(0.4, 0.5))] == ["under_pixel"]


def test_a_shell_is_as_thick_as_it_was_made() -> None:
    outer, inner = trimesh.creation.icosphere(5, 15), trimesh.creation.icosphere(5, 13.8)
    shell = trimesh.boolean.difference([outer, inner], engine="manifold")
    found = measure_thickness(as_mesh(shell), 5000)
    assert np.quantile(found.wall_mm, [0.02, 0.5]) == pytest.approx([1.2, 1.2], abs=0.03)


# measuring


def test_measures_on_a_drilled_block() -> None:
    block = trimesh.boolean.difference(
        [trimesh.creation.box((30, 20, 10)), trimesh.creation.cylinder(3, 40, sections=96)], engine="manifold"
    )
    mesh = as_mesh(block)
    bore = bore_at(mesh, np.array([3.0, 0.0, 1.0]))
    assert bore.is_hole and bore.diameter_mm == pytest.approx(6.0, abs=0.01)
    assert abs(bore.axis[2]) == pytest.approx(1.0, abs=1e-9)
    assert np.hypot(*bore.centre_mm[:2]) < 0.01
    top, side, bottom = np.array([8.0, 5, 5]), np.array([15.0, 2, 1]), np.array([8.0, 5, -5])
    assert angle_between_deg(mesh, top, side) == pytest.approx(90.0)
    assert angle_between_deg(mesh, top, np.array([-8.0, 5, 5])) == pytest.approx(180.0)
    assert wall_mm(mesh, top) == pytest.approx(10.0)
    assert wall_at(mesh, top[None], np.array([[0.0, 0, 1]]))[0] == pytest.approx(10.0, abs=1e-4)
    assert distance_mm(top, bottom) == pytest.approx(10.0)
    with pytest.raises(BadModel, match="no bore"):
        bore_at(mesh, top)


def test_a_pin_is_told_from_a_hole() -> None:
    pin = bore_at(as_mesh(trimesh.creation.cylinder(2.5, 12, sections=64)), np.array([2.5, 0, 0.5]))
    assert not pin.is_hole and pin.diameter_mm == pytest.approx(5.0, abs=0.01) and pin.around_deg > 340


def test_the_distance_of_two_surfaces_by_hand() -> None:
    ball, larger = as_mesh(trimesh.creation.icosphere(4, 10)), as_mesh(trimesh.creation.icosphere(4, 10.5))
    assert deviation_mm(ball, larger) == pytest.approx(0.5, abs=0.01)
    assert deviation_mm(ball, ball) < 1e-9


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10_000), st.floats(0.1, 40.0))
def test_the_nearest_point_is_the_nearest_of_all_faces(seed: int, reach: float) -> None:
    rng = np.random.default_rng(seed)
    faces = np.stack([rng.choice(30, 3, replace=False) for _ in range(40)]).astype(np.int32)
    mesh = Mesh(rng.normal(0, 5, (30, 3)), faces)
    spots = rng.normal(0, reach, (20, 3))
    far, _, foot = Closest(mesh).nearest(spots)
    assert np.array_equal(Closest(mesh).distance(spots), far)
    for spot, d, on in zip(spots, far, foot, strict=True):
        assert d == pytest.approx(float(np.linalg.norm(nearest_on(mesh, spot)[1] - spot)), rel=1e-9, abs=1e-9)
        assert np.linalg.norm(on - spot) == pytest.approx(d)
        for share in (0.999, 1.001, 3.0):
            assert Closest(mesh).is_near(spot[None], np.array([share * d])) == (share > 1)
    assert Closest(mesh).is_near(spots, 1.001 * far) and not Closest(mesh).is_near(spots, 0.999 * far)


@pytest.mark.parametrize("turn", [0.0, 37.0])
@pytest.mark.parametrize("name", ["ball", "plate", "needle"])
def test_distances_alone_are_those_of_nearest_points_from_within_and_from_afar(name: str, turn: float) -> None:
    """To the last bit: what is passed over holds nothing nearer, in the middle of a ball as far outside."""
    solids = {"ball": trimesh.creation.icosphere(4, 20), "plate": trimesh.creation.box((40, 30, 0.5)).subdivide_to_size(1.0),
              "needle": trimesh.creation.cylinder(0.2, 60)}  # fmt: skip
    mesh = as_mesh(turned(solids[name], turn, (1, 0.3, 0.2)))
    rng, surface = np.random.default_rng(3), Closest(mesh)
    spots = [rng.normal(0, 3, (60, 3)), rng.normal(0, 60, (60, 3)), mesh.points[:40], mesh.corners.mean(axis=1)[:40]]
    assert all(np.array_equal(surface.distance(some), surface.nearest(some)[0]) for some in spots)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10_000), st.floats(0.1, 40.0))
def test_the_farthest_point_is_the_farthest_of_all(seed: int, reach: float) -> None:
    """Of 3,000 points far from a soup of faces, near to it or among it, alone and in heaps; each measured by itself."""
    rng = np.random.default_rng(seed)
    faces = np.stack([rng.choice(30, 3, replace=False) for _ in range(40)]).astype(np.int32)
    surface = Closest(Mesh(rng.normal(0, 5, (30, 3)), faces))
    points = rng.normal(0, reach, (3000, 3)) * rng.choice([1.0, 0.05], 3) + rng.normal(0, 20, 3)
    points[1000:2000] = points[:1000]
    assert surface.farthest(points) == pytest.approx(surface.nearest(points)[0].max(), rel=1e-12)
    assert surface.farthest(points[:5]) == pytest.approx(surface.nearest(points[:5])[0].max(), rel=1e-12)
    assert surface.farthest(points[:0]) == 0.0


def test_points_are_spread_evenly() -> None:
    _, spots = spread_over(BOX, 0.25)
    assert len(spots) == pytest.approx(600 / 0.0625, rel=0.02)
    on = np.isclose(np.abs(spots), 5.0)
    assert on.any(axis=1).all()
    assert np.bincount(on.argmax(axis=1), minlength=3) / len(spots) == pytest.approx([1 / 3] * 3, abs=0.02)


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 100_000), st.integers(4, 40), st.integers(1, 60), st.booleans())
def test_any_soup_of_triangles_is_examined_and_mended_or_refused(seed: int, corners: int, faces: int, whole: bool) -> None:
    rng = np.random.default_rng(seed)
    points = np.round(rng.normal(0, 6, (corners, 3)), 1 if seed % 2 else 6)
    made = np.array([rng.choice(corners, 3, replace=False) for _ in range(faces)], np.int32)
    if whole:  # a torn ball among the soup
        ball = as_mesh(trimesh.creation.icosphere(1, 5))
        kept = ball.faces[rng.random(ball.triangles) > 0.3]
        points, made = np.concatenate((points, ball.points)), np.concatenate((made, kept + corners)).astype(np.int32)
    mesh = Mesh(points, made)
    examine(mesh)
    for kind in ("weld", "tidy", "orient", "debris", "fill"):
        try:
            mesh, report = mended(mesh, Mend(kind, 0.3 if kind == "weld" else 0.0))
        except BadModel:
            continue
        assert np.isfinite(mesh.points).all() and mesh.faces.max() < len(mesh.points)
        assert np.isfinite(report.deviation_mm) and report.text
    examine(mesh)
    try:
        solid, _ = rebuilt(mesh, 0.8)
    except BadModel:
        return
    assert examine(solid).solid


@pytest.mark.parametrize("turn", [0.0, 33.0])
def test_a_wall_of_no_thickness_is_taken_out_and_what_is_left_can_be_filled(turn: float) -> None:
    """A flap lies on a face of a box, a fin stands on an edge of it: three faces meet in an edge each."""
    box = as_mesh(turned(trimesh.creation.box((10, 8, 6)), turn, (1, 0.4, 0.2)))
    first, second = box.faces[0], box.faces[5]
    flap = box.points[first].mean(axis=0)
    fin = box.points[second[:2]].mean(axis=0) * 1.3
    n = len(box.points)
    walls = np.array([[first[1], first[0], n], [second[0], second[1], n + 1]], np.int32)
    walled = Mesh(np.vstack((box.points, flap, fin)), np.vstack((box.faces, walls)))
    assert (walled.topology.uses == 3).sum() == 2 and not walled.watertight
    left = unfolded(walled)
    assert (left.topology.uses <= 2).all()
    assert as_solid(mended(left, Mend("fill"))[0]).volume() == pytest.approx(480.0, rel=1e-9)
    assert unfolded(box).triangles == 12
