"""How solids look in the scene, and their first rendering, before there is anything to see."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyvista as pv
from numpy.typing import NDArray
from vtkmodules.vtkCommonDataModel import vtkPlane

from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.scene.shapes import behind, run_smooth
from wideberth.desktop.style import DAY

PART: dict[str, Any] = {"color": DAY.part, "ambient": 0.32, "diffuse": 0.72, "specular": 0.0, "culling": "back"}
POSTS: dict[str, Any] = {"color": DAY.post, "ambient": 0.35, "diffuse": 0.65, "pickable": False, "culling": "back"}
CONTOURS: dict[str, Any] = {"color": DAY.ink, "line_width": 1, "opacity": 0.55, "pickable": False, "show_scalar_bar": False}
BORES: dict[str, Any] = {"color": DAY.ink, "lighting": False, "pickable": False}
CUPS: dict[str, Any] = {"pickable": False, "ambient": 0.4, "diffuse": 0.6, "opacity": 0.85}
PIECES: dict[str, Any] = {"ambient": 0.35, "diffuse": 0.7, "pickable": False, "reset_camera": False}
INSIDE: dict[str, Any] = {"ambient": 0.4, "diffuse": 0.6, "pickable": False, "reset_camera": False}
HATCH_LINES: dict[str, Any] = {"color": DAY.ink, "line_width": 1.4, "lighting": False, "pickable": False}
LINES: dict[str, Any] = {"color": DAY.hazard, "line_width": 3, "lighting": False, "pickable": False, "show_scalar_bar": False}
VALUE = "value"
"""By what a surface is coloured."""
COLOURS: dict[str, Any] = {"cmap": "viridis", "show_scalar_bar": False, "ambient": 0.55, "diffuse": 0.5}


def rehearse(chart: Chart) -> None:
    """Render something small in every look, once, and take it away: the renderer writes its program for a look when it first
    meets it, and would stand still for most of a second when the first model is opened."""
    ball = pv.Sphere(theta_resolution=4, phi_resolution=4)
    bare = pv.PolyData(ball.points, ball.faces)
    coloured = bare.copy()
    coloured[VALUE] = np.zeros(coloured.n_points, np.float32)
    seen: tuple[tuple[pv.PolyData, dict[str, Any], bool], ...] = (
        (ball, PART, True),
        (ball, POSTS, True),
        (pv.Line(), CONTOURS, False),
        (bare, BORES, False),
        (ball, {"color": DAY.deep, **CUPS}, True),
        (ball, {"color": DAY.deep, **PIECES}, True),
        (ball, {"color": DAY.deep, "opacity": 0.95, **INSIDE}, True),
        (pv.Arrow(), {"color": DAY.ink, **INSIDE}, True),
        (pv.Line(), HATCH_LINES, False),
        (coloured, {"scalars": VALUE, **COLOURS}, False),
    )
    actors = [chart.add_mesh(mesh.copy(), render=False, **{"reset_camera": False, **look}) for mesh, look, _ in seen]
    for actor, (_, _, smooth) in zip(actors, seen, strict=True):
        if smooth:
            run_smooth(actor)
    actors += [add_over(chart, pv.Line(), "lines")]
    chart.picture()
    cut_open(actors[0], np.zeros(3), np.array([1.0, 0.0, 0.0]))
    chart.picture()
    for actor in actors:
        chart.remove_actor(actor, render=False)


def cut_open(actor: pv.Actor, centre_mm: NDArray[np.float64], away: NDArray[np.float64]) -> None:
    """Take away the half of a part that is before a plane, whose normal (3,) points away from the eye."""
    plane = vtkPlane()
    plane.SetOrigin(*centre_mm)
    plane.SetNormal(*away)
    actor.mapper.AddClippingPlane(plane)
    actor.mapper.dataset = behind(actor.mapper.dataset, centre_mm, away)  # what is clipped away costs as much as what is seen
    actor.GetProperty().BackfaceCullingOff()  # its inside is seen


def add_over(chart: Chart, lines: pv.PolyData, name: str) -> pv.Actor:
    """Add lines on surfaces, drawn a little before them."""
    actor = chart.add_mesh(lines, name=name, reset_camera=False, render=False, **LINES)
    actor.mapper.SetResolveCoincidentTopologyToPolygonOffset()
    actor.mapper.SetRelativeCoincidentTopologyLineOffsetParameters(-2.0, -20.0)
    return actor
