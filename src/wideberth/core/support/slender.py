"""Which sections of a mesh are of supports: what is slender, and stands on the base or on what is slender itself."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers import Sections

LAYER_MM, PITCH_MM = 0.05, 0.05
SLENDER_MM2, ROUND = 7.5, 0.3
"""Sections up to this area, and at least so round (4 π A/P²), may be of a support."""
SPECK_MM2 = 0.05
"""Too little for its shape to be told."""
HEAPED = 1.2
"""Supports that have run into one another, whatever their shape, take up to so many times their own areas."""
KNOT_MM = 0.5
"""Where two limbs meet, the round that joins them may begin so far under the upper one."""
PASSES_MM, ASIDE_MM = 6.0, 0.3
"""What runs together with the part may come out of it so far above, and so far off the line that it went along."""
EVEN, EVEN_OVER_MM, LOOKS = 0.8, 0.5, 5
"""How evenly thick a post is, over what length that is looked at, and over how many such lengths downward: near the part a tip or
a twig may have run into it."""

Components = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Carried:
    """What may be of supports.

    Attributes
    ----------
    slender : (components,) what may be of a single support. standing : (components,) slender ones that stand on the base, the
    plate, or only on such. footed : (components,) those that stand so on something bulky. under : of a post that passes so close
    to the part that both print as one for a while, the component before that, by the one after it.
    """

    slender: NDArray[np.bool_]
    standing: NDArray[np.bool_]
    footed: NDArray[np.bool_]
    under: dict[int, int] = field(default_factory=dict)


def carried(of: Sections, base_layers: int) -> Carried:
    """Which of the components may be of supports, above a base of so many layers."""
    slender = _slender(of)
    own = of.area_mm2.copy()  # of a heap: of the slender ones that ran into one another below
    first = np.searchsorted(of.upper, np.arange(of.count + 1))
    told = Carried(slender, np.zeros(of.count, bool), np.zeros(of.count, bool))
    standing, footed = told.standing, told.footed
    young = np.zeros(of.count, np.int64)  # layers since a knot began to hang under the limb that it belongs to, 0 for all else
    passing: dict[int, list[int]] = {}  # by the component of the part that they ran into
    for c in range(int(of.first[base_layers]), of.count):
        below = of.lower[first[c] : first[c + 1]]
        came = _within_reach(of, c, [post for b in below.tolist() for post in passing.get(b, ())], bool(slender[c]))
        if of.layer[c] == base_layers:
            standing[c] = slender[c]
        elif slender[c] and standing[below].any():
            standing[c] = bool((standing[below] | (young[below] > 0)).all())
        elif len(below) and standing[below].all() and of.area_mm2[c] <= HEAPED * own[below].sum():
            standing[c], own[c] = True, own[below].sum()
        elif slender[c] and (young[below] > 0).all():
            age = 1 + int(young[below].max(initial=0))
            young[c] = age if age * LAYER_MM <= KNOT_MM else 0
        elif slender[c] and (before := _came_from(of, c, came, told, first)) is not None:
            standing[c], told.under[c] = True, before
        elif slender[c]:
            footed[c] = bool((footed[below] | (young[below] > 0) | ~slender[below]).all())
        if not (standing[c] and slender[c]):
            came += [b for b in below.tolist() if standing[b] and slender[b]]
            if came:
                passing[c] = came
    return told


def _slender(of: Sections) -> NDArray[np.bool_]:
    """Which sections (components,) may be of a single support."""
    round_enough = 4 * np.pi * of.area_mm2 / np.maximum(of.perimeter_mm, 1e-9) ** 2 >= ROUND
    return (of.area_mm2 <= SLENDER_MM2) & round_enough | (of.area_mm2 <= SPECK_MM2)


def _within_reach(of: Sections, c: int, posts: list[int], is_slender: bool) -> list[int]:
    """Those of some posts that may still come out of the part at a component; as what is slender, leaning by 45° at most."""
    up = {post: _layers(of, post, c) * LAYER_MM for post in posts}
    near = [post for post, mm in up.items() if mm <= PASSES_MM]
    if not is_slender:
        return near
    return [p for p in near if np.hypot(of.x_mm[c] - of.x_mm[p], of.y_mm[c] - of.y_mm[p]) <= ASIDE_MM + up[p]]


def _came_from(of: Sections, c: int, passing: list[int], told: Carried, first: Components) -> int | None:
    """Which of some posts that ran into the part comes out of it as a component: on the line that it went along, and as thick;
    none that had tapered to a contact."""
    for post in passing:
        if of.area_mm2[post] < EVEN * of.area_mm2[c]:
            continue
        looks = _downward(of, post, told.standing, first)
        for upper, lower in itertools.pairwise(looks):
            if not (_alike(of, c, upper) and _alike(of, c, lower)):
                continue
            on = _layers(of, upper, c) / _layers(of, lower, upper)
            x, y = (float(v[upper] + on * (v[upper] - v[lower])) for v in (of.x_mm, of.y_mm))
            if np.hypot(of.x_mm[c] - x, of.y_mm[c] - y) <= ASIDE_MM:
                return post
    return None


def _downward(of: Sections, post: int, standing: NDArray[np.bool_], first: Components) -> list[int]:
    """A component of a post and some farther down it, evenly apart, as far as it reaches."""
    at, looks = post, [post]
    for step in range(1, LOOKS * round(EVEN_OVER_MM / LAYER_MM) + 1):
        below = [int(b) for b in of.lower[first[at] : first[at + 1]] if standing[b]]
        if not below:
            break
        at = min(below, key=lambda b: float(np.hypot(of.x_mm[b] - of.x_mm[post], of.y_mm[b] - of.y_mm[post])))
        if step % round(EVEN_OVER_MM / LAYER_MM) == 0:
            looks.append(at)
    return looks


def _alike(of: Sections, a: int, b: int) -> bool:
    return bool(EVEN <= of.area_mm2[a] / of.area_mm2[b] <= 1 / EVEN)


def _layers(of: Sections, low: int, high: int) -> int:
    return int(of.layer[high] - of.layer[low])
