"""Supports: tips, twigs, posts and the base, proposed where needed and sized by load."""

from wideberth.core.support.propose import SupportProposal, fitting_mm, propose_tips, stouter_posts, tip_at
from wideberth.core.support.solids import base_mesh, supports_mesh, touches
from wideberth.core.support.tip import Tip

__all__ = [
    "SupportProposal", "Tip", "base_mesh", "fitting_mm", "propose_tips", "stouter_posts", "supports_mesh",
    "tip_at", "touches",
]  # fmt: skip
