"""Whether each part fits the baths, the basket and the lamp, and the solvent the resin."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.verdict.finding import NOTE, Finding


def aftercare_findings(bench: Bench, sizes_mm: list[tuple[str, NDArray[np.float64]]]) -> list[Finding]:
    """What will not go well after the print.

    Parameters
    ----------
    sizes_mm : name and box (3,) of each part, off its supports; it may be laid down any way along the axes.
    """
    station, resin = bench.station, bench.resin
    found = []
    if station.solvent == "water" and not resin.water_washable:
        found.append(_say("wrong_bath", f"{station.name} holds water; {resin.name} is not water-washable.",
                          "Use the solvent that its data sheet names."))  # fmt: skip
    bath = np.sort([station.basket_x_mm, station.basket_y_mm, station.bath_depth_mm])
    chamber = np.sort([station.basket_x_mm, station.basket_y_mm, station.chamber_mm])
    for name, size in sizes_mm:
        box = np.sort(size)
        if (box > bath + 1e-6).any():
            found.append(_say("sticks_out", f"{name} ({box[2]:.0f} × {box[1]:.0f} × {box[0]:.0f} mm) sticks out of the bath of "
                              f"{station.name} however it lies.", "Wash it end by end, or in a larger bath."))  # fmt: skip
        elif (box > chamber + 1e-6).any():
            found.append(_say("under_lamp", f"{name} does not fit under the lamp of {station.name} ({station.chamber_mm:g} mm).",
                              "Cure it from both ends."))  # fmt: skip
        if box[1] < station.basket_gap_mm:
            found.append(_say("falls_through", f"{name} ({box[2]:.1f} × {box[1]:.1f} × {box[0]:.1f} mm) falls through the gaps "
                              f"of the basket ({station.basket_gap_mm:g} mm).", "Put it in a finer sieve."))  # fmt: skip
    return found


def _say(code: str, message: str, remedy: str) -> Finding:
    return Finding(code, NOTE, 0.0, message, remedy, "bench")
