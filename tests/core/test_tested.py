"""A bench that was tested, and what the test says of growth and of the smallest feature."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from scipy.stats import norm

from conftest import as_mesh, as_source, set_down
from wideberth.core.bench import (
    Bench,
    ExposureTest,
    bench_from,
    bench_toml,
    load_bench,
    outline_growth_mm,
    retested,
    save_own,
    smallest_feature_mm,
)
from wideberth.core.bench import tested_bench as kept_on
from wideberth.core.bench import tested_text as said_of
from wideberth.core.drain import Hole
from wideberth.core.handover import save_job
from wideberth.core.hollow import Shell
from wideberth.core.job import Part, job_of, open_job
from wideberth.core.loads.young import grown_tip_mm
from wideberth.core.model import Thickness, wall_flaws
from wideberth.core.predict import Stages, detail_of
from wideberth.core.propose import plugs
from wideberth.core.support import propose_tips

TEST = ExposureTest(
    "November", "Harbour grey, standard", "Quayside 200", 4.0, 24.0, smallest_slot_mm=0.3, smallest_pin_mm=0.25,
    known_width_mm=10.0, measured_width_mm=10.08, plate_exposure_s=2.5, film="Clear film, medium", date="2026-11-20",
)  # fmt: skip


@pytest.fixture(autouse=True)
def own_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))


def test_a_bench_says_what_differs_from_its_test(bench: Bench) -> None:
    assert said_of(bench) == "untested"
    tested = kept_on(bench, TEST)
    assert said_of(tested) == "tested 2026-11-20"
    assert said_of(tested.with_value("print.vat_c", 20.5)) == "untested: 4 °C colder"
    assert said_of(tested.with_value("print.vat_c", 27.0)) == "tested 2026-11-20"
    other = replace(tested, resin=replace(tested.resin, name="Another"), film=replace(tested.film, name="Other"))
    assert said_of(other) == "untested: another resin, another film"


@pytest.mark.parametrize(("exposure_s", "grown"), [(2.5, 0.04), (5.0, 0.04 + 0.05 * np.log(2)), (2.0, 0.04 + 0.05 * np.log(0.8))])
def test_growth_is_that_of_the_test_and_moves_with_the_dose(bench: Bench, exposure_s: float, grown: float) -> None:
    tested = kept_on(bench, TEST).with_value("print.exposure_s", exposure_s)
    assert outline_growth_mm(tested) == pytest.approx(grown)
    assert outline_growth_mm(bench) == 0.0 and smallest_feature_mm(bench) is None
    assert smallest_feature_mm(tested) == 0.3


def test_gaps_and_walls_under_the_test_s_smallest_are_told(bench: Bench) -> None:
    points = np.zeros((100, 3))
    walls, gaps = np.full(100, 5.0), np.full(100, 5.0)
    walls[:10], gaps[50:60] = 0.45, 0.12
    seen = Thickness(points, walls, gaps, 1.0)
    assert [f.kind for f in wall_flaws(seen, detail_of(replace(bench, resin=replace(bench.resin, thinnest_wall_mm=0.4))))] == []
    tested = kept_on(replace(bench, resin=replace(bench.resin, thinnest_wall_mm=0.4)), replace(TEST, smallest_wall_mm=0.6))
    told = {f.kind: f.message for f in wall_flaws(seen, detail_of(tested))}
    assert set(told) == {"thin_walls", "fine_gaps"} and all("your test" in m for m in told.values())
    assert "thinner than 0.52 mm" in told["thin_walls"]  # drawn so, it grows to the 0.6 mm that stood


def test_a_plug_leaves_its_clearance_once_hole_and_plug_have_grown(bench: Bench) -> None:
    ball = as_source(as_mesh(trimesh.creation.icosphere(4, 12)))
    part = Part("Ball", ball, shell=Shell(2.0), holes=(Hole(0, 0, -12, 4.0),))
    plain, grown = (
        plugs(job, job.parts[0].id, Stages())[0][0][1]
        for job in (job_of("Ball", b, (part,)) for b in (bench, kept_on(bench, TEST)))
    )
    wide, narrow = (np.ptp(m.points[:, 0]) for m in (plain, grown))
    assert wide - narrow == pytest.approx(4 * 0.04, abs=0.005)  # on both sides, by the hole's growth and its own


def test_a_test_of_one_s_own_is_found_again_and_nobody_else_s_is_believed(bench: Bench, tmp_path: Path) -> None:
    assert said_of(retested(bench)) == "untested"
    save_own("exposure", "november", TEST)
    save_own("exposure", "older", replace(TEST, name="Older", date="2026-01-01"))
    save_own("exposure", "elsewhere", replace(TEST, name="Elsewhere", printer="Another", date="2027-01-01"))
    found = retested(bench)
    assert found.tested is not None and found.tested.name == "November"
    save_own("exposure", "november", replace(TEST, name="Once more", date="2026-12-01"))  # its file says something else now
    found = retested(bench)
    assert found.tested is not None and found.tested.name == "Once more"
    path = tmp_path / "theirs.toml"
    path.write_text(bench_toml(found), encoding="utf-8")
    assert load_bench(path).tested is None
    path = tmp_path / "own.3mf"
    save_job(job_of("Ball", found, (Part("Ball", as_source(as_mesh(trimesh.creation.icosphere(2, 5)))),)), path, Stages())
    assert open_job(path).bench.tested == found.tested  # a job is judged as it was saved


def test_a_tested_table_that_says_nonsense_is_refused_by_name() -> None:
    from wideberth.core.errors import BadBench

    with pytest.raises(BadBench, match="tested"):
        bench_from({"tested": {"name": "x", "printer": 7}}, "", "odd")


@pytest.mark.parametrize("measured_mm", [9.94, 10.0, 10.08])
def test_a_tip_grows_by_what_a_wide_outline_grew_beyond_its_blur(bench: Bench, measured_mm: float) -> None:
    """The plate's own square comes out as it was measured: its edges by blur, and what the test found beyond that."""
    tested = kept_on(bench, replace(TEST, measured_width_mm=measured_mm, vat_c=25.0))
    ratio = 10 * np.exp(-0.05 / 0.12) / 4
    assert grown_tip_mm(np.array([10.0]), np.array([ratio]), tested)[0] == pytest.approx(measured_mm, abs=1e-4)
    tip, plain = (float(grown_tip_mm(np.array([0.4]), np.array([ratio]), b)[0]) for b in (tested, bench))
    beyond = (measured_mm - 10) + 2 * 0.05 * norm.ppf(1 / ratio)
    assert tip - plain == pytest.approx(beyond, abs=1e-6)
    assert grown_tip_mm(np.array([0.02]), np.array([ratio]), tested)[0] == 0.0  # what does not set does not grow


def test_proposed_tips_are_drawn_smaller_where_outlines_grow(bench: Bench) -> None:
    slab = set_down(trimesh.creation.box((16, 12, 4)), 3.0)
    wide = bench.with_value("supports.smallest_tip_mm", 0.2)
    plain, grown = (
        propose_tips(slab, b).supports for b in (wide, kept_on(wide, replace(TEST, measured_width_mm=10.16, vat_c=25.0)))
    )
    sizes = [np.median([c.diameter_mm for c in s.contacts]) for s in (plain, grown)]
    assert sizes[1] < sizes[0]
