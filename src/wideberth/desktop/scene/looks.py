"""How solids look in the scene, and their first rendering, before there is anything to see."""

from __future__ import annotations

from typing import Any

import pyvista as pv

from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.scene.shapes import run_smooth
from wideberth.desktop.style import DAY

PART: dict[str, Any] = {"color": DAY.part, "ambient": 0.32, "diffuse": 0.72, "specular": 0.0, "culling": "back"}
POSTS: dict[str, Any] = {"color": DAY.post, "ambient": 0.35, "diffuse": 0.65, "pickable": False, "culling": "back"}
CONTOURS: dict[str, Any] = {"color": DAY.ink, "line_width": 1, "opacity": 0.55, "pickable": False, "show_scalar_bar": False}
BORES: dict[str, Any] = {"color": DAY.ink, "lighting": False, "pickable": False}
CUPS: dict[str, Any] = {"pickable": False, "ambient": 0.4, "diffuse": 0.6, "opacity": 0.85}


def rehearse(chart: Chart) -> None:
    """Render something small in every look, once, and take it away: the renderer writes its program for a look when it first
    meets it, and would stand still for most of a second when the first model is opened."""
    ball = pv.Sphere(theta_resolution=4, phi_resolution=4)
    bare = pv.PolyData(ball.points, ball.faces)
    seen: tuple[tuple[pv.PolyData, dict[str, Any], bool], ...] = (
        (ball, PART, True),
        (bare, POSTS, False),
        (pv.Line(), CONTOURS, False),
        (bare.copy(), BORES, False),
        (ball.copy(), {"color": DAY.deep, **CUPS}, True),
    )
    names = [f"rehearsed {number}" for number in range(len(seen))]
    for name, (mesh, look, smooth) in zip(names, seen, strict=True):
        actor = chart.add_mesh(mesh, name=name, reset_camera=False, render=False, **look)
        if smooth:
            run_smooth(actor)
    chart.picture()
    for name in names:
        chart.remove_actor(name, render=False)
