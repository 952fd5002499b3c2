"""The squeeze integral against closed forms."""

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, moved, printed_of, set_down, turned
from reference.dense import poisson_integral
from wideberth.core.layers import squeeze_integrals, squeeze_of

DISC = np.pi * 20**4 / 8
SQUARE = 0.035144 * 40**4
ELLIPSE = np.pi * 20**3 * 10**3 / (4 * (20**2 + 10**2))
RING = np.pi / 8 * ((20**4 - 18**4) - (20**2 - 18**2) ** 2 / np.log(20 / 18))


def _ellipse() -> trimesh.Trimesh:
    made = trimesh.creation.cylinder(20, 1, sections=360)
    made.apply_scale([1, 0.5, 1])
    return made


@pytest.mark.parametrize("turn", [0, 17, 45])
@pytest.mark.parametrize(
    ("solid", "exact", "within"),
    [
        (trimesh.creation.cylinder(20, 1, sections=360), DISC, 0.01),
        (trimesh.creation.box((40, 40, 1)), SQUARE, 0.01),
        (_ellipse(), ELLIPSE, 0.01),
        (trimesh.creation.annulus(18, 20, 1, sections=360), RING, 0.02),
    ],
    ids=["disc", "square", "ellipse 2:1", "ring of 2 mm"],
)
def test_squeeze_of_exact_shapes(solid: trimesh.Trimesh, exact: float, within: float, turn: float) -> None:
    s = printed_of(set_down(turned(solid, turn, (0, 0, 1)))).part_sections
    assert squeeze_of(s, 5) == pytest.approx(exact, rel=within)


@pytest.mark.parametrize("turn", [0, 17, 45, 90])
@pytest.mark.parametrize("wall", [0.8, 0.85, 1.2, 2.0, 3.0])
def test_thin_walls_follow_the_strip_law_however_they_lie(wall: float, turn: float) -> None:
    """A strip of 30 mm: L b³/12 (1 - 0.630 b/L), at rows of 0.1 mm, along the rows, across them and aslant."""
    exact = 30 * wall**3 / 12 * (1 - 0.630 * wall / 30)
    strip = turned(trimesh.creation.box((30, wall, 1)), turn, (0, 0, 1))
    s = printed_of(set_down(strip)).part_sections
    assert squeeze_of(s, 5) == pytest.approx(exact, rel=0.03)


@pytest.mark.parametrize("wall", [0.8, 1.0, 2.0])
def test_ring_of_a_thin_wall(wall: float) -> None:
    inner = 20 - wall
    exact = np.pi / 8 * ((20**4 - inner**4) - (20**2 - inner**2) ** 2 / np.log(20 / inner))
    s = printed_of(set_down(trimesh.creation.annulus(inner, 20, 1, sections=720))).part_sections
    assert squeeze_of(s, 5) == pytest.approx(exact, rel=0.03)


@pytest.mark.parametrize("seed", range(6))
def test_interpolated_layers_agree_with_solving_every_layer(seed: int) -> None:
    """Random lumps with bumps and holes: interpolated squeeze integrals stay within 4 % of a solve of that very layer."""
    chance = np.random.default_rng(seed)
    ball = trimesh.creation.icosphere(5, 10.0)
    wave = chance.uniform(0.2, 0.5, 3)
    ball.vertices *= 1 + 0.15 * np.sin(ball.vertices @ np.diag(wave) + chance.uniform(0, 6, 3)).prod(axis=1)[:, None]
    room = moved(trimesh.creation.cylinder(2.5, 30, sections=48), *chance.uniform(-3, 3, 2), 0)
    lump = trimesh.boolean.difference([ball, room], engine="manifold")
    s = printed_of(set_down(lump), layer=0.1).part_sections
    values, solved = squeeze_integrals(s)
    worth = np.flatnonzero(s.area_mm2 > 4.0)
    every = np.array([squeeze_of(s, int(c)) for c in worth])
    assert solved < 0.6 * len(worth)
    assert np.abs(values[worth] / every - 1).max() < 0.05


def test_squeeze_agrees_with_a_direct_solve_on_an_l() -> None:
    """No closed form: a sparse direct solve on nodes 0.1 mm apart, the outline running through nodes."""
    ell = trimesh.util.concatenate(
        [moved(trimesh.creation.box((20, 8, 1)), 10, 4, 0), moved(trimesh.creation.box((8, 20, 1)), 4, 10, 0)]
    )
    s = printed_of(set_down(ell)).part_sections
    mask = np.zeros((202, 202), bool)
    mask[1:80, 1:200] = True
    mask[1:200, 1:80] = True
    assert squeeze_of(s, 5) == pytest.approx(poisson_integral(mask, 0.1), rel=0.03)


def test_interpolated_layers_of_a_cone_stay_exact() -> None:
    """Few layers of a cone are solved; all must follow πR⁴/8."""
    s = printed_of(set_down(trimesh.creation.cone(15, 30, sections=360))).part_sections
    values, solved = squeeze_integrals(s)
    worth = s.area_mm2 > 5
    radius2 = s.area_mm2 / np.pi
    assert values[worth] == pytest.approx((np.pi * radius2**2 / 8)[worth], rel=0.03)
    assert solved < 60


def test_posts_take_saint_venants_rule_within_two_percent() -> None:
    s = printed_of(set_down(trimesh.creation.cylinder(0.6, 2, sections=64)), pitch=0.02).part_sections
    values, solved = squeeze_integrals(s)
    assert solved == 0
    assert values[3] == pytest.approx(np.pi * 0.6**4 / 8, rel=0.02)


def test_adding_material_never_lowers_the_squeeze() -> None:
    small = printed_of(as_mesh(moved(trimesh.creation.box((10, 10, 1)), 0, 0, 0.5))).part_sections
    larger = printed_of(as_mesh(moved(trimesh.creation.box((14, 10, 1)), 2, 0, 0.5))).part_sections
    assert squeeze_of(larger, 3) > squeeze_of(small, 3)
