"""Diagonals: how much of a post they leave free, against a frame of beams in space; and ways that bend round the part."""

import math
from dataclasses import replace

import numpy as np
import pytest
import scipy
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import as_mesh, set_down
from reference.frame import Frame
from reference.further import further
from wideberth.core.bench import Bench, SupportSettings, load_bench
from wideberth.core.loads import buckling_n
from wideberth.core.loads.down import pushed
from wideberth.core.model import Closest, as_solid, nearest_on, resolved
from wideberth.core.support import (
    Brace,
    Need,
    NeedKind,
    Route,
    Supports,
    braced,
    free_stretches_mm,
    most_free_mm,
    room_of,
    stouter_posts,
    supports_mesh,
    touches,
)
from wideberth.core.support.routing import LEAVE_MM, STANDS_ON, Clearance, find_route, with_post_moved

SETTINGS = load_bench().supports
E_MPA = 400.0
at = trimesh.transformations.translation_matrix


def posts(spots: list[tuple[float, float]], top_mm: float) -> Supports:
    """Upright posts from the plate to a height."""
    made = Supports()
    for x, y in spots:
        made = made.with_route(Route((x, y, top_mm + 1), (x, y, top_mm), (x, y, top_mm), (x, y, 0.0)), 0.4, Need())
    return made


def above(top_mm: float) -> Clearance:
    """Nothing but a slab over the posts."""
    return Clearance(as_mesh(trimesh.creation.box((90, 90, 2), transform=at((0, 0, top_mm + 3)))), SETTINGS)


def framed(made: Supports, pushed: str) -> float:
    """The push on one post at which the whole frame gives way: hinged at the feet, held aside at the tops."""
    frame = Frame(E_MPA)
    for post in made.posts:
        top, foot = made.joint[post.top].point_mm, made.foot[post.foot].point_mm
        heights = {0.0, round(float(top[2]), 6)} | {round(j.z_mm, 6) for j in made.joints if made.post_at.get(j.id) == post.id}
        frame.line(
            [[top[0], top[1], z] for z in sorted(heights)],
            post.diameter_mm or SETTINGS.post_mm,
            1.0 if post.id == pushed else 0.0,
        )
        frame.hold(foot, "xyz")
        if post.id not in made.stays:
            frame.hold(top, "xy")
    for brace in made.braces:
        ends = [made.joint[brace.upper].point_mm, made.joint[brace.lower].point_mm]
        frame.line(ends, brace.diameter_mm or 0.8 * SETTINGS.post_mm)
    return frame.buckles_at()


@pytest.mark.parametrize("length", [12.0, 30.0, 48.0])
def test_the_frame_itself_agrees_with_euler(length: float) -> None:
    """A lone post: π² E I/L² by both."""
    made = posts([(0, 0)], length)
    assert framed(made, made.posts[0].id) == pytest.approx(buckling_n(SETTINGS.post_mm, length, E_MPA), rel=2e-3)


@settings(max_examples=3)  # `make prove` looks at six hundred
@given(top=st.floats(24, 52), share=st.floats(0.28, 0.7), turn=st.floats(0, 360), apart=st.floats(4, 11), count=st.integers(1, 5))
def test_a_braced_post_stands_what_its_free_stretch_says(top: float, share: float, turn: float, apart: float, count: int) -> None:
    """Whatever neighbours there are: the frame of posts and diagonals buckles at no less than 0.95 of Euler's load of the free
    stretch, and the stretch is no longer than was asked for."""
    angles = np.radians(turn + np.arange(count - 1) * 360 / max(count - 1, 1))
    spots = [(0.0, 0.0), *((apart * np.cos(a), apart * np.sin(a)) for a in angles)]
    before = posts(spots, top)
    id = before.posts[0].id
    made, left = braced(before, {id: share * top}, above(top), SETTINGS)
    free = free_stretches_mm(made, SETTINGS)
    assert left or free[id] <= 1.02 * share * top
    assert share < 0.4 or not left
    made.checked("a test")
    assert framed(made, id) >= 0.95 * buckling_n(SETTINGS.post_mm, free[id], E_MPA)
    for brace in made.braces:
        upper, lower = made.joint[brace.upper].point_mm, made.joint[brace.lower].point_mm
        lean = np.degrees(np.arctan2(np.hypot(*(upper - lower)[:2]), upper[2] - lower[2]))
        assert 0 < lean <= SETTINGS.steepest_twig_deg + 1e-6  # printable


