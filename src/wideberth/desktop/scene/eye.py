"""The eye that looks at the plate: where a point appears, where a line of sight meets the plate, and what fills the view."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF

from wideberth.desktop.scene.chart import Chart

VIEWS = {
    "Front": (0, -1, 0.0),
    "Side": (1, 0, 0.0),
    "Above": (0, -0.001, 1),
    "Below": (0, -0.001, -1),
    "Corner": (0.9, -1.5, 0.75),
}
"""Where one stands, seen from the middle of the parts."""
FILLED, FIT_ROUNDS = 0.9, 3
"""Share of the view that what is fitted fills; how often the camera is set for it, as it sees in perspective."""


class Eye:
    """The camera of a view."""

    def __init__(self, plotter: Chart) -> None:
        self._plotter = plotter

    def fit(self, corners: NDArray[np.float64]) -> None:
        """Move and zoom until points (n, 3) fill the view and none lies outside."""
        for _ in range(FIT_ROUNDS):
            self._fill(corners)

    def holds(self, points: NDArray[np.float64]) -> bool:
        """Whether all points (n, 3) are within the view."""
        x, y, w = self._seen(points)
        return bool((w > 0).all() and (np.abs(x) <= w).all() and (np.abs(y) <= w).all())

    def _seen(self, points: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Points (n, 3) as the view has them: x and y, and the w that these are shares of; within the view up to 1."""
        wide, tall = self._plotter.width(), self._plotter.height()
        seen = self._plotter.camera.GetCompositeProjectionTransformMatrix(wide / max(tall, 1), -1, 1)
        matrix = np.array([[seen.GetElement(r, c) for c in range(4)] for r in range(4)])
        x, y, _, w = matrix @ np.column_stack((points, np.ones(len(points)))).T
        return x, y, w

    def _fill(self, corners: NDArray[np.float64]) -> None:
        """One move and one zoom towards it."""
        size = np.array([self._plotter.width(), self._plotter.height()], float)
        x, y, w = self._seen(corners)
        if size.min() < 1 or (w <= 0).any():
            return
        spots = 0.5 * size * np.column_stack((1 + x / w, 1 - y / w))
        low, high = spots.min(axis=0), spots.max(axis=0)
        off = (0.5 * (low + high) - 0.5 * size) / size[1]  # in shares of the view's height
        camera = self._plotter.camera
        away = np.linalg.norm(np.array(camera.position) - camera.focal_point)
        tall = 2 * away * np.tan(np.radians(camera.view_angle / 2))
        forward = np.array(camera.direction)
        right = np.cross(forward, camera.up)
        right /= np.linalg.norm(right)
        shift = tall * (off[0] * right - off[1] * np.cross(right, forward))
        camera.position, camera.focal_point = np.array(camera.position) + shift, np.array(camera.focal_point) + shift
        camera.zoom(float(np.clip(FILLED * (size / np.maximum(high - low, 1.0)).min(), 0.2, 5.0)))

    def project(self, point: tuple[float, float, float]) -> QPointF | None:
        """Where a point of the plate appears in the view, or None behind the eye."""
        seen = self.project_deep(point)
        return None if seen is None else QPointF(seen[0], seen[1])

    def project_deep(self, point: tuple[float, float, float]) -> tuple[float, float, float] | None:
        """As `project`, with the depth there (0 near, 1 far)."""
        renderer = self._plotter.renderer
        renderer.SetWorldPoint(*point, 1.0)
        renderer.WorldToDisplay()
        x, y, depth = renderer.GetDisplayPoint()
        if not 0 <= depth <= 1:
            return None
        ratio = self._plotter.devicePixelRatioF()
        return x / ratio, self._plotter.height() - y / ratio, depth

    def on_plate(self, at: QPointF) -> tuple[float, float] | None:
        """Where the line of sight through a point of the view meets the plate's plane; None when it does not, before the eye."""
        renderer, ratio = self._plotter.renderer, self._plotter.devicePixelRatioF()
        ends = []
        for depth in (0.0, 1.0):
            renderer.SetDisplayPoint(at.x() * ratio, (self._plotter.height() - at.y()) * ratio, depth)
            renderer.DisplayToWorld()
            x, y, z, w = renderer.GetWorldPoint()
            ends.append(np.array([x, y, z]) / w)
        near, far = ends
        share = near[2] / (near[2] - far[2]) if abs(near[2] - far[2]) > 1e-9 else -1.0
        if not 0 <= share <= 1:
            return None
        x, y, _ = (float(v) for v in near + share * (far - near))
        return x, y
