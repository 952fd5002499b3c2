"""A program of its own that decimates one mesh: arrays in and out, in files that stand for its input and output.

It imports nothing of ours, so that it starts in a fifth of a second, and it can be ended at any moment.
"""

from __future__ import annotations

import sys

import fast_simplification
import numpy as np
from numpy.lib import format as npy


def main(triangles: int, haste: float) -> None:
    """Decimate what is read to about so many triangles; `haste` as the library has it."""
    taken, given = sys.stdin.buffer, sys.stdout.buffer
    points, faces = npy.read_array(taken, allow_pickle=False), npy.read_array(taken, allow_pickle=False)
    for array in fast_simplification.simplify(points, faces, target_count=triangles, agg=haste):
        npy.write_array(given, np.ascontiguousarray(array), allow_pickle=False)


if __name__ == "__main__":
    main(int(sys.argv[1]), float(sys.argv[2]))