def test_one_way_alone_does_not_hold_a_post() -> None:
    """Diagonals in one plane: the frame, like the rule, lets the post go the other way at its whole length."""
    two = posts([(0, 0), (8, 0)], 40)
    made, left = braced(two, {two.posts[0].id: 21.0}, above(40), SETTINGS)
    assert not left and made.stays
    plane = [b for b in made.braces if abs(made.joint[b.upper].y_mm) < 1e-6 and abs(made.joint[b.lower].y_mm) < 1e-6]
    only = replace(made, braces=tuple(plane))
    id = two.posts[0].id
    assert plane and free_stretches_mm(only, SETTINGS)[id] == pytest.approx(40)
    assert framed(only, id) == pytest.approx(buckling_n(SETTINGS.post_mm, 40, E_MPA), rel=0.2)


def test_a_diagonal_between_posts_that_nothing_holds_holds_nothing() -> None:
    """Two posts tied to each other high up, and to no foot: both still bend at their whole length."""
    two = posts([(0, 0), (6, 0)], 40)
    made, _ = braced(two, {two.posts[0].id: 12.0}, above(40), SETTINGS)
    top = max(made.braces, key=lambda b: made.joint[b.lower].z_mm)
    lone = replace(made, braces=(Brace("brace-900", top.upper, top.lower),))
    assert free_stretches_mm(lone, SETTINGS)[two.posts[0].id] == pytest.approx(40)


def test_stays_go_with_the_last_contact_of_what_they_hold() -> None:
    """A contact that goes takes its post, its diagonals and their stays along; another's stay."""
    two = posts([(0, 0), (40, 0)], 40)
    made, _ = braced(two, {p.id: 20.0 for p in two.posts}, above(40), SETTINGS)
    less = made.without([made.contacts[0].id]).checked("a test")
    assert len(made.stays) == 4 and len(less.stays) == 2 and len(less.braces) == 2
    assert less.without([less.contacts[0].id]).posts == ()


def test_the_free_stretch_decides_what_a_tip_s_post_may_be_pushed_with(bench: Bench) -> None:
    """Half the length between braces is in the touch, and a braced post's mesh holds the diagonals."""
    one = posts([(0, 0)], 40)
    made, _ = braced(one, {one.posts[0].id: 20.0}, above(40), bench.supports)
    touch = touches(made, bench.supports, 0, 0.0, 0.0)[0]
    assert touch.bends_mm == pytest.approx(20.0) and touches(one, bench.supports, 0, 0.0, 0.0)[0].bends_mm == 40.0
    more = supports_mesh(made, bench.supports)
    less = supports_mesh(one, bench.supports)
    assert more is not None and less is not None
    assert as_solid(resolved(more)).volume() > as_solid(resolved(less)).volume() + 2 * 20 * 0.8 * 0.8 * 0.7


def shelves() -> trimesh.Trimesh:
    """A ceiling over two shelves that leave one winding way between them."""
    return trimesh.boolean.union(
        [
            trimesh.creation.box((40, 30, 2), transform=at((0, 0, 31))),
            trimesh.creation.box((2, 30, 32), transform=at((-19, 0, 16))),
            trimesh.creation.box((24, 30, 2), transform=at((-8, 0, 19))),
            trimesh.creation.box((18, 30, 2), transform=at((11, 0, 6))),
        ],
        engine="manifold",
    )


