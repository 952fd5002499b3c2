"""Pulls shared over what holds, as over springs (a pile group)."""

import math
from typing import NamedTuple

import numpy as np
from numba import njit

LEAST_MPA = 1e-3
"""Strength, or stiffness, of what has hardly set."""


class Pulled(NamedTuple):
    """Pulls by layer. first : (layers + 1,) first of each layer; x_mm, y_mm, body : (pulls,); force_n : (pulls, causes)."""

    first: np.ndarray
    x_mm: np.ndarray
    y_mm: np.ndarray
    force_n: np.ndarray
    body: np.ndarray


class Springs(NamedTuple):
    """What holds: tips first, then patches of the plate, (springs,) each unless said otherwise.

    tip_stiffness : (layers, tips); plate_stiffness : (patches,). spread_mm2 : second moment of a spring's own area over that
    area. strength_n_per_mm2 : that is stated; has_set : (layers, tips) how much of it a tip has. bends_mm3 : (tips,) what a tip
    resists by itself of a moment, over its strength. area_mm2 : of the contact with the part or with the plate. column : of
    `body`, (layers, columns), the body that it holds at each layer, below 0 for none.
    """

    x_mm: np.ndarray
    y_mm: np.ndarray
    tip_stiffness: np.ndarray
    plate_stiffness: np.ndarray
    spread_mm2: np.ndarray
    strength_n_per_mm2: float
    has_set: np.ndarray
    bends_mm3: np.ndarray
    area_mm2: np.ndarray
    column: np.ndarray
    body: np.ndarray


class Limits(NamedTuple):
    """least : (tips,) margins. most_mm2 : (tips,) load over strength that one that holds less could bear if it were thicker.
    most : so many may hold less."""

    least: np.ndarray
    most_mm2: np.ndarray
    most: int


class Others(NamedTuple):
    """Tips that may stand instead of those that are springs, one at a time, each (layers, tips), or of none: how stiff, and
    what they bear."""

    stiffness: np.ndarray
    capacity_n: np.ndarray


@njit(cache=True, nogil=True)
def share_pulls(layers, pulls, springs, tips, gone, may_let_go):
    """Share the pulls of each body of each layer over the springs that hold it; those of each cause alike.

    Parameters
    ----------
    tips : the first so many springs are tips. gone : (springs,) layer from which one holds nothing; it is written to where tips
        `may_let_go` at their capacity.

    Returns
    -------
    Load on each tip (layers, tips, causes); per layer, by cause, the stress on the plate patch that has the greatest;
    per layer the pull that nothing holds, and the unresolved moment over what tips resist by their own bending (greatest of
    the layer's bodies) with a tip of that body.
    """
    causes = pulls.force_n.shape[1]
    load, stress = np.zeros((layers, tips, causes)), np.zeros((layers, causes))
    unheld, unsteady, unsteady_tip = np.zeros(layers), np.zeros(layers), np.full(layers, -1, np.int64)
    which, stiffness = np.empty(springs.x_mm.size, np.int64), np.empty(springs.x_mm.size)
    for k in range(layers):
        lo, hi = pulls.first[k], pulls.first[k + 1]
        done = np.zeros(hi - lo, np.bool_)
        for p in range(lo, hi):
            if done[p - lo]:
                continue
            body = pulls.body[p]
            pulled = _gathered(pulls, p, hi, done[p - lo :])
            if pulled[0].sum() <= 0.0:
                continue
            while True:
                count, of_tips = _holding(springs, k, body, gone, tips, which, stiffness)
                own, stiff = which[:count], stiffness[:count]
                total, cx, cy = _middle(springs, own, stiff)
                if total <= 0.0:
                    unheld[k] += pulled[0].sum()
                    break
                plane, left_n_mm = _plane(springs, own, stiff, pulled, total, cx, cy)
                weakest = _load_tips(springs, k, own[:of_tips], stiff, plane, cx, cy, load[k])
                if may_let_go and weakest >= 0:
                    gone[weakest] = k
                    load[k, weakest, :] = 0.0
                    continue
                if count > of_tips:
                    _stress_patches(springs, own[of_tips:], stiff[of_tips:], plane, cx, cy, stress[k])
                    break
                bends = _bend(springs, k, own)
                if left_n_mm / max(bends, 1e-12) > unsteady[k]:
                    unsteady[k] = left_n_mm / max(bends, 1e-12)
                    unsteady_tip[k] = own[-1]
                break
    return load, stress, unheld, unsteady, unsteady_tip


