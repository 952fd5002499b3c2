"""The prediction as a table, one line a layer, for spreadsheets."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import numpy as np

from wideberth.core.predict import Prediction
from wideberth.core.saving import write_safely


def layer_table(prediction: Prediction, low_mm: float = 0.0, high_mm: float = np.inf) -> str:
    """Comma-separated values of every layer whose middle lies between two heights; a value that does not apply is empty.

    The columns end in their units; margins have none.
    """
    loads = prediction.loads
    z = (np.arange(loads.layers) + 0.5) * prediction.layer_mm
    columns = {
        "layer": np.arange(loads.layers) + 1,
        "z_mm": z,
        "area_mm2": loads.area_mm2,
        "components": loads.components,
        "peel_n": loads.peel_n,
        "suction_n": loads.suction_n,
        "hold_margin": loads.hold_margin,
        "hold_margin_low": loads.ranges.hold_low,
        "hold_margin_high": loads.ranges.hold_high,
        "plate_margin": loads.plate_margin,
        "plate_margin_low": loads.ranges.plate_low,
        "plate_margin_high": loads.ranges.plate_high,
        "seconds": loads.seconds,
        "time_h": np.cumsum(loads.seconds) / 3600,
        "vat_c": loads.vat_c,
        "cured_mm": loads.cured_mm,
        "settling_s": loads.settling_s,
    }
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(columns)
    for k in np.flatnonzero((z >= low_mm) & (z <= high_mm)):
        writer.writerow("" if np.isnan(v := float(values[k])) else f"{v:.6g}" for values in columns.values())
    return text.getvalue()


def write_layer_table(prediction: Prediction, path: Path, low_mm: float = 0.0, high_mm: float = np.inf) -> None:
    """Write the table.

    Raises
    ------
    CannotWrite : the old file, if any, is untouched.
    """
    write_safely(path, layer_table(prediction, low_mm, high_mm).encode())
