"""What the pointer does in the 3D view: it chooses parts, or works the tool in hand."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QEvent, QObject, QPointF, Qt, QTimer
from PySide6.QtGui import QMouseEvent, QWheelEvent
from vtkmodules.vtkRenderingCore import vtkCellPicker

from wideberth.desktop.session import Tool

if TYPE_CHECKING:
    from wideberth.desktop.scene.view import SceneView

CLICK_PIXELS = 4
SNAP_PIXELS = 9
HOVER_MS = 60
STROKE_MS = 25


class Pointing(QObject):
    """Hears the mouse over a view: a click is a press that hardly moved; where the pointer rests is told to the tool."""

    def __init__(self, view: SceneView) -> None:
        super().__init__(view)
        self._view, self._session = view, view.session
        self._pressed: QPointF | None = None
        self._pointer = QPointF()
        self._hover = QTimer(self)
        self._hover.setSingleShot(True)
        self._hover.setInterval(HOVER_MS)
        self._hover.timeout.connect(self._hovered)
        self._holds = False
        """Whether a handle of the tool is held."""
        self._stroking = ""
        """Id of the part that a tool is drawn over."""
        self._stroke = QTimer(self)
        self._stroke.setSingleShot(True)
        self._stroke.setInterval(STROKE_MS)
        self._stroke.timeout.connect(self._drawn_over)
        view.overlay.installEventFilter(self)

    def pick(self, at: QPointF) -> tuple[int, np.ndarray] | None:
        """The part under a point of the view and the spot on its surface, or None."""
        picker = vtkCellPicker()
        picker.SetTolerance(0.0005)
        picker.PickFromListOn()
        for actor in self._view.part_actors:
            picker.AddPickList(actor)
        ratio = self._view.plotter.devicePixelRatioF()
        picker.Pick(at.x() * ratio, (self._view.plotter.height() - at.y()) * ratio, 0, self._view.plotter.renderer)
        if picker.GetCellId() < 0:
            return None
        hit = picker.GetActor()
        number = next((i for i, a in enumerate(self._view.part_actors) if a is hit or a == hit), None)
        return None if number is None else (number, np.array(picker.GetPickPosition()))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Clicks go to the tool in hand, else they choose a part; what no tool wants turns the view."""
        if isinstance(event, QWheelEvent):
            self._view.plotter.wheelEvent(event)
            return True
        if not isinstance(event, QMouseEvent):
            return super().eventFilter(watched, event)
        if self._pulls(event) or self._strokes(event):
            return True
        if event.type() == QEvent.Type.MouseMove and self._hovering is not None:
            self._pointer = event.position()
            if not self._hover.isActive():
                self._hover.start()
        if event.button() == Qt.MouseButton.LeftButton:
            if event.type() == QEvent.Type.MouseButtonPress:
                self._pressed = event.position()
            elif event.type() == QEvent.Type.MouseButtonRelease and self._pressed is not None:
                moved = event.position() - self._pressed
                if abs(moved.x()) + abs(moved.y()) <= CLICK_PIXELS:
                    self._clicked(event.position())
        self._turn(event)
        return True

    def _turn(self, event: QMouseEvent) -> None:
        """Hand an event of the mouse on to what turns, moves and zooms the scene."""
        match event.type():
            case QEvent.Type.MouseButtonPress | QEvent.Type.MouseButtonDblClick:
                self._view.plotter.mousePressEvent(event)
            case QEvent.Type.MouseButtonRelease:
                self._view.plotter.mouseReleaseEvent(event)
            case QEvent.Type.MouseMove:
                self._view.plotter.mouseMoveEvent(event)

    def _pulls(self, event: QMouseEvent) -> bool:
        """Whether an event of the mouse is for a handle of the tool in hand."""
        tool = self._session.sight.tool
        if tool is None or not tool.grabs:
            self._holds = False
            return False
        left = event.button() == Qt.MouseButton.LeftButton
        if left and event.type() == QEvent.Type.MouseButtonPress:
            self._holds = tool.grab(event.position())
            self._stroking = tool.held_part if self._holds else ""
            return self._holds
        if event.type() == QEvent.Type.MouseMove:
            if self._holds:
                tool.pulled(event.position())
                self._pointer = event.position()
                if self._stroking and not self._stroke.isActive():
                    self._stroke.start()
            elif event.buttons() == Qt.MouseButton.NoButton:
                tool.passed(event.position())
            return self._holds
        if left and event.type() == QEvent.Type.MouseButtonRelease and self._holds:
            self._holds, self._stroking = False, ""
            self._stroke.stop()
            tool.released()
            return True
        return False

    def _strokes(self, event: QMouseEvent) -> bool:
        """Whether an event of the mouse belongs to a stroke of the tool in hand."""
        tool = self._session.sight.tool
        if tool is None or not tool.drags:
            return False
        left = event.button() == Qt.MouseButton.LeftButton
        if left and event.type() in (QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonDblClick):
            under = self.pick(event.position())
            if under is None or self._session.prediction is None:
                return False
            self._stroking = self._part_of(under[0])
            tool.dragged(self._stroking, self._on_the_part(*under))
            return True
        if not self._stroking:
            return False
        if event.type() == QEvent.Type.MouseMove:
            self._pointer = event.position()
            if not self._stroke.isActive():
                self._stroke.start()
            return True
        if left and event.type() == QEvent.Type.MouseButtonRelease:
            self._stroke.stop()
            self._pointer = event.position()
            self._drawn_over()
            self._stroking = ""
            tool.let_go()
            return True
        return False

    def _drawn_over(self) -> None:
        """Tell the tool what it is drawn over; other parts than the one it began on are passed by."""
        tool, under = self._session.sight.tool, self.pick(self._pointer)
        if tool is not None and under is not None and self._part_of(under[0]) == self._stroking:
            tool.dragged(self._stroking, self._on_the_part(*under))

    @property
    def _hovering(self) -> Tool | None:
        """The tool in hand, if it wants to know where the pointer is."""
        tool = self._session.sight.tool
        return tool if tool is not None and tool.hovers else None

    def _hovered(self) -> None:
        """Tell the tool the spot under the pointer."""
        tool = self._hovering
        if tool is None or self._session.prediction is None:
            return
        under = self.pick(self._pointer)
        if under is None:
            tool.left()
        else:
            tool.hovered(self._part_of(under[0]), self._on_the_part(*under))

    def _clicked(self, at: QPointF) -> None:
        under = self.pick(at)
        if under is None:
            return
        number, spot = under
        part, tool = self._part_of(number), self._session.sight.tool
        if tool is not None and not (tool.grabs and not tool.hovers):
            if tool.catches_corners:
                spot = self._snapped(number, spot, at)
            tool.clicked(part, self._on_the_part(number, spot))
        elif part != self._session.selection.part:
            self._session.selection.choose_part(part)

    def _part_of(self, number: int) -> str:
        """Id of the part that a drawn print is of."""
        return self._view.drawn[number].placed.part.id

    def _on_the_part(self, number: int, spot: np.ndarray) -> np.ndarray:
        """A spot on a copy, as it lies on the part that the copy follows."""
        p = self._session.prediction
        first = None if p is None else p.solids_of(self._part_of(number))
        if first is None:
            return spot
        back = first.matrix @ np.linalg.inv(self._view.drawn[number].matrix)
        return back[:3, :3] @ spot + back[:3, 3]

    def _snapped(self, number: int, spot: np.ndarray, at: QPointF) -> np.ndarray:
        """A spot put onto the part's true surface, and onto a corner of its mesh that is under the pointer."""
        solid = self._view.drawn[number]
        exact = self._session.stages.closest(solid.outer)
        _, face, foot = exact.nearest(spot[None])
        for corner in solid.outer.points[solid.outer.faces[face[0]]]:
            seen = self._view.project((float(corner[0]), float(corner[1]), float(corner[2])))
            if seen is not None and abs(seen.x() - at.x()) + abs(seen.y() - at.y()) <= SNAP_PIXELS:
                return corner
        return foot[0]
