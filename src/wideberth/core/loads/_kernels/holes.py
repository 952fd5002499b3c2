"""Pressures balanced over holes and narrow ways."""

import math
from typing import NamedTuple

import numpy as np
from numba import njit


class Openings(NamedTuple):
    """Openings by layer. first : (layers + 1,) first of each layer; (openings,): void_set, 0 for outside; breathes, whether holes
    serve it; drawn, what the lift draws in."""

    first: np.ndarray
    void_set: np.ndarray
    breathes: np.ndarray
    drawn: np.ndarray


class HolesAt(NamedTuple):
    """Drilled holes, then the model's own narrow ways.

    sets : (layers, 2 x holes) void set at both mouths of each, below 0 not known. resistance : (holes, layers) at unit viscosity,
    infinite while it is not there. (holes,): air, its flow per √Pa; z, of its middle; begun_z, whole_z, between which it is half
    printed. drilled : how many are drilled ones.
    """

    sets: np.ndarray
    resistance: np.ndarray
    air: np.ndarray
    z: np.ndarray
    begun_z: np.ndarray
    whole_z: np.ndarray
    drilled: int


@njit(cache=True, nogil=True)
def through_holes(openings, holes, viscosity, top_z, depth, seal):
    """Under-pressure that holes and narrow ways leave in the void set of each opening, layer by layer.

    Parameters
    ----------
    viscosity, top_z : (layers,). depth : of the resin. seal : pressure [Pa].

    Returns
    -------
    Under-pressure [Pa], how many drilled holes and how many others serve its set, whether one of them is above the resin,
    (openings,) each.
    """
    count = openings.void_set.size
    pressure, vents, others = np.full(count, seal), np.zeros(count, np.int64), np.zeros(count, np.int64)
    in_air = np.zeros(count, np.bool_)
    for k in range(top_z.size):
        lo, hi = openings.first[k], openings.first[k + 1]
        if not openings.breathes[lo:hi].any():
            continue
        names, own, need, held = _sets_at(openings, lo, hi, seal, 2 * holes.z.size)
        way_a, way_b, way_hole, sets = _ways_at(holes, k, names, own, top_z[k])
        aired = np.where(holes.z[way_hole] < top_z[k] - depth, holes.air[way_hole], 0.0)
        pa = balance(need[:sets], held[:sets], way_a, way_b, holes.resistance[way_hole, k] * viscosity[k], aired, seal)
        for i in range(lo, hi):
            if openings.void_set[i] == 0:
                continue
            s = _place(names, sets, openings.void_set[i])
            pressure[i] = pa[s]
            for w in range(way_hole.size):
                if way_a[w] == s or way_b[w] == s:
                    vents[i] += way_hole[w] < holes.drilled
                    others[i] += way_hole[w] >= holes.drilled
                    in_air[i] |= aired[w] > 0.0
    return pressure, vents, others, in_air


@njit(cache=True, nogil=True)
def _sets_at(openings, lo, hi, seal, room):
    """Void sets of a layer's openings: their names, the outside first; how many; what each needs; and the pressure of those whose
    pressure is known, NaN for the others. With room for so many more."""
    names = np.zeros(1 + hi - lo + room, np.int64)
    need, held = np.zeros(names.size), np.full(names.size, np.nan)
    count, held[0] = 1, 0.0
    for i in range(lo, hi):
        if openings.void_set[i] != 0:
            s = _place(names, count, openings.void_set[i])
            count = max(count, s + 1)
            need[s] += openings.drawn[i]
            if not openings.breathes[i]:
                held[s] = seal
    return names, count, need, held


@njit(cache=True, nogil=True)
def _ways_at(holes, k, names, own, top_z):
    """Ways between the void sets of a layer: from, to, by which hole, and how many sets there are then. Sets that only holes know
    are named after the layer's `own`; a set that nothing else serves is served by every half printed hole."""
    most, count = holes.z.size * (2 + own), own
    way_a, way_b, way_hole = np.empty(most, np.int64), np.empty(most, np.int64), np.empty(most, np.int64)
    served, ways = np.zeros(names.size, np.bool_), 0
    for b in range(holes.z.size):
        inner, outer = holes.sets[k, 2 * b], holes.sets[k, 2 * b + 1]
        if inner < 0 or outer < 0 or inner == outer or math.isinf(holes.resistance[b, k]):
            continue
        s = _place(names, count, inner)
        count = max(count, s + 1)
        t = _place(names, count, outer)
        count = max(count, t + 1)
        way_a[ways], way_b[ways], way_hole[ways] = s, t, b
        served[s] = served[t] = True
        ways += 1
    for s in range(1, own):
        for b in range(holes.z.size):
            if not served[s] and holes.begun_z[b] < top_z <= holes.whole_z[b]:
                way_a[ways], way_b[ways], way_hole[ways] = s, 0, b
                ways += 1
    return way_a[:ways], way_b[:ways], way_hole[:ways], count


@njit(cache=True, nogil=True)
def _place(names, count, name):
    """Where a name stands among the first `count`; there is put a new one."""
    for s in range(count):
        if names[s] == name:
            return s
    names[count] = name
    return count


@njit(cache=True, nogil=True)
def balance(need, held, way_a, way_b, resistance, aired, seal):
    """Under-pressure of void sets such that what flows in through their ways is what each needs; between 0 and `seal`.

    `held` fixes a set's pressure, NaN leaves it loose. A way with `aired` over 0 passes that times √drop, else drop / resistance.
    Each loose set in turn is balanced by bisection with the others held (Gauss and Seidel): flows rise with their drop, so it
    converges. A set without a way is sealed.
    """
    n = need.size
    pa = np.where(np.isnan(held), 0.0, held)
    for _ in range(200):
        change = 0.0
        for s in range(n):
            if not math.isnan(held[s]):
                continue
            low, high, served = 0.0, seal, False
            for w in range(way_a.size):
                served = served or way_a[w] == s or way_b[w] == s
            if not served:
                low = seal
            while high - low > 1e-6:
                middle = 0.5 * (low + high)
                flow = 0.0
                for w in range(way_a.size):
                    if way_a[w] != s and way_b[w] != s:
                        continue
                    drop = middle - pa[way_b[w] if way_a[w] == s else way_a[w]]
                    if aired[w] > 0.0:
                        flow += math.copysign(aired[w] * math.sqrt(abs(drop)), drop)
                    else:
                        flow += drop / resistance[w]
                if flow < need[s]:
                    low = middle
                else:
                    high = middle
            change = max(change, abs(high - pa[s]))
            pa[s] = high
        if change < 1e-3:
            break
    return pa
