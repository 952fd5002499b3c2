"""Made-up predictions of prints, and runs of them on a simulated printer without a process: for laws of watching and learning."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np

from wideberth.core.bench import Bench, by_layer, exposures_of_layers, own_ratios, viscosity_at
from wideberth.core.loads import CAUSES, layer_seconds
from wideberth.core.logbook import CHECKS, Coefficients, Entry, Expected, PartOutcome, Shown, Told, measured_of
from wideberth.demo.simulated.nature import Hidden, Mishap, Play, Truth


def made_expected(
    seed: int, bench: Bench, layers: int = 600, prints: int = 2, weakest: float = 2.0, cups: bool = False
) -> Expected:
    """A prediction that no mesh stands behind: blobs of sections that grow and shrink, reckoned by the peel law itself.

    weakest : margin of the weakest tip.
    """
    draw = np.random.default_rng(seed)
    z = np.linspace(0, 1, layers)
    area = np.zeros((prints, layers))
    for j in range(prints):
        for _ in range(4):
            middle, width, height = draw.uniform(0.05, 0.95), draw.uniform(0.05, 0.4), draw.uniform(40, 400)
            area[j] += height * np.exp(-(((z - middle) / width) ** 2))
    around = (
        np.sqrt(4 * np.pi * area)
        * draw.uniform(1.1, 2.5, (prints, 1))
        * (1 + 0.1 * np.sin(40 * z + draw.uniform(0, 6, (prints, 1))))
    )
    mean2 = area / 8 / np.pi * draw.uniform(0.3, 0.9, (prints, 1))
    speed = by_layer(bench, layers, lambda m: m.lift_mm_per_min)
    vat_c = np.full(layers, bench.print.vat_c)
    viscosity = viscosity_at(bench.resin, bench.print.vat_c)
    laws, film = bench.laws, bench.film
    rate = viscosity / laws.peel_viscosity_pa_s * speed / laws.peel_speed_mm_per_min
    own = np.zeros((prints, layers, 4))
    own[:, :, 0] = film.line_adhesion_n_per_mm * around
    own[:, :, 1] = (
        film.viscous_pull_n_per_mm2 * area * (mean2 / laws.shape_length2_mm2) ** laws.shape_power * rate**laws.rate_power
    )
    if cups:
        own[:, layers // 3 : 2 * layers // 3, 2] = 1e-3 * laws.seal_kpa * draw.uniform(20, 200)
    whole = own.sum(axis=0)
    base = 0.3 * whole[:, 0] + 1.0
    tips = 6 * prints
    tip_print = np.repeat(np.arange(prints), 6)
    tip_n = np.zeros((layers, tips, len(CAUSES)))
    for tip, j in enumerate(tip_print):
        share = draw.uniform(0.8, 1.2) / 6
        tip_n[:, tip, :4] = share * own[j]
    load = tip_n.sum(axis=2)
    bears = weakest * load.max() * draw.uniform(1.0, 1.6, tips)
    bears[np.argmax(load.max(axis=0))] = weakest * load.max()
    bears = np.tile(bears, (layers, 1))
    margin = np.where(load > 0, bears / np.maximum(load, 1e-9), np.inf)
    worst = margin.argmin(axis=0)
    at = np.arange(tips)
    so_far = np.maximum.accumulate(load / bears, axis=0)[np.arange(1, CHECKS + 1) * layers // CHECKS - 1]
    seconds = layer_seconds(area.sum(axis=0), bench)
    hold = margin.min(axis=1)
    grown = np.cumsum(area.sum(axis=0)) * bench.print.layer_height_mm / 1000
    share = bench.ranges.green_strength
    plate = np.full(layers, 4.0) * (whole.sum(axis=1).max() / np.maximum(whole.sum(axis=1), 1e-6))
    lit = np.full(tips, float(own_ratios(vat_c, bench)[-1]))
    return Expected(
        bench.print.layer_height_mm, tuple(f"Part {j + 1}" for j in range(prints)), by_layer(bench, layers, lambda m: m.moving_s),
        exposures_of_layers(bench.print, layers), seconds, whole[:, 0] + base, whole[:, 1], whole[:, 2], whole[:, 3], rate, vat_c,
        grown, own, hold, hold / (1 + share), hold * (1 + share), plate, tip_print, worst, np.full(tips, 0.4), tip_n[worst, at],
        bears[worst, at], lit, margin.min(axis=0), so_far, tip_n, bears, float(grown[-1]), float(draw.uniform(1.0, 8.0)),
        bench.printer.stays_ml, bench.print.first_layers, Coefficients.of(bench),
    )  # fmt: skip


def played(expected: Expected, bench: Bench, hidden: Hidden, seed: int, mishap: Mishap | None = None) -> tuple[Shown, Truth]:
    """A run of it as a log has it once someone has looked."""
    play = Play(expected, bench, hidden, seed, mishap)
    measured = measured_of(play.layers())
    truth = play.truth
    told = Told(expected.layers, float(expected.seconds.sum()), 0.0, 0.0, expected.resin_ml, float(expected.pull_n.max()),
                expected.weakest, None, None, None)  # fmt: skip
    lost = truth.lost if truth.off_plate is None else {j: truth.off_plate for j in range(len(expected.names))}
    parts = [PartOutcome(j, name, "lost" if j in lost else "good", lost.get(j)) for j, name in enumerate(expected.names)]
    entry = Entry(
        f"{seed}", datetime(2026, 1, 1) + timedelta(days=seed % 1000), "made up", bench.printer.name, bench.film.name,
        bench.resin.name, told, ended="done", layers=len(measured), resin_g=truth.used_g, off_plate=truth.off_plate,
        cause="" if not lost else "plate" if truth.off_plate is not None else "tips", seconds=float(measured.at_s[-1]),
        vat_c=float(np.nanmedian(measured.vat_c)),
        parts=tuple(parts),
    )  # fmt: skip
    return Shown(entry, replace(expected.kept()), measured), truth
