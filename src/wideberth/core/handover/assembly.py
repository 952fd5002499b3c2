"""How pieces go together: in what order, by which keys, glued or not; and a picture of them drawn apart."""

from __future__ import annotations

from collections.abc import Hashable, Sequence

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from wideberth.core.handover.pictures import INK, SCALE, picture_font
from wideberth.core.job import Job, Part
from wideberth.core.model import Mesh, stand_in
from wideberth.core.predict import PrintSolids
from wideberth.core.split import Cut

DRAWN_TRIANGLES = 2_500
APART_SHARE = 0.22
"""Of the whole's size, for each cut that a piece lies beyond."""
EYE = np.array([0.55, -0.75, 0.36]) / np.linalg.norm([0.55, -0.75, 0.36])
LIGHT = np.array([0.1, -0.6, 0.8]) / np.linalg.norm([0.1, -0.6, 0.8])
TINTS = ((247, 242, 226), (226, 220, 192), (214, 226, 206), (232, 210, 190))
GROUND = (214, 229, 236)
MARGIN = 26


def assembly_lines(job: Job) -> list[str]:
    """Joints of all parts that were cut, those first that are put together first: the last cut is closed first."""
    lines: list[str] = []
    families: dict[Hashable, list[Part]] = {}
    for part in job.parts:
        if part.piece is not None:
            families.setdefault(part.shape, []).append(part)
    for pieces in families.values():
        for depth in range(max(len(p.cuts) for p in pieces), 0, -1):
            done = set()
            for piece in pieces:
                if len(piece.cuts) < depth:
                    continue
                before, cut = piece.cuts[: depth - 1], _upper(piece.cuts[depth - 1])
                sides = [[p for p in pieces if p.cuts[:depth] == (*before, side)] for side in (cut, cut.other_side)]
                if (before, cut) not in done and all(sides):
                    done.add((before, cut))
                    lines.append(f"{len(lines) + 1}. {_joint_text(cut, *(_names(side) for side in sides))}")
    return lines


def _upper(cut: Cut) -> Cut:
    return cut if cut.keep > 0 else cut.other_side


def _names(parts: Sequence[Part]) -> str:
    return " with ".join(p.name for p in parts)


def _joint_text(cut: Cut, upper: str, lower: str) -> str:
    """One joint: which goes into which, and how."""
    if not cut.keys:
        return f"{upper} onto {lower}: flat faces without a key; glue them before curing, while they lie flat."
    into, other = (upper, lower) if cut.keys[0].peg_on > 0 else (lower, upper)
    sizes = " and ".join(f"{key.size_mm:.1f}" for key in cut.keys)
    kind = str(cut.keys[0].kind) + ("s" if len(cut.keys) > 1 else "")
    deep, clear = cut.keys[0].depth_mm, cut.clearance_mm
    text = f"{into} into {other}: {kind} of {sizes} mm, {deep:.1f} mm deep, {clear:.2f} mm clear on each side"
    return f"{text}. Try it dry: it goes in one way only. What is to be glued is glued before curing, since parts warp a little."


def apart_view(prints: Sequence[PrintSolids], width: int = 420, height: int = 420) -> Image.Image | None:
    """Pieces of parts that were cut, each moved away from its cuts, in the part's own frame; None where there are none."""
    pieces = [s for s in prints if s.placed.part.piece is not None and s.placed.first]
    if not pieces:
        return None
    meshes = [stand_in(s.own, DRAWN_TRIANGLES) for s in pieces]
    size = float(np.linalg.norm(np.max([m.high for m in meshes], axis=0) - np.min([m.low for m in meshes], axis=0)))
    moved = []
    for solids, mesh in zip(pieces, meshes, strict=True):
        shift = sum((cut.keep * np.array(cut.normal) for cut in solids.placed.part.cuts), np.zeros(3))
        moved.append(Mesh(mesh.points + APART_SHARE * size * shift, mesh.faces))
    sheet = Image.new("RGB", (width * SCALE, height * SCALE), GROUND)
    pen = ImageDraw.Draw(sheet)
    place = _view(moved, width * SCALE, height * SCALE)
    faces = []
    for number, mesh in enumerate(moved):
        facing = np.flatnonzero(mesh.normals @ EYE > 0)
        depth = (mesh.points @ EYE)[mesh.faces[facing]].mean(axis=1)
        bright = np.clip(0.62 + 0.42 * (mesh.normals[facing] @ LIGHT), 0.35, 1.0)
        corners = place(mesh.points)[mesh.faces[facing]]
        tint = np.array(TINTS[number % len(TINTS)])
        faces += [(d, c, tuple(int(v) for v in tint * b)) for d, c, b in zip(depth, corners, bright, strict=True)]
    for _, corners, colour in sorted(faces, key=lambda f: f[0]):
        pen.polygon([(float(x), float(y)) for x, y in corners], fill=colour)
    for solids, mesh in zip(pieces, moved, strict=True):
        seen = place(mesh.points)
        beside = float(seen[:, 0].max()) + 10 * SCALE, float(0.5 * (seen[:, 1].min() + seen[:, 1].max()))
        pen.text(beside, solids.placed.name, INK, picture_font(10), anchor="lm")
    return sheet


def _view(meshes: Sequence[Mesh], width: int, height: int):  # type: ignore[no-untyped-def]
    """What puts points (n, 3) of the pieces into the picture, (n, 2) px."""
    right = np.cross([0.0, 0.0, 1.0], EYE)
    right /= np.linalg.norm(right)
    up = np.cross(EYE, right)
    axes = np.stack((right, up), axis=1)
    seen = np.concatenate([m.points @ axes for m in meshes])
    low, high = seen.min(axis=0), seen.max(axis=0)
    room = np.array([width, height]) - 2 * MARGIN * SCALE
    scale = float((room / np.maximum(high - low, 1e-9)).min())
    middle = 0.5 * (low + high)

    def place(points: NDArray[np.float64]) -> NDArray[np.float64]:
        off = (points @ axes - middle) * scale
        return np.column_stack((0.5 * width + off[:, 0], 0.5 * height - off[:, 1]))

    return place
