"""Edges of the first layers: as they are drawn, drawn in by what their long light lets them grow, or with a chamfer besides."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.bench import Bench, exposures_of_layers
from wideberth.core.handover.png import Lit, dark

FULL, HALF = 255, 128


class FirstEdges(StrEnum):
    """What is made of the outlines of a part's first layers."""

    AS_DRAWN = "as drawn"
    DRAWN_IN = "drawn in"
    CHAMFER = "chamfer"


def drawn_in_mm(bench: Bench, layers: int, layer_mm: float, edges: FirstEdges) -> NDArray[np.float64]:
    """By how much the outline of each layer is drawn in [mm], (layers,).

    Drawn in: b ln(E/E_normal) of its own light, what it grows by. A chamfer takes 45° off the lowest edge besides, as high as the
    house's chamfer is.
    """
    none = np.zeros(layers)
    if edges == FirstEdges.AS_DRAWN:
        return none
    light = exposures_of_layers(bench.print, layers)
    grows = bench.laws.edge_bleed_mm * np.maximum(np.log(light / bench.print.exposure_s), 0.0)
    if edges == FirstEdges.DRAWN_IN:
        return np.asarray(grows)
    middle = (np.arange(layers) + 0.5) * layer_mm
    return np.asarray(grows + np.maximum(bench.house.chamfer_mm - middle, 0.0))


def drawn_in(lit: NDArray[np.generic], by_mm: float, pixel_mm: tuple[float, float]) -> NDArray[np.generic]:
    """An image (rows, columns) less all that lies nearer to its edge than so much; grey that is left is as it was.

    Parameters
    ----------
    pixel_mm : between rows, and between columns. The edge of what is lit runs half a pixel beyond the middle of its last pixel.
    """
    half = np.pad(np.asarray(lit >= HALF if lit.dtype == np.uint8 else lit, bool), 1)  # type: ignore[operator]
    away = scipy.ndimage.distance_transform_edt(half, sampling=pixel_mm)[1:-1, 1:-1]
    inside = np.asarray(away) - 0.5 * min(pixel_mm) >= by_mm
    return np.where(inside, lit, np.zeros(1, lit.dtype))


def together(one: Lit, other: Lit) -> Lit:
    """Two images in one, where either is lit; the lighter grey of both."""
    kept = [each for each in (one, other) if each.pixels.size]
    if len(kept) < 2:
        return kept[0] if kept else dark(one.shape, one.pixels.dtype.type)
    top, left = min(e.top for e in kept), min(e.left for e in kept)
    bottom = max(e.top + e.pixels.shape[0] for e in kept)
    right = max(e.left + e.pixels.shape[1] for e in kept)
    whole = np.zeros((bottom - top, right - left), one.pixels.dtype)
    for each in kept:
        high, wide = each.pixels.shape
        place = whole[each.top - top : each.top - top + high, each.left - left : each.left - left + wide]
        np.maximum(place, each.pixels, out=place)
    return Lit(whole, top, left, one.shape)
