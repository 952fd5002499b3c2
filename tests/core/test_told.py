"""What is told: why a figure is what it is, solid against hollow, plugs as files, the layers as a table, the test plate."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, set_down
from wideberth.core.bench import Bench, facts_of
from wideberth.core.drain import Hole
from wideberth.core.handover import layer_table, write_layer_table
from wideberth.core.hollow import Shell
from wideberth.core.job import Part, job_of
from wideberth.core.layers import cast, grid_over
from wideberth.core.model import KNOWN_WIDTH_MM, calibration_plate
from wideberth.core.orient import Pose
from wideberth.core.predict import Prediction, Stages, fine, predict
from wideberth.core.propose import State, export_plugs, propose_shell, propose_support
from wideberth.core.verdict import FIGURES, Chain, source_text, why

X, Y, Z = 24.0, 16.0, 6.0


@pytest.fixture(scope="module")
def away(bench: Bench) -> Bench:
    """A bench away from the defaults, on which no term of a formula vanishes."""
    for key, value in {
        "print.layer_height_mm": 0.1,
        "resin.viscosity_pa_s": 0.41,
        "print.lift_mm_per_min": 33.0,
        "print.vat_c": 21.0,
        "print.wait_lifted_s": 0.7,
        "print.wait_after_s": 0.4,
        "resin.price_per_litre": 52.0,
    }.items():
        bench = bench.with_value(key, value)
    return bench


@pytest.fixture(scope="module")
def block(away: Bench) -> Prediction:
    """A block that stands on the plate."""
    part = Part("Block", as_source(set_down(trimesh.creation.box((X, Y, Z)))))
    return predict(job_of("Block", away, (part,)), Stages(), fine())


@pytest.fixture(scope="module")
def held(away: Bench) -> Prediction:
    """A block aloft on its proposed tips."""
    part = Part("Block", as_source(as_mesh(trimesh.creation.box((X, Y, Z)))), pose=Pose(gap_mm=5.0))
    stages = Stages()
    return predict(propose_support(job_of("Block", away, (part,)), ONE, stages).job, stages, fine())


def chain(p: Prediction, figure: str) -> Chain:
    return why(figure, p.printed, p.loads, p.job.bench, p.verdict)


def newtons(c: Chain) -> dict[str, float]:
    """Results in newtons, by what they are of."""
    return {link.what: float(link.result.split()[0]) for link in c.links if link.result.endswith(" N")}


def test_the_pull_s_chain_adds_up_to_the_pull(block: Prediction, away: Bench) -> None:
    """Line adhesion γ P and the viscous pull of a rectangle, by the first layers' bond; the two are the pull."""
    told, laws = newtons(chain(block, "pull")), away.laws
    layer = int(block.loads.own_pull_n.argmax())
    bond = min(1 + laws.exposure_gain * np.log(away.print.first_exposure_s / away.print.exposure_s), laws.exposure_factor_limit)
    assert layer < away.print.first_layers
    assert told["Line adhesion of the layer"] == pytest.approx(
        away.film.line_adhesion_n_per_mm * 2 * (X + Y) * bond, rel=0.01, abs=0.06
    )
    assert told["Line adhesion of the layer"] + told["Viscous pull of the layer"] == pytest.approx(told["Pull"], abs=0.11)
    assert told["Pull"] == pytest.approx(block.verdict.pull_n, abs=0.051)


def test_the_hold_s_chain_ends_in_the_margin_of_the_tip_that_decides(held: Prediction, away: Bench) -> None:
    c = chain(held, "hold")
    tip = held.verdict.tips[held.verdict.weakest_tip]  # type: ignore[index]
    told = newtons(c)
    assert told["What it can hold"] == pytest.approx(tip.strength_mpa * np.pi * tip.printed_mm**2 / 4, abs=0.006)
    assert told["This tip's share"] == pytest.approx(tip.worst_load_n, abs=0.006)
    (margin,) = (link.result for link in c.links if link.what == "Margin")
    assert float(margin.removeprefix("×")) == pytest.approx(tip.margin, abs=0.006)
    assert c.title == f"Tip {held.verdict.weakest_tip + 1} decides, at layer {tip.worst_layer + 1}"  # type: ignore[operator]
    share = next(link.terms for link in c.links if link.what == "This tip's share")
    assert sum(int(p) for p in re.findall(r"(\d+)%", share)) == pytest.approx(100, abs=2)