@pytest.mark.parametrize("turn", [0.0, 35.0, 90.0, 213.0])
def test_a_twig_bends_round_shelves(turn: float, bench: Bench) -> None:
    """Down past the upper shelf, back under it, down past the lower: nothing is touched but at the tip, and no leg leans more
    than a twig may."""
    wide: SupportSettings = bench.supports
    mesh = as_mesh(shelves().apply_transform(trimesh.transformations.rotation_matrix(np.radians(turn), (0, 0, 1))))
    spot = np.array([0.0, 0.0, 30.0])
    route = find_route(spot, np.array([0.0, 0.0, -1.0]), Clearance(mesh, wide), wide, Supports())
    assert route is not None and route.on_plate and route.bends_mm
    for upper, lower in route.legs_mm:
        lean = np.degrees(np.arctan2(np.hypot(upper[0] - lower[0], upper[1] - lower[1]), upper[2] - lower[2]))
        assert lean <= wide.steepest_twig_deg + 1.0
    made = Supports().with_route(route, 0.4, Need()).checked("a test")
    assert made.routes[made.contacts[0].id].bends_mm == route.bends_mm
    solid = supports_mesh(made, wide)
    assert solid is not None
    buried = (as_solid(resolved(solid)) ^ as_solid(mesh)).volume()
    assert buried == pytest.approx(wide.contact_depth_mm * np.pi * 0.2**2, rel=0.15)  # the contact alone
    assert made.without([made.contacts[0].id]).joints == ()


@pytest.mark.parametrize("lean", [(0.0, 0.0, 0.0), (20.0, -15.0, 130.0)])
def test_a_rod_is_clear_where_every_point_along_it_is(lean: tuple[float, float, float], bench: Bench) -> None:
    """All points along rods of any way round shelves, looked at one by one: as far off as asked, but for where they leave; and on
    the lattice none beside what is taken."""
    chance = np.random.default_rng(5)
    mesh = as_mesh(shelves().apply_transform(trimesh.transformations.euler_matrix(*np.radians(lean))))
    mesh = mesh.moved(np.array([0.0, 0.0, 5.0 - float(mesh.low[2])]))
    room, surface = Clearance(mesh, bench.supports), Closest(mesh)
    starts = chance.uniform(mesh.low - 3, mesh.high + 3, (150, 3))
    ends = starts + chance.normal(0, 5, starts.shape)
    clear = [0, 0]
    for start, end in np.minimum(np.stack((starts, ends), axis=1), [np.inf, np.inf, float(mesh.high[2])]):  # all below its top
        length = float(np.linalg.norm(end - start))
        along = np.append(np.arange(min(LEAVE_MM, length), length, 0.25), length) / length
        points = start + along[:, None] * (end - start)
        off = float(surface.nearest(points)[0].min())
        assert room.is_clear_of_surface(start, end, 0.6) == (off >= 0.72)
        taken = [room.near[cell] for p in points if (cell := room.cell(p)) is not None]
        if room.line_is_clear(start, end) == any(taken):  # points of the one lie between those of the other
            assert len(points) > 1 and abs(off - room.twig_radius_mm) < 2 * room.step
        clear[int(off >= 0.72)] += 1
    assert min(clear) > 20


def test_a_bent_way_bends_at_its_whole_length(bench: Bench) -> None:
    """Nothing holds a bend aside: what Euler counts is the whole way under the joint."""
    wide = bench.supports
    mesh = as_mesh(shelves())
    route = find_route(np.array([0.0, 0.0, 30.0]), np.array([0.0, 0.0, -1.0]), Clearance(mesh, wide), wide, Supports())
    assert route is not None
    touch = touches(Supports().with_route(route, 0.4, Need()), wide, 0, 0.0, 0.0)[0]
    assert touch.bends_mm == pytest.approx(route.length_mm) and route.length_mm > route.joint_mm[2]


