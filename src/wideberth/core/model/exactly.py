"""Exact solids made of others step by step; also as a program of its own, arrays in and out in files that stand for its input and
output. Nothing comes out where one of the meshes is no solid.

It imports nothing of ours, so that it starts in a fifth of a second, and it can be ended at any moment.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from typing import Any

import manifold3d
import numpy as np
from numpy.lib import format as npy

Solids = list[manifold3d.Manifold]
Steps = Sequence[tuple[str, Sequence[int], Sequence[float]]]


def worked(steps: Steps, solids: Solids) -> Solids:
    """The solids, and after them what each step makes of some of those before it, by their places and some numbers.

    A step is `less`, `with`, `within` (what two have in common), `all` (the union of any number), `resolved` (its shells that
    overlap or face inward), `simplified` (nothing moved by more than one number [mm]), `over` or `under` (a plane: its normal and
    offset).
    """
    known, halves = list(solids), dict[tuple[float, ...], tuple[manifold3d.Manifold, manifold3d.Manifold]]()
    for how, places, numbers in steps:
        of = [known[place] for place in places]
        if how == "less":
            known.append(of[0] - of[1])
        elif how == "with":
            known.append(of[0] + of[1])
        elif how == "within":
            known.append(of[0] ^ of[1])
        elif how == "all":
            known.append(manifold3d.Manifold.batch_boolean(of, manifold3d.OpType.Add))
        elif how == "resolved":
            known.append(_resolved(of[0]))
        elif how == "simplified":
            known.append(of[0].simplify(numbers[0]))
        else:
            plane = (*places, *numbers)
            if plane not in halves:
                halves[plane] = of[0].split_by_plane(tuple(numbers[:3]), numbers[3])
            known.append(halves[plane][how == "under"])
    return known


def _resolved(solid: manifold3d.Manifold) -> manifold3d.Manifold:
    """All shells of a solid that face outward together, less those that face inward."""
    whole, inner = manifold3d.Manifold(), manifold3d.Manifold()
    for shell in solid.decompose():
        if shell.volume() > 0:
            whole = whole + shell
        else:
            data = shell.to_mesh64()
            turned = np.ascontiguousarray(np.asarray(data.tri_verts)[:, ::-1])
            inner = inner + manifold3d.Manifold(manifold3d.Mesh64(np.asarray(data.vert_properties)[:, :3].copy(), turned))
    return whole - inner


def main() -> None:
    """Read what is asked for, and points and faces of all meshes; write how many of each solid that is wanted has, and these.
    None is written where one that there must be is empty."""
    taken, given = sys.stdin.buffer, sys.stdout.buffer
    asked, points, faces = (npy.read_array(taken, allow_pickle=False) for _ in range(3))
    told: dict[str, Any] = json.loads(asked.tobytes())
    solids, corner, first = [], 0, 0
    for corners, triangles in told["counts"]:
        of = faces[first : first + triangles].astype(np.uint64) - np.uint64(corner)
        solids.append(manifold3d.Manifold(manifold3d.Mesh64(points[corner : corner + corners], of)))
        corner, first = corner + corners, first + triangles
    if any(solid.status() != manifold3d.Error.NoError for solid in solids):
        return
    known = worked(told["steps"], solids)
    there = not any(known[place].is_empty() for place in told["some"])
    made = [known[place].to_mesh64() for place in told["wanted"]] if there else []
    at = [np.asarray(mesh.vert_properties)[:, :3] for mesh in made]
    sides = [np.asarray(mesh.tri_verts).astype(np.int32) for mesh in made]
    npy.write_array(given, np.array([(len(p), len(f)) for p, f in zip(at, sides, strict=True)], np.int64).reshape(-1, 2))
    npy.write_array(given, np.concatenate([np.empty((0, 3)), *at]))
    npy.write_array(given, np.concatenate([np.empty((0, 3), np.int32), *sides]))


if __name__ == "__main__":
    main()
