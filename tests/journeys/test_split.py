"""The split step in a real window: a plane led by hand is told live, sets of cuts are taken one for the other, printers are
told."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtWidgets import QLabel, QPushButton
from pytestqt.qtbot import QtBot

from conftest import as_mesh, as_source
from journeys.conftest import quick, settled
from wideberth.core.job import Part, job_of, posed
from wideberth.core.orient import turned
from wideberth.core.propose import clearance_of, pairs_in
from wideberth.desktop.window import MainWindow


@pytest.fixture
def post(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> MainWindow:
    """A window with a post of 12 mm radius and 230 mm, too tall for the printer, at its split step."""
    file = tmp_path / "post.stl"
    trimesh.creation.cylinder(12, 230, sections=64).export(file)
    quick(window)
    window.session.files.open([file])
    window.session.selection.choose_step("split")
    settled(qtbot, window)
    return window


def test_a_plane_led_by_hand_is_told_and_drawn(qtbot: QtBot, post: MainWindow) -> None:
    """At 80 mm: a circle's outline and area; tilted by 30° an ellipse, longer by its axis; the seam lies on the part."""
    step, sight = post.steps["split"], post.session.sight
    step.turn_to("By hand")  # type: ignore[attr-defined]
    leaf = step.leaves["By hand"]  # type: ignore[attr-defined]
    leaf.place.enter(80.0)
    qtbot.waitUntil(lambda: "452 mm²" in leaf.told.text(), timeout=20_000)
    assert "75 mm of seam" in leaf.told.text()
    assert "24 × 24 × 150 mm, fits" in leaf.told.text() and "24 × 24 × 80 mm, fits" in leaf.told.text()
    low = post.session.prediction.solids[0].low[2]  # type: ignore[union-attr]
    assert sight.lines_mm[..., 2] == pytest.approx(np.full(sight.lines_mm.shape[:2], low + 80), abs=0.01)
    leaf.tilt_one.enter(30.0)
    wanted = f"{np.pi * 144 / np.cos(np.radians(30)):.0f} mm²"
    qtbot.waitUntil(lambda: f"joint of {wanted}" in leaf.told.text(), timeout=20_000)
    assert np.ptp(sight.lines_mm[..., 2]) == pytest.approx(24 * np.tan(np.radians(30)), rel=0.01)
    assert "lines" in post.scene.plotter.actors
    step.turn_to("Propose")  # type: ignore[attr-defined]
    assert len(sight.lines_mm) == 0 and "lines" not in post.scene.plotter.actors


def test_a_cut_led_by_hand_steps(qtbot: QtBot, post: MainWindow) -> None:
    """Up by 6 mm beyond the middle: the seam is drawn at both heights, and both pieces have the step."""
    step, session = post.steps["split"], post.session
    step.turn_to("By hand")  # type: ignore[attr-defined]
    leaf = step.leaves["By hand"]  # type: ignore[attr-defined]
    leaf.place.enter(110.0)
    leaf.rise.enter(6.0)
    qtbot.waitUntil(lambda: "24 × 24 × 116 mm, fits" in leaf.told.text(), timeout=20_000)
    low = session.prediction.solids[0].low[2]  # type: ignore[union-attr]
    z = session.sight.lines_mm[..., 2] - low
    assert (z.min(), z.max()) == pytest.approx((110, 116), abs=0.01)
    leaf.cut_button.click()
    settled(qtbot, post)
    assert [p.cuts[0].step.rise_mm for p in session.job.parts] == [6.0, 6.0] or [
        p.cuts[0].step.rise_mm for p in session.job.parts
    ] == [-6.0, -6.0]
    heights = sorted(float(session.stages.cut(p).extents_mm[2]) for p in session.job.parts)
    assert heights[0] == pytest.approx(116, abs=6.0) and leaf.rise.value == 0