@pytest.mark.parametrize("seed", [0, *further([1, 2, 3])])
def test_a_post_on_the_part_stands_on_its_surface_and_nowhere_too_steep(seed: int, bench: Bench) -> None:
    """Under many spots of shelves however these lean: the foot lies on a face that looks up, straight under its top."""
    chance, wide = np.random.default_rng(seed), bench.supports
    lean = trimesh.transformations.euler_matrix(*np.radians([*chance.uniform(-25, 25, 2), chance.uniform(0, 360)]))
    mesh = as_mesh(shelves().apply_transform(lean))
    mesh = mesh.moved(np.array([0.0, 0.0, 5.0 - float(mesh.low[2])]))
    spots, face = trimesh.sample.sample_surface(trimesh.Trimesh(mesh.points, mesh.faces), 900, seed=seed)
    surface, room = Closest(mesh), Clearance(mesh, wide)
    down = mesh.normals[face, 2] < -0.7
    ways = [find_route(spot, mesh.normals[f], room, wide, Supports()) for spot, f in zip(spots[down], face[down], strict=True)]
    feet = [(np.array(way.foot_mm), np.array(way.top_mm)) for way in ways if way is not None and not way.on_plate]
    assert len(feet) > 5
    for foot, top in feet:
        away, on, _ = surface.nearest(foot[None])
        assert away[0] < 1e-6 and mesh.normals[on[0], 2] >= STANDS_ON
        assert foot[:2] == pytest.approx(top[:2]) and foot[2] < top[2]


@pytest.mark.parametrize("seed", [0, *further([1, 2, 3])])
def test_no_post_or_twig_prints_as_one_with_the_part_that_it_passes(seed: int, bench: Bench) -> None:
    """A tenth of a millimetre stays free, two pixels, even by a post as stout as any; but where a tip leaves the surface, where a
    way has to bend round the part, and, seldom, where there is no other."""
    chance, wide = np.random.default_rng(seed), bench.supports
    lean = trimesh.transformations.euler_matrix(*np.radians([*chance.uniform(-25, 25, 2), chance.uniform(0, 360)]))
    mesh = as_mesh(shelves().apply_transform(lean))
    mesh = mesh.moved(np.array([0.0, 0.0, 5.0 - float(mesh.low[2])]))
    spots, face = trimesh.sample.sample_surface(trimesh.Trimesh(mesh.points, mesh.faces), 600, seed=seed)
    surface, room, gaps = Closest(mesh), Clearance(mesh, wide), []
    for spot, f in zip(spots, face, strict=True):
        way = find_route(spot, mesh.normals[f], room, wide, Supports()) if mesh.normals[f, 2] < -0.2 else None
        if way is None or not way.on_plate or way.bends_mm:
            continue
        post = (way.top_mm, way.foot_mm, 0.5 * wide.stoutest_post_mm)
        for start, end, radius in (post, *((*leg, room.twig_radius_mm) for leg in way.legs_mm)):
            length = float(np.linalg.norm(np.subtract(start, end)))
            along = np.arange(LEAVE_MM, length, 0.04)[:, None] / max(length, 1e-9)
            gaps.append(float(surface.nearest(start + along * np.subtract(end, start))[0].min(initial=np.inf)) - radius)
    assert len(gaps) > 50 and min(gaps) >= 0.02 and np.mean(np.array(gaps) >= 0.1) >= 0.99


@pytest.mark.parametrize("seed", [0, *further([1, 2, 3])])
def test_what_begins_as_a_needle_is_carried_from_below(seed: int, bench: Bench) -> None:
    """Leaning needles, cut a tenth above their ends: what is nearest to the middle of the cut looks up in many, and no post comes
    there."""
    rng, looks_up = np.random.default_rng(seed), 0
    for _ in range(12):
        lean, turn = np.radians(rng.uniform(30, 62)), rng.uniform(0, 2 * np.pi)
        needle = trimesh.creation.cone(0.6, 12, sections=int(rng.integers(5, 24))).apply_translation((0, 0, -12))
        way = np.array([np.sin(lean) * np.cos(turn), np.sin(lean) * np.sin(turn), -np.cos(lean)])
        needle.apply_transform(trimesh.geometry.align_vectors((0, 0, 1), way))
        needle.apply_translation((0, 0, 5 - needle.bounds[0, 2]))
        cut = needle.section((0, 0, 1), (0, 0, 5.1))
        begins = cut.vertices.mean(axis=0) + rng.uniform(-0.004, 0.004, 3)
        room = room_of(as_mesh(needle), bench.supports)
        way = room.way_under(begins, Supports())
        assert way is not None and math.dist(way[0].spot_mm, begins) < 0.05
        route = way[0]
        face, _ = nearest_on(room.light, np.array(route.spot_mm) - [0, 0, 0.001])
        assert room.light.normals[face][2] < 0.1
        looks_up += room.way_to(begins, Supports()) is None
    assert looks_up


