"""Sizes of tips by load, from three, or all alike; and how deep they reach."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import set_down, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.support import Need, NeedKind, Supports, propose_tips
from wideberth.core.support.bearing import Trial
from wideberth.core.support.route import Route
from wideberth.core.support.sizes import MARGIN_RESERVE, contact_depth_mm, fitting_mm, needed_mm, steadying_mm


def with_sizes(bench: Bench, sizes: str) -> Bench:
    return bench.with_value("supports.sizes", sizes)


@pytest.mark.prove
@pytest.mark.parametrize("lean", [30.0, *further([8.0])])
def test_each_size_is_the_next_that_holds(lean: float, bench: Bench) -> None:
    """On the same loads: by load the least step of 0.025 mm, of three the next one up, of one size the thickest for all."""
    mesh = set_down(turned(trimesh.creation.box((28, 18, 9)), lean, (1, 0.4, 0)), 5.0)
    supports = propose_tips(mesh, bench).supports
    borne = Trial(mesh, bench).borne(supports)
    needed = needed_mm(borne.tip_load_n, borne.tips, bench)
    low, high = bench.supports.smallest_tip_mm, bench.supports.largest_tip_mm
    by_load = fitting_mm(borne.tip_load_n, borne.tips, bench)
    assert ((by_load >= np.minimum(needed, high) - 1e-9) & (by_load <= np.clip(needed + 0.025, low, high) + 1e-9)).all()
    three = fitting_mm(borne.tip_load_n, borne.tips, with_sizes(bench, "light, medium, heavy"))
    assert set(np.round(three, 6)) <= {0.3, 0.5, 0.8}
    expected = [0.3 if n <= 0.3 else 0.5 if n <= 0.5 else 0.8 for n in needed]
    assert three == pytest.approx(np.array(expected))
    first = fitting_mm(borne.tip_load_n, borne.tips, with_sizes(bench, "heavy first"))
    z = np.array([c.z_mm for c in supports.contacts])
    assert first == pytest.approx(np.where(z <= z.min() + 2.0, 0.8, np.array(expected)))
    assert (first != np.array(expected)).any()
    alike = fitting_mm(borne.tip_load_n, borne.tips, with_sizes(bench, "one size"))
    assert alike == pytest.approx(np.full(len(alike), by_load.max()))


@pytest.mark.parametrize("sizes", ["heavy first", *further(["light, medium, heavy", "one size"])])
def test_proposals_keep_to_the_house_s_sizes_and_still_hold(sizes: str, bench: Bench) -> None:
    mesh, house = set_down(turned(trimesh.creation.box((26, 16, 8)), 20, (1, 0.3, 0)), 5.0), with_sizes(bench, sizes)
    supports = propose_tips(mesh, house).supports
    used = {round(c.diameter_mm, 3) for c in supports.contacts}
    assert used <= {0.3, 0.5, 0.8} if sizes != "one size" else len(used) == 1
    hold = Trial(mesh, house).borne(supports).hold_margin
    assert np.nanmin(hold) >= 0.95 * house.supports.wanted_margin


def test_thick_tips_reach_deeper_but_not_into_relief(bench: Bench) -> None:
    """From the usual depth at the thinnest to the deepest at the thickest, evenly; in relief the usual."""
    s = bench.supports
    assert contact_depth_mm(s.smallest_tip_mm, False, s) == s.contact_depth_mm == 0.2
    assert contact_depth_mm(s.largest_tip_mm, False, s) == s.deepest_contact_mm == 0.4
    assert contact_depth_mm(0.55, False, s) == pytest.approx(0.3)
    assert contact_depth_mm(s.largest_tip_mm, True, s) == s.contact_depth_mm
    assert contact_depth_mm(0.5, False, replace(s, deepest_contact_mm=0.1)) == s.contact_depth_mm  # never shallower than usual


@pytest.mark.prove
def test_proposed_contacts_are_as_deep_as_their_size_says(bench: Bench) -> None:
    mesh = set_down(turned(trimesh.creation.box((26, 16, 8)), 20, (1, 0.3, 0)), 5.0)
    for c in propose_tips(mesh, bench).supports.contacts:
        assert c.depth_mm == contact_depth_mm(c.diameter_mm, False, bench.supports)


@pytest.mark.parametrize("off_mm", [0.6, 1.5, 3.0])
@pytest.mark.parametrize("drawn_mm", [0.3, 0.5])
def test_a_tip_that_something_hangs_on_unsteadily_is_told_the_size_that_holds_it(
    off_mm: float, drawn_mm: float, bench: Bench
) -> None:
    """A slab on one tip beside its middle: with the size that is told it hangs steadily with the usual reserve, and is told no
    other then; by the cube of what is printed."""
    mesh = set_down(trimesh.creation.box((9, 7, 1.2)), 5.0)
    trial = Trial(mesh, bench)

    def on(diameter_mm: float) -> Supports:
        route = Route((off_mm, 0.0, 5.0), (off_mm, 0.0, 3.5), (off_mm, 0.0, 3.5), (off_mm, 0.0, 0.0))
        return Supports().with_route(route, diameter_mm, Need(NeedKind.BY_HAND))

    borne = trial.borne(on(drawn_mm))
    size = float(steadying_mm(borne.unsteady, borne.unsteady_tip, borne.tips, bench)[0])
    assert borne.unsteady.max() > 1.0 and size > drawn_mm
    then = trial.borne(on(size))
    assert 0.9 < then.unsteady.max() * MARGIN_RESERVE < 1.001  # a thicker one sets a little harder too
    k = int(borne.unsteady.argmax())
    stronger = then.tips.stiff[k, 0] / borne.tips.stiff[k, 0]
    by_cube = (then.tips.printed_mm[0] / borne.tips.printed_mm[0]) ** 3
    assert borne.unsteady[k] / then.unsteady[k] == pytest.approx(by_cube * stronger, rel=1e-3)
    assert not steadying_mm(then.unsteady, then.unsteady_tip, then.tips, bench).any()


@pytest.mark.prove
def test_what_is_needed_for_steadiness_is_one_of_the_house_s_sizes_too(bench: Bench) -> None:
    mesh = set_down(turned(trimesh.creation.box((26, 16, 8)), 20, (1, 0.3, 0)), 5.0)
    borne = Trial(mesh, bench).borne(propose_tips(mesh, bench).supports)
    least = np.linspace(0.2, 0.9, len(borne.tips.drawn_mm))
    for sizes in ("by load", "light, medium, heavy", "one size"):
        house = with_sizes(bench, sizes)
        plain, more = (fitting_mm(borne.tip_load_n, borne.tips, house, least_mm) for least_mm in (0.0, least))
        assert (more >= np.minimum(np.maximum(plain, least), 0.8) - 1e-9).all()
        if sizes == "light, medium, heavy":
            assert set(np.round(more, 6)) <= {0.3, 0.5, 0.8}
