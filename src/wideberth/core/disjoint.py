"""Disjoint sets in compiled loops: which of many things hang together, by a parent for each.

Source: R. E. Tarjan and J. van Leeuwen, Worst-case analysis of set union algorithms, J. ACM 31 (1984), path halving.
"""

from numba import njit


@njit(cache=True, nogil=True)
def find(parent, i):
    """Root of i, halving the path."""
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@njit(cache=True, nogil=True)
def unite(parent, i, j):
    """Join the sets of i and j under the smaller root, which it returns."""
    i, j = find(parent, i), find(parent, j)
    if i < j:
        parent[j] = i
        return i
    parent[i] = j
    return j