@pytest.mark.parametrize("seed", [0, *further([1, 2, 3])])
def test_tips_beside_what_begins_reach_it_and_none_stands_where_one_does(seed: int, bench: Bench) -> None:
    """The lowest of leaning rods, with tip after tip: by the sections of their solids."""
    rng, beside = np.random.default_rng(seed), 0
    for _ in range(8):
        rod = trimesh.creation.cylinder(rng.uniform(0.3, 1.2), 14, sections=32)
        rod.apply_transform(trimesh.transformations.rotation_matrix(np.radians(rng.uniform(5, 60)), (1, 0, 0)))
        rod.apply_translation((0, 0, 5 - rod.bounds[0, 2]))
        begins = rod.vertices[rod.vertices[:, 2].argmin()] + (0, 0, rng.uniform(0.02, 0.1))
        room, held, tips = room_of(as_mesh(rod), bench.supports), Supports(), 0
        while tips < 20 and (way := room.way_under(begins, held)) is not None:
            held, tips = held.with_route(*way, Need(NeedKind.ISLAND)), tips + 1
            alone = held.without({c.id for c in held.contacts[:-1]})
            level = as_solid(resolved(supports_mesh(alone, bench.supports))).slice(float(begins[2]))
            spot = trimesh.creation.cylinder(0.02, 1).apply_translation(begins)
            assert not (level ^ as_solid(as_mesh(spot)).slice(float(begins[2]))).is_empty()
            assert bench.supports.smallest_tip_mm <= way[1] <= bench.supports.largest_tip_mm
        apart = scipy.spatial.distance.pdist(np.array([c.spot_mm for c in held.contacts]))
        assert 0 < tips < 20 and apart.min(initial=np.inf) >= bench.supports.smallest_tip_mm
        beside += tips > 1
    assert beside


@pytest.mark.parametrize(("post_mm", "free_mm", "thick_mm"), [(1.8, 11.0, 1.8), (1.5, 10.0, 1.2)])
def test_where_diagonals_as_thin_as_twigs_are_too_soft_they_are_as_stout_as_posts(
    post_mm: float, free_mm: float, thick_mm: float
) -> None:
    """A stout post of 25 mm among three more: thin diagonals leave more of it free than is asked for, whatever their number;
    such as are as stout as a post, or as the stoutest, do not, and the frame agrees."""
    four = posts([(0.0, 0.0), (6.0, 0.0), (0.0, 6.0), (-6.0, -5.0)], 25.0)
    id = four.posts[0].id
    stout = four.stouter({post.id: post_mm for post in four.posts})
    thin = replace(SETTINGS, post_mm=0.9, stoutest_post_mm=0.9)
    softly, left = braced(stout, {id: free_mm}, above(25), thin)  # better than nothing, and said to be too little
    assert left == (id,) and 1.02 * free_mm < free_stretches_mm(softly, SETTINGS)[id] < 20
    made, left = braced(stout, {id: free_mm}, above(25), SETTINGS)
    free = free_stretches_mm(made, SETTINGS)[id]
    assert not left and free <= 1.02 * free_mm
    assert {brace.diameter_mm for brace in made.braces} == {thick_mm}
    assert framed(made, id) >= 0.95 * buckling_n(post_mm, free, E_MPA)
    again, _ = braced(made, {id: free_mm - 0.5}, above(25), SETTINGS)
    assert len({frozenset((b.upper, b.lower)) for b in again.braces}) == len(again.braces)


