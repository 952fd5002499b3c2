"""`wide-berth check` and `propose`, run as a user runs them."""

import io
import json
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest.mock import patch

import numpy as np
import pytest
import trimesh
from typer.testing import CliRunner

from conftest import tube_with_floor
from reference.further import further
from wideberth.cli.main import app, main
from wideberth.core.bench import load_bench
from wideberth.core.hollow import Shell, hollow_out
from wideberth.core.model import read_model
from wideberth.core.split import space_of, stands_in
from wideberth.demo import MESHES, mesh_path


def run(*words: object) -> subprocess.CompletedProcess[str]:
    """The program with these words, in this process: what it prints, and the status it ends with."""
    out, err = io.StringIO(), io.StringIO()
    status: object = 0
    with redirect_stdout(out), redirect_stderr(err), patch.object(sys, "argv", ["wide-berth", *map(str, words)]):
        try:
            main()
        except SystemExit as end:
            status = end.code
    return subprocess.CompletedProcess(words, int(status or 0), out.getvalue(), err.getvalue())  # type: ignore[call-overload]


def run_apart(*words: object) -> subprocess.CompletedProcess[str]:
    """The same in a process of its own."""
    program = "from wideberth.cli.main import main; main()"
    return subprocess.run([sys.executable, "-c", program, *map(str, words)], capture_output=True, text=True, timeout=300)


@pytest.fixture(scope="module")
def vase(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("models") / "vase.stl"
    tube_with_floor().export(path)
    return path


def test_check_writes_the_documented_report(vase: Path, tmp_path: Path) -> None:
    done = run_apart("check", vase, "--hole", "17,0,6,2", "--json", tmp_path / "r.json", "--pitch", "0.2")
    assert done.returncode == 0, done.stderr
    found = json.loads((tmp_path / "r.json").read_text())
    assert found["model"]["extents_mm"] == pytest.approx([34, 34, 30], abs=0.1)
    assert found["layers"]["count"] == 600
    assert [c["state"] for c in found["cups"]] == ["sealed", "vented", "vented"]
    sealed, opened, vented = found["cups"]
    assert sealed["z_from_mm"] == pytest.approx(2.0, abs=0.06)
    assert (opened["z_from_mm"], opened["z_to_mm"]) == (pytest.approx(5, abs=0.11), pytest.approx(7, abs=0.11))
    assert vented["vents"] == 1
    assert vented["peak_suction_n"] == pytest.approx(0.40, abs=0.02)
    assert sealed["max_area_mm2"] == pytest.approx(np.pi * 225, rel=0.01)
    assert found["layers"]["hold_margin"] == [None] * 600


def test_json_without_a_file_is_all_that_is_printed_wherever_it_stands(tmp_path: Path) -> None:
    box = tmp_path / "box.stl"
    trimesh.creation.box((8, 6, 4)).export(box)
    run("check", box, "--json", tmp_path / "r.json")
    wanted = json.loads((tmp_path / "r.json").read_text())
    for words in (
        ("check", box, "--json"),
        ("check", "--json", "--pitch", "0.1", box),
        ("check", box, "--json", "--set", "print.vat_c=25"),
    ):
        done = run(*words)
        found = json.loads(done.stdout)
        assert done.returncode == 0 and found["layers"]["count"] == 80
        assert found["model"] == wanted["model"]
    refused = run("check", box, "--json", "--set", "print.vat_c=-300")
    assert refused.returncode == 2 and not refused.stdout and "greater than" in refused.stderr


def test_check_turns_about_x_then_y_then_z_and_sets_down(tmp_path: Path) -> None:
    path = tmp_path / "box.stl"
    trimesh.creation.box((10, 20, 30)).export(path)
    run("check", path, "--rotate", "90", "0", "90", "--gap", "2", "--json", tmp_path / "r.json", "--pitch", "0.4")
    found = json.loads((tmp_path / "r.json").read_text())
    # y and z change places under 90° about x, then x and y under 90° about z
    assert found["model"]["extents_mm"] == pytest.approx([30, 10, 20], abs=1e-3)
    assert found["layers"]["area_mm2"][:39] == [0] * 39
    assert found["islands"][0]["supported"] is False
    assert {"island", "nothing_holds"} <= {f["code"] for f in found["findings"]}


@pytest.mark.prove
def test_check_with_tips_hollow_and_bench(tmp_path: Path) -> None:
    path, bench = tmp_path / "ball.stl", tmp_path / "bench.toml"
    trimesh.creation.icosphere(4, 10).export(path)
    bench.write_text("[resin]\nviscosity_pa_s = 0.4\nreference_c = 25\n")
    done = run(
        "check",
        path,
        "--tips",
        "propose",
        "--hollow",
        "2",
        "--scale",
        "1.2",
        "--bench",
        bench,
        "--layer-height",
        "0.1",
        "--pitch",
        "0.2",
        "--json",
        tmp_path / "r.json",
    )
    assert done.returncode == 0, done.stderr
    found = json.loads((tmp_path / "r.json").read_text())
    assert found["layers"]["height_mm"] == 0.1
    assert found["bench"]["resin.viscosity_pa_s"] == {"value": 0.4, "unit": "Pa·s", "source": str(bench)}
    assert found["traps"][0]["volume_ml"] == pytest.approx(4 / 3 * np.pi * 1.0**3, rel=0.02)
    assert found["tips"]
    first = next(k for k, a in enumerate(found["layers"]["hold_margin"]) if a is not None)
    assert first * 0.1 == pytest.approx(3.0, abs=0.3)


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["check", "gone.stl"], "cannot be opened"),
        (["check", "VASE", "--hole", "1,2,3"], "X,Y,Z,DIAMETER"),
        (["check", "VASE", "--hole", "90,0,0,2"], "--hole 90,0,0,2: lies"),
        (["check", "VASE", "--pitch", "0"], "pitch"),
        (["check", "VASE", "--scale", "0"], "scale"),
        (["check", "VASE", "--scale", "1000"], "another unit"),
        (["check", "VASE", "--layer-height", "3"], "layer_height_mm"),
        (["check", "VASE", "--hollow", "-1"], "wall"),
        (["check", "VASE", "--bench", "gone.toml"], "gone.toml"),
        (["check", "VASE", "--json", "/nowhere/r.json"], "cannot be written"),
        (["check", "VASE", "--tips", "many"], "many"),
        (["propose", "VASE", "-o", "/proc/nowhere"], "cannot be made"),
        (["window", "gone.3mf"], "no such file"),
    ],
)
def test_bad_input_ends_with_status_two_and_a_reason(words: list[str], told: str, vase: Path) -> None:
    done = run(*[str(vase) if w == "VASE" else w for w in words])
    assert done.returncode == 2
    assert told in done.stderr
    assert "Traceback" not in done.stderr


