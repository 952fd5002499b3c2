"""Proposed tips before the verdict: grown, and more of them, where it asks for that; and what is still less than is wanted."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from wideberth.core.job import Job, Part, job_of
from wideberth.core.layers import bodies
from wideberth.core.loads import SPECK_PULL_N, Tug, barred_by
from wideberth.core.predict import Prediction, Stages, as_tips_are_judged, predict
from wideberth.core.progress import Progress
from wideberth.core.propose.necks import Neck, doubtful_necks
from wideberth.core.propose.proposal import Proposal, only
from wideberth.core.propose.rooming import room_around
from wideberth.core.support import (
    REFUSED_MM,
    Need,
    NeedKind,
    Supports,
    Want,
    braced,
    fitting_mm,
    most_free_mm,
    steadying_mm,
    stouter_posts,
    touches,
    with_company,
)
from wideberth.core.verdict import LOST, Code, counted

JUDGED_ROUNDS, COMPANY_ROUNDS, SHARING_ROUNDS = 8, 6, 3
"""What gets company only grows after that, so that no tip is left as thin as it came."""
NEARLY, HELPS, SHAKY, SLACK_MM = 0.99, 0.99, 1.005, 1e-6
"""Of the wanted margin: what holds as much is not worth a word. Of what was lacking: company helps where less lacks then. Of the
moment that tips resist."""


def as_judged(job: Job, id: str, stages: Stages, progress: Progress) -> tuple[Job, Prediction]:
    """The job with tips and posts of a part grown to what the verdict asks for, and one more under each beginning that it alone
    sees, and the prediction of the part alone on its plate, filled: so it is the same whether it is hollowed before or
    after."""
    refused = job.part(id).refused_spots("support")
    company = Company(stages, refused)
    *looks, last = progress.rounds(JUDGED_ROUNDS + 1)
    for number, share in enumerate(looks):
        seen = as_judged_alone(job, id, stages, share)
        grown = thicker(seen, stages)
        supports = under_beginnings(grown.job.parts[0], seen, stages, refused)
        supports = company.beside(supports, seen, more=number < COMPANY_ROUNDS)
        if supports == job.part(id).supports:
            return job, seen
        job = job.with_part(replace(job.part(id), supports=grown_to_shares(supports, seen)))
    return job, as_judged_alone(job, id, stages, last)


def as_judged_alone(job: Job, id: str, stages: Stages, progress: Progress) -> Prediction:
    """What a part of a job is predicted as alone on its plate, filled, without ranges, sag and clashes; with all of its holes:
    something may begin at the rim of one, and cups of its own breathe through them."""
    part = replace(job.part(id), id="")
    return predict(job_of(job.title, job.bench, (part,)), stages, as_tips_are_judged(), progress)


def grown_to_shares(supports: Supports, seen: Prediction) -> Supports:
    """Supports other than those of a prediction of one part, their tips grown to what they would bear of its pulls, until none
    grows: what is predicted next hardly has to grow."""
    for _ in range(SHARING_ROUNDS):
        tug = _tug_on(supports, seen)
        steadying = steadying_mm(tug.shared.unsteady, tug.shared.unsteady_tip, tug.tips, tug.bench)
        fitting = fitting_mm(tug.tip_load_n, tug.tips, tug.bench, steadying)
        grows = [
            (contact.id, round(float(size), 3))
            for contact, size in zip(supports.contacts, fitting, strict=True)
            if size > contact.diameter_mm + SLACK_MM and not contact.pinned
        ]
        if not grows:
            break
        supports = supports.sized(dict(grows))
    return supports


def _tug_on(supports: Supports, seen: Prediction) -> Tug:
    """What a prediction of one part pulls on other supports, all causes together."""
    x, y, _ = (float(v) for v in seen.solids[0].shift_mm)
    return seen.loads.part_pulls.tug(touches(supports, seen.job.bench.supports, 0, x, y), by_cause=False)


def falls_short(seen: Prediction) -> list[str]:
    """Where tips and base of a prediction of one part hold less than is wanted, with why and what would help."""
    settings, v, told = seen.job.bench.supports, seen.verdict, []
    wanted = NEARLY * settings.wanted_margin
    if weak := [tip for tip in v.tips if tip.margin < wanted]:
        worst = min(weak, key=lambda tip: tip.margin)
        pinned = seen.job.parts[0].supports.contact[worst.contact].pinned
        stout = worst.diameter_mm >= settings.largest_tip_mm - SLACK_MM
        why = (
            "is pinned"
            if pinned
            else "is as thick as allowed, and more beside it would not help"
            if stout
            else "wants more company"
        )
        holds = f"{counted(len(weak), 'tip')} {'holds' if len(weak) == 1 else 'hold'} less than ×{settings.wanted_margin:g}"
        helps = "unpin it" if pinned else "turn the part, or allow thicker tips"
        told.append(f"{holds}, the weakest ×{worst.margin:.2f}: it {why}; {helps}")
    if v.plate_margin is not None and v.plate_margin < (wanted if v.tips else 1.0):
        holds = f"the plate holds ×{v.plate_margin:.2f}, not ×{settings.wanted_margin:g}"
        holds += ", on as wide a base as helps" if v.tips else ""
        told.append(f"{holds}; turn the part, or expose its first layers longer")
    shaky = seen.loads.unsteady
    if len(shaky) and shaky.max() > SHAKY:
        hangs = f"at {(int(shaky.argmax()) + 0.5) * seen.layer_mm:.1f} mm a piece hangs unsteadily on its tips"
        told.append(
            f"{hangs}, ×{shaky.max():.2f} of the moment that they resist, and more beside them would not help; turn the part"
        )
    posts = seen.loads.posts.margin
    if bend := int((posts < wanted).sum()):
        stand = f"{counted(bend, 'post')} {'stands' if bend == 1 else 'stand'} less than ×{settings.wanted_margin:g}"
        told.append(
            f"{stand} of the return's push, the weakest ×{posts.min():.2f}, as stout and braced as helps; allow stouter posts, "
            "return more slowly, or turn the part"
        )
    for neck in doubtful_necks(seen)[:1]:
        holds = f"a neck of the part's own at {neck.z_mm:.1f} mm holds ×{neck.margin:.2f}"
        told.append(f"{holds}, and tips beyond it would not help; turn the part, or thicken it")
    adrift = np.flatnonzero(seen.loads.unheld_n > SPECK_PULL_N)
    lone = [finding for finding in v.findings if finding.code == Code.ISLAND and finding.severity == LOST]
    if lone:
        hang = "beginning hangs" if lone[0].count == 1 else "beginnings hang"
        told.append(f"{lone[0].count} {hang} on nothing, the lowest at {lone[0].z_mm:.1f} mm; turn the part")
    elif len(adrift):
        told.append(f"from {adrift[0] * seen.layer_mm:.1f} mm on a piece hangs on nothing; turn the part")
    return told


def lost_by(seen: Prediction) -> str:
    """By what a prediction of one part would be lost for want of tips, in words; nothing where it would not."""
    v, unheld = seen.verdict, {Code.ISLAND: "something begins on nothing", Code.NOTHING_HOLDS: "nothing holds it"}
    lost = {finding.code for finding in v.findings if finding.severity == LOST}
    told = [text for code, text in unheld.items() if code in lost]
    if Code.PLATE_MARGIN in lost and v.plate_margin is not None:
        told.append(f"the plate holds ×{v.plate_margin:.2f}")
    if Code.TIP_MARGIN in lost:
        told.append(f"the weakest tip holds ×{min(tip.margin for tip in v.tips):.2f}")
    return told[0] if told else ""


def under_beginnings(part: Part, seen: Prediction, stages: Stages, refused_mm: NDArray[np.float64]) -> Supports:
    """A part's supports, with a tip under each beginning in mid-liquid of a prediction of it alone that none holds and that is
    near no refused spot (n, 3)."""
    supports, room = part.supports, None
    for island in seen.verdict.islands:
        if island.supported or island.inside:
            continue
        room = room or room_around(part, stages, seen.job.bench)
        spot = np.array([island.x_mm, island.y_mm, island.z_mm]) - seen.solids[0].shift_mm
        if _is_refused(spot, refused_mm):
            continue
        if (grown := room.grown_under(spot, supports)) is not None:
            supports = grown
            continue
        way = room.way_under(spot, supports)
        if way is not None and not _is_refused(np.array(way[0].spot_mm), refused_mm):
            supports = supports.with_route(*way, Need(NeedKind.ISLAND))
    return supports


def _is_refused(spot: NDArray[np.float64], refused_mm: NDArray[np.float64]) -> bool:
    return bool(np.linalg.norm(refused_mm - spot, axis=1).min(initial=np.inf) < REFUSED_MM)


@dataclass(frozen=True)
class _Lack:
    """What company is wanted for. contact : for which; None for a neck of the part's own. at_mm : (3,) around where. by_mm : up
    to what height it comes in time. lacks : what is wanted over what is there. layer : in which a piece hangs unsteadily; None
    where the contact holds too little. neck : the one that holds too little what hangs beyond it."""

    contact: str | None
    at_mm: NDArray[np.float64]
    by_mm: float
    lacks: float
    layer: int | None = None
    neck: Neck | None = None

    def with_others(self, seen: Prediction, supports: Supports) -> float:
        """What lacks on the pulls of a prediction with other supports, those that are new as thick as may be."""
        settings = seen.job.bench.supports
        new = _new_in(supports, seen)
        grown = supports.sized({supports.contacts[n].id: settings.largest_tip_mm for n in new})
        tug = _tug_on(grown, seen)
        if self.neck is not None:
            margin, bear = self.neck.margin_beside(tug, new)
            lacks = _neck_lacks(margin, seen)
            return lacks if self.neck.tips_mm(tug, new, bear) is not None else self.lacks
        about = new if self.layer is not None else [*new, *(n for n, c in enumerate(supports.contacts) if c.id == self.contact)]
        lacks = settings.wanted_margin / max(float(tug.tip_margin[:, about].min(initial=np.inf)), SLACK_MM)
        return lacks if self.layer is None else max(lacks, float(tug.shared.unsteady[self.layer]))

    def as_it_bears(self, seen: Prediction, supports: Supports, came: set[str]) -> Supports:
        """Supports with what came beyond a neck as thick as it needs to be for what it bears there; others stay thin as yet."""
        new = [n for n in _new_in(supports, seen) if supports.contacts[n].id in came]
        if self.neck is None or not new:
            return supports
        tug = _tug_on(supports, seen)
        sizes = self.neck.tips_mm(tug, new, self.neck.margin_beside(tug, new)[1])
        if sizes is None:
            return supports
        there = [supports.contacts[n] for n in new]
        return supports.sized({c.id: max(round(float(d), 3), c.diameter_mm) for c, d in zip(there, sizes, strict=True)})


def _new_in(supports: Supports, seen: Prediction) -> list[int]:
    """Numbers of the contacts that a prediction of one part has not seen."""
    there = seen.job.parts[0].supports.contact
    return [n for n, c in enumerate(supports.contacts) if c.id not in there]


def _neck_lacks(margin: float, seen: Prediction) -> float:
    return seen.job.bench.house.margin_doubtful / max(margin, SLACK_MM)


class Company:
    """Company for tips that hold too little although they are as thick as allowed, for those on which a piece hangs unsteadily,
    and beyond necks of the part's own; what does not help goes again, and no more comes to where it stood."""

    def __init__(self, stages: Stages, refused_mm: NDArray[np.float64]) -> None:
        """refused_mm : (n, 3) spots that none comes near to."""
        self._stages, self._refused_mm = stages, refused_mm
        self._came: dict[str, tuple[float, set[str]]] = {}
        self._in_vain: set[str] = set()
        self._grows = False

    def beside(self, supports: Supports, seen: Prediction, more: bool) -> Supports:
        """Supports, grown since a prediction of one part, less the company that did not help by it, and with `more` where it is
        wanted. Company comes thin: it is told once it has grown to what it bears."""
        if self._came and not self._grows and supports != seen.job.parts[0].supports:
            self._grows = True
            return supports
        lacking = _lacking(seen)
        for what, (lacked, came) in self._came.items():
            if what in lacking and lacking[what].lacks > HELPS * lacked:
                supports = supports.without(came & set(supports.contact))
                self._in_vain.add(what)
        self._came, self._grows = {}, False
        there = {None, *supports.contact}
        lacking = {what: lack for what, lack in lacking.items() if what not in self._in_vain and lack.contact in there}
        if not lacking or not more:
            return supports
        part, bench = seen.job.parts[0], seen.job.bench
        outer = self._stages.solids(replace(part, shell=None, holes=()).unsupported(), bench.supports).outer
        forbidden, room = barred_by(self._stages.marked(part).mark, bench.house), room_around(part, self._stages, bench)
        asked = [
            Want(lack.at_mm, lack.by_mm, partial(lack.with_others, seen), wholly=lack.neck is not None)
            for lack in lacking.values()
        ]
        made, each = with_company(supports, asked, room, bench, self._refused_mm, outer, forbidden)
        for lack, new in zip(lacking.values(), each, strict=True):
            made = lack.as_it_bears(seen, made, new)
        self._came = {what: (lack.lacks, new) for (what, lack), new in zip(lacking.items(), each, strict=True)}
        return made


