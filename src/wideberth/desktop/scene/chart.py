"""What renders the scene: beside the window, once a frame, into a picture to paint over."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
import pyvista as pv
from numpy.typing import NDArray
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPaintEvent, QPixmap
from pyvistaqt import QtInteractor
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkFloatArray

HEAVY_S = 0.04
"""A render that takes longer cannot follow a hand."""
LIGHTS: tuple[dict[str, Any], ...] = (
    {"light_type": "headlight", "intensity": 0.48},
    {"light_type": "camera light", "intensity": 0.59, "position": (0.11, 0.77, 0.63), "color": (1.0, 0.97, 0.9)},
)
"""From the eye, and from above it: each more would be weighed at every pixel."""
EDGE_STEPS = 4
"""So far along an edge its ends are looked for to smooth it."""
ASKS = "WindowMakeCurrentEvent"
"""By which the renderer asks for its context."""


class Chart(QtInteractor):
    """A `QtInteractor` that stands in no window and renders only when a `picture` is taken.

    A window with OpenGL in it is put together by OpenGL whenever anything in it is painted, which costs a software renderer 10 ms
    each time; and by itself a turn of the view renders twice. So a wish to render only tells that the scene or the camera has
    changed, `stale`; `drawn` tells that it was rendered. Who shows the picture hands on what the mouse does.
    """

    stale = Signal()
    drawn = Signal()
    spared: tuple[pv.Actor, ...] = ()
    """What is left out where a heavy scene is rendered lightly."""
    _rendering = _lightly = _fresh = _heavy = False
    _rendered = 0

    def __init__(self) -> None:
        super().__init__(None, auto_update=False)
        self.setAttribute(Qt.WidgetAttribute.WA_DontShowOnScreen)
        self.setAttribute(Qt.WidgetAttribute.WA_QuitOnClose, False)
        self.render_window.SetMultiSamples(0)  # smooth edges after the render cost a quarter of what samples do
        self.renderer.SetUseFXAA(True)
        self.renderer.GetFXAAOptions().SetEndpointSearchIterations(EDGE_STEPS)
        self.remove_all_lights()
        for light in LIGHTS:
            self.add_light(pv.Light(**light))
        self.is_turned = False
        """Whether it was turned or moved by hand since it was last rendered."""
        self._renderer_of_events = self.iren.interactor
        self._renderer_of_events.EnableRenderOff()
        self._renderer_of_events.AddObserver("RenderEvent", lambda *_: self._turn())
        self.show()

    def render(self, *_: object, **__: object) -> None:
        """What the plotter calls after each change of its scene or camera."""
        self.redraw()

    def redraw(self) -> None:
        """Tell that the scene is not as it was last rendered, if so."""
        if not self._rendering and not self.is_fresh:
            self.stale.emit()

    @property
    def is_fresh(self) -> bool:
        """Whether the last picture shows all of the scene as it is."""
        return self._fresh and self._rendered == self._changed()

    def _changed(self) -> int:
        """When the scene or its camera was changed last, on the renderer's own clock."""
        props = self.renderer.GetViewProps()
        return max(props.GetMTime(), self.renderer.GetActiveCamera().GetMTime(), *(p.GetRedrawMTime() for p in props))

    def _turn(self) -> None:
        if not self._rendering:
            self.is_turned = True
            self.redraw()

    def picture(self, lightly: bool = False) -> tuple[QPixmap, NDArray[np.float32] | None]:
        """The scene as it is: a picture of the widget's size, and the depth (0 near, 1 far) of each of its pixels.

        lightly : a heavy scene is rendered without what is spared and without smoothed edges, and its depth is not told.
        """
        self._lightly = lightly and self._heavy
        shown = QPixmap.fromImage(self.grabFramebuffer())
        if self._lightly:
            return shown, None
        self.makeCurrent()
        width, height = self.render_window.GetSize()
        depths = vtkFloatArray()
        self.render_window.GetZbufferData(0, 0, width - 1, height - 1, depths)
        self.doneCurrent()
        return shown, vtk_to_numpy(depths).reshape(height, width)[::-1].copy()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Nothing is shown, so nothing is painted."""

    def paintGL(self) -> None:
        """Render, unless all is rendered as it is; called as a picture is taken."""
        if self.is_fresh:
            return
        self.is_turned, self._rendering = False, True
        self._renderer_of_events.EnableRenderOn()
        try:
            self._render_lightly() if self._lightly else self._render_all()
        finally:
            self._renderer_of_events.EnableRenderOff()
            self._rendering = False
        self._fresh, self._rendered = not self._lightly, self._changed()
        self.drawn.emit()

    def _render_all(self) -> None:
        began = time.perf_counter()
        self._render_now()
        self._heavy = time.perf_counter() - began > HEAVY_S

    def _render_lightly(self) -> None:
        spared = [actor for actor in self.spared if actor.GetVisibility()]
        for actor in spared:
            actor.SetVisibility(False)
        self.renderer.SetUseFXAA(False)
        try:
            self._render_now()
        finally:
            self.renderer.SetUseFXAA(True)
            for actor in spared:
                actor.SetVisibility(True)

    def _render_now(self) -> None:
        """Render in the context that Qt made current. The renderer asks for it some twenty times, and each question into Python
        would hand the interpreter to whoever computes beside."""
        number = [subject is self.render_window for subject, _ in self._vtk_observers].index(True)
        self.render_window.RemoveObserver(self._vtk_observers[number][1])
        try:
            super().paintGL()
        finally:
            tag = self.render_window.AddObserver(ASKS, self._cb_make_current)
            self._vtk_observers[number] = (self.render_window, tag)

    def resizeGL(self, width: int, height: int) -> None:
        self._fresh = False
        super().resizeGL(width, height)
