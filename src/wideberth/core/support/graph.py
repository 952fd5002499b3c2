"""The supports of a part as a graph: contacts, joints and feet; between them tips, twigs, posts and braces; under them a base.

All places are around the part's own place on the plate, so that a part that is moved keeps its supports; heights count from the
plate. Everything has an id that it keeps for good: loads, margins and reasons belong to ids.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields, replace
from enum import StrEnum
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.errors import BadJob
from wideberth.core.support.need import Need
from wideberth.core.support.route import Route, TopsOnPlate

TWIG_SHARE = 0.8
"""A twig's diameter, and a brace's, of a post's."""
SAME_MM = 1e-9
"""Ends nearer than this to each other are one."""


class On(StrEnum):
    """What a foot stands on."""

    PLATE = "plate"
    PART = "part"


@dataclass(frozen=True)
class Contact:
    """Where a support touches the part: a spot on its surface, how thick, and why.

    depth_mm : into the part; None : as usual. upright : the plate's upright in the part's own frame when it was set, once the
    part was tilted from there; None : as the part stands now.
    """

    id: str
    x_mm: float
    y_mm: float
    z_mm: float
    diameter_mm: float
    need: Need = field(default_factory=Need)
    depth_mm: float | None = None
    pinned: bool = False
    upright: tuple[float, float, float] | None = None

    @property
    def spot_mm(self) -> NDArray[np.float64]:
        return np.array([self.x_mm, self.y_mm, self.z_mm])


@dataclass(frozen=True)
class Joint:
    """Where members meet. post : id of the post that it lies on, where it is not that post's top."""

    id: str
    x_mm: float
    y_mm: float
    z_mm: float
    post: str = ""

    @property
    def point_mm(self) -> NDArray[np.float64]:
        return np.array([self.x_mm, self.y_mm, self.z_mm])


@dataclass(frozen=True)
class Foot:
    """Where a post ends."""

    id: str
    x_mm: float
    y_mm: float
    z_mm: float
    on: On = On.PLATE

    @property
    def point_mm(self) -> NDArray[np.float64]:
        return np.array([self.x_mm, self.y_mm, self.z_mm])


@dataclass(frozen=True)
class TipLimb:
    """The tapered end, from a contact to a joint."""

    id: str
    contact: str
    joint: str


@dataclass(frozen=True)
class Twig:
    """A thin branch from a joint down to one that a post carries. diameter_mm : None is the usual."""

    id: str
    upper: str
    lower: str
    diameter_mm: float | None = None


@dataclass(frozen=True)
class Post:
    """An upright from a joint to its foot. diameter_mm : None is the usual. narrow : whether it has no room to get stouter."""

    id: str
    top: str
    foot: str
    diameter_mm: float | None = None
    narrow: bool = False


@dataclass(frozen=True)
class Brace:
    """A diagonal between two posts, joint to joint."""

    id: str
    upper: str
    lower: str
    diameter_mm: float | None = None


class Idleness(StrEnum):
    """Why a contact that was carried in another pose is not carried in this one."""

    NOT_NEEDED = "no longer needed"
    UNREACHABLE = "now unreachable"


@dataclass(frozen=True)
class Idle:
    """A contact of another pose that is kept in case the part is turned back: where it would be now, and why it is not."""

    contact: Contact
    why: Idleness


class BaseKind(StrEnum):
    """What stands under the posts. PADS : one under each, tied together by ribs; ALONE : without these; SLAB : one under all;
    FRAME : pads and ribs with a bar all round, open where it would enclose resin."""

    PADS = "pads"
    ALONE = "pads alone"
    SLAB = "slab"
    FRAME = "frame"