def test_time_resin_and_price_add_up(block: Prediction, away: Bench) -> None:
    p, t = away.print, block.verdict.totals
    waits = next(link for link in chain(block, "time").links if link.what == "Waits")
    assert waits.terms == f"{p.wait_before_s + 0.4 + 0.7:g} s a layer"
    millilitres = {link.what: float(link.result.split()[0]) for link in chain(block, "resin").links}
    assert millilitres["Part"] == pytest.approx(X * Y * Z / 1000, abs=0.06)
    assert sum(millilitres.values()) == pytest.approx(t.resin_ml, abs=0.16)
    assert t.price == pytest.approx(t.resin_ml / 1000 * 52.0)
    assert f"{t.price:.2f}" in chain(block, "price").links[0].result


def test_every_figure_has_a_chain_whose_keys_are_on_the_bench(block: Prediction, held: Prediction, away: Bench) -> None:
    known = {value.key for value in away.values()}
    for prediction in (block, held):
        for figure in FIGURES:
            c = chain(prediction, figure)
            assert c.title
            assert {key for link in c.links for key in link.keys} <= known
    assert source_text(away, "print.lift_mm_per_min").startswith("slow lift, speed 33 mm/min · ")


@pytest.mark.prove
def test_solid_and_hollow_stand_side_by_side_with_what_each_takes(bench: Bench) -> None:
    """A box of 40 x 30 x 30 mm with walls of 2 mm: 36 mL, and 36 - 36·26·26/1000 mL less holes and rounded corners."""
    dense = bench.with_value("resin.solid_density_kg_per_m3", 1300.0).with_value("print.layer_height_mm", 0.2)
    part = Part("Box", as_source(as_mesh(trimesh.creation.box((40, 30, 30)))), shell=Shell(2.0), pose=Pose(gap_mm=5.0))
    stages = Stages()
    proposal = propose_shell(job_of("Box", dense, (part,)), ONE, stages)
    ways = {c.name: c for c in proposal.candidates}
    assert [c.name for c in proposal.candidates] == ["shell", "solid", "shell with lattice"]  # the best comes first
    weight, resin, gives = ({n: c.measure(m).value for n, c in ways.items()} for m in ("weight", "resin", "wall gives"))  # type: ignore[union-attr]
    assert weight["solid"] == pytest.approx(36 * 1.3, rel=0.01)
    assert weight["shell"] == pytest.approx((36 - 36 * 26 * 26 / 1000) * 1.3, rel=0.06)
    assert weight["shell"] < weight["shell with lattice"] < weight["solid"]
    assert proposal.why.startswith("It pays") and f"{resin['solid'] - resin['shell']:.1f} mL" in proposal.why
    assert not proposal.needed and proposal.now == ways["shell"].measures  # it is a shell already
    assert gives["solid"] == 0 < gives["shell with lattice"] < gives["shell"]
    made = {name: way.job.part(ONE) for name, way in ways.items()}
    assert made["solid"].shell is None and made["shell"].holes and made["shell"].shell == Shell(2.0)
    thrifty = dense.with_value("house.hollow_pays_ml", 100.0)
    other = propose_shell(job_of("Box", thrifty, (part,)), ONE, stages)
    assert other.best.name == "solid" and other.why.startswith("Not worth it") and other.needed


def test_a_wall_that_leaves_no_room_is_said_and_has_no_figures(bench: Bench) -> None:
    """A box of 3 mm with walls of 2 mm has no chamber; a wall beyond what can be made is refused."""
    box = as_source(as_mesh(trimesh.creation.box((3, 3, 3))))
    proposal = propose_shell(job_of("Box", bench, (Part("Box", box, shell=Shell(2.0), pose=Pose(gap_mm=5.0)),)), ONE, Stages())
    shell = next(c for c in proposal.candidates if c.name == "shell")
    assert proposal.best.name == "solid"
    assert "no chamber" in shell.why or (shell.state is State.REFUSED and not shell.measures)


