"""Who shares what with whom in a mesh: edges, shells, fans."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model._kernels import topology as kernels
from wideberth.core.model._kernels.weld import EMPTY, weld
from wideberth.core.progress import Progress, quiet

CHUNK = 1_500_000


@dataclass(frozen=True, eq=False)
class Topology:
    """Edges of a mesh.

    Attributes
    ----------
    faces : (m, 3). edge_of : (m, 3) edge from corner i to corner i + 1. ends : (e, 2) lower corner first. uses : (e,) faces at
    the edge: 2 everywhere on a closed manifold. net : (e,) 0 where its faces agree which side is outside.
    """

    faces: NDArray[np.int32]
    points: int
    edge_of: NDArray[np.int32]
    ends: NDArray[np.int32]
    uses: NDArray[np.int32]
    net: NDArray[np.int32]

    @cached_property
    def shells(self) -> tuple[NDArray[np.int32], int]:
        """Piece of each face, (m,), pieces hanging together by edges; and how many."""
        label, count = kernels.shells(self.edge_of, len(self.ends))
        return label, int(count)

    @cached_property
    def fans(self) -> NDArray[np.int32]:
        """Fans of faces at each point, (n,): more than one where a mesh touches itself at a point."""
        return kernels.fans(self.faces, self.edge_of, len(self.ends), self.points)

    @cached_property
    def faces_of_edge(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Start in, and list of, faces by edge: those of edge e are `list[start[e]:start[e + 1]]`."""
        order = np.argsort(self.edge_of.reshape(-1), kind="stable")
        return np.concatenate(([0], np.cumsum(self.uses))).astype(np.int64), order // 3


def topology(faces: NDArray[np.int32], points: int) -> Topology:
    """Edges of triangles (m, 3) over so many points."""
    faces = np.ascontiguousarray(faces, np.int32)
    return Topology(faces, points, *kernels.edges(faces, points))


def to_turn(topology: Topology, area_mm2: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which faces to turn round so that neighbours agree, (m,); the larger area of each shell stays."""
    return kernels.orient(topology.faces, topology.edge_of, topology.uses, area_mm2)


class Welder:
    """Gives corners at equal places one number, chunk by chunk.

    Parameters
    ----------
    most_corners : how many will come.
    """

    def __init__(self, most_corners: int) -> None:
        size = 1 << max(4, int(np.ceil(np.log2(max(1, most_corners) * 1.4))))
        self._table = np.full(size, EMPTY, np.int32)
        self._places = np.empty((min(most_corners, CHUNK), 3), np.uint64)
        self.count = 0

    def number(self, corners: NDArray[np.float64]) -> NDArray[np.int32]:
        """Numbers of corners (c, 3)."""
        bits = np.ascontiguousarray(corners + 0.0, np.float64).view(np.uint64)  # + 0.0 turns -0.0 into 0.0
        room = self.count + len(bits)
        if room > len(self._places):
            grown = np.empty((max(room, 3 * len(self._places) // 2), 3), np.uint64)
            grown[: self.count] = self._places[: self.count]
            self._places = grown
        index = np.empty(len(bits), np.int32)
        self.count = int(weld(bits, self._table, self._places, self.count, index))
        return index

    @property
    def points(self) -> NDArray[np.float64]:
        """The distinct places, (count, 3)."""
        return self._places[: self.count].view(np.float64).copy()


def welded(
    points: NDArray[np.float64], faces: NDArray[np.integer], progress: Progress | None = None
) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """Corners at equal places as one; those that no face uses are left out."""
    progress = progress or quiet()
    welder = Welder(3 * len(faces))
    index = np.empty((len(faces), 3), np.int32)
    step = CHUNK // 3
    for start in range(0, len(faces), step):
        progress.at(start / len(faces), "joining corners")
        piece = faces[start : start + step]
        index[start : start + step] = welder.number(points[piece].reshape(-1, 3)).reshape(-1, 3)
    return welder.points, index