@pytest.mark.parametrize(("apart", "top"), [(3.5, 40.0), *further([(4.0, 48.0)], True)])
def test_a_slender_ladder_gives_by_its_posts_as_well(apart: float, top: float) -> None:
    """Rows of posts close together, and tall: what Euler says of the free stretch is what the frame stands, not a third more."""
    near = posts([(0.0, 0.0), (apart, 0.0), (0.0, apart)], top)
    id = near.posts[0].id
    for share in (0.22, 0.3, 0.4):
        made, left = braced(near.stouter({post.id: 1.8 for post in near.posts}), {id: share * top}, above(top), SETTINGS)
        if not left:
            assert framed(made, id) >= 0.95 * buckling_n(1.8, free_stretches_mm(made, SETTINGS)[id], E_MPA)
            break
    assert not left and len(made.braces) > 2


@pytest.mark.parametrize("turn", [0.0, 24.0, 90.0, 161.0])
@pytest.mark.parametrize(("wide_mm", "way"), [(1.38, "none"), (1.5, "narrow"), (1.9, "narrow"), (3.2, "usual")])
def test_a_post_stands_in_a_slot_that_leaves_room_for_no_stouter_one(wide_mm: float, way: str, turn: float, bench: Bench) -> None:
    """A pin hangs between two walls so far apart; posts of 1.2 mm keep off by 0.12 mm, and may get 1.8 mm stout."""
    tips, end = bench.supports, 0.5 * wide_mm + 20.0
    walls = [trimesh.creation.box((40, 60, 25), transform=at((side * end, 0, 13.5))) for side in (-1, 1)]
    pin = trimesh.creation.cylinder(0.3, 8.0, sections=24, transform=at((0, 0, 20)))
    whole = trimesh.boolean.union([*walls, pin, trimesh.creation.box((40, 60, 4), transform=at((0, 0, 26)))], engine="manifold")
    mesh = as_mesh(whole.apply_transform(trimesh.transformations.rotation_matrix(np.radians(turn), (0, 0, 1))))
    found = find_route(np.array([0.0, 0.0, 16.0]), np.array([0.0, 0.0, -1.0]), Clearance(mesh, tips), tips, Supports())
    assert (found is None) is (way == "none")
    if found is None:
        return
    assert found.on_plate and found.narrow is (way == "narrow")
    made = Supports().with_route(found, 0.4, Need())
    assert made.routes[made.contacts[0].id].narrow is found.narrow
    solid = supports_mesh(made, tips)
    assert solid is not None
    assert (as_solid(resolved(solid)) ^ as_solid(mesh)).volume() < 0.05  # the tip in the pin
    (post,) = made.posts
    along = [0.4 * np.sin(-np.radians(turn)), 0.4 * np.cos(np.radians(turn))]  # of the slot
    shifted = with_post_moved(made, post.id, *along, Clearance(mesh, tips), tips)
    assert shifted is not None and shifted.posts[0].narrow is found.narrow
    assert with_post_moved(made, post.id, 2.0 * along[1], -2.0 * along[0], Clearance(mesh, tips), tips) is None
    limp = bench.with_value("resin.green_modulus_mpa", 20.0)
    posts_of = pushed(touches(made, tips, 0, 0.0, 0.0), np.full((1, 1, 4), -2.0), limp)
    assert posts_of.margin[0] < 1.0
    stays, bends = not stouter_posts(posts_of, limp), bool(most_free_mm(posts_of, limp))
    assert stays is bends is found.narrow  # it is braced at once instead


@pytest.mark.parametrize("stoutest_mm", [1.8, 3.0, 4.0, 6.0])
def test_what_begins_low_is_held_however_stout_posts_may_get(stoutest_mm: float, bench: Bench) -> None:
    tips = bench.with_value("supports.stoutest_post_mm", stoutest_mm).supports
    ball = set_down(trimesh.creation.icosphere(4, 10.0), 3.0)
    found = find_route(np.array([0.0, 0.0, 3.0]), np.array([0.0, 0.0, -1.0]), Clearance(ball, tips), tips, Supports())
    assert found is not None and found.on_plate and found.spot_mm == (0.0, 0.0, 3.0)
