"""A Delaunay triangulation made to keep given edges, by flipping the edges that cross them.

S. W. Sloan, A fast algorithm for generating constrained Delaunay triangulations, Computers & Structures 47 (1993), 441-450.
"""

from __future__ import annotations

from collections import deque

import numpy as np
import scipy
from numpy.typing import NDArray

PATIENCE = 40

Edge = tuple[int, int]


def constrained_delaunay(points: NDArray[np.float64], edges: NDArray[np.int64]) -> NDArray[np.int64] | None:
    """Counter-clockwise triangles (t, 3) over points (n, 2) that keep every edge (e, 2); None when they cannot.

    They cannot when edges cross each other, pass through a point, or all points lie on a line.
    """
    try:
        made = scipy.spatial.Delaunay(points).simplices.astype(np.int64)
    except scipy.spatial.QhullError:
        return None
    a, b, c = points[made[:, 0]], points[made[:, 1]], points[made[:, 2]]
    turn = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    made[turn < 0] = made[turn < 0][:, ::-1]
    work = _Flips(points, made[turn != 0])
    if all(work.keep(start, end) for start, end in edges.tolist()) and all(work.has(a, b) for a, b in edges.tolist()):
        return work.triangles()
    return None


class _Flips:
    """Triangles by their directed edges: `apex[u, v]` is the third corner of the one that lies left of u to v."""

    def __init__(self, points: NDArray[np.float64], triangles: NDArray[np.int64]) -> None:
        self.points = points
        self.apex: dict[Edge, int] = {}
        self.near: dict[int, set[int]] = {}
        for u, v, w in triangles.tolist():
            self.apex[u, v], self.apex[v, w], self.apex[w, u] = w, u, v
            for one, other in ((u, v), (v, w), (w, u)):
                self.near.setdefault(one, set()).add(other)
                self.near.setdefault(other, set()).add(one)

    def _side(self, a: int, b: int, c: int) -> float:
        (ax, ay), (bx, by), (cx, cy) = self.points[a], self.points[b], self.points[c]
        return float((bx - ax) * (cy - ay) - (by - ay) * (cx - ax))

    def _cross(self, a: int, b: int, u: int, v: int) -> bool:
        """Whether two edges without a common end cross."""
        if len({a, b, u, v}) < 4:
            return False
        return self._side(a, b, u) * self._side(a, b, v) < 0 and self._side(u, v, a) * self._side(u, v, b) < 0

    def _crossing(self, a: int, b: int) -> list[Edge]:
        """Edges that cross from a to b, in the order that one walks over them; empty when a corner is in the way.

        Among points that coincide or lie on a line the walk may go round in a ring: it ends where it has been before.
        """
        here: Edge | None = None
        for w in self.near[a]:
            x = self.apex.get((a, w))
            if x is not None and self._cross(a, b, w, x):
                here = (w, x)
                break
        crossed: dict[Edge, None] = {}
        while here is not None and here not in crossed:
            crossed[here] = None
            w, x = here
            y = self.apex.get((x, w))
            if y is None or y == b:
                break
            here = next(((u, v) for u, v in ((w, y), (y, x)) if self._cross(a, b, u, v)), None)
        return list(crossed)

    def keep(self, a: int, b: int) -> bool:
        """Flip until there is an edge from a to b; False when that does not come about."""
        if self.has(a, b):
            return True
        queue = deque(self._crossing(a, b))
        patience = PATIENCE * (len(queue) + 1)
        while queue and patience:
            patience -= 1
            u, v = queue.popleft()
            p, q = self.apex.get((u, v)), self.apex.get((v, u))
            if p is None or q is None:
                return False
            if self._side(p, q, u) * self._side(p, q, v) >= 0:  # not convex: another flip must come first
                queue.append((u, v))
                continue
            del self.apex[u, v], self.apex[v, u]
            self.near[u].discard(v)
            self.near[v].discard(u)
            self.near[p].add(q)
            self.near[q].add(p)
            for x, y, z in ((u, q, p), (q, v, p)):
                self.apex[x, y], self.apex[y, z], self.apex[z, x] = z, x, y
            if self._cross(a, b, p, q):
                queue.append((p, q))
        return self.has(a, b)

    def has(self, a: int, b: int) -> bool:
        """Whether there is an edge from a to b."""
        return (a, b) in self.apex or (b, a) in self.apex

    def triangles(self) -> NDArray[np.int64]:
        """All triangles, each once."""
        corners = {(u, v, w) if u < v and u < w else (v, w, u) if v < w else (w, u, v) for (u, v), w in self.apex.items()}
        return np.array(sorted(corners), np.int64).reshape(-1, 3)
