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
        (trimesh.creation.annulus(18, 20, 1, sections=360), RING, 0.05),
    ],
    ids=["disc", "square", "ellipse 2:1", "ring of 2 mm"],
)
def test_squeeze_of_exact_shapes(solid: trimesh.Trimesh, exact: float, within: float, turn: float) -> None:
    s = printed_of(set_down(turned(solid, turn, (0, 0, 1)))).part_sections
    assert squeeze_of(s, 5) == pytest.approx(exact, rel=within)


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
    assert solved < 30


def test_posts_take_saint_venants_rule_within_two_percent() -> None:
    s = printed_of(set_down(trimesh.creation.cylinder(0.6, 2, sections=64)), pitch=0.02).part_sections
    values, solved = squeeze_integrals(s)
    assert solved == 0
    assert values[3] == pytest.approx(np.pi * 0.6**4 / 8, rel=0.02)


def test_adding_material_never_lowers_the_squeeze() -> None:
    small = printed_of(as_mesh(moved(trimesh.creation.box((10, 10, 1)), 0, 0, 0.5))).part_sections
    larger = printed_of(as_mesh(moved(trimesh.creation.box((14, 10, 1)), 2, 0, 0.5))).part_sections
    assert squeeze_of(larger, 3) > squeeze_of(small, 3)
