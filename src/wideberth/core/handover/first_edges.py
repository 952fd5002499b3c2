"""Edges of the first layers: as they are drawn, drawn in by what their long light lets them grow, or with a chamfer besides."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.bench import Bench, exposures_of_layers
from wideberth.core.handover.png import Lit, dark

FULL = 255
LEAST_SLOPE = 1e-9
BAND = 3.0
"""Pixels beyond what is drawn in that are looked at: an edge's pixel reaches no farther."""
Values = NDArray[np.float64]


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


def drawn_in(lit: NDArray[np.generic], by_mm: float, pixel_mm: tuple[float, float], levels: int = 0) -> NDArray[np.generic]:
    """An image (rows, columns) less all that lies nearer to its edge than so much.

    Parameters
    ----------
    pixel_mm : between rows, and between columns. levels : steps of grey; with 0 pixels are lit or dark, by their middles, and the
    edge of what is lit runs half a pixel beyond the middle of its last pixel.
    """
    if levels:
        return _grey_drawn_in(np.asarray(lit, np.uint8), by_mm, pixel_mm, levels)
    half = np.pad(np.asarray(lit, bool), 1)
    away = scipy.ndimage.distance_transform_edt(half, sampling=pixel_mm)[1:-1, 1:-1]
    inside = np.asarray(away) - 0.5 * min(pixel_mm) >= by_mm
    return np.where(inside, lit, np.zeros(1, lit.dtype))


def _grey_drawn_in(lit: NDArray[np.uint8], by_mm: float, pixel_mm: tuple[float, float], levels: int) -> NDArray[np.uint8]:
    """The same of covered shares: an edge runs through the last pixels as their grey says, and so does the one that is left.

    How deep a pixel's middle lies is told by the nearest pixel that is not full: its own depth by its share, and the way between
    both as far as it leads straight inward.
    """
    share = np.pad(lit / float(FULL), 2)
    away, nearest = scipy.ndimage.distance_transform_edt(share >= 1.0, sampling=pixel_mm, return_indices=True)
    here = np.nonzero((share > 0) & (away <= by_mm + BAND * max(pixel_mm)))  # what lies deeper stays as it is
    edge = tuple(nearest[:, here[0], here[1]])
    del away, nearest
    uphill = [scipy.ndimage.gaussian_filter(share, 1.0, order=o)[edge] for o in ((1, 0), (0, 1))]
    slope = [up / size for up, size in zip(uphill, pixel_mm, strict=True)]
    slope[0] += LEAST_SLOPE  # the crest of a line is level: one way is as good as the other
    steep = np.hypot(*slope)
    inward = [s / steep for s in slope]
    half = [0.5 * np.abs(n) * size for n, size in zip(inward, pixel_mm, strict=True)]
    deep = _depth(share[edge], *half)
    deep += sum((at - there) * size * n for at, there, size, n in zip(here, edge, pixel_mm, inward, strict=True))
    share[here] = np.minimum(share[here], _covered(deep - by_mm, *half))
    steps = np.floor(share[2:-2, 2:-2] * (levels - 1) + 0.5)
    return np.asarray(steps * FULL / (levels - 1) + 0.5, np.uint8)


def _covered(deep: Values, one: Values, other: Values) -> Values:
    """Share of a pixel that lies inside a straight edge, its middle so deep inside of it.

    Parameters
    ----------
    one, other : half its sides as seen across the edge: it is cut as a trapezoid is, by a square near its corners.
    """
    long, short = np.maximum(one, other), np.maximum(np.minimum(one, other), 1e-12)
    into = np.clip(long + short - np.abs(deep), 0.0, None)  # from the corner that is cut off last
    tail = np.where(into < 2 * short, into**2 / (8 * long * short), (into - short) / (2 * long))
    return np.where(deep > 0, 1 - tail, tail)


def _depth(share: Values, one: Values, other: Values) -> Values:
    """How deep the middle of a pixel lies, of which such a share is covered: the inverse of `_covered`."""
    long, short = np.maximum(one, other), np.maximum(np.minimum(one, other), 1e-12)
    tail = np.minimum(share, 1 - share)
    into = np.where(tail < short / (2 * long), np.sqrt(8 * long * short * tail), 2 * long * tail + short)
    return np.where(share > 0.5, 1, -1) * (long + short - into)


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