@pytest.mark.prove
def test_plugs_are_written_one_a_hole_each_a_closed_solid(bench: Bench, tmp_path: Path) -> None:
    """Two holes of 4 and 3 mm in a wall of 2 mm: files named after part and hole, as large as the holes less their clearance."""
    ball = as_source(as_mesh(trimesh.creation.icosphere(5, 20)))
    part = Part("Ball/1", ball, shell=Shell(2.0), holes=(Hole(0, 0, -20, 4.0), Hole(0, 20, 0, 3.0)))
    tight = bench.with_value("house.plug_clearance_mm", 0.15)
    paths, notes = export_plugs(job_of("Job", tight, (part,)), ONE, Stages(), tmp_path)
    assert [p.name for p in paths] == ["Ball-1 plug 1.stl", "Ball-1 plug 2.stl"] and notes == []
    for path, diameter in zip(paths, (4.0, 3.0), strict=True):
        plug = trimesh.load_mesh(path)
        assert plug.is_watertight
        assert plug.volume == pytest.approx(np.pi * (diameter / 2 - 0.15) ** 2 * 2.0, rel=0.06)


def test_the_table_has_a_line_a_layer_with_the_predicted_values(held: Prediction, tmp_path: Path) -> None:
    rows = list(csv.DictReader(io.StringIO(layer_table(held))))
    loads = held.loads
    assert len(rows) == loads.layers and rows[0]["layer"] == "1"
    area = np.array([float(r["area_mm2"]) for r in rows])
    assert area.sum() * held.layer_mm / 1000 == pytest.approx(
        held.verdict.totals.part_ml + held.verdict.totals.support_ml, rel=1e-4
    )
    assert float(rows[-1]["time_h"]) == pytest.approx(held.verdict.totals.seconds / 3600, rel=1e-4)
    empty = [r["hold_margin"] == "" for r in rows]
    assert empty == np.isnan(loads.hold_margin).tolist() and any(empty) and not all(empty)
    assert min(float(r["hold_margin"]) for r in rows if r["hold_margin"]) == pytest.approx(held.verdict.hold_margin, rel=1e-4)
    write_layer_table(held, tmp_path / "part.csv", 2.0, 3.0)
    some = list(csv.DictReader((tmp_path / "part.csv").open()))
    assert [float(r["z_mm"]) for r in some] == pytest.approx(np.arange(2.05, 3.0, 0.1))


def test_the_test_plate_has_the_widths_that_it_says() -> None:
    """Rows cast through its slots, walls and pins, and the square of known width at the back."""
    plate = calibration_plate()
    assert plate.watertight and plate.extents_mm[:2] == pytest.approx([62, 42])
    grid = grid_over(plate.low, plate.high, 0.02, 0.1)
    runs = cast(plate.points, plate.faces, grid)

    def row(y_mm: float, z_mm: float) -> np.ndarray:
        """Ends of the solid stretches on a line along x, (n, 2)."""
        ray = int(grid.layer_of(z_mm)) * grid.rows + int(grid.row_of(y_mm))
        own = slice(runs.offsets[ray], runs.offsets[ray + 1])
        return np.stack([runs.x0[own], runs.x1[own]], axis=1)

    widths = [0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4, 0.5, 0.7, 1.0]
    walls = row(-21 + 23, 2.5)
    assert walls[:, 1] - walls[:, 0] == pytest.approx(widths, abs=1e-6)
    slots = row(-21 + 15.5, 2.5).reshape(-1, 4)  # two sides of each slot
    assert slots[:, 2] - slots[:, 1] == pytest.approx(widths, abs=1e-6)
    pins = row(-21 + 28, 2.5)
    assert pins[:, 1] - pins[:, 0] == pytest.approx(widths, rel=0.03, abs=0.01)
    square = row(-21 + 36, 3.0)
    assert square[0, 1] - square[0, 0] == pytest.approx(KNOWN_WIDTH_MM)
    steps = [len(row(-21 + 6, 1.2 + 0.1 * k + 0.05)) for k in range(10)]
    assert steps == list(range(10, 0, -1))


def test_every_bench_value_that_moves_a_verdict_has_words(held: Prediction) -> None:
    """The hold's chain and the panel look them up by key."""
    known = {v.key for v in held.job.bench.values()}
    for influence in held.loads.ranges.influences:
        section, _, name = influence.key.partition(".")
        assert influence.key in known and name in {f.key for f in facts_of(section)}
