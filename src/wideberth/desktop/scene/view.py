"""The 3D view: the plate, the parts as calm light solids, supports, holes, and the cutting plane at the cursor."""

from __future__ import annotations

import numpy as np
import pyvista as pv
from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget
from vtkmodules.util.numpy_support import vtk_to_numpy

from wideberth.core.predict import PrintSolids
from wideberth.desktop.scene import looks
from wideberth.desktop.scene.apart import APART, Apart
from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.scene.eye import VIEWS, Eye
from wideberth.desktop.scene.frame import ChartFrame
from wideberth.desktop.scene.ground import Ground
from wideberth.desktop.scene.inner import CHAMBERS, POSES, SEEN_THROUGH, Inner
from wideberth.desktop.scene.marks import Marks
from wideberth.desktop.scene.overlay import Overlay
from wideberth.desktop.scene.pointing import Pointing
from wideberth.desktop.scene.shapes import line_set, poly, run_smooth, some_of
from wideberth.desktop.scene.wardrobe import Wardrobe
from wideberth.desktop.session import Session
from wideberth.desktop.style import DAY

SEEN_FROM_ABOVE = 0.35

REFIT_SHARE = 0.2
OUTLINE_POINTS = 400
"""Of each solid, looked at where the view is fitted."""
RESHAPED_MS, STILL_MS, HINT_MS, ALONG_MS = 15, 180, 50, 100
"""Until a view of another shape is pictured, so that the views beside it are painted first; until one that stands still is drawn
finely; between paintings of what a tool in hand says, which moves with the pointer; and where these are left to go along with
the log, which tells what is held."""
SHOWN = {"margins": "soundings: margins of tips", "sag": "soundings: sag of undersides", "cups": "cups, filled",
         CHAMBERS: "chambers, cut open", **POSES, APART: "pieces, drawn apart", "nothing": "no soundings"}  # fmt: skip
CUP_COLOURS = {"vented": DAY.deep, "sealed": DAY.hazard}


