"""Supports: tips, twigs, posts and the base, proposed where needed and sized by load."""

from wideberth.core.support.barred import BESIDE_MM, REFUSED_MM
from wideberth.core.support.base import base_mesh
from wideberth.core.support.bearing import Relief, most_free_mm, stouter_posts
from wideberth.core.support.bracing import braced, free_stretches_mm
from wideberth.core.support.carry import Carried, carried, led_anew
from wideberth.core.support.company import Want, with_company
from wideberth.core.support.graph import (
    BaseKind,
    Brace,
    Contact,
    Foot,
    Idle,
    Idleness,
    Joint,
    On,
    Post,
    Supports,
    TipLimb,
    Twig,
    started,
)
from wideberth.core.support.limbs import through_part
from wideberth.core.support.need import Need, NeedKind, need_from_words
from wideberth.core.support.propose import SupportProposal, counted_tips, propose_tips
from wideberth.core.support.recognise import Found, recognised
from wideberth.core.support.room import ROOM_TRIANGLES, Room, room_of
from wideberth.core.support.route import Point, Route
from wideberth.core.support.routing import with_joint_at, with_post_moved
from wideberth.core.support.sizes import allowed_mm, fitting_mm, needed_mm, steadying_mm
from wideberth.core.support.solids import supports_mesh, touches

__all__ = [
    "BESIDE_MM",
    "REFUSED_MM",
    "ROOM_TRIANGLES",
    "BaseKind",
    "Brace",
    "Carried",
    "Contact",
    "Foot",
    "Found",
    "Idle",
    "Idleness",
    "Joint",
    "Need",
    "NeedKind",
    "On",
    "Point",
    "Post",
    "Relief",
    "Room",
    "Route",
    "SupportProposal",
    "Supports",
    "TipLimb",
    "Twig",
    "Want",
    "allowed_mm",
    "base_mesh",
    "braced",
    "carried",
    "counted_tips",
    "fitting_mm",
    "free_stretches_mm",
    "led_anew",
    "most_free_mm",
    "need_from_words",
    "needed_mm",
    "propose_tips",
    "recognised",
    "room_of",
    "started",
    "steadying_mm",
    "stouter_posts",
    "supports_mesh",
    "through_part",
    "touches",
    "with_company",
    "with_joint_at",
    "with_post_moved",
]
