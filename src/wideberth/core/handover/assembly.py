"""How pieces go together: in what order, by which keys, glued or not; and a picture of them drawn apart."""

from __future__ import annotations

from collections.abc import Hashable, Sequence

import numpy as np
from PIL import Image, ImageDraw

from wideberth.core.handover.pictures import INK, SCALE, picture_font
from wideberth.core.job import Job, Part
from wideberth.core.model import Mesh, sketch, stand_in
from wideberth.core.predict import PrintSolids
from wideberth.core.split import Cut

DRAWN_TRIANGLES = 2_500
APART_SHARE = 0.22
"""Of the whole's size, for each cut that a piece lies beyond."""
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
    drawn = sketch(moved, width * SCALE, height * SCALE, MARGIN * SCALE)
    sheet = Image.new("RGB", (width * SCALE, height * SCALE), GROUND)
    pen = ImageDraw.Draw(sheet)
    for corners, bright, number in zip(drawn.corners.tolist(), drawn.bright.tolist(), drawn.of.tolist(), strict=True):
        red, green, blue = (round(v * bright) for v in TINTS[number % len(TINTS)])
        pen.polygon([(x, y) for x, y in corners], fill=(red, green, blue))
    for solids, ((_, top), (right, bottom)) in zip(pieces, drawn.boxes.tolist(), strict=True):
        name, face = solids.placed.name, picture_font(10)
        left = min(right + 10 * SCALE, width * SCALE - face.getlength(name) - 4 * SCALE)
        pen.text((max(left, 4 * SCALE), 0.5 * (top + bottom)), name, INK, face, anchor="lm")
    return sheet
