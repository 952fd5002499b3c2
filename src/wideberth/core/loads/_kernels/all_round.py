"""What holds a spot of an underside all round: the nearest holder in each of several directions, and on how many sides."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def nearer_by_tips(away, near, sector, off_mm, radius, stays, most):
    """Lower the level distance [mm] to the nearest holder in each direction to what the nearest tips leave of it.

    Parameters
    ----------
    away : (spots, ways), written to. near : (spots, k) tips, the nearest first; sector, off_mm : the direction in which each is,
        and how far off its axis. radius, stays : (tips,), tips that do not stay are passed over. most : so many of them count.

    Returns
    -------
    Whether fewer than `most` of those k stay, (spots,).
    """
    spots, known = near.shape
    short = np.zeros(spots, np.bool_)
    for s in range(spots):
        count = 0
        for n in range(known):
            t = near[s, n]
            if not stays[t]:
                continue
            away[s, sector[s, n]] = min(away[s, sector[s, n]], max(off_mm[s, n] - radius[t], 0.0))
            count += 1
            if count == most:
                break
        short[s] = count < most
    return short


@njit(cache=True, nogil=True)
def gaps_within(away, within, wide):
    """How many gaps of at least `wide` directions without a holder each spot has, round the circle, (spots,); 1 without any.

    Parameters
    ----------
    away : (spots, ways). within : (spots,) [mm], what is farther is no holder.
    """
    spots, ways = away.shape
    gaps = np.ones(spots, np.int64)
    for s in range(spots):
        first = 0
        while first < ways and away[s, first] > within[s]:
            first += 1
        if first == ways:
            continue
        count = run = 0
        for step in range(1, ways + 1):
            if away[s, (first + step) % ways] > within[s]:
                run += 1
                continue
            if run >= wide:
                count += 1
            run = 0
        gaps[s] = count
    return gaps