def _lacking(seen: Prediction) -> dict[str, _Lack]:
    """What wants company, by what is to hold: the worst first."""
    wanted, largest, unsteady = seen.job.bench.supports.wanted_margin, seen.job.bench.supports.largest_tip_mm, seen.loads.unsteady
    stout = {n: tip for n, tip in enumerate(seen.verdict.tips) if tip.diameter_mm >= largest - SLACK_MM}
    weak = {n: wanted / max(tip.margin, SLACK_MM) for n, tip in stout.items() if tip.margin < wanted}
    contact = seen.job.parts[0].supports.contact
    lacking = {
        f"tip {stout[n].contact}": _Lack(stout[n].contact, contact[stout[n].contact].spot_mm, np.inf, lacks)
        for n, lacks in weak.items()
    }
    shaky: set[int] = set(weak)
    for layer in sorted(np.flatnonzero(unsteady > 1.0), key=lambda k: -unsteady[k]):  # where it hangs least steadily
        n = int(seen.loads.unsteady_tip[layer])
        if n in stout and n not in shaky:
            shaky.add(n)
            by_mm = (int(layer) + 1) * seen.layer_mm + 0.5 * largest
            middle = piece_middle(seen, n, int(layer))
            lacking[f"layer {layer}"] = _Lack(stout[n].contact, middle, by_mm, float(unsteady[layer]), int(layer))
    for neck in doubtful_necks(seen):
        by_mm = (neck.peeling + 1) * seen.layer_mm + 0.5 * largest
        beyond = neck.middle_mm - seen.solids[0].shift_mm
        what = f"neck {neck.z_mm:.2f} {neck.at_mm[0]:.1f} {neck.at_mm[1]:.1f}"
        lacking[what] = _Lack(None, beyond, by_mm, _neck_lacks(neck.margin, seen), neck=neck)
    return lacking