def test_open_mesh_goes_through_with_a_finding(tmp_path: Path) -> None:
    box = trimesh.creation.box((24, 24, 24))
    box.faces = box.faces[:-1]
    box.export(tmp_path / "open.stl")
    done = run("check", tmp_path / "open.stl", "--hollow", "2", "--pitch", "0.4", "--json", tmp_path / "r.json")
    assert done.returncode == 0, done.stderr
    found = json.loads((tmp_path / "r.json").read_text())
    assert found["model"]["watertight"] is False
    assert "sound_copy" in {f["code"] for f in found["findings"]}
    assert found["model"]["volume_ml"] == pytest.approx(24**3 / 1000, rel=0.01)


def test_wall_that_leaves_no_chamber_is_said_so(tmp_path: Path) -> None:
    trimesh.creation.icosphere(3, 10).export(tmp_path / "ball.stl")
    run("check", tmp_path / "ball.stl", "--hollow", "40", "--pitch", "0.4", "--json", tmp_path / "r.json")
    assert "no_chamber" in {f["code"] for f in json.loads((tmp_path / "r.json").read_text())["findings"]}


@pytest.mark.parametrize("name", ["egg", *further(["claw"])])
def test_propose_writes_plate_layers_and_report(name: str, tmp_path: Path) -> None:
    """The crab's claw: two chambers, islands, and a pose of its own choosing; or a small egg."""
    egg = trimesh.creation.icosphere(3, 14).apply_scale([1, 1, 1.4])
    egg.export(tmp_path / "egg.stl")
    model = mesh_path(name) if name in MESHES else tmp_path / "egg.stl"
    out, coarse = tmp_path / "out", tmp_path / "coarse.toml"
    coarse.write_text("[print]\nlayer_height_mm = 0.1\nexposure_s = 4.0\n")
    done = run("propose", model, "-o", out, "--no-layers", "--bench", coarse)
    assert done.returncode == 0, done.stderr
    names = {p.name for p in out.iterdir()}
    assert names == {"plate.3mf", "plate.stl", "job.3mf", "report.json", "sheet.html", "sheet.pdf"}
    found = json.loads((out / "report.json").read_text())
    assert not [f for f in found["findings"] if f["severity"] == "lost"]
    assert found["traps"] == []
    assert min(m for m in found["layers"]["hold_margin"] if m is not None) > 1.5
    assert found["totals"]["part_ml"] < 0.6 * found["model"]["volume_ml"]


def test_demo_meshes_are_sound_and_awkward() -> None:
    meshes = {name: read_model(mesh_path(name)).mesh for name in MESHES}
    assert all(m.watertight for m in meshes.values())
    assert all(mesh_path(name).stat().st_size < 4e6 for name in MESHES)
    assert len(hollow_out(meshes["claw"], Shell(2.0)).chambers) == 2
    assert not stands_in(meshes["lighthouse"], space_of(load_bench().printer))
    flat = meshes["name plate"]
    level = flat.normals[:, 2] < -0.999
    assert flat.face_area_mm2[level].sum() > 4000


def test_tips_are_listed_with_what_one_asks_of_them_and_a_clean_side_gets_none(tmp_path: Path) -> None:
    """A slab that hangs 8 mm up on its tips: sized for ×2.5; with its underside clean only what begins there is held."""
    path, out = tmp_path / "slab.stl", tmp_path / "report.json"
    trimesh.creation.box((24, 18, 4)).export(path)
    asked = [str(path), "--tips", "propose", "--rotate", "20", "8", "0", "--gap", "6", "--json", str(out)]
    assert CliRunner().invoke(app, ["check", *asked, "--target", "2.5"]).exit_code == 0
    told = json.loads(out.read_text())
    assert len(told["tips"]) > 3 and all(t["margin"] is None or t["margin"] >= 2.5 for t in told["tips"])
    for tip in told["tips"]:
        assert tip["surface"] in ("flat", "smooth") and tip["marked"] == "" and tip["reason"] in tip["why"]
        assert 0 < tip["printed_mm"] <= tip["diameter_mm"] + 0.1 and tip["load_n"] >= 0
    assert told["finishing_min"] == pytest.approx(sum(m["minutes"] for m in told["marks"]), abs=0.01)
    assert CliRunner().invoke(app, ["check", *asked, "--clean", "bottom:20"]).exit_code == 0
    clean = json.loads(out.read_text())
    assert sum(t["marked"] == "keep clean" for t in clean["tips"]) < len(told["tips"])
    assert {t["reason"] for t in clean["tips"] if t["marked"] == "keep clean"} <= {"island"}
    wrong = CliRunner().invoke(app, ["check", *asked, "--clean", "sideways"])
    assert wrong.exit_code != 0
