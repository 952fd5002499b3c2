"""Why a figure is what it is: the chain from bench values to the result, with the formula's terms filled in."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import (
    FITTED,
    Bench,
    Motion,
    by_layer,
    exposure_of_layer,
    facts_of,
    has_first_motion,
    lit_share,
    motion,
    number_text,
    viscosity_at,
)
from wideberth.core.layers import SEALED, Printed
from wideberth.core.loads import (
    LINE,
    SEALED_CUP,
    VENTED_CUP,
    VISCOUS,
    WEIGHT,
    Loads,
    bond_factors,
    plate_strength,
    tip_stiffnesses,
)
from wideberth.core.units import MM3_PER_ML, duration_range_text, duration_text, mm_per_s, money_text
from wideberth.core.verdict.hold import failure_text
from wideberth.core.verdict.judge import Verdict

FIGURES = ("hold", "pull", "suction", "trapped", "time", "resin", "price")
CAUSE_WORDS = {LINE: "line adhesion", VISCOUS: "viscous pull", SEALED_CUP: "suction of sealed cups",
               VENTED_CUP: "suction of vented cups", WEIGHT: "weight"}  # fmt: skip
TOLD = 3
SHOWN_S = 0.05
"""Seconds that are worth telling apart."""


@dataclass(frozen=True)
class Link:
    """One link of a chain: what is worked out, in words with its terms filled in, the result, and the bench keys it rests on."""

    what: str
    terms: str
    result: str
    keys: tuple[str, ...] = ()


@dataclass(frozen=True)
class Chain:
    """The links of a figure from the bench up, and where on the print it comes from."""

    title: str
    links: tuple[Link, ...]
    z_mm: float | None = None


@dataclass(frozen=True)
class _At:
    """What the chains look at."""

    printed: Printed
    loads: Loads
    bench: Bench
    verdict: Verdict

    def z_mm(self, layer: int) -> float:
        return float(self.printed.all.grid.z_of(layer))

    def moved(self, layer: int) -> Motion:
        """How the plate moves after a layer."""
        return motion(self.bench, first=layer < self.bench.print.first_layers)

    def layer(self, z_mm: float) -> int:
        return int(self.printed.all.grid.layer_of(z_mm))


def why(figure: str, printed: Printed, loads: Loads, bench: Bench, verdict: Verdict) -> Chain:
    """The chain of one of `FIGURES`."""
    at = _At(printed, loads, bench, verdict)
    chains = {
        "hold": _hold,
        "pull": _pull,
        "suction": _suction,
        "trapped": _trapped,
        "time": _time,
        "resin": _resin,
        "price": _price,
    }
    return chains[figure](at)


def source_text(bench: Bench, key: str) -> str:
    """A bench value with its unit and where it comes from: `green strength 8 MPa · default`."""
    section, _, name = key.partition(".")
    value = next(v for v in bench.values() if v.key == key)
    facts = next(f for f in facts_of(section) if f.key == name)
    shown = number_text(value.value) if isinstance(value.value, int | float) else str(value.value)
    return f"{facts.words} {shown} {facts.unit}".rstrip() + f" · {value.source}"


def _hold(at: _At) -> Chain:
    v, loads, bench = at.verdict, at.loads, at.bench
    if v.weakest is None:
        return Chain("Nothing stands on the plate or hangs on tips yet.", ())
    if v.weakest_tip is None or v.hold_margin is None or v.hold_margin != v.weakest:
        return _plate(at) if v.plate_margin == v.weakest else Chain("A piece hangs on nothing.", (), v.hold_z_mm)
    tip, touch = v.tips[v.weakest_tip], at.printed.touches[v.weakest_tip]
    layer = tip.worst_layer
    causes = loads.tip_cause_n[layer, v.weakest_tip]
    capacity = float(loads.tip_capacity_n[layer, v.weakest_tip])
    young = np.array([[loads.tips.stiff[layer, v.weakest_tip]]])
    stiff = tip_stiffnesses([touch], bench.resin.green_modulus_mpa, np.array([tip.printed_mm]), young)[0, 0]
    dose = loads.young.own[loads.young.layers_at(np.array([touch.z_mm]))[0]]
    low, high = loads.ranges.hold_low[layer], loads.ranges.hold_high[layer]
    fewest, most = (float(s[0]) for s in lit_share([tip.diameter_mm], bench.printer))
    links = [
        *_peel_links(at, layer),
        Link(
            "This tip's share",
            f"as of springs: {stiff:.0f} N/mm for {tip.printed_mm:.2f} mm on a post of {touch.post_length_mm:.0f} mm, against "
            f"the others of its piece; {_by_cause(causes)}",
            f"{tip.worst_load_n:.2f} N",
            ("resin.green_modulus_mpa",),
        ),
        Link(
            "What it can hold",
            f"σ π d²/4 = {tip.strength_mpa:.2f} MPa × π × {tip.printed_mm:.3f}²/4: {tip.size_text}, by where it "
            f"falls on the pixels {fewest:.0%} to {most:.0%} of that; its own light leaves "
            f"{dose:.2f} Ec at its far side, later layers add theirs until then",
            f"{capacity:.2f} N",
            ("resin.green_strength_mpa", "print.exposure_s", "printer.blur_mm", "resin.green_beta"),
        ),
        Link(
            "Margin",
            f"{capacity:.2f} N over {tip.worst_load_n:.2f} N; with the bench's ranges ×{low:.1f} to ×{high:.1f}",
            f"×{tip.margin:.2f}",
        ),
        *_influences(at),
    ]
    if loads.failure is not None:
        told = failure_text(loads.failure, at.printed.all.grid.layer_mm)
        links.append(Link("If it lets go", told, ""))
    return Chain(f"Tip {v.weakest_tip + 1} decides, at layer {layer + 1}", tuple(links), at.z_mm(layer))


def _plate(at: _At) -> Chain:
    v, bench = at.verdict, at.bench
    layer = at.layer(v.plate_z_mm)
    stress = at.loads.plate_cause_n_per_mm2[layer]
    strength = plate_strength(bench)
    low, high = at.loads.ranges.plate_low[layer], at.loads.ranges.plate_high[layer]
    links = (
        *_peel_links(at, layer, whole=True),
        Link(
            "Greatest stress under the base",
            f"the pull over the contact, and its moment at the edge; {_by_cause(stress)}",
            f"{stress.sum():.4f} N/mm²",
        ),
        Link(
            "What the plate holds",
            f"{bench.laws.plate_adhesion_n_per_mm2:g} N/mm², raised by first layers of {bench.print.first_exposure_s:g} s",
            f"{strength:.3f} N/mm²",
            ("laws.plate_adhesion_n_per_mm2", "print.first_exposure_s"),
        ),
        Link(
            "Margin",
            f"{strength:.3f} over {stress.sum():.4f}; with the bench's ranges ×{low:.1f} to ×{high:.1f}",
            f"×{v.plate_margin:.2f}",
        ),
        *_influences(at),
    )
    return Chain(f"The plate decides, at layer {layer + 1}", links, at.z_mm(layer))


def _by_cause(values: np.ndarray) -> str:
    """Shares of a sum by cause, largest first."""
    total = float(values.sum()) or 1.0
    order = np.argsort(-np.abs(values))
    return ", ".join(f"{CAUSE_WORDS[int(c)]} {values[c] / total:.0%}" for c in order if abs(values[c]) > 0.005 * total)


def _influences(at: _At) -> list[Link]:
    """The bench values that move the verdict most."""
    hold, plate = at.verdict.hold_margin, at.verdict.plate_margin
    told: list[Link] = []
    for i in at.loads.ranges.influences[:TOLD]:
        if i.swing(hold, plate) < 0.02:
            break
        low = min(m for m in (i.hold_low, i.plate_low) if m is not None)
        high = min(m for m in (i.hold_high, i.plate_high) if m is not None)
        unit = next(v.unit for v in at.bench.values() if v.key == i.key)
        by_place = f"by where tips fall on pixels of {i.low:.3g} mm"
        told.append(
            Link(
                "Moves it" if told else "Moves it most",
                f"at {i.low:.3g} to {i.high:.3g} {unit}".rstrip() if i.low != i.high else by_place,
                f"×{low:.2f} to ×{high:.2f}",
                (i.key,),
            )
        )
    return told


def _peel_links(at: _At, layer: int, whole: bool = False) -> list[Link]:
    """Peel of a layer by its formula, for all components of the part together; of base and supports too when it is `whole`."""
    bench, loads = at.bench, at.loads
    sections = at.printed.sections if whole else at.printed.part_sections
    squeeze = (loads.squeeze_mm4 if whole else loads.part_squeeze_mm4)[layer]
    peel = float(loads.peel_n[layer] if whole else loads.own_pull_n[layer] - loads.suction_n[layer])
    own = slice(sections.first[layer], sections.first[layer + 1])
    film, laws, speed = bench.film, bench.laws, at.moved(layer).lift_mm_per_min
    around, bond = float(sections.perimeter_mm[own].sum()), float(bond_factors(layer + 1, bench)[layer])
    line = film.line_adhesion_n_per_mm * around * bond
    viscosity = viscosity_at(bench.resin, float(loads.vat_c[layer]))
    bonded = f", × {bond:.2f} for its longer exposure" if bond > 1.001 else ""
    return [
        Link(
            "Line adhesion of the layer",
            f"γ P = {film.line_adhesion_n_per_mm:g} N/mm × {around:.0f} mm{bonded}",
            f"{line:.1f} N",
            ("film.line_adhesion_n_per_mm",),
        ),
        Link(
            "Viscous pull of the layer",
            f"τ A (S/(A ℓ₀²))^m (μ/μ₀ · v/v₀)^n: τ {film.viscous_pull_n_per_mm2:g}, A {sections.area_mm2[own].sum():.0f} mm², S "
            f"{squeeze:,.0f} mm⁴, μ {viscosity:.2f} Pa·s, v {speed:g} mm/min, n {laws.rate_power:g}"
            f"{bonded}",
            f"{peel - line:.1f} N",
            ("film.viscous_pull_n_per_mm2", "resin.viscosity_pa_s", "print.vat_c", "print.lift_mm_per_min"),
        ),
    ]


def _pull(at: _At) -> Chain:
    layer = at.layer(at.verdict.pull_z_mm)
    links = _peel_links(at, layer)
    if at.loads.suction_n[layer] > 0:
        links.append(Link("Suction of its cups", "see the figure beside", f"{at.loads.suction_n[layer]:.1f} N"))
    links.append(Link("Pull", "all components and cups of the parts in this layer", f"{at.verdict.pull_n:.1f} N"))
    base = f"without the parts, greatest at {at.verdict.base_pull_z_mm:.1f} mm"
    links.append(Link("Base and supports", base, f"{at.verdict.base_pull_n:.1f} N"))
    return Chain(f"Layer {layer + 1} pulls most", tuple(links), at.z_mm(layer))


def _suction(at: _At) -> Chain:
    v, bench, o = at.verdict, at.bench, at.printed.openings
    if v.suction_n <= 0:
        return Chain("No cup closes on the film in any layer.", ())
    layer = at.layer(v.suction_z_mm)
    rows = np.flatnonzero(o.layer == layer)
    worst = int(rows[at.loads.suction.force_n[rows].argmax()])
    area, pressure = float(o.area_mm2[worst]), float(at.loads.suction.pressure_kpa[worst])
    vents = int(at.loads.suction.vents[worst])
    links = []
    if o.state[worst] == SEALED or vents == 0:
        links.append(Link("Pressure", "no way for liquid: the seal gives in at", f"{pressure:.1f} kPa", ("laws.seal_kpa",)))
    else:
        share, speed = 1 - bench.film.follow_share, at.moved(layer).lift_mm_per_min
        flow = share * area * mm_per_s(speed) / MM3_PER_ML
        links.append(
            Link(
                "What the lift draws",
                f"(1 - φ) A v = {share:g} × {area:.0f} mm² × {speed:g} mm/min",
                f"{flow:.2f} mL/s",
                ("film.follow_share", "print.lift_mm_per_min"),
            )
        )
        links.append(
            Link(
                "Pressure",
                f"that flow through {vents} hole{'s' if vents != 1 else ''}: 8 μ L/(π r⁴) + 3 μ/r³ under the resin, air above it",
                f"{pressure:.2f} kPa",
                ("resin.viscosity_pa_s", "print.resin_depth_mm"),
            )
        )
    links.append(Link("Suction of this cup", f"{pressure:.2f} kPa × {area:.0f} mm²", f"{pressure * area / 1000:.1f} N"))
    if len(rows) > 1:
        links.append(Link("All cups of the layer", f"{len(rows)} openings", f"{v.suction_n:.1f} N"))
    return Chain(f"Layer {layer + 1} sucks most", tuple(links), at.z_mm(layer))


def _trapped(at: _At) -> Chain:
    own = [t for t in at.verdict.traps if not t.shut_by_supports]
    if not own:
        return Chain("Every void has a way out once the print is off the plate and its supports are off.", ())
    links = [
        Link(f"Void {n + 1}", f"{t.z_from_mm:.1f} to {t.z_to_mm:.1f} mm", f"{t.volume_mm3 / MM3_PER_ML:.2f} mL")
        for n, t in enumerate(own[: 2 * TOLD])
    ]
    if len(own) > 2 * TOLD:
        rest = sum(t.volume_mm3 for t in own[2 * TOLD :]) / MM3_PER_ML
        links.append(Link(f"{len(own) - 2 * TOLD} more", "smaller ones", f"{rest:.2f} mL"))
    links.append(Link("Trapped", "with no way out, ever", f"{at.verdict.trapped_ml:.2f} mL"))
    return Chain("What stays in when all is done", tuple(links), own[0].z_from_mm)


def _time(at: _At) -> Chain:
    p, printer, t, layers = at.bench.print, at.bench.printer, at.verdict.totals, at.loads.layers
    up, down, still = (
        by_layer(at.bench, layers, of) for of in (lambda m: sum(m.lift_s), lambda m: sum(m.return_s), lambda m: m.still_s)
    )
    others = motion(at.bench)
    stages = "in two stages" if others.second_lift_mm > 0 else "in one stage"
    light = sum(exposure_of_layer(p, k) for k in range(layers))
    by_screen = printer.writes_mm2_per_s is None
    links = (
        Link(
            "Light",
            f"{p.exposure_s:g} s a layer, {p.first_layers} first ones {p.first_exposure_s:g} s"
            if by_screen
            else "a laser writes each section",
            duration_text(light) if by_screen else "",
            ("print.exposure_s",),
        ),
        Link(
            "Up",
            f"{others.total_lift_mm:g} mm {stages}, {_a_layer(at.bench, up)}",
            duration_text(float(up.sum())),
            ("print.lift_mm_per_min",),
        ),
        Link(
            "Down",
            f"{_a_layer(at.bench, down)}, the last {others.slow_mm:g} mm slowly",
            duration_text(float(down.sum())),
            ("print.return_mm_per_min", "print.slow_return_mm_per_min"),
        ),
        Link("Waits", _a_layer(at.bench, still), duration_text(float(still.sum())), ("print.wait_before_s",)),
        Link(
            "Overhead", f"{printer.overhead_s:g} s a layer", duration_text(printer.overhead_s * layers), ("printer.overhead_s",)
        ),
        Link(
            "Range",
            f"{-at.bench.laws.time_less_share:.0%} to +{at.bench.laws.time_more_share:.0%}, {_range_from(at.bench)}",
            duration_range_text(t.seconds_low, t.seconds_high),
            ("laws.time_less_share", "laws.time_more_share"),
        ),
    )
    return Chain(f"{layers:,} layers take {duration_text(t.seconds)}", links)


def _range_from(bench: Bench) -> str:
    """Where the range of time comes from."""
    source = dict(bench.sources).get("laws.time_more_share", "default")
    return source if source.startswith(FITTED) else "until prints are logged"


def _a_layer(bench: Bench, seconds: NDArray[np.float64]) -> str:
    """Seconds of a layer, and those of a first one where they differ."""
    last, first = float(seconds[-1]), float(seconds[0])
    own = f", first ones {first:.1f} s" if has_first_motion(bench) and abs(first - last) >= SHOWN_S else ""
    return f"{last:.1f} s a layer{own}"


def _resin(at: _At) -> Chain:
    t = at.verdict.totals
    care = at.verdict.care
    links = (
        Link("Part", "its sections times the layer height", f"{t.part_ml:.1f} mL"),
        Link("Supports and base", "the same, less the part", f"{t.support_ml:.1f} mL"),
        Link(
            "What clings",
            f"a film up to {care.thickest_mm:.2f} mm on {care.wetted_mm2 / 100:.0f} cm² after {care.drip_min:g} min of dripping",
            f"{t.clinging_ml:.1f} mL",
            ("house.drip_min", "resin.viscosity_pa_s"),
        ),
        Link("What stays", "in vat and filter", f"{t.stays_ml:.1f} mL", ("printer.stays_ml",)),
    )
    return Chain(f"{t.resin_ml:.1f} mL of resin", links)


def _price(at: _At) -> Chain:
    t, resin = at.verdict.totals, at.bench.resin
    if resin.price_per_litre is None or t.price is None:
        return Chain(f"{resin.name} has no price on the bench, so nothing is priced.", ())
    terms = f"{t.resin_ml:.1f} mL at {resin.price_per_litre:g} {resin.currency} a litre"
    link = Link("Resin", terms, money_text(t.price, t.currency), ("resin.price_per_litre",))
    return Chain("Resin only; film, screen, labour and failures are not in it", (link,))
