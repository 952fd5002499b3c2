"""What runs again when a recipe changes: every field of every recipe type in turn, exactly the right stages and no other."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields, is_dataclass, replace
from typing import Any

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.hollow import Lattice, Level, Shell, Thicker
from wideberth.core.job import Job, Part, Piece, Placement, Plate, Refused, job_of, with_count
from wideberth.core.model import MarkKind, Mend, mark_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, fine, predict, preview
from wideberth.core.split import Cut, Key, Kind, Rebore, Step
from wideberth.core.support import Brace, Contact, Foot, Idle, Idleness, Joint, Need, On, Post, Route, Supports, TipLimb, Twig

CAST = {"standing", "cast_runs"}
FILLED = CAST | {"lightened"}
INSIDE = FILLED | {"lattice", "gussets"}
DRILLED = INSIDE | {"drilled"}
HOLLOWED = DRILLED | {"hollowed", "cavity"}
CUT = HOLLOWED | {"cut"}
FLOOR = CUT - {"cavity", "lattice", "gussets"}  # a socket in the solid floor leaves the chambers as they are
SIZED = CUT | {"sized"}
TURNED = INSIDE | {"drilled"}  # of the holes, only the drop has a way up
SUPPORTED = CAST | {"scaffold"}
NOTHING: set[str] = set()


def solid() -> trimesh.Trimesh:
    """A block with a step, unlike itself whichever way it is turned or mirrored, with a dent in the ceiling of its shell."""
    block = trimesh.boolean.union([trimesh.creation.box((26, 20, 22)), moved(trimesh.creation.box((9, 11, 30)), 6, 3, 2)])
    return trimesh.boolean.difference([block, moved(trimesh.creation.icosphere(3, 4.5), -7, -4, 11)])


@pytest.fixture(scope="module")
def job(bench: Bench) -> Job:
    shell = Shell(2.0, 0.05, 0.4, (Thicker(-13.0, 0.0, 0.0, 3.0, 3.5),), Level((0.0, 0.0, 1.0), -7.0), None, Lattice())
    holes = (Hole(13.0, 0.0, 0.0, 2.0, "by hand"), Hole(-4.0, -10.0, 2.0, 2.0, "air", None, "drop", 5.0, 1.0))
    part = Part(
        "Block",
        as_source(as_mesh(solid())),
        scale=1.05,
        cuts=(Cut((0.0, 0.0, 1.0), -11.0, 1, (Key(Kind.PEG, 8.0, -6.0, 2.6, 1.2, -1),), 0.1),),
        shell=shell,
        holes=holes,
        pose=Pose(turned_xyz(14, 8, 3), 6.0),
        supports=posts(),
        mends=(Mend("weld"),),
        stretch=(1.0, 1.1, 1.0),
        marks=(mark_of("mark-1", MarkKind.HIDDEN, np.arange(5)),),
        piece=Piece("part-9", ("part-8",), 0),
    )
    coarse = bench.with_value("print.layer_height_mm", 0.2)
    return with_count(job_of("Stages", coarse, (part,)), ONE, 1, (1.0, 1.0), 1.0)


def posts() -> Supports:
    """A post, a twig on it, and a brace to a second post."""
    supports = Supports().with_route(Route((4, 2, 8), (4, 2, 6), (4, 2, 6), (4, 2, 0)), 0.5, Need())
    shared = Route((6, 2, 8), (6, 2, 6.5), (4, 2, 4.5), (4, 2, 0), True, supports.posts[0].id, True)
    supports = supports.with_route(shared, 0.4, Need())
    supports = supports.with_route(Route((-5, -3, 8), (-5, -3, 6), (-5, -3, 6), (-5, -3, 0)), 0.5, Need())
    ends = Joint("joint-a", 4, 2, 2, supports.posts[0].id), Joint("joint-b", -5, -3, 4, supports.posts[1].id)
    return replace(supports, joints=(*supports.joints, *ends), braces=(Brace("brace-a", "joint-a", "joint-b"),))


def in_part(change: Callable[[Part], Part]) -> Callable[[Job], Job]:
    return lambda job: job.with_part(change(job.parts[0]))


def part(**changes: Any) -> Callable[[Job], Job]:
    return in_part(lambda p: replace(p, **changes))


def cut(**changes: Any) -> Callable[[Job], Job]:
    return in_part(lambda p: replace(p, cuts=(replace(p.cuts[0], **changes),)))


def key(**changes: Any) -> Callable[[Job], Job]:
    return in_part(lambda p: replace(p, cuts=(replace(p.cuts[0], keys=(replace(p.cuts[0].keys[0], **changes),)),)))


def shell(**changes: Any) -> Callable[[Job], Job]:
    return in_part(lambda p: replace(p, shell=replace(p.shell, **changes)))  # type: ignore[type-var]


def in_shell(name: str, **changes: Any) -> Callable[[Job], Job]:
    def changed(p: Part) -> Part:
        old = getattr(p.shell, name)
        new = (replace(old[0], **changes),) if isinstance(old, tuple) else replace(old, **changes)
        return replace(p, shell=replace(p.shell, **{name: new}))  # type: ignore[type-var]

    return in_part(changed)


def hole(**changes: Any) -> Callable[[Job], Job]:
    return in_part(lambda p: replace(p, holes=(replace(p.holes[0], **changes), *p.holes[1:])))


def pose(**changes: Any) -> Callable[[Job], Job]:
    return in_part(lambda p: replace(p, pose=replace(p.pose, **changes)))


def held(name: str, number: int = 0, **changes: Any) -> Callable[[Job], Job]:
    """One thing of the supports changed: of a group of them, or, with an empty name, of all."""

    def changed(p: Part) -> Part:
        if not name:
            return replace(p, supports=replace(p.supports, **changes))
        group = list(getattr(p.supports, name))
        group[number] = replace(group[number], **changes)
        return replace(p, supports=replace(p.supports, **{name: tuple(group)}))

    return in_part(changed)


def placement(**changes: Any) -> Callable[[Job], Job]:
    return lambda job: job.with_placement(replace(job.plates[0].placements[0], **changes))


def plate(**changes: Any) -> Callable[[Job], Job]:
    return lambda job: job.replated(replace(job.plates[0], **changes))


def mend(**changes: Any) -> Callable[[Job], Job]:
    return in_part(lambda p: replace(p, mends=(replace(p.mends[0], **changes),)))


def renumbered(job: Job, name: str = "joint-z") -> Job:
    """The same joints under another name of one of them."""
    text = {"joint-a": name}
    old = job.parts[0].supports
    joints = tuple(replace(j, id=text.get(j.id, j.id)) for j in old.joints)
    braces = tuple(replace(b, upper=text.get(b.upper, b.upper)) for b in old.braces)
    return job.with_part(replace(job.parts[0], supports=replace(old, joints=joints, braces=braces)))


OTHER = as_source(as_mesh(moved(solid(), 0.0, 0.0, 0.0).subdivide()))
CHANGES: dict[type, dict[str, tuple[Callable[[Job], Job], set[str]]]] = {
    Part: {
        "name": (part(name="Other"), NOTHING),
        "source": (part(source=OTHER), SIZED | {"mended_once", "sound"}),
        "id": (lambda j: replace(j, parts=(replace(j.parts[0], id="part-77"),), plates=(replace(
            j.plates[0], placements=(replace(j.plates[0].placements[0], part="part-77"),)),)), NOTHING),
        "scale": (part(scale=1.1), SIZED),
        "cuts": (part(cuts=()), HOLLOWED),
        "rebores": (part(rebores=(Rebore((0.0, 0.0, 1.0), 2.0, 1.0, 0.0, 30.0, 1.0, 3.0),)), CUT),
        "engraved": (part(engraved="7"), CUT - {"cavity", "lattice", "gussets"}),  # its chambers stay as they were
        "shell": (part(shell=Shell(2.6, 0.05)), HOLLOWED - {"lattice"}),
        "holes": (in_part(lambda p: replace(p, holes=p.holes[:1])), INSIDE),
        "pose": (part(pose=Pose(turned_xyz(10, 8, 3), 6.0)), TURNED),
        "supports": (in_part(lambda p: p.unsupported()), CAST - {"cast_runs"} | {"scaffold"}),
        "mends": (part(mends=()), NOTHING),
        "stretch": (part(stretch=(1.0, 1.0, 1.0)), SIZED),
        "mirrored": (part(mirrored=True), SIZED),
        "side": (part(side="left"), NOTHING),
        "marks": (part(marks=()), NOTHING),
        "piece": (part(piece=None), NOTHING),
        "pose_pinned": (part(pose_pinned=True), NOTHING),
        "refused": (part(refused=(Refused("orient", Pose()),)), NOTHING),
        "last": (part(last=40), NOTHING),
    },
    Refused: {
        "step": (part(refused=(Refused("drain"),)), NOTHING),
        "pose": (part(refused=(Refused("orient", Pose()),)), NOTHING),
        "spot_mm": (part(refused=(Refused("drain", None, (1.0, 2.0, 3.0)),)), NOTHING),
    },
    Mend: {"kind": (mend(kind="tidy"), {"mended_once"}), "value": (mend(value=0.002), {"mended_once"})},
    Cut: {
        "normal": (cut(normal=(0.0, 0.1, 0.99498743710662)), CUT),
        "offset_mm": (cut(offset_mm=-10.0), CUT),
        "keep": (lambda j: cut(keep=-1, offset_mm=13.0)(j), CUT),
        "keys": (cut(keys=(Key(Kind.PEG, -8.0, -6.0, 2.6, 1.2, -1),)), FLOOR),
        "clearance_mm": (cut(clearance_mm=0.2), FLOOR),
        "step": (cut(step=Step(0.0, 2.0, 1.5)), CUT - {"cavity"}),
    },
    Step: {
        "turn_deg": (cut(step=Step(90.0, 2.0, 1.5)), CUT),
        "at_mm": (cut(step=Step(0.0, -3.0, 1.5)), FLOOR),
        "rise_mm": (cut(step=Step(0.0, 2.0, -0.8)), CUT),
    },
    Key: {
        "kind": (key(kind=Kind.PIN), FLOOR),
        "across_mm": (key(across_mm=7.0), FLOOR),
        "over_mm": (key(over_mm=-5.0), FLOOR),
        "size_mm": (key(size_mm=2.9), FLOOR),
        "depth_mm": (key(depth_mm=1.5), FLOOR),
        "peg_on": (key(peg_on=1), CUT),
        "turn_deg": (key(turn_deg=7.0), FLOOR),
        "long_mm": (key(kind=Kind.DOVETAIL, long_mm=30.0), CUT - {"cavity"}),
        "wall_mm": (key(kind=Kind.RING, wall_mm=0.8), FLOOR),
    },
    Shell: {
        "wall_mm": (shell(wall_mm=2.4), HOLLOWED),
        "smallest_chamber_ml": (shell(smallest_chamber_ml=0.06), {"hollowed"}),
        "passage_mm": (shell(passage_mm=1.2), HOLLOWED),
        "thicker": (shell(thicker=()), HOLLOWED),
        "solid_below": (shell(solid_below=None), HOLLOWED),
        "open_below": (shell(solid_below=None, open_below=Level((0.0, 0.0, 1.0), -11.0)), HOLLOWED),
        "lattice": (shell(lattice=None), FILLED),
    },
    Thicker: {
        name: (in_shell("thicker", **{name: value}), HOLLOWED)
        for name, value in {"x_mm": -12.0, "y_mm": 2.0, "z_mm": 2.0, "reach_mm": 4.0, "wall_mm": 4.5}.items()
    },
    Level: {
        "normal": (in_shell("solid_below", normal=(0.0, 0.1, 0.99498743710662)), HOLLOWED),
        "offset_mm": (in_shell("solid_below", offset_mm=-6.0), HOLLOWED),
    },
    Lattice: {
        "kind": (in_shell("lattice", kind="gyroid"), FILLED | {"lattice"}),
        "share": (in_shell("lattice", share=0.08), FILLED | {"lattice"}),
        "bar_mm": (in_shell("lattice", bar_mm=1.3), FILLED | {"lattice"}),
        "clear_mm": (in_shell("lattice", clear_mm=2.5), FILLED | {"lattice"}),
    },
    Hole: {
        "x_mm": (hole(x_mm=12.9), {"drilled", "standing"}),  # it enters at the same spot of the surface
        "y_mm": (hole(y_mm=1.0), DRILLED),
        "z_mm": (hole(z_mm=1.0), DRILLED),
        "diameter_mm": (hole(diameter_mm=2.4), DRILLED),
        "why": (hole(why="another"), NOTHING),
        "along": (hole(along=(-0.9950371902099892, 0.0995037190209989, 0.0)), DRILLED),
        "outline": (hole(outline="drop"), CAST | {"drilled"}),
        "taper_deg": (hole(taper_deg=8.0), CAST | {"drilled"}),
        "margin_mm": (hole(margin_mm=2.0), DRILLED),
        "id": (hole(id="hole-9"), {"standing"}),
        "pinned": (hole(pinned=True), NOTHING),
    },
    Pose: {"turn": (pose(turn=turned_xyz(14, 9, 3)), TURNED), "gap_mm": (pose(gap_mm=7.0), CAST)},
    Supports: {
        "contacts": (in_part(lambda p: replace(p, supports=p.supports.without([p.supports.contacts[1].id]))), SUPPORTED),
        "joints": (renumbered, {"scaffold", "standing"}),
        "feet": (held("feet", x_mm=4.5), SUPPORTED),
        "tips": (held("tips", id="tip-z"), {"scaffold", "standing"}),
        "twigs": (held("twigs", id="twig-z"), {"scaffold", "standing"}),
        "posts": (held("posts", diameter_mm=2.0), SUPPORTED),
        "braces": (held("", braces=()), SUPPORTED),
        "base": (lambda j: j, NOTHING),  # there is one kind yet
        "last": (held("", last=99), {"scaffold", "standing"}),
        "idle": (held("", idle=(Idle(Contact("contact-7", 1, 2, 3, 0.4), Idleness.NOT_NEEDED),)), NOTHING),
    },
    Contact: {
        "id": (in_part(lambda p: replace(p, supports=replace(
            p.supports, contacts=(replace(p.supports.contacts[0], id="contact-z"), *p.supports.contacts[1:]),
            tips=(replace(p.supports.tips[0], contact="contact-z"), *p.supports.tips[1:])))), {"scaffold", "standing"}),
        "x_mm": (held("contacts", x_mm=4.2), SUPPORTED),
        "y_mm": (held("contacts", y_mm=2.2), SUPPORTED),
        "z_mm": (held("contacts", z_mm=8.2), SUPPORTED),
        "diameter_mm": (held("contacts", diameter_mm=0.6), SUPPORTED),
        "need": (held("contacts", need=Need(carries_n=3.0)), NOTHING),
        "depth_mm": (held("contacts", depth_mm=0.4), SUPPORTED),
        "pinned": (held("contacts", pinned=True), NOTHING),
        "upright": (held("contacts", upright=(0.0, 1.0, 0.0)), NOTHING),
    },
    Joint: {
        "id": (lambda j: renumbered(j, "joint-y"), {"scaffold", "standing"}),
        "x_mm": (held("joints", -1, x_mm=-4.8), SUPPORTED),
        "y_mm": (held("joints", -1, y_mm=-2.8), SUPPORTED),
        "z_mm": (held("joints", -1, z_mm=4.2), SUPPORTED),
        "post": (held("joints", -1, post="post-1"), {"scaffold", "standing"}),
    },
    Foot: {
        "id": (in_part(lambda p: replace(p, supports=replace(
            p.supports, feet=(replace(p.supports.feet[0], id="foot-z"), *p.supports.feet[1:]),
            posts=(replace(p.supports.posts[0], foot="foot-z"), *p.supports.posts[1:])))), {"scaffold", "standing"}),
        "x_mm": (held("feet", x_mm=4.4), SUPPORTED),
        "y_mm": (held("feet", y_mm=2.4), SUPPORTED),
        "z_mm": (held("feet", z_mm=0.2), SUPPORTED),
        "on": (held("feet", on=On.PART), SUPPORTED),
    },
    TipLimb: {
        "id": (held("tips", id="tip-y"), {"scaffold", "standing"}),
        "contact": (held("", tips=()), NOTHING),  # a tip belongs to its contact: see `Contact.id`
        "joint": (held("", tips=()), NOTHING),
    },
    Twig: {
        "id": (held("twigs", id="twig-y"), {"scaffold", "standing"}),
        "upper": (held("", twigs=()), NOTHING),
        "lower": (held("", twigs=()), NOTHING),
        "diameter_mm": (held("twigs", diameter_mm=0.9), SUPPORTED),
    },
    Post: {
        "id": (held("", posts=()), NOTHING),
        "top": (held("", posts=()), NOTHING),
        "foot": (held("", posts=()), NOTHING),
        "diameter_mm": (held("posts", diameter_mm=2.1), SUPPORTED),
        "narrow": (held("posts", narrow=True), {"scaffold", "standing"}),
    },
    Brace: {
        "id": (held("braces", id="brace-z"), {"scaffold", "standing"}),
        "upper": (held("braces", upper="joint-1"), SUPPORTED),
        "lower": (held("braces", lower="joint-1"), SUPPORTED),
        "diameter_mm": (held("braces", diameter_mm=1.3), SUPPORTED),
    },
    Placement: {
        "id": (placement(id="print-9"), NOTHING),
        "part": (lambda j: j, NOTHING),  # there is one part
        "x_mm": (placement(x_mm=3.217), NOTHING),
        "y_mm": (placement(y_mm=8.0), NOTHING),  # whole rows of 0.4 mm
        "turn_deg": (placement(turn_deg=90.0), {"turned_solids", "cast_runs"}),
        "mirrored": (placement(mirrored=True), {"turned_solids", "cast_runs"}),
        "pinned": (placement(pinned=True), NOTHING),
    },
    Plate: {
        "id": (plate(id="plate-9"), NOTHING),
        "name": (plate(name="Second"), NOTHING),
        "placements": (lambda j: with_count(j, ONE, 3, (30.0, 30.0), 2.0), NOTHING),
    },
    Job: {
        "title": (lambda j: replace(j, title="Other"), NOTHING),
        "bench": (lambda j: replace(j, bench=j.bench.with_value("print.lift_mm_per_min", 40.0)), NOTHING),
        "parts": (lambda j: j.with_more(j.parts[0], places=[(40.0, 0.0)]), NOTHING),
        "plates": (lambda j: j.with_plate("Another"), NOTHING),
        "linked": (lambda j: replace(j, linked=True), NOTHING),
        "variants": (lambda j: j.keep_variant("kept"), NOTHING),
        "last": (lambda j: replace(j, last=90), NOTHING),
    },
}  # fmt: skip
UNTOUCHED = {
    (TipLimb, "contact"),
    (TipLimb, "joint"),
    (Twig, "upper"),
    (Twig, "lower"),
    (Post, "id"),
    (Post, "top"),
    (Post, "foot"),
}
"""Ends that cannot change by themselves: the supports would not hang together. What they join is changed elsewhere."""


def test_every_field_of_every_recipe_type_is_changed() -> None:
    for kind, changes in CHANGES.items():
        assert is_dataclass(kind)
        assert {f.name for f in fields(kind)} == set(changes), kind.__name__


@pytest.fixture(scope="module")
def seen(job: Job) -> Stages:
    stages = Stages()
    predict(job, stages, preview(job.bench))
    return stages


def cases() -> list[Any]:
    """Each field of each kind; of those of a kind that the same stages read `make test` looks at one."""
    first, all_of = {}, []
    for kind, changes in CHANGES.items():
        for name, (_, expected) in changes.items():
            if (kind, name) not in UNTOUCHED:
                marks = () if first.setdefault((kind, frozenset(expected)), name) == name else pytest.mark.prove
                all_of.append(pytest.param(kind, name, marks=marks))
    return all_of


@pytest.mark.parametrize(("kind", "name"), cases(), ids=lambda v: v if isinstance(v, str) else v.__name__)
def test_a_change_runs_exactly_the_stages_that_read_it(kind: type, name: str, job: Job, seen: Stages) -> None:
    change, expected = CHANGES[kind][name]
    changed = change(job)
    predict(job, seen, preview(job.bench))
    seen.computed.clear()
    predict(changed, seen, preview(job.bench))
    assert set(seen.computed) == expected
    seen.computed.clear()
    predict(changed, seen, preview(job.bench))
    assert seen.computed == []


def test_a_change_of_the_bench_runs_the_stages_that_read_it_again(job: Job, seen: Stages) -> None:
    for key, value, expected in (
        ("supports.post_mm", 1.5, SUPPORTED),
        ("supports.contact_depth_mm", 0.35, SUPPORTED),
        ("print.layer_height_mm", 0.1, {"cast_runs"}),
        ("resin.viscosity_pa_s", 1.7, NOTHING),
        ("film.line_adhesion_n_per_mm", 0.02, NOTHING),
    ):
        seen.computed.clear()
        predict(replace(job, bench=job.bench.with_value(key, value)), seen, preview(job.bench))
        assert set(seen.computed) == expected, key


def test_forty_boxes_are_computed_once_and_a_move_casts_nothing_anew(bench: Bench) -> None:
    coarse = bench.with_value("print.layer_height_mm", 0.2)
    box = as_source(as_mesh(trimesh.creation.box((8, 6, 9))))
    parts = [Part(f"Box {n}", box, shell=Shell(1.5, 0.01)) for n in range(40)]
    places = [(20.0 * (n % 8 - 3.5), 20.0 * (n // 8 - 2.0)) for n in range(40)]
    stages = Stages()
    seen = predict(job_of("Boxes", coarse, parts, places), stages, fine())
    assert seen.printed.part.volume_mm3 == pytest.approx(40 * (8 * 6 * 9 - 5 * 3 * 6), rel=0.01)  # inner corners are rounded
    for stage in ("hollowed", "standing", "cast_runs"):
        both_ways = 2 if stage == "cast_runs" else 1
        meshes = 2 if stage == "cast_runs" else 1
        assert stages.computed.count(stage) == both_ways * meshes, stage
    stages.computed.clear()
    job = seen.job
    away = job.with_placement(replace(job.plates[0].placements[3], x_mm=places[3][0] + 1.3, y_mm=places[3][1] - 0.7))
    moved_once = predict(away, stages, fine())
    assert set(stages.computed) <= {"plated_bare", "plated"}
    assert moved_once.loads.hold_margin == pytest.approx(seen.loads.hold_margin, nan_ok=True)
    assert moved_once.printed.part.volume_mm3 == pytest.approx(seen.printed.part.volume_mm3, rel=1e-12)
