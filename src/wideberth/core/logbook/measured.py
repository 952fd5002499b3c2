"""What was measured of a run, layer by layer, and what of it can be believed."""

from __future__ import annotations

import io
from collections.abc import Iterable
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from wideberth.core.errors import BadLog

Values = NDArray[np.float64]


@dataclass(frozen=True)
class Sample:
    """One layer as it was measured; None where there is no such sensor.

    layer : from 0. at_s : since the first light, at the end of the layer. seconds : that the layer took. pull_n : the greatest
    on the plate at its lift, tared before it. vat_g : of resin in the vat. vat_c : of the resin.
    """

    layer: int
    at_s: float
    seconds: float
    pull_n: float | None = None
    vat_g: float | None = None
    vat_c: float | None = None


@dataclass(frozen=True, eq=False)
class Measured:
    """A run as it was measured; each (samples,), NaN where nothing was."""

    layer: NDArray[np.int64]
    at_s: Values
    seconds: Values
    pull_n: Values
    vat_g: Values
    vat_c: Values

    def __len__(self) -> int:
        return len(self.layer)

    @property
    def has_pull(self) -> bool:
        return bool(np.isfinite(self.pull_n).any())

    @property
    def used_g(self) -> float | None:
        """What the vat lost; None without a scale. The middle of three readings at either end, since one may be shaken."""
        kept = self.vat_g[np.isfinite(self.vat_g)]
        return None if len(kept) < 6 else float(np.median(kept[:3]) - np.median(kept[-3:]))


def measured_of(samples: Iterable[Sample]) -> Measured:
    """Samples as arrays, in the order of their layers; of a layer that was told twice, the last."""
    by_layer = {s.layer: s for s in samples}
    rows = [by_layer[k] for k in sorted(by_layer)]

    def column(name: str) -> Values:
        return np.array([np.nan if (v := getattr(r, name)) is None else v for r in rows], float)

    return Measured(
        np.array([r.layer for r in rows], np.int64), *(column(n) for n in ("at_s", "seconds", "pull_n", "vat_g", "vat_c"))
    )


def packed_measures(of: Measured) -> bytes:
    """As bytes that `unpacked_measures` reads."""
    out = io.BytesIO()
    arrays = {f.name: getattr(of, f.name) for f in fields(Measured)}
    np.savez_compressed(out, **{k: v.astype(np.int32 if k == "layer" else np.float32) for k, v in arrays.items()})
    return out.getvalue()


def unpacked_measures(content: bytes, where: str = "the log") -> Measured:
    """What `packed_measures` made.

    Raises
    ------
    BadLog : for anything else.
    """
    try:
        with np.load(io.BytesIO(content), allow_pickle=False) as kept:
            made = Measured(*(kept[f.name].astype(np.int64 if f.name == "layer" else np.float64) for f in fields(Measured)))
    except (OSError, ValueError, KeyError, TypeError, AttributeError, EOFError) as error:
        raise BadLog("is no record of a measured print.", where=where) from error
    if len({v.shape for v in (getattr(made, f.name) for f in fields(Measured))}) != 1 or made.layer.ndim != 1:
        raise BadLog("holds columns of different lengths.", where=where)
    return made
