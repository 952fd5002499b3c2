"""What a run needs in the vat: with the film covered to its end, never over the mark, topped up on the way where it has to be."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, Printer
from wideberth.core.predict import Prediction
from wideberth.core.shelf import Shelf, Vat, of_resin
from wideberth.core.units import duration_text

SECONDS_PER_HOUR = 3600.0


@dataclass(frozen=True)
class TopUp:
    """Before which layer to pour how much: when the film would not be covered any more. after_s : from the first layer on."""

    layer: int
    z_mm: float
    after_s: float
    ml: float


@dataclass(frozen=True)
class Filling:
    """What a run takes, what has to stay over the film, what is there, and what to pour.

    before_ml : into the vat before it begins. top_ups : on the way, since the mark leaves no room for all. leaves_ml : in the
    vat when it is over.
    """

    takes_ml: float
    cover_ml: float
    there_ml: float
    before_ml: float
    top_ups: tuple[TopUp, ...]
    leaves_ml: float


@dataclass(frozen=True, eq=False)
class Taking:
    """What a run takes out of the vat, of which resin, on which printer.

    Attributes
    ----------
    share : of `takes_ml`, taken once each layer is printed, (layers,). ends_s : when that is, (layers,).
    """

    takes_ml: float
    share: NDArray[np.float64]
    ends_s: NDArray[np.float64]
    layer_mm: float
    resin: str
    printer: Printer


def taking_of(prediction: Prediction) -> Taking:
    """Resin is taken as layers are printed, what clings and what the base takes along with them."""
    bench, loads, totals = prediction.job.bench, prediction.loads, prediction.verdict.totals
    share = np.cumsum(loads.area_mm2) / max(float(loads.area_mm2.sum()), 1e-9)
    takes = max(totals.resin_ml - totals.stays_ml, 0.0)
    return Taking(takes, share, np.cumsum(loads.seconds), prediction.layer_mm, bench.resin.name, bench.printer)


def filling_of(of: Taking, vat: Vat) -> Filling:
    """What to pour for a run, from what is in the vat of its printer; of another resin than the run's nothing counts."""
    printer, takes_ml = of.printer, of.takes_ml
    there_ml = vat.ml if vat.resin == of.resin else 0.0
    cover, mark = min(printer.cover_ml, printer.vat_ml), printer.vat_ml
    before = float(np.clip(takes_ml + cover - there_ml, 0.0, max(mark - there_ml, 0.0)))
    level, taken, tops = there_ml + before, 0.0, []
    while takes_ml - taken > level - cover + 1e-9 and mark - cover > 1e-6:
        lasts = taken + level - cover
        layer = int(np.searchsorted(of.share * takes_ml, lasts, side="right"))
        more = min(takes_ml - lasts, mark - cover)
        tops.append(TopUp(layer, layer * of.layer_mm, float(of.ends_s[layer - 1]) if layer else 0.0, more))
        level, taken = cover + more, lasts
    return Filling(takes_ml, cover, there_ml, before, tuple(tops), level - (takes_ml - taken))


def filling_lines(filling: Filling, vat: Vat, shelf: Shelf, bench: Bench, now: datetime) -> list[tuple[str, str]]:
    """(head, sentence) of what is there and what to do."""
    resin, printer, settings = bench.resin, bench.printer, bench.print
    in_it = "nothing is known to be in it"
    if not vat.is_empty:
        used = f", {vat.used_share:.0%} of it used" if vat.used_share >= 0.005 else ", fresh"
        aged = "" if vat.filled is None else f", poured {_ago(vat.filled, now)}"
        lots = f", lot {', '.join(vat.lots)}" if vat.lots else ""
        in_it = f"{vat.ml:.0f} mL of {vat.resin}{used}{lots}{aged}"
    takes = f"{filling.takes_ml:.0f} mL with what clings, and {filling.cover_ml:.0f} mL that keep the film covered"
    lines = [("In the vat", f"{in_it}."), ("The run takes", f"{takes}; the mark is at {printer.vat_ml:.0f} mL.")]
    if not vat.is_empty and vat.resin != resin.name:
        lines.append(("First", f"empty the vat: the job is of {resin.name}."))
    pour = f"pour {filling.before_ml:.0f} mL" if filling.before_ml >= 0.5 else "nothing to pour"
    lines.append(("Before it begins", f"{pour}; {filling.leaves_ml:.0f} mL are left when it is over."))
    stands, reckoned = 1000 * (filling.there_ml + filling.before_ml) / printer.vat_mm2, settings.resin_depth_mm
    if stands < reckoned - 0.5:
        lines.append(("Depth", f"it then stands {stands:.0f} mm over the film; suction is reckoned with {reckoned:g}."))
    lines += [
        ("Top up", f"{t.ml:.0f} mL before layer {t.layer + 1}, at {t.z_mm:.1f} mm, {duration_text(t.after_s)} after it began.")
        for t in filling.top_ups
    ]
    wanted, bottled = filling.before_ml + sum(t.ml for t in filling.top_ups), of_resin(shelf, resin.name)
    if wanted > bottled + 0.5:
        lines.append(("On the shelf", f"{bottled:.0f} mL of {resin.name}: {wanted - bottled:.0f} mL too little."))
    if not vat.is_empty and vat.resin == resin.name:
        lines.append(("Stirred", "not since it was poured: stir it." if vat.stirred is None else f"{_ago(vat.stirred, now)}."))
    return lines


def _ago(then: datetime, now: datetime) -> str:
    hours = max((now - then).total_seconds() / SECONDS_PER_HOUR, 0.0)
    if hours < 1:
        return "within the hour"
    return f"{hours:.0f} h ago" if hours < 48 else f"{hours / 24:.0f} days ago"