def piece_middle(seen: Prediction, tip: int, layer: int) -> NDArray[np.float64]:
    """Where a piece that hangs on a tip has its middle in a layer, (3,) around the part's own place; the tip's own spot where
    what it meets by its axis begins higher up."""
    sections, touched = seen.printed.part_sections, seen.printed.touched[[tip]]
    hangs = bodies(sections, touched.clip(0))
    mine = np.flatnonzero((sections.layer == layer) & (hangs.root == hangs.tracked[layer, 0]) & (touched[0] >= 0))
    if len(mine) == 0:
        return seen.job.parts[0].supports.contacts[tip].spot_mm
    x, y = (float(np.average(of[mine], weights=sections.area_mm2[mine])) for of in (sections.x_mm, sections.y_mm))
    return np.asarray(np.array([x, y, (layer + 0.5) * seen.layer_mm]) - seen.solids[0].shift_mm)


def _none_grows(seen: Prediction) -> str:
    wanted = seen.job.bench.supports.wanted_margin
    weak = [tip.margin for tip in seen.verdict.tips if tip.margin < NEARLY * wanted]
    if not weak:
        return "every tip and post is thick enough"
    holds = (
        f"{counted(len(weak), 'tip')} {'holds' if len(weak) == 1 else 'hold'} less than ×{wanted:g}, the weakest ×{min(weak):.2f}"
    )
    return f"none may be thicker, and {holds}; allow thicker tips, add some, or turn the part"