@dataclass(frozen=True)
class Supports:
    """All supports of one part. last : the highest number that an id was given so far; none is given twice. idle : contacts that
    only another pose carries; they are not printed.

    Members whose ids do not fit together are refused when they are read (`checked`).
    """

    contacts: tuple[Contact, ...] = ()
    joints: tuple[Joint, ...] = ()
    feet: tuple[Foot, ...] = ()
    tips: tuple[TipLimb, ...] = ()
    twigs: tuple[Twig, ...] = ()
    posts: tuple[Post, ...] = ()
    braces: tuple[Brace, ...] = ()
    base: BaseKind = BaseKind.PADS
    last: int = 0
    idle: tuple[Idle, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.contacts or self.posts)

    def __hash__(self) -> int:
        return self._hash

    @cached_property
    def _hash(self) -> int:
        """Worked out once: it takes long, and whoever remembers supports asks for it each time."""
        return hash(tuple(getattr(self, field.name) for field in fields(self)))

    @cached_property
    def contact(self) -> dict[str, Contact]:
        return {c.id: c for c in self.contacts}

    @cached_property
    def joint(self) -> dict[str, Joint]:
        return {j.id: j for j in self.joints}

    @cached_property
    def foot(self) -> dict[str, Foot]:
        return {f.id: f for f in self.feet}

    @cached_property
    def post(self) -> dict[str, Post]:
        return {p.id: p for p in self.posts}

    @cached_property
    def routes(self) -> dict[str, Route]:
        """How each contact is carried, by its id, in the order of the contacts."""
        first = {t.contact: t.joint for t in self.tips}
        twig_of = {t.upper: t.lower for t in self.twigs}
        post_under = {p.top: p for p in self.posts}
        routes = {}
        for c in self.contacts:
            joint = self.joint[first[c.id]]
            chain = [joint]
            while chain[-1].id in twig_of and len(chain) <= len(twig_of):
                chain.append(self.joint[twig_of[chain[-1].id]])
            top = chain[-1]
            post = self.post[top.post] if top.post else post_under[top.id]
            foot = self.foot[post.foot]
            routes[c.id] = Route(
                (c.x_mm, c.y_mm, c.z_mm),
                (joint.x_mm, joint.y_mm, joint.z_mm),
                (top.x_mm, top.y_mm, top.z_mm),
                (foot.x_mm, foot.y_mm, foot.z_mm),
                foot.on is On.PLATE,
                post.id,
                bool(top.post),
                tuple((bend.x_mm, bend.y_mm, bend.z_mm) for bend in chain[1:-1]),
                post.narrow,
            )
        return routes

    @cached_property
    def tops_on_plate(self) -> TopsOnPlate:
        """Of all posts on the plate, in their order."""
        tops = [(p.id, self.joint[p.top].point_mm) for p in self.posts if self.foot[p.foot].on is On.PLATE]
        return TopsOnPlate(tuple(id for id, _ in tops), np.array([top for _, top in tops]).reshape(-1, 3))

    @cached_property
    def post_at(self) -> dict[str, str]:
        """Id of the post on which a joint lies, by the joint's, for those that lie on one."""
        return {p.top: p.id for p in self.posts} | {j.id: j.post for j in self.joints if j.post}

    @cached_property
    def stays(self) -> frozenset[str]:
        """Ids of posts that carry no contact: diagonals end on them."""
        return frozenset(self.post) - {route.post for route in self.routes.values()}

    @cached_property
    def feet_on_part(self) -> dict[str, float]:
        """Diameter of each foot on the part [mm], by the id of its post: it ends as thin as the thinnest tip that it carries."""
        if all(foot.on is On.PLATE for foot in self.feet):
            return {}
        thin: dict[str, float] = {}
        for contact, route in self.routes.items():
            if not route.on_plate:
                thin[route.post] = min(self.contact[contact].diameter_mm, thin.get(route.post, np.inf))
        return thin

    @cached_property
    def twig_under(self) -> dict[str, Twig]:
        """The twig under each contact's tapered end, by the contact's id, where there is one."""
        twigs = {t.upper: t for t in self.twigs}
        return {t.contact: twigs[t.joint] for t in self.tips if t.joint in twigs}

    def base_mm(self, settings: SupportSettings) -> float:
        """Height of the base."""
        return settings.slab_mm if self.base is BaseKind.SLAB else settings.pad_height_mm

    @property
    def bare(self) -> Supports:
        """What shapes them: without reasons, pins, and what is not printed."""
        return replace(self, contacts=tuple(replace(c, need=Need(), pinned=False, upright=None) for c in self.contacts), idle=())

    @property
    def outriggers(self) -> tuple[Foot, ...]:
        """Feet that carry no post: they only make the base wider."""
        carry = {p.foot for p in self.posts}
        return tuple(f for f in self.feet if f.id not in carry)

    # changes: each makes other supports

    def with_outrigger(self, x_mm: float, y_mm: float) -> Supports:
        """With one more pad of the base that carries nothing."""
        foot = Foot(f"foot-{self.last + 1}", x_mm, y_mm, 0.0)
        return replace(self, feet=(*self.feet, foot), last=self.last + 1)

    def without_outriggers(self) -> Supports:
        """Less the pads that carry nothing."""
        gone = {f.id for f in self.outriggers}
        return replace(self, feet=tuple(f for f in self.feet if f.id not in gone))

    def with_route(self, route: Route, diameter_mm: float, need: Need, post_mm: float | None = None) -> Supports:
        """One more contact, carried along a route; its post may be one of these. `post_mm` : of a post of its own."""
        n = self.last
        contact, tip, joint = f"contact-{n + 1}", f"tip-{n + 1}", f"joint-{n + 1}"
        x, y, z = route.spot_mm
        contacts = (*self.contacts, Contact(contact, x, y, z, diameter_mm, need))
        tips = (*self.tips, TipLimb(tip, contact, joint))
        joints, twigs, posts, feet = self.joints, self.twigs, self.posts, self.feet
        carried_by = route.post if route.shared else ""
        straight = bool(np.linalg.norm(np.subtract(route.joint_mm, route.top_mm)) <= SAME_MM)
        if straight:
            joints = (*joints, Joint(joint, *route.joint_mm, carried_by))
            top, n = joint, n + 1
        else:
            joints = (*joints, Joint(joint, *route.joint_mm))
            n += 1
            for number, (_, end) in enumerate(route.legs_mm):
                top = f"joint-{n + 1}"
                lies_on = carried_by if number == len(route.bends_mm) else ""
                joints, twigs = (*joints, Joint(top, *end, lies_on)), (*twigs, Twig(f"twig-{n}", joints[-1].id, top))
                n += 1
        if not route.shared:
            foot = f"foot-{n}"
            feet = (*feet, Foot(foot, *route.foot_mm, On.PLATE if route.on_plate else On.PART))
            posts = (*posts, Post(f"post-{n}", top, foot, post_mm, route.narrow))
        return replace(self, contacts=contacts, joints=joints, feet=feet, tips=tips, twigs=twigs, posts=posts, last=n)

    def moved(self, matrix: NDArray[np.float64]) -> Supports:
        """With everything moved rigidly by a 4 x 4 matrix that keeps upright what is; what stands on the plate stays on it."""

        def there(place: NDArray[np.float64]) -> tuple[float, float, float]:
            x, y, z = matrix[:3, :3] @ place + matrix[:3, 3]
            return float(x), float(y), float(z)

        def contact(c: Contact) -> Contact:
            x, y, z = there(c.spot_mm)
            return replace(c, x_mm=x, y_mm=y, z_mm=z)

        def joint(j: Joint) -> Joint:
            x, y, z = there(j.point_mm)
            return replace(j, x_mm=x, y_mm=y, z_mm=z)

        def foot(f: Foot) -> Foot:
            x, y, z = there(f.point_mm)
            return replace(f, x_mm=x, y_mm=y, z_mm=f.z_mm if f.on is On.PLATE else z)

        return replace(
            self,
            contacts=tuple(contact(c) for c in self.contacts),
            joints=tuple(joint(j) for j in self.joints),
            feet=tuple(foot(f) for f in self.feet),
            idle=tuple(replace(i, contact=contact(i.contact)) for i in self.idle),
        )

    def without(self, contacts: Iterable[str]) -> Supports:
        """Less some contacts and all that carries nothing without them."""
        gone = set(contacts)
        if not gone:
            return self
        tips = tuple(t for t in self.tips if t.contact not in gone)
        used, lower = {t.joint for t in tips}, {t.upper: t.lower for t in self.twigs}
        reached = used
        while reached := {lower[joint] for joint in reached if joint in lower} - used:
            used = used | reached
        twigs = tuple(t for t in self.twigs if t.upper in used)
        on_posts = {j.post for j in self.joints if j.id in used and j.post}
        carry = {p.id for p in self.posts if p.top in used or p.id in on_posts}
        ends = {b.id: {self.post_at[b.upper], self.post_at[b.lower]} for b in self.braces}
        braces = tuple(b for b in self.braces if ends[b.id] & carry and ends[b.id] <= carry | self.stays)
        standing = carry.union(*(ends[b.id] for b in braces))
        posts = tuple(p for p in self.posts if p.id in standing)
        used |= {p.top for p in posts}
        used |= {end for b in braces for end in (b.upper, b.lower)}
        feet = {p.foot for p in posts} | {f.id for f in self.outriggers}
        return replace(
            self,
            contacts=tuple(c for c in self.contacts if c.id not in gone),
            joints=tuple(j for j in self.joints if j.id in used),
            feet=tuple(f for f in self.feet if f.id in feet),
            tips=tips,
            twigs=twigs,
            posts=posts,
            braces=braces,
        )

    def sized(self, diameter_mm: Mapping[str, float]) -> Supports:
        """With other diameters of some contacts, by id."""
        return replace(
            self, contacts=tuple(replace(c, diameter_mm=diameter_mm[c.id]) if c.id in diameter_mm else c for c in self.contacts)
        )

    def needed_for(self, need: Mapping[str, Need]) -> Supports:
        """With other reasons of some contacts, by id."""
        return replace(self, contacts=tuple(replace(c, need=need[c.id]) if c.id in need else c for c in self.contacts))

    def stouter(self, diameter_mm: Mapping[str, float | None]) -> Supports:
        """With other diameters of some posts, by id; None for the usual one."""
        return replace(
            self, posts=tuple(replace(p, diameter_mm=diameter_mm[p.id]) if p.id in diameter_mm else p for p in self.posts)
        )

    def rerouted(self, contact: str, route: Route, diameter_mm: float, need: Need) -> Supports:
        """With a contact moved to another spot and carried anew; it keeps its id and its place among the others.

        Its post may not carry others that are not carried anew as well (see `carries_others`).
        """
        at = [c.id for c in self.contacts].index(contact)
        grown = self.without((contact,)).with_route(route, diameter_mm, need)
        new = grown.contacts[-1]
        contacts = list(grown.contacts[:-1])
        contacts.insert(at, replace(new, id=contact))
        tips = (*grown.tips[:-1], replace(grown.tips[-1], contact=contact))
        return replace(grown, contacts=tuple(contacts), tips=tips)

    def carries_others(self, contact: str) -> bool:
        """Whether the post under a contact carries further ones."""
        post = self.routes[contact].post
        return any(route.post == post for other, route in self.routes.items() if other != contact)

    def checked(self, where: str) -> Supports:
        """The same, once it is sure that all ids fit together.

        Raises
        ------
        BadJob : when an id is given twice, or something refers to what is not there.
        """
        groups = (
            self.contacts,
            [i.contact for i in self.idle],
            self.joints,
            self.feet,
            self.tips,
            self.twigs,
            self.posts,
            self.braces,
        )
        ids = [item.id for group in groups for item in group]
        ends = {t.contact for t in self.tips} - self.contact.keys()
        ends |= {t.joint for t in self.tips} - self.joint.keys()
        limbs: list[Twig | Brace] = [*self.twigs, *self.braces]
        ends |= {j for t in limbs for j in (t.upper, t.lower)} - self.joint.keys()
        ends |= {p.top for p in self.posts} - self.joint.keys() | {p.foot for p in self.posts} - self.foot.keys()
        ends |= {j.post for j in self.joints if j.post} - self.post.keys()
        ends |= {j for b in self.braces for j in (b.upper, b.lower)} - self.post_at.keys()
        try:
            carried = len(self.routes) == len(self.contacts)
        except KeyError:
            carried = False
        if len(set(ids)) < len(ids) or ends or not carried:
            raise BadJob("its supports do not hang together.", where=where, kept="Nothing was opened.")
        return self


def started(supports: Supports | None, settings: SupportSettings) -> Supports:
    """Supports to add to: those that there are, or none yet, on the base that the settings name; no number is given again."""
    had = Supports() if supports is None else supports
    return had if had else replace(had, base=BaseKind(settings.base))
