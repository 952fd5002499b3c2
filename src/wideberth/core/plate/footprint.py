"""What a print covers of the plate, seen from above: the outlines of part and supports, and cells that tell what would touch."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from manifold3d import CrossSection, FillRule
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model import Mesh, as_solid
from wideberth.core.plate.outline import CellSizes, Outline, outline_of

Loops = tuple[NDArray[np.float64], ...]
"""Closed rings of points, (n, 2) mm each: counter-clockwise round what is covered, clockwise round what is not."""
CELL_MM, BAND_MM = 0.5, 5.0
SMOOTH_MM = 0.02
"""Points of an outline that lie nearer to the line between their neighbours are left out."""


@dataclass(frozen=True, eq=False)
class Footprint:
    """A part round its own place, neither turned nor mirrored. part, supports : their outlines. outline : cells of both."""

    part: Loops
    supports: Loops
    outline: Outline


@dataclass(frozen=True)
class Stance:
    """How a footprint lies on the plate: mirrored across x = 0, then turned, then moved."""

    x_mm: float = 0.0
    y_mm: float = 0.0
    turn_deg: float = 0.0
    mirrored: bool = False


def footprint_of(part: Mesh, supports: Mesh | None, drawn: Mesh | None = None) -> Footprint:
    """The footprint of a part and its supports, which are set down round its own place.

    Parameters
    ----------
    drawn : a lighter stand-in of the part, of which the outline is drawn; what touches is told by the part itself.
    """
    meshes = [part] if supports is None else [part, supports]
    top = max(float(m.high[2]) for m in meshes)
    sizes = CellSizes(CELL_MM, BAND_MM, max(1, int(np.ceil(top / BAND_MM - 1e-6))))
    return Footprint(
        silhouette(part if drawn is None else drawn), () if supports is None else silhouette(supports), outline_of(meshes, sizes)
    )


def silhouette(mesh: Mesh) -> Loops:
    """Outlines of a mesh seen from above; of all its triangles where it is no closed solid."""
    try:
        rings = as_solid(mesh).project().to_polygons()
    except BadModel:
        corners = mesh.points[mesh.faces][:, :, :2]
        across = corners[:, 1:] - corners[:, :1]
        twice = across[:, 0, 0] * across[:, 1, 1] - across[:, 0, 1] * across[:, 1, 0]
        rings = [corner if area > 0 else corner[::-1] for corner, area in zip(corners, twice, strict=True) if area != 0]
    merged = CrossSection([np.ascontiguousarray(r) for r in rings], FillRule.Positive).simplify(SMOOTH_MM)
    return tuple(np.asarray(ring, float) for ring in merged.to_polygons())


@dataclass(frozen=True, eq=False)
class Stood:
    """A footprint where a print stands."""

    footprint: Footprint
    stance: Stance

    @cached_property
    def part(self) -> Loops:
        """Outlines of the part."""
        return standing_loops(self.footprint.part, self.stance)

    @cached_property
    def supports(self) -> Loops:
        """Outlines of its supports and their base."""
        return standing_loops(self.footprint.supports, self.stance)

    @cached_property
    def box_mm(self) -> NDArray[np.float64]:
        """Corners (2, 2) of all that it covers."""
        together = np.concatenate(self.part + self.supports)
        return np.stack((together.min(axis=0), together.max(axis=0)))


def standing_loops(loops: Loops, stance: Stance) -> Loops:
    """Outlines where a print stands."""
    turn = np.radians(stance.turn_deg)
    matrix = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    flip = np.array([-1.0 if stance.mirrored else 1.0, 1.0])
    step = -1 if stance.mirrored else 1
    return tuple((ring[::step] * flip) @ matrix.T + (stance.x_mm, stance.y_mm) for ring in loops)


def standing_outline(outline: Outline, stance: Stance) -> Outline:
    """Cells that cover a print where it stands, none left out that it touches; up to two too many along its rim."""
    return moved_outline(turned_outline(outline, stance.turn_deg, stance.mirrored), stance.x_mm, stance.y_mm)


def turned_outline(outline: Outline, turn_deg: float, mirrored: bool) -> Outline:
    """Cells that cover a print mirrored and turned round its own place."""
    if mirrored:
        columns = outline.cells.shape[2]
        outline = Outline(outline.cells[:, :, ::-1], (-(outline.low[0] + columns), outline.low[1]))
    quarters, rest = divmod(turn_deg % 360, 90)
    for _ in range(int(quarters)):
        outline = outline.quarter()
    return _turned(outline, np.radians(rest)) if rest > 1e-9 else outline


def moved_outline(outline: Outline, x_mm: float, y_mm: float) -> Outline:
    """Cells that cover a print moved; between cells it takes those on both sides."""
    at = np.array([x_mm, y_mm]) / CELL_MM
    first = np.floor(at + 1e-6).astype(np.int64)
    more = (at - first > 1e-6).astype(int)
    bands, rows, columns = outline.cells.shape
    cells = np.zeros((bands, rows + more[1], columns + more[0]), bool)
    for row in range(more[1] + 1):
        for column in range(more[0] + 1):
            cells[:, row : row + rows, column : column + columns] |= outline.cells
    return Outline(cells, (outline.low[0] + int(first[0]), outline.low[1] + int(first[1])))


def _turned(outline: Outline, turn: float) -> Outline:
    """Cells that the turned cells of an outline touch; each reaches half a diagonal from its middle."""
    band, row, column = np.nonzero(outline.cells)
    x, y = column + outline.low[0] + 0.5, row + outline.low[1] + 0.5
    spots = np.stack((np.cos(turn) * x - np.sin(turn) * y, np.sin(turn) * x + np.cos(turn) * y))
    reach = 0.5 * (abs(np.cos(turn)) + abs(np.sin(turn))) - 1e-9
    low, high = np.floor(spots - reach).astype(np.int64), np.floor(spots + reach).astype(np.int64)
    first = low.min(axis=1)
    columns, rows = high.max(axis=1) - first + 1
    cells = np.zeros((outline.cells.shape[0], rows, columns), bool)
    for dx in range(3):
        for dy in range(3):
            cells[band, np.minimum(low[1] + dy, high[1]) - first[1], np.minimum(low[0] + dx, high[0]) - first[0]] = True
    return Outline(cells, (int(first[0]), int(first[1])))


def covers(outline: Outline, spots_mm: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Whether a standing outline covers spots (n, 2) of the plate itself, in its lowest band, (n,)."""
    column, row = (np.floor(spots_mm / CELL_MM).astype(np.int64) - outline.low).T
    _, rows, columns = outline.cells.shape
    inside = (column >= 0) & (column < columns) & (row >= 0) & (row < rows)
    found = np.zeros(len(spots_mm), bool)
    found[inside] = outline.cells[0, row[inside], column[inside]]
    return found


def touch(one: Outline, other: Outline) -> bool:
    """Whether two standing outlines have a cell in common, at the same height."""
    low = np.maximum(one.low, other.low)
    high = np.minimum(np.add(one.low, one.cells.shape[:0:-1]), np.add(other.low, other.cells.shape[:0:-1]))
    if (low >= high).any():
        return False
    bands = min(len(one.cells), len(other.cells))

    def shared(outline: Outline) -> NDArray[np.bool_]:
        (c0, r0), (c1, r1) = low - outline.low, high - outline.low
        return outline.cells[:bands, r0:r1, c0:c1]

    return bool((shared(one) & shared(other)).any())
