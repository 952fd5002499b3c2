"""Hollowing a part, weighing it, placing and moving holes, looking into its chambers and making plugs, in the real window."""

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from journeys.conftest import quick, settled
from journeys.test_window import press
from wideberth.core.hollow import STRUTS
from wideberth.desktop.steps.drain import DrainStep
from wideberth.desktop.steps.hollow import HollowStep
from wideberth.desktop.window import MainWindow


def opened(window: MainWindow, qtbot: QtBot, egg_file: Path) -> tuple[HollowStep, DrainStep]:
    """The egg in the window, hollowed."""
    quick(window)
    window.session.files.open([egg_file])
    settled(qtbot, window)
    press(qtbot, window, "hollow", "Hollow it")
    settled(qtbot, window, closer=True)
    hollow, drain = window.steps["hollow"], window.steps["drain"]
    assert isinstance(hollow, HollowStep)
    assert isinstance(drain, DrainStep)
    return hollow, drain


def test_shell_is_measured_filled_with_struts_and_thickened_where_clicked(
    window: MainWindow, qtbot: QtBot, egg_file: Path
) -> None:
    session = window.session
    hollow, _ = opened(window, qtbot, egg_file)
    assert "1 chamber: " in hollow.shell.told.text()
    assert "Wall measured: 2.0" in hollow.shell.told.text()
    assert session.job.parts[0].shell.passage_mm == 1.5  # type: ignore[union-attr]
    hollow.shell.inside.setCurrentIndex(hollow.shell.inside.findData(STRUTS))
    hollow.shell.inside.activated.emit(hollow.shell.inside.currentIndex())
    settled(qtbot, window, current=True)
    bars = session.prediction.solids[0].bars  # type: ignore[union-attr]
    assert bars is not None
    assert bars.share == pytest.approx(0.05, abs=0.01)
    assert "Bars of" in hollow.shell.told.text()
    session.document.undo()
    settled(qtbot, window, current=True)
    hollow.turn_to("Places")
    hollow.places.wall.enter(5.0)
    qtbot.mouseClick(hollow.places.mark, Qt.MouseButton.LeftButton)
    window.scene.look("Front")
    QApplication.processEvents()
    at = window.scene.project((0.0, 0.0, 15.0))
    assert at is not None
    qtbot.mouseClick(window.scene.overlay, Qt.MouseButton.LeftButton, pos=at.toPoint())
    (place,) = session.job.parts[0].shell.thicker  # type: ignore[union-attr]
    assert place.wall_mm == 5.0
    settled(qtbot, window, current=True)
    chamber = session.prediction.solids[0].chambers[0].points  # type: ignore[union-attr]
    front = chamber[(np.abs(chamber[:, 0]) < 2) & (np.abs(chamber[:, 2] - 15) < 2)]
    assert front[:, 1].min() == pytest.approx(-6, abs=0.4)
    assert front[:, 1].max() == pytest.approx(9, abs=0.4)


