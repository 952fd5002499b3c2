"""The bench read over by a colleague: what looks wrong, copied, or in another unit, each with its numbers."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.bench import BLEEDING, UNDER, Bench, coldest_c, exposure_advice, vat_c_at, viscosity_at
from wideberth.core.units import MM_PER_INCH
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding
from wideberth.core.verdict.moves import motion_findings
from wideberth.core.verdict.strongest import Strongest, usual_pull
from wideberth.core.verdict.table import told

USUAL_LAYER_MM = (0.01, 0.2)
STEP_TOLERANCE = 0.01


def settings_findings(
    bench: Bench, strongest: Strongest | None = None, hours: float | None = None, first: Strongest | None = None
) -> list[Finding]:
    """What a colleague would say of these settings; nothing when all is as usual.

    Parameters
    ----------
    strongest : the print's strongest pull; that of a 40 mm disc when there is no print. hours : how long the print takes, so
    that a drift is followed only that far; to its end when there is no print. first : the first layers' strongest pull, where
    they move in a way of their own.
    """
    strongest = strongest or usual_pull(bench)
    if hours is not None and bench.print.drift_to_c is not None and hours < bench.print.drift_h:
        bench = replace(bench, print=replace(bench.print, drift_to_c=round(vat_c_at(bench.print, hours), 1), drift_h=hours))
    layers = _layer_height(bench)
    light = [] if any(f.code is Code.LAYER_HEIGHT for f in layers) else _light(bench)  # one slip, one word
    return layers + motion_findings(bench, strongest, first) + light + _first_layers(bench) + _warmth(bench) + _detail(bench)


def _say(
    bench: Bench, code: Code, message: str, remedy: str = "", change: tuple[str, float] | None = None, figure: float = 0.0
) -> list[Finding]:
    return told(code, bench.house, message, remedy=remedy, change=change, figure=figure)


def _layer_height(bench: Bench) -> list[Finding]:
    t, step = bench.print.layer_height_mm, bench.printer.step_mm
    low, high = USUAL_LAYER_MM
    if t > high:
        return _say(
            bench,
            Code.LAYER_HEIGHT,
            f"Layers of {t:g} mm are thick for a masked-light printer; {t / 10:g} mm is usual: is the point in the right place?",
            f"Set the layer height to {t / 10:g} mm.",
        )
    if t < low and low <= t * MM_PER_INCH <= high:
        return _say(
            bench,
            Code.LAYER_HEIGHT,
            f"Layers of {t:g} mm look like inches: {t:g} in are {t * MM_PER_INCH:.3f} mm.",
            f"Set the layer height to {t * MM_PER_INCH:.3f} mm.",
        )
    steps = t / step
    if abs(steps - round(steps)) > STEP_TOLERANCE * max(1.0, steps / 100):
        nearest = max(1, round(steps)) * step
        return _say(
            bench,
            Code.LAYER_STEP,
            f"{t:g} mm is {steps:.2f} steps of {step:g} mm: the axis will round layers up and down, which shows as bands.",
            f"Use {nearest:g} mm.",
        )
    return []


def _light(bench: Bench) -> list[Finding]:
    p, t = bench.print, bench.print.layer_height_mm
    cold = coldest_c(p)
    warm = max(p.vat_c, p.drift_to_c if p.drift_to_c is not None else p.vat_c)
    weak, strong = exposure_advice(bench, cold), exposure_advice(bench, warm)
    if weak.state == UNDER:
        return _say(
            bench,
            Code.UNDER_BONDED,
            f"{p.exposure_s:g} s cure {max(0.0, weak.depth_mm):.3f} mm at {cold:g} °C, "
            f"×{max(0.0, weak.depth_ratio):.1f} of the layer; it takes ×{bench.laws.bond_depth_ratio:g} to bond.",
            f"Expose {weak.advised_s:.1f} s; {weak.least_s:.1f} s is the least.",
            ("print.exposure_s", round(weak.advised_s, 1)),
            weak.depth_ratio,
        )
    if strong.state == BLEEDING:
        return _say(
            bench,
            Code.BLEEDING,
            f"{p.exposure_s:g} s cure {strong.depth_mm:.3f} mm at {warm:g} °C, "
            f"×{strong.depth_ratio:.1f} of the {t:g} mm layer: undersides blur by {strong.depth_mm - t:.2f} mm.",
            f"Expose {strong.advised_s:.1f} s; {strong.most_s:.1f} s is the most.",
            ("print.exposure_s", round(strong.advised_s, 1)),
        )
    return []


def _first_layers(bench: Bench) -> list[Finding]:
    p = bench.print
    if p.first_layers == 0:
        return _say(bench, Code.NO_FIRST_LAYERS, "No layer is exposed longer at the start: little grips the plate.")
    if p.first_exposure_s < p.exposure_s:
        return _say(
            bench,
            Code.FIRST_SHORTER,
            f"First layers get {p.first_exposure_s:g} s, less than the {p.exposure_s:g} s of normal ones: were the two swapped?",
        )
    return []


def _warmth(bench: Bench) -> list[Finding]:
    p, resin = bench.print, bench.resin
    findings: list[Finding] = []
    cold, warm = coldest_c(p), max(p.vat_c, p.drift_to_c if p.drift_to_c is not None else p.vat_c)
    if cold < resin.coldest_c:
        when = f"within {p.drift_h:.1f} h" if p.drift_to_c is not None and cold == p.drift_to_c else "from the start"
        thicker = viscosity_at(resin, cold) / viscosity_at(resin, max(cold, resin.coldest_c))
        findings += _say(
            bench,
            Code.TOO_COLD,
            f"The vat falls to {cold:g} °C {when}; {resin.name} wants {resin.coldest_c:g} "
            f"°C or more. At the cold end it is ×{thicker:.2f} as thick as at that limit and needs "
            f"{exposure_advice(bench, cold).advised_s:.1f} s of light.",
        )
    if warm > resin.warmest_c:
        findings += _say(
            bench, Code.TOO_WARM, f"The vat reaches {warm:g} °C; {resin.name} is advised up to {resin.warmest_c:g} °C."
        )
    return findings


def _detail(bench: Bench) -> list[Finding]:
    pixel = max(bench.printer.pixel_x_mm, bench.printer.pixel_y_mm)
    if 2 * pixel <= bench.resin.thinnest_wall_mm:
        return []
    message = (
        f"Two pixels of {bench.printer.name} are {2 * pixel:.3f} mm, more than the {bench.resin.thinnest_wall_mm:g} mm that "
        f"{bench.resin.name} would hold: the light decides what is legible."
    )
    return _say(bench, Code.COARSE_PIXEL, message)
