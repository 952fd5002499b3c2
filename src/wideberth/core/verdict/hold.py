"""Findings on what holds: tips, what follows when one lets go, pieces on tips in line, posts that bend aside."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.loads import KINDS, SPECK_PULL_N, Failure, Loads, Sag
from wideberth.core.verdict.finding import DOUBTFUL, LOST, NOTE, Finding, margin_severity
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
    for i, t in enumerate(tips):
        if not t.touches:
            found.append(
                Finding("tip_misses", DOUBTFUL, t.z_mm, f"{called(i)} ends short of the part.",
                        "Propose tips again for this pose.", "support", t.x_mm, t.y_mm)
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
    near = np.flatnonzero(margin < 1.5)
    if len(near) == 0:
        return []
    worst = int(near[margin[near].argmin()])
    severity = DOUBTFUL if margin[worst] < 1 else NOTE
    tip = posts.tips[worst][0]
    more = f" {len(near) - 1} more posts are under ×1.5." if len(near) > 1 else ""
    return [
        Finding(
            "post_buckles", severity, (int(posts.layer[worst]) + 0.5) * layer_mm,
            f"The post under {called(tip).lower()} may bend aside on the return: {posts.push_n[worst]:.2f} N press on it and "
            f"{posts.length_mm[worst]:.0f} mm of {posts.diameter_mm[worst]:.1f} mm stand {posts.capacity_n[worst]:.2f} N by "
            f"Euler ({bench.resin.green_modulus_mpa:g} MPa), ×{margin[worst]:.2f}.{more}",
            "Stouter posts, a slower return, or a pose nearer the plate.", "support",
        )
    ]  # fmt: skip


def sag_findings(sag: Sag, bench: Bench) -> list[Finding]:
    """Regions of down-facing surfaces that give more than one layer, worst first."""
    t, laws = bench.print.layer_height_mm, bench.laws
    found: list[tuple[float, Finding]] = []
    give = np.maximum(sag.sag_mm, sag.curl_mm)
    for region in range(sag.regions):
        own = np.flatnonzero(sag.region == region)
        worst = int(own[give[own].argmax()])
        x, y, z = (float(v) for v in sag.points_mm[worst])
        curls = sag.curl_mm[worst] > sag.sag_mm[worst]
        severity = DOUBTFUL if give[worst] > SAGS_BADLY * t else NOTE
        where = KINDS[sag.kind[worst]]
        reason = (
            f"shrinkage of {laws.shrinkage_share:.1%} over {sag.reach_mm[worst]:.1f} mm of free edge" if curls
            else f"{sag.reach_mm[worst]:.1f} mm {where}, {sag.pull_n_per_mm2[worst]:.3f} N/mm² on "
            f"{laws.young_layers:g} young layers"
        )  # fmt: skip
        if sag.inside[worst]:
            found.append((
                float(give[worst]),
                Finding("ceiling_sags", severity, z,
                        f"A {sag.slope_deg[worst]:.0f}° ceiling inside a chamber at {z:.1f} mm sags by about "
                        f"{give[worst]:.2f} mm ({give[worst] / t:.1f} layers): {reason}.",
                        "A lattice inside or a steeper pose: no tip may stand in a chamber.", "hollow", x, y),
            ))  # fmt: skip
            continue
        found.append((
            float(give[worst]),
            Finding("curls" if curls else "sags", severity, z,
                    f"A {sag.slope_deg[worst]:.0f}° underside at {z:.1f} mm {'curls' if curls else 'sags'} by about "
                    f"{give[worst]:.2f} mm ({give[worst] / t:.1f} layers): {reason}.",
                    "A tip there, or a steeper pose.", "support", x, y),
        ))  # fmt: skip
    found.sort(key=lambda pair: -pair[0])
    told = [finding for _, finding in found[:MANY]]
    if len(found) > MANY:
        z = found[MANY][1].z_mm
        told.append(Finding("sags", NOTE, z, f"{len(found) - MANY} more undersides give more than one layer.",
                            "Propose tips, or a steeper pose.", "support"))  # fmt: skip
    return told
