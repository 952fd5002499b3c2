"""The plate that all stands on: its face, a grid of 20 mm, its rim, and zones of it that are kept free."""

from __future__ import annotations

import numpy as np
import pyvista as pv

from wideberth.core.bench import Printer, Zone
from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.style import DAY

GRID_MM = 20


class Ground:
    """Draws a printer's plate into a chart."""

    def __init__(self, chart: Chart) -> None:
        self._chart = chart
        self._drawn: tuple[float, float, tuple[Zone, ...]] | None = None

    def show(self, printer: Printer) -> bool:
        """Draw a printer's plate, unless it is there already; whether it was drawn."""
        wanted = (printer.plate_x_mm, printer.plate_y_mm, printer.zones)
        if wanted == self._drawn:
            return False
        self._drawn = wanted
        wide, deep, zones = wanted
        x, y = wide / 2, deep / 2
        ground = pv.Plane(center=(0, 0, -0.05), i_size=wide, j_size=deep, i_resolution=1, j_resolution=1)
        flat = {"lighting": False, "pickable": False, "reset_camera": False, "culling": "back"}  # from below, the part is seen
        self._chart.add_mesh(ground, color=DAY.sand, name="plate", **flat)
        lines = [[(v, -y, 0), (v, y, 0)] for v in np.arange(-x, x + 1e-6, GRID_MM)]
        lines += [[(-x, v, 0), (x, v, 0)] for v in np.arange(-y, y + 1e-6, GRID_MM)]
        points = np.array(lines, np.float32).reshape(-1, 3)
        cells = np.column_stack([np.full(len(lines), 2), np.arange(0, 2 * len(lines), 2), np.arange(1, 2 * len(lines), 2)])
        grid = pv.PolyData(points, lines=cells.ravel())
        self._chart.add_mesh(grid, color=DAY.rule, line_width=1, name="grid", pickable=False, reset_camera=False)
        rim = pv.PolyData(np.array([(-x, -y, 0), (x, -y, 0), (x, y, 0), (-x, y, 0)], np.float32), lines=[5, 0, 1, 2, 3, 0])
        self._chart.add_mesh(rim, color=DAY.ink, line_width=1.6, name="rim", pickable=False, reset_camera=False)
        self._chart.remove_actor("kept free", render=False)
        if zones:
            self._chart.add_mesh(pv.merge([_patch(zone) for zone in zones]), color=DAY.card, name="kept free", **flat)
        return True


def _patch(zone: Zone) -> pv.PolyData:
    """A zone of the plate that is kept free, just over its lines."""
    x, y = 0.5 * (zone.left_mm + zone.right_mm), 0.5 * (zone.front_mm + zone.back_mm)
    wide, deep = zone.right_mm - zone.left_mm, zone.back_mm - zone.front_mm
    return pv.Plane(center=(x, y, 0.02), i_size=wide, j_size=deep, i_resolution=1, j_resolution=1)