def thicker(seen: Prediction, stages: Stages) -> Proposal:
    """Thicker tips and posts, and diagonals, where a prediction asks for them."""
    job, held = seen.job, seen.printed.touches
    wanted: dict[str, dict[str, float]] = {}
    borne = seen.loads
    steadying = steadying_mm(borne.unsteady, borne.unsteady_tip, borne.tips, job.bench)
    fitting = fitting_mm(borne.tip_load_n, borne.tips, job.bench, steadying)
    for touch, size in zip(held, fitting, strict=True):
        part = seen.placed[touch.part].part
        contact = part.supports.contact[touch.contact]
        if size > contact.diameter_mm + SLACK_MM and not contact.pinned:  # a further print's tip is the part's own
            sizes = wanted.setdefault(part.id, {})
            sizes[contact.id] = max(round(float(size), 3), sizes.get(contact.id, 0.0))
    stouter: dict[str, dict[str, float]] = {}
    for (number, post), size in stouter_posts(seen.loads.posts, job.bench).items():
        sizes = stouter.setdefault(seen.placed[number].part.id, {})
        sizes[post] = max(size, sizes.get(post, 0.0))
    free: dict[str, dict[str, float]] = {}
    for (number, post), most in most_free_mm(seen.loads.posts, job.bench).items():
        posts_of = free.setdefault(seen.placed[number].part.id, {})
        posts_of[post] = min(most, posts_of.get(post, most))
    diagonals = 0
    for id in wanted.keys() | stouter.keys() | free.keys():
        part = job.part(id)
        grown = part.supports.sized(wanted.get(id, {})).stouter(stouter.get(id, {}))
        if id in free:
            grown, _ = braced(grown, free[id], room_around(part, stages, job.bench).clearance, job.bench.supports)
            diagonals += len(grown.braces) - len(part.supports.braces)
        job = job.with_part(replace(part, supports=grown))
    tips, posts = (sum(len(s) for s in sizes.values()) for sizes in (wanted, stouter))
    grow = [counted(n, what) + (" grows" if n == 1 else " grow") for n, what in ((tips, "tip"), (posts, "post"))]
    told = [f"{grow[0]} to carry suction and the shell's own pull, or what hangs unsteadily"] if tips else []
    told += [f"{grow[1]} stouter against the push of the return"] if posts else []
    told += [f"{counted(diagonals, 'diagonal')} between posts that would bend aside"] if diagonals else []
    why = "; ".join(told) or _none_grows(seen)
    return only("support", "thicker tips and posts", why, job, needed=bool(told))
