"""Stress in sections that alone hold what lies beyond them."""

import math
from typing import NamedTuple

import numpy as np
from numba import njit


class Links(NamedTuple):
    """Which components stand on which. first : (layers + 1,) first component of each layer; link : (components + 1,) a
    component's first link; lower : (links,) the component below of each."""

    first: np.ndarray
    link: np.ndarray
    lower: np.ndarray


class Hung(NamedTuple):
    """Groups of what is connected beyond a layer. pull : (groups, 3, layers) the pull of each layer in it and its first moments;
    held : whether tips hold it; free : whether the number is not in use; (groups,). of : (components,) the group of each."""

    pull: np.ndarray
    held: np.ndarray
    free: np.ndarray
    of: np.ndarray


@njit(cache=True, nogil=True)
def neck_stresses(links, area, x, y, axes, asked, tipped, pull):
    """Greatest stress in sections that alone hold what lies beyond them, from the film's side down to the plate.

    Groups are numbered as they begin; those that join become the lower of them.

    Parameters
    ----------
    (components,) each: area, x, y; asked, tipped, whether its stress is wanted and whether tips hold it. axes : (components, 4),
    see `Sections.principal`. pull : (3, components) the pull on each and its first moments.

    Returns
    -------
    (4, components): stress, pull, moment, and the layer that is peeled then; 0 where there is none.
    """
    layers = links.first.size - 1
    worst = np.zeros((4, area.size))
    hung = Hung(np.zeros((8, 3, layers)), np.zeros(8, np.bool_), np.ones(8, np.bool_), np.full(area.size, -1, np.int64))
    for k in range(layers - 1, -1, -1):
        lo, hi, above = links.first[k], links.first[k + 1], links.first[min(k + 2, layers)]
        foot = _feet(links, hung, hi, above)
        for c in range(lo, hi):
            if asked[c]:
                alone = ~hung.free & ~hung.held & (foot == c)
                if alone.any():
                    worst_section(c, k + 1, hung.pull[alone].sum(axis=0), x[c], y[c], area[c], axes[c], worst)
        _join(links, hung, lo, hi, above)
        for g in range(hung.held.size):
            if not hung.free[g] and not (hung.of[lo:hi] == g).any():
                hung.free[g] = True  # it ended here, on nothing
        for c in range(lo, hi):
            if hung.of[c] < 0:
                hung = _begun(hung, c)
            g = hung.of[c]
            hung.pull[g, :, k] += pull[:, c]
            hung.held[g] |= tipped[c]
    return worst


@njit(cache=True, nogil=True)
def _feet(links, hung, hi, above):
    """On what each group stands, (groups,): -1 on nothing yet, the one component below it, or -2 on several."""
    foot = np.full(hung.held.size, -1, np.int64)
    for u in range(hi, above):
        for link in range(links.link[u], links.link[u + 1]):
            c, g = links.lower[link], hung.of[u]
            foot[g] = c if foot[g] == -1 or foot[g] == c else -2
    return foot


@njit(cache=True, nogil=True)
def _join(links, hung, lo, hi, above):
    """Hand the groups of the layer above on to this one's components; those that meet in one become one."""
    for u in range(hi, above):
        for link in range(links.link[u], links.link[u + 1]):
            c, g = links.lower[link], hung.of[u]
            if hung.of[c] < 0:
                hung.of[c] = g
            elif hung.of[c] != g:
                keep, gone = min(hung.of[c], g), max(hung.of[c], g)
                hung.pull[keep] += hung.pull[gone]
                hung.held[keep] |= hung.held[gone]
                for other in range(lo, above):
                    if hung.of[other] == gone:
                        hung.of[other] = keep
                hung.free[gone] = True


@njit(cache=True, nogil=True)
def _begun(hung, c):
    """The groups with a new one that begins with a component; there may have to be more room."""
    if not hung.free.any():
        more = hung.held.size
        hung = Hung(
            np.concatenate((hung.pull, np.zeros(hung.pull.shape))),
            np.concatenate((hung.held, np.zeros(more, np.bool_))),
            np.concatenate((hung.free, np.ones(more, np.bool_))),
            hung.of,
        )
    g = np.argmax(hung.free)
    hung.free[g], hung.held[g], hung.of[c] = False, False, g
    hung.pull[g] = 0.0
    return hung


@njit(cache=True, nogil=True)
def worst_section(c, start, pull, x, y, area, axes, worst):
    """Note the layer from `start` on whose pull stresses a section most: σ = F/A + M_u/W_u + M_v/W_v."""
    cos, sin, modulus_u, modulus_v = axes
    for k in range(start, pull.shape[1]):
        force = pull[0, k]
        aside_x, aside_y = pull[1, k] - x * force, pull[2, k] - y * force
        moment_u = abs(cos * aside_y - sin * aside_x)  # of the pull's place along v
        moment_v = abs(cos * aside_x + sin * aside_y)
        here = force / area + moment_u / modulus_u + moment_v / modulus_v
        if k == start or here > worst[0, c]:
            worst[0, c], worst[1, c], worst[2, c], worst[3, c] = here, force, math.hypot(moment_u, moment_v), k
