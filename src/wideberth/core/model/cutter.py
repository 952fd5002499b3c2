"""What is left of a solid less its chambers and holes; as a program of its own, arrays in and out in files that stand for its
input and output. Nothing comes out where one of the meshes is no solid.

It imports nothing of ours, so that it starts in a fifth of a second, and it can be ended at any moment.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from functools import reduce
from operator import sub

import manifold3d
import numpy as np
from numpy.lib import format as npy


def left_of(solids: Sequence[manifold3d.Manifold], chambers: int, standing: int, within_mm: float) -> manifold3d.Manifold:
    """The first of some solids less so many chambers after it, but for so many that stand in them, and less the rest; with
    needless triangles taken out, nothing moved farther than `within_mm`."""
    body, voids, stands = solids[0], solids[1 : 1 + chambers], solids[1 + chambers : 1 + chambers + standing]
    away = [reduce(sub, stands, void) for void in voids]
    return reduce(sub, [*away, *solids[1 + chambers + standing :]], body).simplify(within_mm)


def main(within_mm: float, chambers: int, standing: int, points: Sequence[int], faces: Sequence[int]) -> None:
    """Read solids of so many points and faces each, one after the other, and write what is left."""
    taken, given = sys.stdin.buffer, sys.stdout.buffer
    at = np.split(npy.read_array(taken, allow_pickle=False), np.cumsum(points)[:-1])
    of = np.split(npy.read_array(taken, allow_pickle=False).astype(np.uint64), np.cumsum(faces)[:-1])
    first = np.cumsum([0, *points[:-1]]).astype(np.uint64)
    meshes = [manifold3d.Mesh64(p, f - n) for p, f, n in zip(at, of, first, strict=True)]
    solids = [manifold3d.Manifold(mesh) for mesh in meshes]
    if all(solid.status() == manifold3d.Error.NoError for solid in solids):
        made = left_of(solids, chambers, standing, within_mm).to_mesh64()
        for array in (np.asarray(made.vert_properties)[:, :3], np.asarray(made.tri_verts).astype(np.int32)):
            npy.write_array(given, np.ascontiguousarray(array), allow_pickle=False)


if __name__ == "__main__":
    counts = [int(count) for count in sys.argv[2:]]
    main(float(sys.argv[1]), counts[0], counts[1], counts[2::2], counts[3::2])
