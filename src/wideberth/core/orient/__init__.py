"""Poses: turning a part, setting it down, and weighing which way up."""

from wideberth.core.orient.directions import covering, directions, flat_faces
from wideberth.core.orient.measures import Light, PoseCost, weigh_pose
from wideberth.core.orient.pose import UPRIGHT, Pose, Turn, as_turn, laid, placing, set_down, turned, turned_xyz
from wideberth.core.orient.search import Poses, picks_of, pose_of, search_poses

__all__ = [
    "UPRIGHT", "Light", "Pose", "PoseCost", "Poses", "Turn", "as_turn", "covering", "directions", "flat_faces", "laid",
    "picks_of", "placing", "pose_of", "search_poses", "set_down", "turned", "turned_xyz", "weigh_pose",
]  # fmt: skip
