"""Supports tuned: a base that is wide enough, fewer tips, sizes anew, and back where less would not hold."""

from __future__ import annotations

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.loads import Loads, Undersides
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress
from wideberth.core.support.bearing import borne_by, cast_on_tips, least, sized
from wideberth.core.support.graph import On, Supports
from wideberth.core.support.thinning import UNSTEADY, Asked, refitted, thinned

LEAST_PLATE_MARGIN = 1.6
RESIZING_ROUNDS, OUTRIGGER_STEPS = 3, 4
COARSER, NEARLY = (4, 2), 0.15
"""Layers that are taken as one while tips are tried, and how far the weakest margin may differ by it."""
LEAST_TO_THIN, RESTORING_ROUNDS, NEARLY_HOLDS, SLACK = 4, 6, 0.97, 1e-6
"""Fewer tips than that are all needed."""


def steadied(supports: Supports, light: Mesh, bench: Bench, progress: Progress) -> Supports:
    """With pads of the base to both sides of the line on which the feet stand, as far out as the plate asks for; none where it
    holds, or where none would help."""
    feet = np.array([(f.x_mm, f.y_mm) for f in supports.feet if f.on is On.PLATE])
    printed = cast_on_tips(light, supports, bench) if len(feet) else None
    if printed is None or least(borne_by(printed, bench).plate_margin) >= LEAST_PLATE_MARGIN:
        return supports
    middle = feet.mean(axis=0)
    centred = feet - middle
    across = np.linalg.eigh(centred.T @ centred)[1][:, 0] if len(feet) > 1 else np.array([0.0, 1.0])
    best, most = supports, least(borne_by(printed, bench).plate_margin)
    for step in range(1, OUTRIGGER_STEPS + 1):
        progress.at(0.8, "widening the base")
        out = float(np.abs(centred @ across).max()) + step * bench.supports.pad_mm
        wider = supports
        for way in (-1, 1):
            x, y = middle + way * out * across
            wider = wider.with_outrigger(float(x), float(y))
        margin = least(borne_by(cast_on_tips(light, wider, bench), bench).plate_margin)
        if margin > most + SLACK:
            best, most = wider, margin
        if most >= LEAST_PLATE_MARGIN:
            break
    return best


def tuned(
    supports: Supports, light: Mesh, under: Undersides, bench: Bench, times: dict[str, float], progress: Progress
) -> tuple[Supports, int]:
    """Supports less what idles, sized anew, and how many tips went; as they were where less would not hold as well.

    Where the plate would then hold too little the outermost of those that went come back, since the base tilts off about its
    edge; where a tip would, or something would hang unsteadily, those next to it.
    """
    if len(supports.contacts) < LEAST_TO_THIN:
        return supports, 0
    printed = cast_on_tips(light, supports, bench)
    before = borne_by(printed, bench)
    asked = Asked(printed, _tried_on(supports, before, light, bench), under, bench, times)
    fewer, _ = thinned(supports, asked, progress.part(0.0, 0.6))
    grip = min(least(before.plate_margin), LEAST_PLATE_MARGIN)
    hold = min(bench.supports.wanted_margin, least(before.hold_margin))
    went = [c.id for c in supports.contacts if c.id not in fewer.contact]
    for number in range(RESTORING_ROUNDS):
        progress.at(0.6 + 0.4 * number / RESTORING_ROUNDS, "sizing tips anew")
        fewer, after = sized_anew(fewer, light, bench)
        weak = _shaky_tip(before, after)
        if weak < 0 and least(after.hold_margin) < NEARLY_HOLDS * hold:
            weak = int(after.tip_margin.argmin())
        holds = weak < 0
        if holds and least(after.plate_margin) >= NEARLY_HOLDS * grip:
            return fewer, len(went)
        middle = np.array([c.spot_mm for c in supports.contacts]).mean(axis=0)
        at, level = (middle, [1.0, 1.0, 0.0]) if holds else (fewer.contacts[weak].spot_mm, [1.0, 1.0, 1.0])
        away = {id: float(np.linalg.norm((supports.contact[id].spot_mm - at) * level)) for id in went}
        nearest = sorted(went, key=lambda id: (-away[id] if holds else away[id], id))
        back = set(nearest[: max(2, len(went) // 4)])
        went = [id for id in went if id not in back]
        sizes = {c.id: c.diameter_mm for c in fewer.contacts}
        fewer = supports.without(went).sized(sizes)
        if not went:
            break
    return supports, 0


def _shaky_tip(before: Loads, after: Loads) -> int:
    """Number of a tip of what hangs less steadily than before, and too much so; -1 where nothing does."""
    layers = min(len(before.unsteady), len(after.unsteady))
    worse = after.unsteady[:layers] - np.maximum(before.unsteady[:layers], UNSTEADY)
    at = int(worse.argmax()) if len(worse) else 0
    return int(after.unsteady_tip[at]) if len(worse) and worse[at] > SLACK else -1


def sized_anew(supports: Supports, light: Mesh, bench: Bench) -> tuple[Supports, Loads]:
    """Tips of the size that their loads ask for, and what they bear then: fitted once, after that they only grow."""
    borne = borne_by(cast_on_tips(light, supports, bench), bench)
    supports = refitted(supports, borne, bench)
    for _ in range(RESIZING_ROUNDS):
        borne = borne_by(cast_on_tips(light, supports, bench), bench)
        supports, _, grown = sized(supports, borne, bench, True)
        if not grown:
            break
    return supports, borne_by(cast_on_tips(light, supports, bench), bench)


def _tried_on(supports: Supports, borne: Loads, light: Mesh, bench: Bench) -> Loads:
    """Loads on layers as coarse as tell the weakest margin nearly as well: tips are tried on them many times."""
    for coarser in COARSER:
        rough = borne_by(cast_on_tips(light, supports, bench, coarser), bench)
        if abs(least(rough.hold_margin) / max(least(borne.hold_margin), 1e-9) - 1) < NEARLY:
            return rough
    return borne