@njit(cache=True, nogil=True)
def overloads(order, pulls, springs, tip_of, gone, tip, other, limits):
    """Whether more tips than may hold less than is wanted of each with one taken away, or another instead of it, or one of them
    could not bear its load if it were thicker.

    Parameters
    ----------
    order : layers as they are to be looked at. pulls : of a single cause. tip_of : (holders,) the tip that each of the first
        springs is. gone : (springs,) layer from which one holds nothing. tip : that goes, or is another, by number, where there
        is one in `other`.
    """
    tips, others = limits.least.size, other.capacity_n.shape[1]
    least, most_mm2 = limits.least, limits.most_mm2
    weak, beyond, borne = np.zeros(tips, np.bool_), np.zeros(tips, np.bool_), np.empty(tips)
    which, stiffness = np.empty(springs.x_mm.size, np.int64), np.empty(springs.x_mm.size)
    x_mm, y_mm, area_mm2, has_set = springs.x_mm, springs.y_mm, springs.area_mm2, springs.has_set
    for k in order:
        borne[:] = 0.0
        lo, hi = pulls.first[k], pulls.first[k + 1]
        done = np.zeros(hi - lo, np.bool_)
        for p in range(lo, hi):
            if done[p - lo]:
                continue
            pulled = _gathered(pulls, p, hi, done[p - lo :])
            if pulled[0].sum() <= 0.0:
                continue
            count, of_tips = _holding(springs, k, pulls.body[p], gone, tip_of.size, which, stiffness)
            if others:
                for n in range(of_tips):
                    if tip_of[which[n]] == tip:
                        stiffness[n] = other.stiffness[k, tip]
            own, stiff = which[:count], stiffness[:count]
            total, cx, cy = _middle(springs, own, stiff)
            if total <= 0.0:
                continue
            plane, _ = _plane(springs, own, stiff, pulled, total, cx, cy)
            for n in range(of_tips):
                h = own[n]
                borne[tip_of[h]] += stiff[n] * _gives(plane, 0, x_mm[h] - cx, y_mm[h] - cy)
        for t in range(tips):
            strength = springs.strength_n_per_mm2 * has_set[k, t]
            capacity = other.capacity_n[k, t] if others and t == tip else strength * area_mm2[t]
            weak[t] |= borne[t] > 1e-12 and borne[t] * least[t] > capacity
            beyond[t] |= borne[t] > most_mm2[t] * max(strength, LEAST_MPA)
        if weak.sum() > limits.most or (weak & beyond).any():
            return True
    return False


@njit(cache=True, nogil=True)
def _gathered(pulls, start, end, done):
    """A body's pull and its first moments by cause, (3, causes): Σ F, Σ F x, Σ F y; what was counted is ticked off."""
    gathered = np.zeros((3, pulls.force_n.shape[1]))
    for q in range(start, end):
        if pulls.body[q] == pulls.body[start]:
            done[q - start] = True
            gathered[0] += pulls.force_n[q]
            gathered[1] += pulls.force_n[q] * pulls.x_mm[q]
            gathered[2] += pulls.force_n[q] * pulls.y_mm[q]
    return gathered


@njit(cache=True, nogil=True)
def _holding(springs, k, body, gone, tips, which, stiffness):
    """Write which springs hold a body in a layer, tips first, and how stiff they are; how many do, and how many are tips."""
    count = of_tips = 0
    column, of_column, of_tip, of_patch = springs.column, springs.body, springs.tip_stiffness, springs.plate_stiffness
    for t in range(column.size):
        if of_column[k, column[t]] == body and k < gone[t]:
            which[count] = t
            stiffness[count] = of_tip[k, t] if t < tips else of_patch[t - tips]
            count += 1
            if t < tips:
                of_tips += 1
    return count, of_tips


@njit(cache=True, nogil=True)
def _middle(springs, own, stiff):
    """Stiffness of a body's springs together, and their weighted middle."""
    total = sx = sy = 0.0
    x_mm, y_mm = springs.x_mm, springs.y_mm
    for n in range(own.size):
        total += stiff[n]
        sx += stiff[n] * x_mm[own[n]]
        sy += stiff[n] * y_mm[own[n]]
    if total <= 0.0:
        return 0.0, 0.0, 0.0
    return total, sx / total, sy / total