class SceneView(QWidget):
    """The plate in 3D. Drag turns, middle drag moves, wheel zooms; a click while a hole is wanted drills there."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.drawn: tuple[PrintSolids, ...] = ()
        self.part_actors: list[pv.Actor] = []
        self._contour_actors: list[pv.Actor] = []
        self._support_actors: list[pv.Actor] = []
        self._names: list[str] = []
        self._hanging = False
        self._framed: np.ndarray | None = None
        self._fitted_from: np.ndarray | None = None
        """Where the camera stood when the view was fitted; it may have been turned since."""
        frame = ChartFrame()
        inner = QVBoxLayout(frame)
        inner.setContentsMargins(0, 0, 0, 0)
        self.plotter = Chart()
        self.plotter.set_background(DAY.water)
        self.eye = Eye(self.plotter)
        self.overlay = Overlay(session, self.eye.project_deep, self.eye.on_plate)
        inner.addWidget(self.overlay)
        self.wardrobe = Wardrobe(session.stages)
        session.predicting.preparing.append(self.wardrobe.prepare)
        self.inner, self.marks = Inner(self.plotter, self.wardrobe), Marks(self.plotter, self.wardrobe)
        self.apart, self.ground = Apart(self.plotter, self.wardrobe), Ground(self.plotter)
        self.shows = QComboBox(self.overlay)
        self.shows.setAccessibleName("what the view shows on the part")
        for name, text in SHOWN.items():
            self.shows.addItem(text, name)
        self.shows.setStyleSheet("font-style: italic; padding: 0 4px; min-height: 18px;")
        self.shows.move(8, 8)
        self.shows.adjustSize()
        self.shows.currentIndexChanged.connect(self._show_other)
        self.pointing = Pointing(self)
        self.overlay.reshaped.connect(self._reshape)
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.setInterval(STILL_MS)
        self._still.timeout.connect(self._picture_all)
        bar = QHBoxLayout()
        bar.setContentsMargins(0, 0, 0, 0)
        bar.setSpacing(3)
        for name in VIEWS:
            self._button(bar, name, lambda _=False, n=name: self.look(n))
        self._button(bar, "Fit", self.fit)
        bar.addStretch(1)
        self.hang = self._button(bar, "Hang", self._turn_over)
        self.hang.setCheckable(True)
        self.hang.setToolTip("show the plate above, as it hangs in the printer")
        self.posts = self._button(bar, "Posts", self._show_supports)
        self.posts.setCheckable(True)
        self.posts.setChecked(True)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addLayout(bar)
        box.addWidget(frame, 1)
        self.setMinimumSize(340, 220)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self._picture)
        self._reshaped = QTimer(self)
        self._reshaped.setSingleShot(True)
        self._reshaped.setInterval(RESHAPED_MS)
        self._reshaped.timeout.connect(self._picture)
        self.plotter.stale.connect(self._later.start)
        session.predicting.predicted.connect(self.refresh)
        session.cursor.moved.connect(self._move_plane)
        session.sight.tool_changed.connect(self._show_tool)
        self._hinting = QTimer(self)
        self._hinting.setSingleShot(True)
        self._hinting.timeout.connect(self._show_hint)
        session.sight.tool_moved.connect(self._hint_soon)
        session.predicting.glanced.connect(self._hint_along)
        session.sight.show_wanted.connect(self.show_on_part)
        session.sight.places_changed.connect(self._show_places)
        session.sight.lines_changed.connect(self._show_lines)
        session.sight.coloured.connect(self._show_colours)
        session.document.changed.connect(self._draw_plate)
        session.selection.part_chosen.connect(self._follow_part)
        self._draw_plate()
        self.look("Corner")
        looks.rehearse(self.plotter)

    def _button(self, bar: QHBoxLayout, name: str, act) -> QPushButton:  # type: ignore[no-untyped-def]
        button = QPushButton(name)
        button.setProperty("role", "quiet")
        button.setStyleSheet("padding: 2px 2px; min-height: 16px;")
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(act)
        bar.addWidget(button)
        return button

    # drawing

    def _draw_plate(self) -> None:
        if self.ground.show(self.session.job.bench.printer):
            self._later.start()

    def refresh(self) -> None:
        """Draw the solids of the prediction at hand; those already drawn stay."""
        p = self.session.prediction
        solids = p.solids if p is not None else ()
        if len(solids) != len(self.drawn) or not all(a.stands_as(b) for a, b in zip(solids, self.drawn, strict=True)):
            was_whole = self._is_whole
            for name in self._names:
                self.plotter.remove_actor(name, render=False)
            self._names, self.part_actors, self._contour_actors, self._support_actors = [], [], [], []
            for number, solid in enumerate(solids):
                self._draw_part(number, solid, len(solids))
            self.plotter.spared = tuple(self._contour_actors)
            self.drawn = solids
            self._fit_if_grown(was_whole)
        self.marks.show(solids)
        self._show_supports()
        self._draw_inner()
        self._show_combo()
        self._later.start()

    def _show_colours(self) -> None:
        """A part in colours, or calm again."""
        self._show_combo()
        colours = self.session.sight.colours
        self.plotter.remove_actor("colours", render=False)
        for actor in self.part_actors:
            actor.SetVisibility(True)
        if colours is not None and self.session.job.has(colours.part):
            surface = poly(colours.mesh)
            surface[looks.VALUE] = np.minimum(colours.values, colours.top).astype(np.float32)
            look = {"scalars": looks.VALUE, "clim": (0.0, colours.top), **looks.COLOURS}
            self.plotter.add_mesh(surface, name="colours", reset_camera=False, render=False, **look)
            own = [n for n, s in enumerate(self.drawn) if s.placed.part.id == colours.part]
            for first in own[:1]:
                self.part_actors[first].SetVisibility(False)
        self._later.start()

    def _show_lines(self) -> None:
        """Lines on the parts: those behind them are hidden by them."""
        lines = self.session.sight.lines_mm
        self.plotter.remove_actor("lines", render=False)
        if len(lines):
            looks.add_over(self.plotter, line_set(lines), "lines")
        self._later.start()

    def _show_places(self) -> None:
        """Turn to the first of the places that were asked for, so that it is not behind the part."""
        places = self.session.sight.places_mm
        if len(places):
            centre = np.array(self._centre())
            away = (places[0] - centre)[:2]
            if np.linalg.norm(away) > 1e-3:
                x, y = away / np.linalg.norm(away)
                rise = -SEEN_FROM_ABOVE if self._hanging else SEEN_FROM_ABOVE  # never from under the plate
                self.plotter.view_vector((x, y, rise), viewup=(0, 0, -1 if self._hanging else 1))
                self.fit()
        self.overlay.update()

    def _fit_if_grown(self, was_whole: bool) -> None:
        """Fit the view when what stands on the plate is new, or of quite another size or place than when it was fitted; or when
        it was whole and is cut off now."""
        if not self.drawn:
            self._framed = None
            return
        low = np.min([s.low for s in self.drawn], axis=0)
        high = np.max([s.high for s in self.drawn], axis=0)
        box = np.concatenate((low, high))
        size = float(np.linalg.norm(high - low))
        moved = self._framed is None or np.abs(box - self._framed).max() > REFIT_SHARE * size
        if moved or (was_whole and not self._is_whole):
            self._framed = box
            self.fit()

    def _add(self, name: str, mesh: pv.PolyData, **look) -> pv.Actor:  # type: ignore[no-untyped-def]
        self._names.append(name)
        return self.plotter.add_mesh(mesh, name=name, reset_camera=False, render=False, **look)

    def _draw_part(self, number: int, solid: PrintSolids, total: int) -> None:
        dress = self.wardrobe.dress(solid, total)
        actor = self._add(f"part {number}", dress.surface, **looks.PART)
        run_smooth(actor)
        self.part_actors.append(actor)
        if dress.lines is not None:
            self._contour_actors.append(self._add(f"contours {number}", dress.lines, **looks.CONTOURS))
        if dress.supports is not None:
            actor = self._add(f"supports {number}", dress.supports, **looks.POSTS)
            run_smooth(actor)
            self._support_actors.append(actor)
        for bore in solid.bores:
            centre = np.asarray(bore.entry_mm) - 0.08 * np.asarray(bore.along)
            disc = pv.Disc(center=centre, inner=0, outer=bore.radius_mm, normal=bore.along, c_res=36)
            self._add(f"hole {number} {bore.number}", disc, **looks.BORES)

    def _show_combo(self) -> None:
        """The choice of soundings, where nothing else is written there."""
        free = self.session.prediction is not None and not self.overlay.hint and self.session.sight.colours is None
        self.shows.setVisible(free)

    def _move_plane(self, _z_mm: float) -> None:
        """The cutting plane is painted over the picture of the scene, so scrubbing never waits for a render."""
        self.overlay.scrub()

    def _picture(self) -> None:
        """Show the scene as it is now: lightly while a hand turns it, and in full once it stands."""
        if self.plotter.is_turned and self.overlay.isVisible():
            self.overlay.hold(*self.plotter.picture(lightly=True))
            self._still.start()
        else:
            self._picture_all()

    def _picture_all(self) -> None:
        if not self.overlay.isVisible():
            return  # it tells when it is seen
        if self.overlay.outgrown:
            self._refit()
        self._later.stop()
        self._reshaped.stop()
        if self.overlay.outgrown or not self.plotter.is_fresh:
            self.overlay.hold(*self.plotter.picture())
        self.overlay.update()

    # what is shown on the part

    def show_on_part(self, name: str) -> None:
        """Show one of `SHOWN` on the parts or in them, by its name."""
        self.shows.setCurrentIndex(list(SHOWN).index(name))

    def _show_other(self) -> None:
        shown, p = self.shows.currentData(), self.session.prediction
        self.wardrobe.shown = shown
        self.overlay.soundings = shown
        if p is not None and shown in ("cups", APART, *POSES):  # what takes long is made ready beside
            self.session.tasks.beside(lambda _: self.wardrobe.prepare(p), lambda _: self._draw_inner())
        else:
            self._draw_inner()
        self.overlay.update()

    def _draw_inner(self) -> None:
        """What lies inside: cups, chambers or liquid, in parts that are seen through or cut open; or parts as usual."""
        p, shown = self.session.prediction, self.shows.currentData()
        self._draw_cups()
        self.inner.clear()
        if p is not None and shown in (CHAMBERS, *POSES):
            self.inner.show(shown, p, self.part_actors + self._contour_actors)
        self.overlay.labels, self.overlay.told = self.inner.labels, self.inner.told
        self._draw_apart()
        through = (shown == "cups" and p is not None and not p.fineness.light) or (shown in POSES and bool(self.inner.labels))
        for actor in self.part_actors:
            actor.GetProperty().SetOpacity(SEEN_THROUGH if through else 1.0)
        self._show_supports()

    def _draw_apart(self) -> None:
        """Pieces apart, in the place of what stands on the plate."""
        was = self.apart.box_mm is not None
        self.apart.clear()
        if self.shows.currentData() == APART and self.session.has_parts:
            self.apart.show(self.session.job, self.session.selection.part)
            self.overlay.labels, self.overlay.told = self.apart.labels, self.apart.told
        stand_aside = self.apart.box_mm is not None
        for name in self._names:
            if name in self.plotter.actors:  # there are none any more once the view is closed
                self.plotter.actors[name].SetVisibility(not stand_aside)
        self.marks.hide(stand_aside)
        self.overlay.bare = stand_aside
        if was != stand_aside:
            self.fit()

    def _draw_cups(self) -> None:
        """The voids of cups as filled bodies."""
        p = self.session.prediction
        wanted = self.shows.currentData() == "cups" and p is not None and not p.fineness.light
        for name in CUP_COLOURS:
            self.plotter.remove_actor(f"cups {name}", render=False)
        if wanted and p is not None:
            for name, body in self.wardrobe.cups(p).items():
                if body is not None:
                    look = {"color": CUP_COLOURS[name], **looks.CUPS}
                    run_smooth(self.plotter.add_mesh(body, name=f"cups {name}", reset_camera=False, render=False, **look))
        self._later.start()

    def _follow_part(self, _part: str) -> None:
        if self.apart.box_mm is not None:
            self._draw_inner()

    def _show_supports(self) -> None:
        tool = self.session.sight.tool
        faint = (tool is not None and tool.sees_through) or self.shows.currentData() in (CHAMBERS, *POSES)
        for actor in self._support_actors:
            actor.GetProperty().SetOpacity(0.15 if faint else 1.0)
            actor.SetVisibility(self.posts.isChecked() and self.apart.box_mm is None)
        self._later.start()

    # looking

    def look(self, name: str) -> None:
        """One of the standard views."""
        self.plotter.camera.focal_point = self._centre()
        level = abs(VIEWS[name][2]) > 0.9 and VIEWS[name][0] == 0  # from straight above or below: the plate's back is up
        up = (0, 1, 0) if level else (0, 0, -1 if self._hanging else 1)
        self.plotter.view_vector(VIEWS[name], viewup=up)
        if self.shows.currentData() == CHAMBERS:
            self._draw_inner()  # the half that is cut away is the one towards the eye
        self.fit()

    def _centre(self) -> tuple[float, float, float]:
        p = self.session.prediction
        if self.apart.box_mm is not None:
            x, y, z = self.apart.box_mm.mean(axis=0)
            return (float(x), float(y), float(z))
        if p is None:
            return (0.0, 0.0, 20.0)
        x, y, z = 0.5 * (np.min([s.low for s in p.solids], axis=0) + np.max([s.high for s in p.solids], axis=0))
        return (float(x), float(y), float(z))

    def fit(self) -> None:
        """Show all parts and some of the plate around them."""
        p = self.session.prediction
        if self.apart.box_mm is not None:
            (x0, y0, z0), (x1, y1, z1) = self.apart.box_mm.tolist()
            bounds: tuple[float, ...] = (x0, x1, y0, y1, z0, z1)
        elif p is None:
            printer = self.session.job.bench.printer
            x, y = printer.plate_x_mm, printer.plate_y_mm
            bounds = (-x / 2, x / 2, -y / 2, y / 2, 0, 40)
        else:
            low = np.min([s.low for s in p.solids], axis=0) - 3
            high = np.max([s.high for s in p.solids], axis=0) + 3
            bounds = (low[0], high[0], low[1], high[1], min(low[2], 0.0), high[2])
        self.plotter.reset_camera(bounds=bounds, render=False)
        self.eye.fit(self._outline(bounds))
        self._fitted_from = np.array(self.plotter.camera.position)
        self._later.start()

    def _outline(self, bounds: tuple[float, ...]) -> np.ndarray:
        """Points (n, 3) that tell how far what is drawn reaches; the corners of some bounds where nothing is."""
        drawn = [vtk_to_numpy(a.mapper.dataset.GetPoints().GetData()) for a in self.part_actors + self._support_actors]
        if not drawn or self.apart.box_mm is not None:
            return np.array([(x, y, z) for x in bounds[:2] for y in bounds[2:4] for z in bounds[4:]])
        return np.concatenate([some_of(points, OUTLINE_POINTS) for points in drawn])

    @property
    def _is_whole(self) -> bool:
        """Whether all parts are drawn, and none is cut off by the view's border."""
        return bool(self.part_actors) and self.apart.box_mm is None and self.eye.holds(self._outline(()))

    def _reshape(self) -> None:
        """The view has another shape: the scene is pictured anew once all borders are where they go."""
        self.plotter.resize(self.overlay.size())
        self._reshaped.start()

    def _refit(self) -> None:
        """What was fitted to the old shape is fitted to the new one."""
        if self._fitted_from is not None and np.allclose(self._fitted_from, self.plotter.camera.position):
            self.fit()

    def _turn_over(self) -> None:
        self._hanging = self.hang.isChecked()
        x, y, z = self.plotter.camera.direction
        self.plotter.view_vector((-x, -y, z if self._hanging else -z), viewup=(0, 0, -1 if self._hanging else 1))
        self.fit()

    def project(self, point: tuple[float, float, float]) -> QPointF | None:
        """Where a point of the plate appears in the view, or None behind the eye."""
        return self.eye.project(point)

    # the tool in hand

    def _show_tool(self) -> None:
        tool = self.session.sight.tool
        self.overlay.setCursor(Qt.CursorShape.ArrowCursor if tool is None else Qt.CursorShape.CrossCursor)
        self._show_supports()
        self._show_hint()

    def _hint_soon(self) -> None:
        if not self._hinting.isActive():
            self._hinting.start(HINT_MS if self.session.predicting.glance is None else ALONG_MS)

    def _hint_along(self) -> None:
        """What waits to be said is said when the log is drawn anew: both take one painting of the window."""
        if self._hinting.isActive():
            self._hinting.stop()
            self._show_hint()

    def _show_hint(self) -> None:
        tool = self.session.sight.tool
        self.overlay.hint = "" if tool is None else tool.hint
        self._show_combo()
        self.overlay.update()

    def closeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        self.plotter.close()
        super().closeEvent(event)
