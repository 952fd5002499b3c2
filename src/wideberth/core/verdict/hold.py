"""Findings on what holds: tips, what follows when one lets go, pieces on tips in line, posts that bend aside."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.loads import KINDS, SPECK_PULL_N, Failure, Loads, Sag
from wideberth.core.verdict.finding import (
    DOUBTFUL,
    LOST,
    MARGIN_DOUBTFUL,
    NOTE,
    RANK,
    Finding,
    Spot,
    counted,
    margin_severity,
    spread,
)
from wideberth.core.verdict.records import TipRecord

MANY = 12
UNSTEADY = 1.0
SAGS_BADLY = 3.0
"""Layers of sag from which a region is doubtful; from one on it is a note."""


def failure_text(failure: Failure, layer_mm: float) -> str:
    """What follows when the weakest tip lets go, in one sentence."""
    if failure.lost_layer is not None:
        z = failure.lost_layer * layer_mm
        count = len(failure.others) + 1
        return (
            f"With it {count} tips go, and from {z:.2f} mm what they held ({failure.lost_n:.1f} N) stays on the film."
        )
    after = (
        f"the others take over at ×{failure.rest_margin:.1f}"
        if failure.rest_margin < np.inf
        else "nothing pulls on the rest"
    )
    if failure.others:
        return f"{len(failure.others)} more tips go after it; then {after}."
    return f"{'Then' if failure.expected else 'Were it to break,'} {after}."


def hold_findings(
    tips: tuple[TipRecord, ...], loads: Loads, bench: Bench, layer_mm: float, names: tuple[str, ...]
) -> list[Finding]:
    """Findings on tips and posts; tips are numbered through all prints as everywhere else in the verdict."""
    found = []

    def called(i: int) -> str:
        whose = f" of {names[tips[i].part]}" if len(names) > 1 else ""
        return f"Tip {i + 1}{whose}"

    weak = sorted((i for i, t in enumerate(tips) if margin_severity(t.margin)), key=lambda i: tips[i].margin)
    for i in weak[:MANY]:
        t = tips[i]
        severity = margin_severity(t.margin) or NOTE
        capacity = t.margin * t.worst_load_n
        verb = "lets go" if severity == LOST else "may let go" if severity == DOUBTFUL else "has little in reserve"
        z = (t.worst_layer + 0.5) * layer_mm
        found.append(
            Finding(
                "tip_margin", severity, z,
                f"{called(i)} {verb}: it must hold {t.worst_load_n:.2f} N and can hold {capacity:.2f} N "
                f"({bench.resin.green_strength_mpa:g} MPa on {t.diameter_mm:.2f} mm), margin ×{t.margin:.2f}."
                + (f" {failure_text(loads.failure, layer_mm)}" if loads.failure and loads.failure.tip == i else ""),
                "Add a tip near it or make it thicker.", "support", t.x_mm, t.y_mm,
            )
        )  # fmt: skip
    if len(weak) > MANY:
        found.append(Finding("tip_margin", margin_severity(tips[weak[MANY]].margin) or NOTE, tips[weak[MANY]].z_mm,
                             f"{len(weak) - MANY} more tips have a margin under ×2.", "Propose tips.", "support"))  # fmt: skip
    short = [i for i, t in enumerate(tips) if not t.touches]
    if short:
        first = tips[short[0]]
        what = f"{called(short[0])} ends" if len(short) == 1 else f"{counted(len(short), 'tip')} end"
        heights = spread([tips[i].z_mm for i in short])
        found.append(
            Finding("tip_misses", DOUBTFUL, first.z_mm, f"{what} short of the part, at {heights} mm.",
                    "Propose tips again for this pose.", "support", first.x_mm, first.y_mm,
                    spots=tuple((tips[i].x_mm, tips[i].y_mm, tips[i].z_mm) for i in short))
        )  # fmt: skip
    unsteady = int(loads.unsteady.argmax()) if loads.layers else 0
    if loads.layers and loads.unsteady[unsteady] > UNSTEADY and len(tips):
        z = (unsteady + 0.5) * layer_mm
        which = int(loads.unsteady_tip[unsteady])
        spot = (tips[which].x_mm, tips[which].y_mm) if which >= 0 else (None, None)
        found.append(
            Finding("unsteady", DOUBTFUL, z,
                    f"A piece at {z:.2f} mm hangs on one tip, or on tips in line, and its pull acts beside them: "
                    f"×{loads.unsteady[unsteady]:.1f} of what they can bend.",
                    "Add a tip off their line.", "support", *spot)
        )  # fmt: skip
    found += _post_findings(loads, bench, layer_mm, called)
    unheld = np.flatnonzero(loads.unheld_n > SPECK_PULL_N)
    if len(unheld):
        worst = int(unheld[0])
        found.append(
            Finding("nothing_holds", LOST, (worst + 0.5) * layer_mm,
                    f"From {worst * layer_mm:.2f} mm on a piece hangs on nothing: {loads.unheld_n[worst]:.2f} N pull on it.",
                    "Set the part on the plate, or propose tips.", "support", *(loads.unheld_mm or (None, None)))
        )  # fmt: skip
    return found


def _post_findings(loads: Loads, bench: Bench, layer_mm: float, called: Callable[[int], str]) -> list[Finding]:
    """The post that is nearest to bending aside, and how many more are near it."""
    posts = loads.posts
    margin = posts.margin
    near = np.flatnonzero(margin < MARGIN_DOUBTFUL)
    if len(near) == 0:
        return []
    worst = int(near[margin[near].argmin()])
    severity = DOUBTFUL if margin[worst] < 1 else NOTE
    tip = posts.tips[worst][0]
    others = len(near) - 1
    more = f" {counted(others, 'more post is', 'more posts are')} under ×{MARGIN_DOUBTFUL:g}." if others else ""
    return [
        Finding(
            "post_buckles", severity, (int(posts.layer[worst]) + 0.5) * layer_mm,
            f"The post under {called(tip).lower()} may bend aside on the return: {posts.push_n[worst]:.2f} N press on it and "
            f"{posts.length_mm[worst]:.0f} mm of {posts.diameter_mm[worst]:.1f} mm stand {posts.capacity_n[worst]:.2f} N by "
            f"Euler ({bench.resin.green_modulus_mpa:g} MPa), ×{margin[worst]:.2f}.{more}",
            "Stouter posts, a slower return, or a pose nearer the plate.", "support",
        )
    ]  # fmt: skip


@dataclass(frozen=True)
class _Region:
    """A region of undersides that gives too much, by its worst spot."""

    spot: Spot
    give_mm: float
    reach_mm: float
    slope_deg: float
    pull_n_per_mm2: float
    where: str
    code: str
    beyond: bool


def sag_findings(sag: Sag, bench: Bench) -> list[Finding]:
    """Regions of down-facing surfaces that give more than one layer: one finding for all that sag, all that curl, all ceilings
    that sag, and all that nothing carries; at the worst spot of each region, the worst first."""
    kinds: dict[tuple[str, bool], list[_Region]] = {}
    give = np.maximum(sag.sag_mm, sag.curl_mm)
    for region in range(sag.regions):
        own = np.flatnonzero(sag.region == region)
        worst = int(own[np.lexsort((give[own], sag.beyond[own]))[-1]])
        x, y, z = (float(v) for v in sag.points_mm[worst])
        code = "ceiling_sags" if sag.inside[worst] else "curls" if sag.curl_mm[worst] > sag.sag_mm[worst] else "sags"
        made = _Region(
            (x, y, z), float(give[worst]), float(sag.reach_mm[worst]), float(sag.slope_deg[worst]),
            float(sag.pull_n_per_mm2[worst]), KINDS[sag.kind[worst]], code, bool(sag.beyond[worst]),
        )  # fmt: skip
        kinds.setdefault((code, made.beyond), []).append(made)
    found = [_sag_finding(code, beyond, regions, bench) for (code, beyond), regions in kinds.items()]
    return sorted(found, key=lambda f: RANK[f.severity])


def _sag_finding(code: str, beyond: bool, regions: list[_Region], bench: Bench) -> Finding:
    """One finding for all regions of a kind."""
    t, laws = bench.print.layer_height_mm, bench.laws
    regions = sorted(regions, key=lambda r: -(r.reach_mm if beyond else r.give_mm))
    worst, several = regions[0], len(regions) > 1
    heights = spread([r.spot[2] for r in regions], 1)
    what = "ceiling" if code == "ceiling_sags" else "underside"
    inside = " inside a chamber" if code == "ceiling_sags" else ""
    if beyond:
        name = f"{len(regions)} {what}s" if several else f"the {worst.slope_deg:.0f}° {what}"
        message = f"Nothing carries {name}{inside} at {heights} mm for {spread([r.reach_mm for r in regions], 1)} mm."
    else:
        gives = spread([r.give_mm for r in regions])
        layers = spread([r.give_mm / t for r in regions], 1)
        reason = (
            f"shrinkage of {laws.shrinkage_share:.1%} over {worst.reach_mm:.1f} mm of free edge" if code == "curls"
            else f"{worst.reach_mm:.1f} mm {worst.where}, {worst.pull_n_per_mm2:.3f} N/mm² on {laws.young_layers:g} young layers"
        )  # fmt: skip
        name = f"{len(regions)} {what}s" if several else f"A {worst.slope_deg:.0f}° {what}"
        verb = ("curl" if code == "curls" else "sag") + ("" if several else "s")
        message = f"{name}{inside} at {heights} mm {verb} by about {gives} mm ({layers} layers): {reason}"
        message += ", at the worst." if several else "."
    severity = DOUBTFUL if beyond or worst.give_mm > SAGS_BADLY * t else NOTE
    if code == "ceiling_sags":
        remedy, step = "A lattice inside or a steeper pose: no tip may stand in a chamber.", "hollow"
    else:
        remedy, step = (
            ("A tip at each, or a steeper pose." if several else "A tip there, or a steeper pose."),
            "support",
        )
    x, y, z = worst.spot
    return Finding(code, severity, z, message, remedy, step, x, y, spots=tuple(r.spot for r in regions))
