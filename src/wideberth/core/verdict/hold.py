"""Findings on what holds: tips, what follows when one lets go, pieces on tips in line, posts that bend aside."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy

from wideberth.core.bench import Bench
from wideberth.core.loads import KINDS, SPECK_PULL_N, Failure, Loads, Sag, buckling_n
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import DOUBTFUL, LOST, NOTE, RANK, Finding, Spot, counted, spread
from wideberth.core.verdict.records import TipRecord
from wideberth.core.verdict.table import by_margin, told

MANY = 12
UNSTEADY = 1.0


def failure_text(failure: Failure, layer_mm: float) -> str:
    """What follows when the weakest tip lets go, in one sentence."""
    if failure.lost_layer is not None:
        z = failure.lost_layer * layer_mm
        count = len(failure.others) + 1
        return f"With it {count} tips go, and from {z:.2f} mm what they held ({failure.lost_n:.1f} N) stays on the film."
    after = f"the others take over at ×{failure.rest_margin:.1f}" if failure.rest_margin < np.inf else "nothing pulls on the rest"
    if failure.others:
        return f"{len(failure.others)} more tips go after it; then {after}."
    return f"{'Then' if failure.expected else 'Were it to break,'} {after}."


def hold_findings(
    tips: tuple[TipRecord, ...], loads: Loads, bench: Bench, layer_mm: float, names: tuple[str, ...]
) -> list[Finding]:
    """Findings on tips and posts; tips are numbered through all prints as everywhere else in the verdict."""
    house = bench.house

    def called(i: int) -> str:
        whose = f" of {names[tips[i].part]}" if len(names) > 1 else ""
        return f"Tip {i + 1}{whose}"

    findings = _weak_findings(tips, loads, bench, layer_mm, called)
    short = [i for i, t in enumerate(tips) if not t.touches]
    if short:
        what = f"{called(short[0])} ends" if len(short) == 1 else f"{counted(len(short), 'tip')} end"
        message = f"{what} short of the part, at {spread([tips[i].z_mm for i in short])} mm."
        spots = tuple((tips[i].x_mm, tips[i].y_mm, tips[i].z_mm) for i in short)
        findings += told(Code.TIP_MISSES, house, message, spots[0][2], spots=spots)
    findings += _size_findings(tips, bench, called)
    unsteady = int(loads.unsteady.argmax()) if loads.layers else 0
    if loads.layers and loads.unsteady[unsteady] > UNSTEADY and len(tips):
        z = (unsteady + 0.5) * layer_mm
        which = int(loads.unsteady_tip[unsteady])
        x, y, seen = (tips[which].x_mm, tips[which].y_mm, tips[which].z_mm) if which >= 0 else (None, None, None)
        message = (
            f"A piece at {z:.2f} mm hangs on one tip, or on tips in line, and its pull acts beside them: "
            f"×{loads.unsteady[unsteady]:.1f} of what they can bend."
        )
        findings += told(Code.UNSTEADY, house, message, z, x_mm=x, y_mm=y, seen_z_mm=seen)
    findings += _post_findings(loads, bench, layer_mm, called)
    unheld = np.flatnonzero(loads.unheld_n > SPECK_PULL_N)
    if len(unheld):
        worst = int(unheld[0])
        message = f"From {worst * layer_mm:.2f} mm on a piece hangs on nothing: {loads.unheld_n[worst]:.2f} N pull on it."
        x, y = loads.unheld_mm or (None, None)
        findings += told(Code.NOTHING_HOLDS, house, message, (worst + 0.5) * layer_mm, x_mm=x, y_mm=y)
    return findings


def _size_findings(tips: tuple[TipRecord, ...], bench: Bench, called: Callable[[int], str]) -> list[Finding]:
    """Tips that print finer than a pixel, and tips so close to each other that their light runs together."""
    findings, pixel = [], max(bench.printer.pixel_x_mm, bench.printer.pixel_y_mm)
    fine = [i for i, t in enumerate(tips) if t.touches and t.printed_mm < pixel]
    if fine:
        what = f"{called(fine[0])} prints" if len(fine) == 1 else f"{len(fine)} tips print"
        message = f"{what} {spread([tips[i].printed_mm for i in fine])} mm wide, under a pixel of {pixel:.3f} mm."
        spots = tuple((tips[i].x_mm, tips[i].y_mm, tips[i].z_mm) for i in fine)
        findings += told(Code.TIP_TOO_FINE, bench.house, message, spots[0][2], spots=spots)
    together, gaps = _together(tips, max(pixel, 2 * bench.printer.blur_mm))
    if together:
        what = (
            f"{called(together[0][0])} and tip {together[0][1] + 1} stand"
            if len(together) == 1
            else f"{len(together)} pairs of tips stand"
        )
        where = "on each other" if max(gaps) <= 0 else f"{spread(gaps)} mm apart, rim to rim"
        message = f"{what} {where}: they print as one and leave one mark as wide as both."
        spots = tuple((tips[i].x_mm, tips[i].y_mm, tips[i].z_mm) for i, _ in together)
        findings += told(Code.TIPS_TOGETHER, bench.house, message, spots[0][2], spots=spots)
    return findings


def _together(tips: tuple[TipRecord, ...], least_mm: float) -> tuple[list[tuple[int, int]], list[float]]:
    """Pairs of tips of one print that stand nearer than that, rim to rim, and how near; the nearest first."""
    if len(tips) < 2:
        return [], []
    at = np.array([(t.x_mm, t.y_mm, t.z_mm) for t in tips])
    wide = np.array([max(t.printed_mm, 0.0) for t in tips])
    pairs = scipy.spatial.cKDTree(at).query_pairs(float(wide.max()) + least_mm, output_type="ndarray")
    a, b = pairs.T
    gap = np.linalg.norm(at[a] - at[b], axis=1) - 0.5 * (wide[a] + wide[b])
    near = (gap < least_mm) & np.array([tips[i].part == tips[j].part for i, j in pairs], bool)
    order = np.lexsort((b[near], a[near], np.round(gap[near], 6)))
    return [(int(i), int(j)) for i, j in pairs[near][order]], [max(float(g), 0.0) for g in gap[near][order]]


def _weak_findings(
    tips: tuple[TipRecord, ...], loads: Loads, bench: Bench, layer_mm: float, called: Callable[[int], str]
) -> list[Finding]:
    """Tips whose margin deserves a word, the weakest first, and how many more there are."""
    house = bench.house
    weak = sorted((i for i, t in enumerate(tips) if by_margin(t.margin, house)), key=lambda i: tips[i].margin)
    findings = []
    verbs = {LOST: "lets go", DOUBTFUL: "may let go", NOTE: "has little in reserve"}
    for i in weak[:MANY]:
        t = tips[i]
        message = (
            f"{called(i)} {verbs[by_margin(t.margin, house) or NOTE]}: it must hold {t.worst_load_n:.2f} N and can hold "
            f"{t.margin * t.worst_load_n:.2f} N ({t.strength_mpa:.1f} MPa on {t.size_text}), "
            f"margin ×{t.margin:.2f}."
        )
        if loads.failure and loads.failure.tip == i:
            message += f" {failure_text(loads.failure, layer_mm)}"
        z = (t.worst_layer + 0.5) * layer_mm
        findings += told(Code.TIP_MARGIN, house, message, z, figure=t.margin, x_mm=t.x_mm, y_mm=t.y_mm, seen_z_mm=t.z_mm)
    if len(weak) > MANY:
        next_one = tips[weak[MANY]]
        message = f"{len(weak) - MANY} more tips have a margin under ×{house.margin_note:g}."
        findings += told(Code.TIP_MARGIN, house, message, next_one.z_mm, figure=next_one.margin, remedy="Propose tips.")
    return findings


def _post_findings(loads: Loads, bench: Bench, layer_mm: float, called: Callable[[int], str]) -> list[Finding]:
    """The post that is nearest to bending aside, and how many more are near it."""
    posts, margin, doubtful = loads.posts, loads.posts.margin, bench.house.margin_doubtful
    near = np.flatnonzero(margin < doubtful)
    if len(near) == 0:
        return []
    worst = int(near[margin[near].argmin()])
    others = len(near) - 1
    more = f" {counted(others, 'more post is', 'more posts are')} under ×{doubtful:g}." if others else ""
    modulus = posts.capacity_n[worst] / buckling_n(posts.diameter_mm[worst], posts.length_mm[worst], 1.0)
    free = f"{posts.length_mm[worst]:.0f} mm of {posts.diameter_mm[worst]:.1f} mm"
    message = (
        f"The post under {called(posts.tips[worst][0]).lower()} may bend aside on the return: {posts.push_n[worst]:.2f} N press "
        f"on it, and {free} that nothing holds aside stand {posts.capacity_n[worst]:.2f} N by Euler "
        f"({modulus:.0f} MPa by then), ×{margin[worst]:.2f}.{more}"
    )
    z = (int(posts.layer[worst]) + 0.5) * layer_mm
    return told(Code.POST_BUCKLES, bench.house, message, z, figure=float(margin[worst]))


@dataclass(frozen=True)
class _Region:
    """A region of undersides that gives too much, by its worst spot."""

    spot: Spot
    give_mm: float
    reach_mm: float
    slope_deg: float
    pull_n_per_mm2: float
    where: str
    code: Code
    beyond: bool


def sag_findings(sag: Sag, bench: Bench) -> list[Finding]:
    """Regions of down-facing surfaces that give more than one layer: one finding for all that sag, all that curl, all ceilings
    that sag, and all that nothing carries; at the worst spot of each region, the worst first."""
    kinds: dict[tuple[Code, bool], list[_Region]] = {}
    give = np.maximum(sag.sag_mm, sag.curl_mm)
    for region in range(sag.regions):
        own = np.flatnonzero(sag.region == region)
        worst = int(own[np.lexsort((give[own], sag.beyond[own]))[-1]])
        x, y, z = (float(v) for v in sag.points_mm[worst])
        code = Code.CURLS if sag.curl_mm[worst] > sag.sag_mm[worst] else Code.SAGS
        code = Code.CEILING_SAGS if sag.inside[worst] else code
        made = _Region(
            (x, y, z),
            float(give[worst]),
            float(sag.reach_mm[worst]),
            float(sag.slope_deg[worst]),
            float(sag.pull_n_per_mm2[worst]),
            KINDS[sag.kind[worst]],
            code,
            bool(sag.beyond[worst]),
        )
        kinds.setdefault((code, made.beyond), []).append(made)
    findings = [f for (code, beyond), regions in kinds.items() for f in _sag_finding(code, beyond, regions, bench)]
    return sorted(findings, key=lambda f: RANK[f.severity])


def _sag_finding(code: Code, beyond: bool, regions: list[_Region], bench: Bench) -> list[Finding]:
    """One finding for all regions of a kind."""
    t, laws = bench.print.layer_height_mm, bench.laws
    regions = sorted(regions, key=lambda r: -(r.reach_mm if beyond else r.give_mm))
    worst, several = regions[0], len(regions) > 1
    heights = spread([r.spot[2] for r in regions], 1)
    what = "ceiling" if code is Code.CEILING_SAGS else "underside"
    inside = " inside a chamber" if code is Code.CEILING_SAGS else ""
    if beyond:
        name = f"{len(regions)} {what}s" if several else f"the {worst.slope_deg:.0f}° {what}"
        message = f"Nothing carries {name}{inside} at {heights} mm for {spread([r.reach_mm for r in regions], 1)} mm."
    else:
        gives = spread([r.give_mm for r in regions])
        layers = spread([r.give_mm / t for r in regions], 1)
        reason = (
            f"shrinkage of {laws.shrinkage_share:.1%} over {worst.reach_mm:.1f} mm of free edge"
            if code is Code.CURLS
            else f"{worst.reach_mm:.1f} mm {worst.where}, {worst.pull_n_per_mm2:.3f} N/mm² on {laws.young_layers:g} young layers"
        )
        name = f"{len(regions)} {what}s" if several else f"A {worst.slope_deg:.0f}° {what}"
        verb = ("curl" if code is Code.CURLS else "sag") + ("" if several else "s")
        message = f"{name}{inside} at {heights} mm {verb} by about {gives} mm ({layers} layers): {reason}"
        message += ", at the worst." if several else "."
    layers_given = np.inf if beyond else worst.give_mm / t
    remedy = "A tip at each, or a steeper pose." if several else "A tip there, or a steeper pose."
    return told(
        code,
        bench.house,
        message,
        worst.spot[2],
        figure=float(layers_given),
        remedy="" if code is Code.CEILING_SAGS else remedy,
        spots=tuple(r.spot for r in regions),
    )
