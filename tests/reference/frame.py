"""A second method for posts and diagonals: a frame of beams in space, and the load under which it buckles.

Beams of two nodes with six degrees each, cut finely; K φ = λ K_geometric φ for one post's push. Nothing of it is shared with the
program.
"""

from __future__ import annotations

import numpy as np
import scipy


class Frame:
    """Round beams in space. Ends within 0.01 mm of each other are one stiff node."""

    def __init__(self, modulus_mpa: float) -> None:
        self.modulus = modulus_mpa
        self.nodes: list[np.ndarray] = []
        self.beams: list[tuple[int, int, float, float]] = []
        self.fixed: set[int] = set()

    def node(self, at) -> int:
        at = np.asarray(at, float)
        for i, p in enumerate(self.nodes):
            if np.linalg.norm(p - at) < 0.01:
                return i
        self.nodes.append(at)
        return len(self.nodes) - 1

    def line(self, points, diameter_mm: float, push: float = 0.0, longest_mm: float = 2.5) -> None:
        """Beams along points, cut into pieces; `push` is their share of the load that grows."""
        for a, b in zip(points[:-1], points[1:], strict=True):
            a, b = np.asarray(a, float), np.asarray(b, float)
            count = max(1, int(np.ceil(np.linalg.norm(b - a) / longest_mm)))
            ids = [self.node(a + (b - a) * k / count) for k in range(count + 1)]
            self.beams += [(i, j, diameter_mm, push) for i, j in zip(ids[:-1], ids[1:], strict=True)]

    def hold(self, at, ways: str) -> None:
        """No movement of a node along some of x, y, z."""
        self.fixed |= {6 * self.node(at) + "xyz".index(w) for w in ways}

    def buckles_at(self) -> float:
        """The least load at which it gives way."""
        size = 6 * len(self.nodes)
        elastic, geometric = np.zeros((size, size)), np.zeros((size, size))
        for i, j, d, push in self.beams:
            ke, kg = _beam(self.nodes[j] - self.nodes[i], d, self.modulus)
            at = np.r_[6 * i : 6 * i + 6, 6 * j : 6 * j + 6]
            elastic[np.ix_(at, at)] += ke
            geometric[np.ix_(at, at)] += push * kg
        free = np.setdiff1d(np.arange(size), sorted(self.fixed))
        elastic, geometric = elastic[np.ix_(free, free)], geometric[np.ix_(free, free)]
        elastic += 1e-9 * np.trace(elastic) / len(free) * np.eye(len(free))
        largest = scipy.linalg.eigh(geometric, elastic, eigvals_only=True, subset_by_index=[len(free) - 1, len(free) - 1])
        return float(1 / largest[0])


def _beam(along: np.ndarray, d: float, modulus: float) -> tuple[np.ndarray, np.ndarray]:
    """Stiffness of a beam, and how a push of 1 lowers it, (12, 12) each."""
    length = float(np.linalg.norm(along))
    area, inertia, shear = np.pi * d**2 / 4, np.pi * d**4 / 64, modulus / 2.6
    ke, kg = np.zeros((12, 12)), np.zeros((12, 12))
    for i, j, v in ((0, 6, modulus * area / length), (3, 9, shear * 2 * inertia / length)):
        ke[np.ix_([i, j], [i, j])] += v * np.array([[1, -1], [-1, 1]])
    bend = np.array(
        [[12, 6 * length, -12, 6 * length], [6 * length, 4 * length**2, -6 * length, 2 * length**2],
         [-12, -6 * length, 12, -6 * length], [6 * length, 2 * length**2, -6 * length, 4 * length**2]]
    ) * modulus * inertia / length**3  # fmt: skip
    drop = np.array(
        [[36, 3 * length, -36, 3 * length], [3 * length, 4 * length**2, -3 * length, -(length**2)],
         [-36, -3 * length, 36, -3 * length], [3 * length, -(length**2), -3 * length, 4 * length**2]]
    ) / (30 * length)  # fmt: skip
    flip = np.diag([1, -1, 1, -1])
    for at, sign in (([1, 5, 7, 11], np.eye(4)), ([2, 4, 8, 10], flip)):
        ke[np.ix_(at, at)] += sign @ bend @ sign
        kg[np.ix_(at, at)] += sign @ drop @ sign
    x = along / length
    y = np.cross([0, 0, 1.0] if abs(x[2]) < 0.9 else [1.0, 0, 0], x)
    y /= np.linalg.norm(y)
    turn = np.kron(np.eye(4), np.stack([x, y, np.cross(x, y)]))
    return turn.T @ ke @ turn, turn.T @ kg @ turn
