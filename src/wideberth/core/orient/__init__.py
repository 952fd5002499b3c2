"""Poses: turning a part, setting it down, and weighing which way up."""

from wideberth.core.orient.pose import UPRIGHT, Pose, Turn, as_turn, placing, set_down, turned, turned_xyz
from wideberth.core.orient.propose import PoseCost, propose_poses, weigh_pose

__all__ = [
    "UPRIGHT", "Pose", "PoseCost", "Turn", "as_turn", "placing", "propose_poses", "set_down", "turned",
    "turned_xyz", "weigh_pose",
]  # fmt: skip
