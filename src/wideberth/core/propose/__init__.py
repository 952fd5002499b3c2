"""What acts on a job: everything in one go, poses, holes, tips, places, remedies, and the choices between them."""

from wideberth.core.propose.advice import NONE_HELPS, Advice, advise
from wideberth.core.propose.bases import BASE_NAMES, propose_base, with_base
from wideberth.core.propose.comparing import Compared, compared
from wideberth.core.propose.dividing import propose_division
from wideberth.core.propose.drilling import hole_at, hole_on_plate, minutes, probe_of, propose_drain, what_changes, with_holes
from wideberth.core.propose.everything import propose_all, propose_hollow, propose_support, propose_thicker
from wideberth.core.propose.found import propose_found
from wideberth.core.propose.hollowing import propose_shell
from wideberth.core.propose.many_tips import Added, Spread, with_tips_mirrored, with_tips_spread
from wideberth.core.propose.marking import Way, facing_faces, marks_text, propose_marks, region_at, ring_less, ring_more
from wideberth.core.propose.orienting import cost_of, pose_measures, propose_orient, ways_up
from wideberth.core.propose.pairing import Pair, RoundOf, kept_for_fit, pairs_in, with_fit
from wideberth.core.propose.places import arranged, propose_more, propose_places, propose_plates
from wideberth.core.propose.plugs import export_plugs, plugs, with_plugs
from wideberth.core.propose.proposal import Better, Candidate, Difference, Measure, Proposal, State, only
from wideberth.core.propose.remedies import Remedy, remedy_for
from wideberth.core.propose.rooming import ready_for_posts
from wideberth.core.propose.splitting import (
    JointFit,
    PlaneTold,
    PrinterFit,
    clearance_of,
    numbered,
    plane_told,
    printers_that_fit,
    propose_split,
    with_pieces,
)
from wideberth.core.propose.swept import AXES, DIGITS, Swept, axis_values, swept, with_axis
from wideberth.core.propose.tips import (
    Tried,
    least_held,
    sized_for_load,
    tried,
    with_foot_moved,
    with_joint_moved,
    with_tip,
    with_tip_moved,
    with_tips_pinned,
    with_tips_sized,
    without_tips,
)
from wideberth.core.propose.turning import in_pose

__all__ = [
    "AXES",
    "BASE_NAMES",
    "DIGITS",
    "NONE_HELPS",
    "Added",
    "Advice",
    "Better",
    "Candidate",
    "Compared",
    "Difference",
    "JointFit",
    "Measure",
    "Pair",
    "PlaneTold",
    "PrinterFit",
    "Proposal",
    "Remedy",
    "RoundOf",
    "Spread",
    "State",
    "Swept",
    "Tried",
    "Way",
    "advise",
    "arranged",
    "axis_values",
    "clearance_of",
    "compared",
    "cost_of",
    "export_plugs",
    "facing_faces",
    "hole_at",
    "hole_on_plate",
    "in_pose",
    "kept_for_fit",
    "least_held",
    "marks_text",
    "minutes",
    "numbered",
    "only",
    "pairs_in",
    "plane_told",
    "plugs",
    "pose_measures",
    "printers_that_fit",
    "probe_of",
    "propose_all",
    "propose_base",
    "propose_division",
    "propose_drain",
    "propose_found",
    "propose_hollow",
    "propose_marks",
    "propose_more",
    "propose_orient",
    "propose_places",
    "propose_plates",
    "propose_shell",
    "propose_split",
    "propose_support",
    "propose_thicker",
    "ready_for_posts",
    "region_at",
    "remedy_for",
    "ring_less",
    "ring_more",
    "sized_for_load",
    "swept",
    "tried",
    "ways_up",
    "what_changes",
    "with_axis",
    "with_base",
    "with_fit",
    "with_foot_moved",
    "with_holes",
    "with_joint_moved",
    "with_pieces",
    "with_plugs",
    "with_tip",
    "with_tip_moved",
    "with_tips_mirrored",
    "with_tips_pinned",
    "with_tips_sized",
    "with_tips_spread",
    "without_tips",
]
