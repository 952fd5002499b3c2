"""A number engraved in a piece's mating face, where it is hidden once the pieces are together."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.layers import CellWindow, cast, grid_over
from wideberth.core.model import Exact, Mesh, meshes_of
from wideberth.core.progress import Progress
from wideberth.core.split.cut import Cut

DEEP_MM, LOOKED_MM = 0.6, 0.4
"""How deep it is, and the layer to either side of the plane in which the face and what stands on it are looked at."""
HEIGHTS_MM = (10.0, 8.0, 6.0, 5.0, 4.0, 3.0)
WIDE, APART, THICK, ROUND_ABOUT_MM = 0.55, 0.22, 0.14, 1.0
"""Of a digit's height: its width, the gap to the next, its strokes; and what is left free round the number."""
CELL_MM, MOST_CELLS = 0.25, 900
MOST_DIGITS = 3
STROKES = {
    "top": (0.0, 1.0, 1.0, 1.0), "middle": (0.0, 0.5, 1.0, 0.5), "bottom": (0.0, 0.0, 1.0, 0.0),
    "left high": (0.0, 0.5, 0.0, 1.0), "left low": (0.0, 0.0, 0.0, 0.5),
    "right high": (1.0, 0.5, 1.0, 1.0), "right low": (1.0, 0.0, 1.0, 0.5),
}  # fmt: skip
"""Ends of each stroke, as shares of a digit's width and height."""
DIGITS = {
    "0": "top bottom left high left low right high right low", "1": "right high right low",
    "2": "top middle bottom right high left low", "3": "top middle bottom right high right low",
    "4": "middle left high right high right low", "5": "top middle bottom left high right low",
    "6": "top middle bottom left high left low right low", "7": "top right high right low",
    "8": "top middle bottom left high left low right high right low", "9": "top middle bottom left high right high right low",
}  # fmt: skip
Values = NDArray[np.float64]


@dataclass(frozen=True)
class Room:
    """Where a number goes on a cut's face: its lower left corner in the cut's frame, and its digits' height [mm]."""

    across_mm: float
    over_mm: float
    high_mm: float


def room_for(mesh: Mesh, cut: Cut, number: str) -> Room | None:
    """The largest place for a number on the face that a cut has laid bare, keys and rims left free; None where there is none.

    mesh : the piece that was kept, in the part's own frame.
    """
    flat = (mesh.points - cut.offset_mm * np.array(cut.normal)) @ _facing(cut).T
    low, high = flat.min(axis=0), flat.max(axis=0)
    cell = max(CELL_MM, float((high - low)[:2].max()) / MOST_CELLS)
    low2, high2 = np.append(low[:2], 0.0), np.append(high[:2], LOOKED_MM)
    grid = replace(grid_over(low2, high2, cell, LOOKED_MM), layers=1)
    window = CellWindow(float(low[0]) - cell, int((high[0] - low[0]) / cell) + 3, 0, grid.rows, 1)
    inside, outside = (
        window.fill(cast(flat * [1.0, 1.0, way], mesh.faces if way > 0 else mesh.faces[:, ::-1], grid), 0, None) > 0
        for way in (-1.0, 1.0)
    )
    free = inside & ~outside
    rows, columns = np.nonzero(free)
    if len(rows) == 0:
        return None
    for high_mm in HEIGHTS_MM:
        wide = _width_mm(number, high_mm) + 2 * ROUND_ABOUT_MM
        down, across = (int(np.ceil(mm / cell)) + 1 for mm in (high_mm + 2 * ROUND_ABOUT_MM, wide))
        fits = np.argwhere(_all_in(free, down, across))
        if len(fits):
            off = fits + [0.5 * down, 0.5 * across] - [rows.mean(), columns.mean()]
            row, column = fits[int((off**2).sum(axis=1).argmin())]
            return Room(window.x_low + (column + 0.5) * cell + ROUND_ABOUT_MM, grid.y0_mm + row * cell + ROUND_ABOUT_MM, high_mm)
    return None


def engraved(mesh: Mesh, cuts: tuple[Cut, ...], number: str, name: str, progress: Progress | None = None) -> Mesh:
    """A piece with a number in the face of its last cut that has room for it; as it was where none has.

    Raises
    ------
    BadModel : when the mesh is not closed, or the number is none of one to three digits. Cancelled : when `progress` was
    cancelled meanwhile.
    """
    if not number:
        return mesh
    if not (number.isascii() and number.isdigit() and len(number) <= MOST_DIGITS):
        raise BadModel(f"`{number}` is no number of one to three digits.", where=name, remedy="Leave it out, or give another.")
    for cut in reversed(cuts):
        room = room_for(mesh, cut, number)
        if room is not None:
            engraving = Exact.solid(mesh) - Exact.solid(_strokes(cut, room, number))
            return meshes_of([engraving], name, what="engraving", progress=progress)[0]
    return mesh


def _facing(cut: Cut) -> Values:
    """Rows across, over and outward of a cut's face, right-handed, (3, 3): as somebody sees it who looks at the piece."""
    across, over, along = cut.frame
    return np.stack([across, over, along]) if cut.keep < 0 else np.stack([-across, over, -along])


def _width_mm(number: str, high_mm: float) -> float:
    return high_mm * (len(number) * WIDE + (len(number) - 1) * APART)


def _all_in(free: NDArray[np.bool_], rows: int, columns: int) -> NDArray[np.bool_]:
    """Whether the rectangle of so many cells that begins at each lies wholly in what is free, (a, b)."""
    if rows > free.shape[0] or columns > free.shape[1]:
        return np.zeros((0, 0), bool)
    total = np.pad(free.astype(np.int64).cumsum(axis=0).cumsum(axis=1), ((1, 0), (1, 0)))
    count = total[rows:, columns:] - total[:-rows, columns:] - total[rows:, :-columns] + total[:-rows, :-columns]
    return np.asarray(count == rows * columns)


def _strokes(cut: Cut, room: Room, number: str) -> Manifold:
    """The strokes of a number as a solid, from within the piece to over its face."""
    high, thick = room.high_mm, THICK * room.high_mm
    made = Manifold()
    for place, digit in enumerate(number):
        left = room.across_mm + place * (WIDE + APART) * high
        for name in STROKES:
            if name not in DIGITS[digit]:
                continue
            x0, y0, x1, y1 = STROKES[name]
            inner = np.array([WIDE * high - thick, high - thick])
            a, b = (np.array([x, y]) * inner for x, y in ((x0, y0), (x1, y1)))
            size = np.append(b - a + thick, 2 * DEEP_MM)
            made = made + Manifold.cube(size.tolist()).translate((left + a[0], room.over_mm + a[1], -DEEP_MM))
    turned = _facing(cut).T
    return made.transform(np.column_stack((turned, cut.offset_mm * np.array(cut.normal))))