def test_sets_of_cuts_are_taken_one_for_the_other(qtbot: QtBot, post: MainWindow) -> None:
    """The best is taken at once, its pieces side by side on the plate and pictured; another is one click and one undo."""
    session, leaf = post.session, post.steps["split"].leaves["Propose"]  # type: ignore[attr-defined]
    leaf._propose()
    settled(qtbot, post, current=True)
    made = session.proposing.made["split"]
    assert session.job is made.best.job and len(session.job.parts) == 2
    a, b = session.prediction.solids  # type: ignore[union-attr]
    assert max(a.low[0] - b.high[0], b.low[0] - a.high[0], a.low[1] - b.high[1], b.low[1] - a.high[1]) > 0
    pictures = [p for p in leaf.findChildren(QLabel) if not p.pixmap().isNull()]
    assert len(pictures) == sum(len(c.job.parts) for c in made.candidates)
    buttons = [b for b in leaf.findChildren(QPushButton) if b.text() in ("Taken", "Take this one")]
    assert [b.isEnabled() for b in buttons] == [False] + [True] * (len(made.candidates) - 1)
    if len(buttons) > 1:
        buttons[1].click()
        assert session.job is made.candidates[1].job
        session.document.undo()
    assert session.job is made.best.job


def test_pieces_are_drawn_apart_and_stand_on_the_plate_again(qtbot: QtBot, post: MainWindow) -> None:
    """Apart they lie 0.44 of the whole's length farther from each other; nothing of the plate's prints is seen meanwhile."""
    session, step, scene = post.session, post.steps["split"], post.scene
    step.turn_to("Joints")  # type: ignore[attr-defined]
    leaf = step.leaves["Joints"]  # type: ignore[attr-defined]
    assert not leaf.apart.isEnabled() and "No part was cut" in leaf.lines.text()
    step.leaves["Propose"]._propose()  # type: ignore[attr-defined]
    settled(qtbot, post, current=True)
    assert leaf.apart.isEnabled() and leaf.lines.text().startswith("1. ")
    leaf.apart.click()
    qtbot.waitUntil(lambda: scene.apart.box_mm is not None, timeout=20_000)
    assert [text for _, text in scene.overlay.labels] == [p.name for p in session.job.parts]
    drawn = [np.asarray(scene.plotter.actors[f"piece {n}"].mapper.dataset.points) for n in range(2)]
    whole = np.linalg.norm(np.ptp(np.concatenate([scene.wardrobe.piece(p).points for p in session.job.parts]), axis=0))
    own = [scene.wardrobe.piece(p).points for p in session.job.parts]
    assert np.ptp(np.concatenate(drawn)[:, 2]) - np.ptp(np.concatenate(own)[:, 2]) == pytest.approx(0.44 * whole, rel=0.01)
    assert scene.overlay.bare and not any(a.GetVisibility() for a in scene.part_actors)
    leaf.back.click()
    settled(qtbot, post)
    assert scene.apart.box_mm is None and not scene.overlay.bare and all(a.GetVisibility() for a in scene.part_actors)


def test_printers_are_told_the_bench_s_first(qtbot: QtBot, post: MainWindow) -> None:
    step = post.steps["split"]
    step.turn_to("Printers")  # type: ignore[attr-defined]
    text = step.leaves["Printers"].text  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: "Drydock" in text.text(), timeout=20_000)
    lines = text.text().split("\n\n")
    assert lines[0].startswith(post.session.job.bench.printer.name)
    assert "as it stands" in next(line for line in lines if "Drydock" in line)
    assert "pieces" in next(line for line in lines if "Dinghy" in line)


