"""A picture of the pieces of what was cut, drawn apart."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PIL import Image, ImageDraw

from wideberth.core.handover.pictures import INK, SCALE, picture_font
from wideberth.core.model import sketch, stand_in
from wideberth.core.predict import PrintSolids
from wideberth.core.split import shifts_apart

DRAWN_TRIANGLES = 2_500
TINTS = ((247, 242, 226), (226, 220, 192), (214, 226, 206), (232, 210, 190))
GROUND = (214, 229, 236)
MARGIN = 26


def apart_view(prints: Sequence[PrintSolids], width: int = 420, height: int = 420) -> Image.Image | None:
    """Pieces of parts that were cut, each moved away from its cuts, in the part's own frame; None where there are none."""
    pieces = [s for s in prints if s.placed.part.piece is not None and s.placed.first]
    if not pieces:
        return None
    meshes = [stand_in(s.own, DRAWN_TRIANGLES) for s in pieces]
    size = float(np.linalg.norm(np.max([m.high for m in meshes], axis=0) - np.min([m.low for m in meshes], axis=0)))
    shifts = shifts_apart([s.placed.part.cuts for s in pieces], size)
    moved = [mesh.moved(shift) for mesh, shift in zip(meshes, shifts, strict=True)]
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