def test_round_bottom_cannot_be_left_open_and_says_so(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session, told = window.session, []
    hollow, _ = opened(window, qtbot, egg_file)
    session.messages.warned.connect(told.append)
    before = session.job
    hollow.shell.floor.setCurrentIndex(hollow.shell.floor.findData("open"))
    hollow.shell.floor.activated.emit(2)
    assert session.job is before
    assert "No flat face" in told[0]
    assert hollow.shell.floor.currentData() == "closed"
    session.cursor.move_to(10.0)
    hollow.shell.floor.setCurrentIndex(hollow.shell.floor.findData("solid"))
    hollow.shell.floor.activated.emit(1)
    settled(qtbot, window, current=True)
    assert session.prediction.solids[0].chambers[0].low[2] == pytest.approx(10, abs=0.05)  # type: ignore[union-attr]


@pytest.mark.prove
def test_three_ways_are_weighed_side_by_side_and_one_is_taken(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session = window.session
    hollow, _ = opened(window, qtbot, egg_file)
    hollow.turn_to("Does it pay?")
    press(qtbot, window, "hollow", "Work it out")
    qtbot.waitUntil(lambda: hollow.pays.proposal is not None, timeout=60_000)
    ways = {c.name: c for c in hollow.pays.proposal.candidates}
    lattice = ways["shell with lattice"]
    resin, gives = ({n: c.measure(m).value for n, c in ways.items()} for m in ("resin", "wall gives"))
    assert resin["solid"] > resin["shell with lattice"] > resin["shell"]
    assert gives["shell"] > gives["shell with lattice"] > 0
    assert "Not worth it" in hollow.pays.told.text()  # the egg holds 7 mL in all
    hollow.pays.take(lattice)
    assert session.job.parts[0].shell.lattice is not None  # type: ignore[union-attr]
    assert session.job.parts[0].holes == lattice.job.parts[0].holes
    settled(qtbot, window, current=True)


def test_hover_tells_before_the_click_and_a_hole_is_moved_reshaped_and_plugged(
    window: MainWindow, qtbot: QtBot, egg_file: Path, tmp_path: Path
) -> None:
    session = window.session
    _, drain = opened(window, qtbot, egg_file)
    window.scene.look("Front")
    QApplication.processEvents()
    press(qtbot, window, "drain", "Place in the 3D view")
    view, at = window.scene.overlay, window.scene.project((0.0, 0.0, 9.0))
    assert at is not None

    def hover(spot: QPointF) -> None:
        event = QMouseEvent(
            QEvent.Type.MouseMove,
            spot,
            view.mapToGlobal(spot),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier,
        )
        QApplication.sendEvent(view, event)

    hover(at)
    qtbot.waitUntil(lambda: window.steps["drain"].driller.seen is not None, timeout=20_000)
    seen = window.steps["drain"].driller.seen
    assert seen is not None
    assert seen.works
    assert "into chamber 1" in seen.words
    assert session.job.parts[0].holes == ()  # nothing is drilled yet
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at.toPoint())
    settled(qtbot, window, current=True)
    hover(at)
    qtbot.waitUntil(
        lambda: window.steps["drain"].driller.seen is not None and not window.steps["drain"].driller.seen.works, timeout=20_000
    )
    assert "runs into hole 1" in window.steps["drain"].driller.seen.words  # type: ignore[union-attr]
    window.steps["drain"].driller.stop()
    drain.holes.list.setCurrentRow(0)
    drain.holes.diameter.enter(3.0)
    drain.holes.outline.setCurrentIndex(drain.holes.outline.findData("oval"))
    drain.holes.outline.activated.emit(2)
    (hole,) = session.job.parts[0].holes
    assert (hole.diameter_mm, hole.outline) == (3.0, "oval")
    settled(qtbot, window, current=True)
    drain.holes.list.setCurrentRow(0)
    assert "relieves from" in drain.holes.told.text()
    press(qtbot, window, "drain", "Move")
    higher = window.scene.project((0.0, 0.0, 16.0))
    assert higher is not None
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=higher.toPoint())
    settled(qtbot, window, current=True)
    (moved,) = session.job.parts[0].holes
    assert (moved.diameter_mm, moved.outline) == (3.0, "oval")
    assert moved.z_mm > hole.z_mm + 4
    drain.turn_to("Plugs")
    drain.plugs.export_to(tmp_path)
    settled(qtbot, window, current=True)
    assert (tmp_path / "egg plug 1.stl").stat().st_size > 1000
    press(qtbot, window, "drain", "Print them on this plate")
    settled(qtbot, window, current=True)
    assert [p.name for p in session.job.parts] == ["egg", "egg, plug 1"]


@pytest.mark.prove
def test_chambers_are_listed_cut_open_and_their_liquid_shown(window: MainWindow, qtbot: QtBot, egg_file: Path) -> None:
    session = window.session
    _, drain = opened(window, qtbot, egg_file)
    press(qtbot, window, "drain", "Propose holes")
    settled(qtbot, window, current=True)
    assert "Suction" in session.proposing.why("drain", session.selection.present)
    qtbot.waitUntil(lambda: session.prediction is not None and session.prediction.looked_closer, timeout=60_000)
    drain.turn_to("Chambers")
    assert drain.chambers.list.count() == 1
    assert "2 holes" in drain.chambers.list.item(0).text()
    assert "Light reaches" in drain.chambers.summary.text()
    assert window.scene.shows.currentData() == "chambers"
    settled(qtbot, window)  # they are made ready beside
    assert [text.split(" · ")[0] for _, text in window.scene.overlay.labels] == ["1"]
    press(qtbot, window, "drain", drain.chambers.poses["hanging"].text())
    assert window.scene.shows.currentData() == "hanging"
    settled(qtbot, window)
    assert "mL stay" in window.scene.overlay.labels[0][1]
    found = session.prediction.drainage_of(session.selection.part)  # type: ignore[union-attr]
    assert found is not None
    assert found.best.stays_ml < 0.2 < found.hanging.stays_ml
