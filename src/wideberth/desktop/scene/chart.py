"""The 3D widget: one render a frame, and a picture of it to paint over."""

from __future__ import annotations

import time

import numpy as np
import pyvista as pv
from numpy.typing import NDArray
from PySide6.QtCore import Signal
from PySide6.QtGui import QPixmap
from PySide6.QtOpenGLWidgets import QOpenGLWidget
from PySide6.QtWidgets import QWidget
from pyvistaqt import QtInteractor
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkFloatArray

HEAVY_S = 0.04
"""A render that takes longer cannot follow a hand."""


class Chart(QtInteractor):
    """A `QtInteractor` that renders only when Qt paints.

    By itself a turn of the view renders twice, once at once and once in the paint that follows; a software renderer
    feels that. So a wish to render only asks for a paint. `stale` tells that the scene or the camera has changed: whoever covers
    the view must let it be seen, since Qt paints nothing that is covered. `drawn` tells that it was drawn anew.

    Where a render is heavy, a chart that is turned by hand or has another size is rendered without `spared` and without smoothed
    edges; that is not fresh, and the next `picture` renders all.
    """

    stale = Signal()
    drawn = Signal()
    spared: tuple[pv.Actor, ...] = ()
    _painting = _taking = _fresh = _moves = _heavy = False
    _rendered = 0

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, auto_update=False)
        self.render_window.SetMultiSamples(0)  # smooth edges after the render cost a quarter of what samples do
        self.renderer.SetUseFXAA(True)
        self.setUpdateBehavior(QOpenGLWidget.UpdateBehavior.PartialUpdate)  # what was rendered stays
        self._renderer_of_events = self.iren.interactor
        self._renderer_of_events.EnableRenderOff()
        self._renderer_of_events.AddObserver("RenderEvent", lambda *_: self._turned())

    def render(self, *_: object, **__: object) -> None:
        """What the plotter calls after each change of its scene or camera."""
        self.redraw()

    def redraw(self) -> None:
        """Ask Qt for a paint, unless the scene is as it was last rendered."""
        if not self._painting and not (self._fresh and self._rendered == self._changed()):
            self._fresh = False
            self.stale.emit()
            QWidget.update(self)

    def _changed(self) -> int:
        """When the scene or its camera was changed last, on the renderer's own clock."""
        props = self.renderer.GetViewProps()
        return max(props.GetMTime(), self.renderer.GetActiveCamera().GetMTime(), *(p.GetRedrawMTime() for p in props))

    def _turned(self) -> None:
        self._moves = True
        self.redraw()

    def paintGL(self) -> None:
        """Render once and show it; what was rendered and is as it was is only taken."""
        if self._taking and self._fresh:
            return
        light = self._moves and self._heavy and not self._taking
        self._moves, self._painting = False, True
        self._renderer_of_events.EnableRenderOn()
        try:
            self._render_lightly() if light else self._render_all()
        finally:
            self._renderer_of_events.EnableRenderOff()
            self._painting = False
        self._fresh, self._rendered = not light, self._changed()
        if not self._taking:
            self.drawn.emit()

    def _render_all(self) -> None:
        began = time.perf_counter()
        super().paintGL()
        self._heavy = time.perf_counter() - began > HEAVY_S

    def _render_lightly(self) -> None:
        spared = [actor for actor in self.spared if actor.GetVisibility()]
        for actor in spared:
            actor.SetVisibility(False)
        self.renderer.SetUseFXAA(False)
        try:
            super().paintGL()
        finally:
            self.renderer.SetUseFXAA(True)
            for actor in spared:
                actor.SetVisibility(True)

    def resizeGL(self, width: int, height: int) -> None:
        self._fresh, self._moves = False, True
        super().resizeGL(width, height)

    def picture(self) -> tuple[QPixmap, NDArray[np.float32]]:
        """The scene as it is: a picture of the widget's size, and the depth (0 near, 1 far) of each of its pixels."""
        self._taking = True
        try:
            shown = QPixmap.fromImage(self.grabFramebuffer())
            self.makeCurrent()
            width, height = self.render_window.GetSize()
            depths = vtkFloatArray()
            self.render_window.GetZbufferData(0, 0, width - 1, height - 1, depths)
            self.doneCurrent()
            return shown, vtk_to_numpy(depths).reshape(height, width)[::-1].copy()
        finally:
            self._taking = False
