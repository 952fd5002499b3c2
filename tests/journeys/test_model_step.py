"""The model step in a real window: health, repair, size, measure, kits, units."""

from __future__ import annotations

import zipfile
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from reference.broken import ALL
from wideberth.core.model import Mesh, binary_stl
from wideberth.desktop.steps.model.health import FlawLine
from wideberth.desktop.window import MainWindow


@pytest.fixture(autouse=True)
def own_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


def opened(window: MainWindow, qtbot: QtBot, path: Path) -> None:
    quick(window)
    window.session.selection.choose_step("model")
    window.session.files.open([path])
    settled(qtbot, window, current=True)


def press(qtbot: QtBot, window: MainWindow, text: str) -> None:
    step = window.steps["model"]
    found = next(b for b in step.findChildren(QPushButton) if b.text() == text and b.isVisible())
    qtbot.mouseClick(found, Qt.MouseButton.LeftButton)


@pytest.fixture
def block_file(tmp_path: Path) -> Path:
    block = trimesh.boolean.difference(
        [trimesh.creation.box((30, 20, 10)), trimesh.creation.cylinder(3, 40, sections=96)], engine="manifold"
    )
    block.export(tmp_path / "block.stl")
    return tmp_path / "block.stl"


def test_a_hole_is_found_shown_mended_and_taken_back(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    path = tmp_path / "bowl.stl"
    path.write_bytes(binary_stl(ALL["ball with a curved hole"]().mesh))
    opened(window, qtbot, path)
    session, health = window.session, window.steps["model"].health  # type: ignore[attr-defined]
    lines = health.findChildren(FlawLine)
    assert [line.accessibleName() for line in lines] == ["52 open edges: the surface has holes."]
    qtbot.mouseClick(lines[0], Qt.MouseButton.LeftButton)
    marks = session.sight.places_mm
    assert len(marks) and (marks[:, 2] > 25).all()  # round the hole at the top
    press(qtbot, window, "Mend it")
    settled(qtbot, window, current=True)
    assert [m.kind for m in session.job.parts[0].mends] == ["weld", "orient", "fill"]
    assert window.steps["model"].examiner.present.health.solid  # type: ignore[union-attr]
    assert "along the surface's curve" in health.done.text() and "mL" in health.done.text()
    press(qtbot, window, "As it came")
    settled(qtbot, window)
    assert session.job.parts[0].mends == ()
    session.document.undo()
    assert len(session.job.parts[0].mends) == 3


def test_walls_are_coloured_by_their_thickness(window: MainWindow, qtbot: QtBot, block_file: Path) -> None:
    opened(window, qtbot, block_file)
    press(qtbot, window, "Colour the walls")
    qtbot.waitUntil(lambda: window.session.sight.colours is not None, timeout=30000)
    colours = window.session.sight.colours
    assert colours is not None
    assert 9.9 < float(np.nanmedian(colours.values)) < 31
    window.session.selection.choose_step("orient")
    assert window.session.sight.colours is None


def test_measuring_by_clicks_and_bringing_a_part_to_size(window: MainWindow, qtbot: QtBot, block_file: Path) -> None:
    opened(window, qtbot, block_file)
    session, scene = window.session, window.scene
    press(qtbot, window, "Measure")
    press(qtbot, window, "Distance")
    scene.look("Above")
    qtbot.wait(50)
    solid = session.prediction.solids[0].outer  # type: ignore[union-attr]
    corners = [solid.points[np.argmax(solid.points @ d)] for d in (np.array([-1.0, -1, 0.5]), np.array([1.0, -1, 0.5]))]
    for corner in corners:
        seen = scene.project(tuple(float(v) for v in corner))
        inward = QPoint(round(seen.x() + (2 if corner[0] < 0 else -2)), round(seen.y() - 2))
        qtbot.mouseClick(scene.overlay, Qt.MouseButton.LeftButton, pos=inward)
    result = window.steps["model"].measuring.result
    assert result is not None and result.value == pytest.approx(30.0, abs=0.01)  # corners are caught
    window.steps["model"].measure.should.enter(45.0)  # type: ignore[attr-defined]
    assert session.job.parts[0].scale == pytest.approx(1.5, rel=1e-3)
    settled(qtbot, window)


def test_bore_angle_and_wall(window: MainWindow, qtbot: QtBot, block_file: Path) -> None:
    opened(window, qtbot, block_file)
    session, measuring = window.session, window.steps["model"].measuring
    press(qtbot, window, "Measure")
    solid = window.session.prediction.solids[0].outer  # type: ignore[union-attr]
    middle = 0.5 * (solid.low + solid.high)
    press(qtbot, window, "Bore")
    measuring.clicked(session.selection.part, middle + [3.0, 0, 0])
    assert "hole of 6.0" in window.steps["model"].measure.result.text()  # type: ignore[attr-defined]
    press(qtbot, window, "Wall")
    measuring.clicked(session.selection.part, middle + [8.0, 3.0, 5.0])
    assert measuring.result.value == pytest.approx(10.0)  # type: ignore[union-attr]
    press(qtbot, window, "Angle")
    measuring.clicked(session.selection.part, middle + [8.0, 3.0, 5.0])
    measuring.clicked(session.selection.part, middle + [15.0, 3.0, 1.0])
    assert measuring.result.value == pytest.approx(90.0)  # type: ignore[union-attr]
    press(qtbot, window, "Bore")
    measuring.clicked(session.selection.part, middle + [8.0, 3.0, 5.0])
    assert measuring.result is None  # no bore there: said, and nothing is shown


def test_every_way_to_a_size(window: MainWindow, qtbot: QtBot, block_file: Path) -> None:
    opened(window, qtbot, block_file)
    session, size = window.session, window.steps["model"].size  # type: ignore[attr-defined]
    press(qtbot, window, "Size")

    def extents() -> list[float]:
        return [float(v) for v in session.stages.scaled(session.job.parts[0]).extents_mm]

    size.sides[0].enter(60.0)
    assert extents() == pytest.approx([60, 40, 20])
    size.keep.setChecked(False)
    size.sides[1].enter(10.0)
    assert extents() == pytest.approx([60, 10, 20])
    press(qtbot, window, "Mirror")
    assert session.job.parts[0].mirrored and extents() == pytest.approx([60, 10, 20])
    size.was.enter(12.0)
    size.wanted.enter(8.0)
    press(qtbot, window, "Bring to that scale")
    assert extents() == pytest.approx([90, 15, 30])
    for _ in range(4):
        session.document.undo()
    assert extents() == pytest.approx([30, 20, 10])


def test_a_model_in_inches_is_asked_about_once(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    folder = tmp_path / "inches"
    folder.mkdir()
    for name in ("one", "two"):
        trimesh.creation.box((2, 1, 1)).export(folder / f"{name}.stl")
    opened(window, qtbot, folder / "one.stl")
    session = window.session
    assert window.steps["model"].unit_question.guess is not None
    press(qtbot, window, "inches: 51 mm")
    settled(qtbot, window)
    assert session.job.parts[0].scale == pytest.approx(25.4)
    session.files.open([folder / "two.stl"])
    settled(qtbot, window, current=True)
    assert window.steps["model"].unit_question.guess is None
    assert session.job.parts[1].scale == pytest.approx(25.4)


def test_a_zip_becomes_a_kit_with_twins_and_one_scale(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "kit.zip", "w") as package:
        for name, size in (("arm", (20, 6, 6)), ("post", (8, 8, 25))):
            package.writestr(f"{name}.stl", trimesh.creation.box(size).export(file_type="stl"))
    opened(window, qtbot, tmp_path / "kit.zip")
    session, kit = window.session, window.steps["model"].kit  # type: ignore[attr-defined]
    assert [p.name for p in session.job.parts] == ["arm", "post"]
    press(qtbot, window, "Kit")
    session.selection.choose_part(session.job.parts[0].id)
    press(qtbot, window, "Add its mirror twin")
    settled(qtbot, window, current=True)
    assert session.job.parts[0].side == "right" and session.job.placements_of(session.selection.part)[1].mirrored
    assert len(session.prediction.solids) == 3  # type: ignore[union-attr]
    kit.count.enter(4)
    settled(qtbot, window)
    assert len(session.job.placed()) == 5
    qtbot.mouseClick(kit.linked, Qt.MouseButton.LeftButton, pos=QPoint(8, 8))
    assert session.job.linked
    window.steps["model"].scale.enter(0.5)  # type: ignore[attr-defined]
    settled(qtbot, window, current=True)
    assert [p.scale for p in session.job.parts] == [0.5, 0.5]


def test_a_click_on_a_mirrored_copy_drills_the_part_itself(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    wedge = trimesh.creation.box(bounds=[[0, 0, 0], [20, 10, 6]])
    wedge.vertices[wedge.vertices[:, 0] > 19, 1] *= 0.4
    path = tmp_path / "wedge.stl"
    wedge.export(path)
    opened(window, qtbot, path)
    session, scene = window.session, window.scene
    press(qtbot, window, "Kit")
    press(qtbot, window, "Add its mirror twin")
    settled(qtbot, window, current=True)
    twin = session.prediction.solids[1].outer  # type: ignore[union-attr]
    scene.look("Above")
    qtbot.wait(50)
    spot = np.array([twin.low[0] + 3.0, twin.low[1] + 1.0, twin.high[2]])
    seen = scene.project(tuple(float(v) for v in spot))
    window.steps["drain"].driller.start()
    qtbot.mouseClick(scene.overlay, Qt.MouseButton.LeftButton, pos=QPoint(round(seen.x()), round(seen.y())))
    window.steps["drain"].driller.stop()
    settled(qtbot, window, current=True)
    own, copy = (s.bores[0].entry_mm for s in session.prediction.solids)  # type: ignore[union-attr]
    assert copy[:2] == pytest.approx(tuple(spot[:2]), abs=0.3)
    places = session.job.placements_of(session.selection.part)
    assert own[0] - places[0].x_mm == pytest.approx(-(copy[0] - places[1].x_mm))
    assert own[1] - places[0].y_mm == pytest.approx(copy[1] - places[1].y_mm)


def test_a_broken_file_is_told_and_nothing_is_lost(window: MainWindow, qtbot: QtBot, block_file: Path, tmp_path: Path) -> None:
    opened(window, qtbot, block_file)
    told: list[str] = []
    window.session.messages.warned.disconnect(window.show_error)
    window.session.messages.warned.connect(told.append)
    before = window.session.job
    bad = tmp_path / "bad.stl"
    bad.write_bytes(block_file.read_bytes()[:500])
    window.session.files.open([bad])
    settled(qtbot, window)
    assert "cut short" in told[0] and window.session.job is before


def test_an_open_mesh_is_predicted_on_a_copy_and_it_is_said_so(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    sieve = ALL["torn sieve"]().mesh
    path = tmp_path / "sieve.stl"
    path.write_bytes(binary_stl(Mesh(sieve.points, sieve.faces)))
    opened(window, qtbot, path)
    findings = window.session.prediction.verdict.findings  # type: ignore[union-attr]
    (told,) = (f for f in findings if f.code == "sound_copy")
    assert "open edges closed" in told.message
