"""A part's pose: turned, then set down at a distance from the plate."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model import Mesh, rotation_about

Turn = tuple[float, float, float, float, float, float, float, float, float]
LEVEL = 1e-9
UPRIGHT: Turn = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)


@dataclass(frozen=True)
class Pose:
    """Rotation (row-major 3 x 3) and gap under the lowest point. Where a part stands on the plate is its placement's."""

    turn: Turn = UPRIGHT
    gap_mm: float = 0.0

    @property
    def rotation(self) -> NDArray[np.float64]:
        return np.array(self.turn).reshape(3, 3)

    @property
    def lean_deg(self) -> tuple[float, float]:
        """Lean of the part's own upright about the plate's x and y axes, in degrees."""
        up = self.rotation[:, 2]
        return math.degrees(math.atan2(-up[1], up[2])), math.degrees(math.atan2(up[0], up[2]))


def as_turn(rotation: NDArray[np.float64]) -> Turn:
    """A rotation matrix as a hashable row-major tuple."""
    a, b, c, d, e, f, g, h, i = (float(v) for v in np.asarray(rotation).reshape(9))
    return a, b, c, d, e, f, g, h, i


def turned(pose: Pose, axis: int, degrees: float) -> Pose:
    """The pose after a further turn about an axis of the plate."""
    return Pose(as_turn(rotation_about(axis, degrees) @ pose.rotation), pose.gap_mm)


def laid(pose: Pose, normal: NDArray[np.float64], lean_deg: float) -> Pose:
    """The pose after the shortest turn that makes a face lean so many degrees from lying face down: 0 down, 90 upright, 180 up.

    Parameters
    ----------
    normal : (3,) of the face, outward, in the part's own frame.
    """
    now = pose.rotation @ (np.asarray(normal, float) / np.linalg.norm(normal))
    level = np.array([now[0], now[1], 0.0])
    aside = level / np.linalg.norm(level) if np.linalg.norm(level) > LEVEL else np.array([1.0, 0.0, 0.0])
    lean = math.radians(lean_deg)
    wanted = math.sin(lean) * aside - math.cos(lean) * np.array([0.0, 0.0, 1.0])
    axis = np.array([-aside[1], aside[0], 0.0])  # square to the upright and to where the face looks
    angle = math.atan2(float(np.cross(now, wanted) @ axis), float(now @ wanted))
    k = np.array([[0.0, -axis[2], axis[1]], [axis[2], 0.0, -axis[0]], [-axis[1], axis[0], 0.0]])
    turn = np.eye(3) + math.sin(angle) * k + (1 - math.cos(angle)) * k @ k
    return Pose(as_turn(turn @ pose.rotation), pose.gap_mm)


def turned_xyz(x_deg: float, y_deg: float, z_deg: float) -> Turn:
    """Rotation about x, then y, then z of the plate."""
    return as_turn(rotation_about(2, z_deg) @ rotation_about(1, y_deg) @ rotation_about(0, x_deg))


def placing(mesh: Mesh, pose: Pose) -> NDArray[np.float64]:
    """The 4 x 4 matrix that sets a mesh down: turned about its box's centre, which lies over the plate's middle, the lowest
    point `gap` above the plate."""
    return set_down(mesh, pose)[0]


def set_down(mesh: Mesh, pose: Pose) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The matrix of `placing`, and the mesh's box on the plate, (2, 3)."""
    centre = 0.5 * (mesh.low + mesh.high)
    own = mesh.points if mesh.used.all() else mesh.points[mesh.used]
    turned_points = pose.rotation @ own.T - (pose.rotation @ centre)[:, None]
    low, high = turned_points.min(axis=1), turned_points.max(axis=1)
    middle = 0.5 * (low + high)
    shift = np.array([-middle[0], -middle[1], pose.gap_mm - low[2]])
    matrix = np.eye(4)
    matrix[:3, :3] = pose.rotation
    matrix[:3, 3] = shift - pose.rotation @ centre
    return matrix, np.array([low + shift, high + shift])
