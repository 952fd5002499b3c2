"""Poses: turning a part, setting it down, and weighing which way up."""

from wideberth.core.orient.directions import covering, directions, flat_faces
from wideberth.core.orient.measures import SOLID, Inside, Light, PoseCost, weigh_pose
from wideberth.core.orient.pose import UPRIGHT, Pose, Turn, as_turn, laid, placing, set_down, turned, turned_xyz
from wideberth.core.orient.search import Limits, Poses, light_of, picks_of, pose_of, search_poses
from wideberth.core.orient.sphere import Hemispheres, disc_of, hemispheres, level_lines, up_at

__all__ = [
    "SOLID",
    "UPRIGHT",
    "Hemispheres",
    "Inside",
    "Light",
    "Limits",
    "Pose",
    "PoseCost",
    "Poses",
    "Turn",
    "as_turn",
    "covering",
    "directions",
    "disc_of",
    "flat_faces",
    "hemispheres",
    "laid",
    "level_lines",
    "light_of",
    "picks_of",
    "placing",
    "pose_of",
    "search_poses",
    "set_down",
    "turned",
    "turned_xyz",
    "up_at",
    "weigh_pose",
]
