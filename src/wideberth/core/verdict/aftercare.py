"""Whether each part fits the baths, the basket and the lamp, and the solvent the resin."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding
from wideberth.core.verdict.table import told


def aftercare_findings(bench: Bench, sizes_mm: list[tuple[str, NDArray[np.float64]]]) -> list[Finding]:
    """What will not go well after the print.

    Parameters
    ----------
    sizes_mm : name and box (3,) of each part, off its supports; it may be laid down any way along the axes.
    """
    station, resin, house = bench.station, bench.resin, bench.house
    findings: list[Finding] = []
    if station.solvent == "water" and not resin.water_washable:
        message = f"{station.name} holds water; {resin.name} is not water-washable."
        findings += told(Code.WRONG_BATH, house, message)
    bath = np.sort([station.basket_x_mm, station.basket_y_mm, station.bath_depth_mm])
    chamber = np.sort([station.basket_x_mm, station.basket_y_mm, station.chamber_mm])
    for name, size in sizes_mm:
        box = np.sort(size)
        if (box > bath + 1e-6).any():
            what = f"{name} ({box[2]:.0f} × {box[1]:.0f} × {box[0]:.0f} mm)"
            message = f"{what} sticks out of the bath of {station.name} however it lies."
            findings += told(Code.STICKS_OUT, house, message)
        elif (box > chamber + 1e-6).any():
            message = f"{name} does not fit under the lamp of {station.name} ({station.chamber_mm:g} mm)."
            findings += told(Code.UNDER_LAMP, house, message)
        if box[1] < station.basket_gap_mm:
            what = f"{name} ({box[2]:.1f} × {box[1]:.1f} × {box[0]:.1f} mm)"
            message = f"{what} falls through the gaps of the basket ({station.basket_gap_mm:g} mm)."
            findings += told(Code.FALLS_THROUGH, house, message)
    return findings