def test_a_peg_and_its_bore_are_picked_and_told(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> None:
    """A pin of 4.00 mm and a block with a bore of 4.10, both upright: 0.05 mm on each side, push-fit; for glue wider by 0.05."""
    pin = trimesh.creation.cylinder(2.0, 10, sections=128)
    bored = trimesh.boolean.difference(
        [trimesh.creation.box((12, 12, 8)), trimesh.creation.cylinder(2.05, 20, sections=128)], engine="manifold"
    )
    files = []
    for name, mesh in (("pin", pin), ("block", bored)):
        mesh.export(tmp_path / f"{name}.stl")
        files.append(tmp_path / f"{name}.stl")
    quick(window)
    window.session.files.open(files)
    window.session.selection.choose_step("split")
    settled(qtbot, window, current=True)
    step = window.steps["split"]
    step.turn_to("Fits")  # type: ignore[attr-defined]
    leaf = step.leaves["Fits"]  # type: ignore[attr-defined]
    next(b for b in leaf.findChildren(QPushButton)).click()
    assert window.session.sight.tool is leaf.pairing
    solids = {s.placed.name: s for s in window.session.prediction.solids}  # type: ignore[union-attr]
    for name, radius in (("block", 2.05), ("pin", 2.0)):
        solid = solids[name]
        middle = 0.5 * (solid.box_mm[0] + solid.box_mm[1])
        leaf.pairing.clicked(solid.placed.part.id, middle + (radius, 0.0, 0.0))
    text = leaf.text.text()
    assert "peg of 4.00 mm, upright" in text and "bore of 4.10 mm, upright" in text
    assert "+0.05 mm on each side" in text and ": push-fit" in text
    assert "To be glued: widen the bore by 0.05 mm" in text
    part = solids["pin"].placed.part
    window.session.document.change("lean the pin", window.session.job.with_part(posed(part, turned(part.pose, 0, 30.0))))
    settled(qtbot, window, current=True)
    assert "peg of 4.00 mm, leaning 30°" in leaf.text.text()
    window.session.document.begin(window.session.job)
    assert not leaf.pairing.found and not leaf.text.text()


def test_pairs_are_found_and_the_bore_is_made_to_fit(qtbot: QtBot, window: MainWindow) -> None:
    """A peg of 5.1 mm jams in a bore of 5 mm; one press drills it so that it is as the joint is to be, and undo takes it back."""
    peg = trimesh.creation.cylinder(2.55, 14, sections=64).apply_translation([0, 0, 8])
    peg = trimesh.boolean.union([trimesh.creation.box((14, 14, 6)), peg], engine="manifold")
    socket = trimesh.boolean.difference(
        [trimesh.creation.box((16, 16, 10)), trimesh.creation.cylinder(2.5, 30, sections=64)], engine="manifold"
    )
    session, step = window.session, window.steps["split"]
    parts = tuple(Part(name, as_source(as_mesh(solid))) for name, solid in (("Bollard", peg), ("Quay", socket)))
    session.document.begin(job_of("Quay kit", session.job.bench, parts, [(-15.0, 0.0), (15.0, 0.0)]))
    session.selection.choose_step("split")
    quick(window)
    settled(qtbot, window)
    step.turn_to("Fits")  # type: ignore[attr-defined]
    leaf = step.leaves["Fits"]  # type: ignore[attr-defined]
    leaf._find()
    qtbot.waitUntil(lambda: leaf.pairs.count() == 1, timeout=20_000)
    assert leaf.pairs.itemText(0).startswith("jams: Bollard 5.10 in Quay 5.00") and "Widen" in leaf.make.text()
    leaf.keep.click()
    assert [[mark.kind for mark in part.marks] for part in session.job.parts] == [["mating"], ["mating"]]
    settled(qtbot, window)
    before = session.job
    leaf.make.click()
    settled(qtbot, window)
    (pair,) = pairs_in(session.job, session.stages)
    assert pair.told.mean_mm == pytest.approx(clearance_of(step.joint, session.job.bench.house), abs=1e-3)  # type: ignore[attr-defined]
    assert "Undo: widen a bore" in window.status.undo.text() and not leaf.make.isVisible()
    session.document.undo()
    assert session.job.parts == before.parts