@njit(cache=True, nogil=True)
def _moments(springs, own, stiff, cx, cy):
    """Second moments of a body's springs about their middle: Σ k X², Σ k X Y, Σ k Y²."""
    xx = xy = yy = 0.0
    x_mm, y_mm, spread = springs.x_mm, springs.y_mm, springs.spread_mm2
    for n in range(own.size):
        t = own[n]
        dx, dy = x_mm[t] - cx, y_mm[t] - cy
        xx += stiff[n] * (dx * dx + spread[t])
        xy += stiff[n] * dx * dy
        yy += stiff[n] * (dy * dy + spread[t])
    return xx, xy, yy


@njit(cache=True, nogil=True)
def _plane(springs, own, stiff, pulled, total, cx, cy):
    """How far a body's springs give, by cause, (3, causes): in their middle, and more for each mm along x and y; and the moment
    of all causes that they leave unresolved [N mm]."""
    xx, xy, yy = _moments(springs, own, stiff, cx, cy)
    plane, left_x, left_y = np.zeros(pulled.shape), 0.0, 0.0
    for c in range(pulled.shape[1]):
        force = pulled[0, c]
        plane[0, c] = force / total
        plane[1, c], plane[2, c], x, y = _tilt(xx, xy, yy, pulled[1, c] - force * cx, pulled[2, c] - force * cy, total)
        left_x, left_y = left_x + x, left_y + y
    return plane, math.hypot(left_x, left_y)


@njit(cache=True, nogil=True)
def _gives(plane, c, dx, dy):
    """How far a spring so far from the middle gives by a cause."""
    return plane[0, c] + plane[1, c] * dx + plane[2, c] * dy


@njit(cache=True, nogil=True)
def _load_tips(springs, k, own, stiff, plane, cx, cy, load):
    """Write the loads of a body's tips; the tip that is loaded farthest beyond its capacity, -1 when all hold."""
    worst, weakest = 1.0, -1
    x_mm, y_mm, area_mm2, has_set = springs.x_mm, springs.y_mm, springs.area_mm2, springs.has_set
    for n in range(own.size):
        t = own[n]
        dx, dy, borne = x_mm[t] - cx, y_mm[t] - cy, 0.0
        for c in range(plane.shape[1]):
            load[t, c] = stiff[n] * _gives(plane, c, dx, dy)
            borne += load[t, c]
        capacity = springs.strength_n_per_mm2 * has_set[k, t] * area_mm2[t]
        if borne > worst * capacity:
            worst, weakest = borne / max(capacity, 1e-12), t
    return weakest


@njit(cache=True, nogil=True)
def _bend(springs, k, own):
    """What a body's tips resist of a moment by themselves [N mm]."""
    bends = 0.0
    bends_mm3, has_set = springs.bends_mm3, springs.has_set
    for t in own:
        bends += springs.strength_n_per_mm2 * has_set[k, t] * bends_mm3[t]
    return bends


@njit(cache=True, nogil=True)
def _stress_patches(springs, own, stiff, plane, cx, cy, stress):
    """Keep the stress by cause of the patch of a body that has the greatest, if it is above the one that is kept."""
    patch, most = np.empty(stress.size), stress.sum()
    x_mm, y_mm, area_mm2 = springs.x_mm, springs.y_mm, springs.area_mm2
    for n in range(own.size):
        t = own[n]
        dx, dy, borne = x_mm[t] - cx, y_mm[t] - cy, 0.0
        for c in range(stress.size):
            patch[c] = stiff[n] / area_mm2[t] * _gives(plane, c, dx, dy)
            borne += patch[c]
        if borne > most:
            stress[:], most = patch, borne


@njit(cache=True, nogil=True)
def _tilt(xx, xy, yy, mx, my, total):
    """Pseudo-inverse of the group's second moments times the moment, and what is left unresolved of it."""
    mean, half = 0.5 * (xx + yy), math.hypot(0.5 * (xx - yy), xy)
    big, small = mean + half, mean - half
    angle = 0.5 * math.atan2(2 * xy, xx - yy)
    ux, uy = math.cos(angle), math.sin(angle)
    along, across = mx * ux + my * uy, -mx * uy + my * ux
    floor = max(1e-6 * big, 1e-4 * total)
    a = b = left_along = left_across = 0.0
    if big > floor:
        a = along / big
    else:
        left_along = along
    if small > floor:
        b = across / small
    else:
        left_across = across
    left_x, left_y = left_along * ux - left_across * uy, left_along * uy + left_across * ux
    return a * ux - b * uy, a * uy + b * ux, left_x, left_y
