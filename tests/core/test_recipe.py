"""The document: ids that are kept, pieces that know each other, plates and variants, supports as a graph, marks on faces."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from typer.testing import CliRunner

from conftest import ONE, as_mesh, as_source, moved, placed_at
from reference.broken import plain
from wideberth.cli.main import app
from wideberth.core.bench import Bench, load_bench
from wideberth.core.drain import Hole
from wideberth.core.errors import BadJob
from wideberth.core.handover import save_job
from wideberth.core.job import Job, Part, cut_in_two, job_of, plate_of, with_both, with_count, with_mend
from wideberth.core.loads import MARKS
from wideberth.core.model import MarkKind, Mend, Mesh, binary_stl, carried_over, mark_of, origins
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.propose import propose_support
from wideberth.core.split import Cut
from wideberth.core.support import Need, NeedKind, On, Route, Supports, need_from_words, supports_mesh

FINELY = fine(0.05)
"""On rows 0.1 mm apart a slanting face may meet a tip a layer earlier or later, as they fall."""


@pytest.fixture(scope="module")
def slab(bench: Bench) -> Job:
    """A slab on its proposed tips, 5 mm over the plate, lit as its layers want it."""
    coarse = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0)
    part = Part("Slab", as_source(as_mesh(trimesh.creation.box((26, 18, 3)))), pose=Pose(turned_xyz(12, 5, 0), 5.0))
    return propose_support(job_of("Slab", coarse, (part,)), ONE, Stages()).job


# ids


def ids_of(job: Job) -> list[str]:
    supports = [part.supports for part in job.parts]
    of_supports = [
        f"{part.id}/{item.id}"
        for part, s in zip(job.parts, supports, strict=True)
        for group in (s.contacts, s.joints, s.feet, s.tips, s.twigs, s.posts, s.braces)
        for item in group
    ]
    holes = [f"{part.id}/{h.id}" for part in job.parts for h in part.holes]
    plates = [plate.id for plate in job.plates] + [p.id for plate in job.plates for p in plate.placements]
    return [part.id for part in job.parts] + plates + holes + of_supports


def test_no_id_is_ever_given_twice(slab: Job) -> None:
    """Whatever is added after something was taken away gets a number of its own."""
    seen = set(ids_of(slab))
    assert len(seen) == len(ids_of(slab))
    more = slab.with_more(slab.parts[0])
    gone = more.without(more.parts[1].id)
    again = gone.with_more(slab.parts[0])
    assert again.parts[1].id not in {p.id for p in more.parts}
    assert set(ids_of(again)) - {i for i in ids_of(again) if "/" in i} >= {again.parts[1].id}

    part = slab.parts[0].with_holes((Hole(0, 0, 0, 2.0), Hole(1, 0, 0, 2.0)))
    assert [h.id for h in part.holes] == ["hole-1", "hole-2"]
    fewer = part.with_holes(part.holes[:1])
    assert [h.id for h in fewer.with_holes((*fewer.holes, Hole(2, 0, 0, 2.0))).holes] == ["hole-1", "hole-3"]

    supports = slab.parts[0].supports
    last = supports.contacts[-1].id
    regrown = supports.without([last]).with_route(next(iter(supports.routes.values())), 0.4, Need())
    assert regrown.contacts[-1].id not in supports.contact
    assert slab.parts[0].unsupported().supports.last == supports.last


def test_pieces_stand_where_the_part_stood_and_know_each_other(bench: Bench) -> None:
    block = Part("Block", as_source(as_mesh(trimesh.creation.box((10, 10, 30)))), holes=(Hole(5, 0, 9, 2.0),))
    job = with_count(job_of("Job", bench, (block, replace(block, name="Other"))), ONE, 2, (10, 10), 2.0)
    job = placed_at(job, 4.0, -6.0)
    cut = Cut((0.0, 0.0, 1.0), 3.0, 1)
    both = with_both(job, ONE, cut_in_two(job.parts[0], cut))
    upper, lower, other = both.parts
    assert (upper.name, lower.name, other.name) == ("Block A", "Block B", "Other")
    assert upper.piece is not None and lower.piece is not None
    assert upper.piece.siblings == (lower.id,) and lower.piece.siblings == (upper.id,)
    assert upper.piece.of == lower.piece.of == ONE and upper.cuts[upper.piece.cut] == cut
    assert [h.z_mm for h in upper.holes] == [9] and lower.holes == ()
    for piece in (upper, lower):
        assert [(p.x_mm, p.y_mm) for p in both.placements_of(piece.id)] == [(p.x_mm, p.y_mm) for p in job.placements_of(ONE)]
    assert len(set(ids_of(both))) == len(ids_of(both))


def test_each_plate_has_a_verdict_of_its_own(slab: Job) -> None:
    """A second plate with a print of the part that is turned: the same margins there, and nothing on it of the first."""
    two = slab.with_plate("Plate 2")
    second = two.plates[1]
    placement = replace(two.placements_of(ONE)[0], id="print-90", turn_deg=180.0, x_mm=7.0)
    two = two.replated(replace(second, placements=(placement,)))
    stages = Stages()
    here, there = (predict(two, stages, FINELY, plate=plate.id) for plate in two.plates)
    assert (here.plate, there.plate) == tuple(plate.id for plate in two.plates)
    assert [p.name for p in here.placed] == ["Slab"] and [p.name for p in there.placed] == ["Slab (2)"]
    assert there.verdict.hold_margin == pytest.approx(here.verdict.hold_margin, rel=0.01)
    assert there.verdict.totals.part_ml == pytest.approx(here.verdict.totals.part_ml, rel=1e-3)
    assert plate_of(two, "print-90").name == "Plate 2"
    with pytest.raises(BadJob, match="no such plate"):
        two.plate("plate-99")
    with pytest.raises(BadJob, match="no part on the plate"):
        predict(slab.with_plate("Empty"), stages, fine(), plate=f"plate-{slab.last + 1}")


@pytest.mark.parametrize("turn", [90.0, 180.0, 37.0])
def test_a_turn_on_the_plate_keeps_supports_and_margins(slab: Job, turn: float) -> None:
    stages = Stages()
    before = predict(slab, stages, FINELY)
    after = predict(placed_at(slab, 3.0, -2.0, turn_deg=turn), stages, FINELY)
    assert [t.contact for t in after.verdict.tips] == [t.contact for t in before.verdict.tips]
    assert after.verdict.hold_margin == pytest.approx(before.verdict.hold_margin, rel=0.01)
    assert after.verdict.totals.resin_ml == pytest.approx(before.verdict.totals.resin_ml, rel=2e-3)
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    for a, b in zip(before.verdict.tips, after.verdict.tips, strict=True):
        assert (b.x_mm, b.y_mm) == pytest.approx((c * a.x_mm - s * a.y_mm + 3.0, s * a.x_mm + c * a.y_mm - 2.0))


def test_a_kept_variant_brings_back_the_whole_state(slab: Job) -> None:
    kept = slab.keep_variant("as proposed")
    changed = replace(kept.without(ONE), bench=kept.bench.with_value("print.vat_c", 19.0), linked=True)
    back = changed.take_variant(kept.variants[0].id)
    assert (back.parts, back.plates, back.bench, back.linked) == (slab.parts, slab.plates, slab.bench, slab.linked)
    assert back.variants == kept.variants
    with pytest.raises(BadJob, match="variant"):
        slab.take_variant("variant-1")


# supports


def shared_post() -> Supports:
    """A post with its own contact, a twig from a second one on it, and a post beside on the part."""
    supports = Supports().with_route(Route((0, 0, 9), (0, 0, 7), (0, 0, 7), (0, 0, 0)), 0.5, Need())
    twig = Route((2, 0, 9), (2, 0, 7.5), (0, 0, 5), (0, 0, 0), True, supports.posts[0].id, True)
    supports = supports.with_route(twig, 0.4, Need(NeedKind.ISLAND))
    return supports.with_route(Route((5, 0, 9), (5, 0, 8), (5, 0, 8), (5, 0, 3), False), 0.3, Need())


def test_routes_tell_how_each_contact_is_carried() -> None:
    supports = shared_post()
    own, twig, on_part = supports.routes.values()
    assert (own.shared, twig.shared, on_part.on_plate) == (False, True, False)
    assert own.post == twig.post == supports.posts[0].id
    assert twig.twig_mm == pytest.approx(np.hypot(2, 2.5)) and twig.length_mm == pytest.approx(np.hypot(2, 2.5) + 5)
    assert on_part.length_mm == pytest.approx(5) and own.towards == pytest.approx([0, 0, -1])
    assert [supports.carries_others(c) for c in supports.contact] == [True, True, False]
    assert len(supports.posts) == 2 and supports.foot[supports.posts[1].foot].on is On.PART


def test_what_carries_nothing_goes_and_what_carries_others_stays(bench: Bench) -> None:
    supports = shared_post()
    first, second, third = supports.contact
    alone = supports.without([first])
    assert [p.id for p in alone.posts] == [p.id for p in supports.posts]  # the twig still needs it
    assert alone.routes[second] == supports.routes[second]
    mesh, whole = supports_mesh(alone, bench.supports), supports_mesh(supports, bench.supports)
    assert mesh is not None and whole is not None
    assert mesh.high[2] == pytest.approx(whole.high[2], abs=0.2)
    bare = supports.without([first, second, third])
    assert bare == replace(Supports(), last=supports.last) and not bare
    assert supports.without([second]).twigs == () and len(supports.without([second]).joints) == 2
    assert supports.without([third]).checked("x").routes.keys() == {first, second}


def test_a_contact_that_is_carried_anew_keeps_its_id_and_its_place() -> None:
    supports = shared_post()
    second = supports.contacts[1].id
    route = Route((3, 1, 9), (3, 1, 7), (3, 1, 7), (3, 1, 0))
    other = supports.rerouted(second, route, 0.6, Need(moved_aside=True)).checked("x")
    assert [c.id for c in other.contacts] == [c.id for c in supports.contacts]
    assert other.routes[second].spot_mm == (3, 1, 9) and other.contact[second].diameter_mm == 0.6
    assert other.twigs == () and len(other.posts) == 3


def test_supports_that_do_not_hang_together_are_refused() -> None:
    supports = shared_post()
    for broken in (
        replace(supports, joints=supports.joints[1:]),
        replace(supports, feet=()),
        replace(supports, contacts=(*supports.contacts, supports.contacts[0])),
        replace(supports, tips=()),
        replace(supports, posts=(replace(supports.posts[0], top="joint-99"),)),
    ):
        with pytest.raises(BadJob, match="hang together"):
            broken.checked("x")


@pytest.mark.parametrize(
    "need", [Need(), Need(NeedKind.ISLAND, 0.42), Need(NeedKind.FREE_EDGE, 1.5, True), Need(NeedKind.FINDING, finding="sags")]
)
def test_the_sentence_of_a_need_is_read_back_from_version_1(need: Need) -> None:
    assert need_from_words(need.words) == need


# marks


def upper(mesh: Mesh) -> np.ndarray:
    return np.flatnonzero(mesh.normals[:, 2] > 0.5)


def test_a_mark_stays_on_its_surface_through_mend_size_and_cut() -> None:
    """The cap of a ball: welding keeps its area, a scale squares it, and two pieces share it."""
    ball = plain(trimesh.creation.icosphere(4, 10.0))
    loose = Mesh(ball.corners.reshape(-1, 3), np.arange(3 * ball.triangles, dtype=np.int32).reshape(-1, 3))
    faces = upper(loose)
    mark = mark_of("mark-1", MarkKind.KEEP_CLEAN, faces[::-1])
    assert np.array_equal(mark.faces, np.sort(faces))
    cap = float(loose.face_area_mm2[faces].sum())
    stages = Stages()
    part = Part("Ball", as_source(loose), marks=(mark,), mends=(Mend("weld"),))

    def area(p: Part) -> float:
        finish = stages.finish(p, load_bench().house)
        own = finish.mark == MARKS.index(MarkKind.KEEP_CLEAN)
        assert finish.barred[own].all()
        return float(stages.cut(p).face_area_mm2[own].sum())

    assert area(part) == pytest.approx(cap, rel=1e-9)
    assert area(replace(part, scale=1.7, mirrored=True)) == pytest.approx(1.7**2 * cap, rel=1e-9)
    pieces = cut_in_two(replace(part, scale=1.7), Cut((0.96, 0.0, 0.28), 3.0, 1))
    assert sum(area(piece) for piece in pieces) == pytest.approx(1.7**2 * cap, rel=1e-3)
    assert all(0 < area(piece) < 1.7**2 * cap for piece in pieces)
    turned_out = with_mend(replace(part, mends=()), Mend("tidy"))
    assert area(turned_out) == pytest.approx(cap, rel=1e-9)


def test_a_filled_hole_belongs_to_no_mark_and_a_rebuilt_surface_to_those_it_lies_on() -> None:
    ball = plain(trimesh.creation.icosphere(4, 10.0))
    top = upper(ball)
    opened = Mesh(ball.points, np.delete(ball.faces, top[:40], axis=0))
    everything = mark_of("m", MarkKind.HIDDEN, np.arange(opened.triangles))
    stages = Stages()
    filled = stages.mended(with_mend(Part("x", as_source(opened)), Mend("fill")))[0]
    kept = carried_over(everything, origins(filled, opened))
    assert filled.triangles > len(kept) == opened.triangles
    moved_away = Mesh(ball.points + [0, 0, 0.5], ball.faces)
    assert (origins(moved_away, ball) == -1).mean() > 0.5
    finer = as_mesh(moved(trimesh.creation.icosphere(4, 10.0), 0, 0, 0).subdivide())
    assert np.array_equal(np.unique(origins(finer, ball)), np.arange(ball.triangles))


def test_the_command_line_tells_every_plate_of_a_saved_job_or_the_one_that_is_named(bench: Bench, tmp_path: Path) -> None:
    """A cube on each of two plates, one twice as wide: each with the pull that it has by itself."""
    cubes = [Part(name, as_source(as_mesh(trimesh.creation.box((w, w, 4))))) for name, w in (("Small", 8), ("Wide", 16))]
    job = job_of("Two", bench, tuple(cubes)).with_plate("Other")
    first, second = job.plates
    small, wide = first.placements
    job = job.replated(replace(first, placements=(small,))).replated(replace(second, placements=(wide,)))
    path, report, run = tmp_path / "two.3mf", tmp_path / "report.json", CliRunner()
    save_job(job, path, Stages())
    both = run.invoke(app, ["check", str(path), "--pitch", "0.2", "--json", str(report)])
    assert both.exit_code == 0, both.output
    assert first.name in both.output.splitlines() and "Other" in both.output.splitlines()
    areas = {"": max(json.loads(report.read_text())["layers"]["area_mm2"])}
    for name in (first.name, "Other"):
        one = run.invoke(app, ["check", str(path), "--pitch", "0.2", "--plate", name, "--json", str(report)])
        assert one.exit_code == 0 and one.output.count("layers of") == 1 and both.output.count("layers of") == 2
        areas[name] = max(json.loads(report.read_text())["layers"]["area_mm2"])
    assert areas == pytest.approx({"": 64.0, first.name: 64.0, "Other": 256.0}, rel=0.02)
    assert "none of its plates" in str(run.invoke(app, ["check", str(path), "--plate", "Third"]).exception)
    model = tmp_path / "cube.stl"
    model.write_bytes(binary_stl(cubes[0].source.mesh))
    assert "has no plates" in str(run.invoke(app, ["check", str(model), "--plate", "Other"]).exception)
