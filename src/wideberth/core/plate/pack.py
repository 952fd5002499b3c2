"""Packing: prints side by side by their true outlines over all heights, a gap between them in all three dimensions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.model import Mesh
from wideberth.core.plate.outline import CellSizes, Outline, outline_of
from wideberth.core.progress import Progress, quiet

CELLS_ACROSS = 360
FINEST_MM = 0.5
"""Of a cell."""
TURN_COST = {0.0: 1.0, 180.0: 1.01, 90.0: 1.02, 270.0: 1.02}
"""Times a place's cost, so that nothing is turned for next to nothing."""
LEAN_COST = 1.04
BANDS = 8
DIAGONAL_DEG, QUARTERS = 45.0, 4
MOST_PLATES, WAYS = 60, 4
MOST_KEPT = 150
"""Transforms that are kept from one order to the next, of about 2 MB each."""


class Goal(StrEnum):
    """What a packing is for."""

    FEWEST = "fewest plates"
    HEIGHTS = "equal heights together"
    MIDDLE = "heavy ones in the middle"


class Cost(StrEnum):
    """What a place costs: how far it is from a corner, how much the box of all grows, how far it is from the middle."""

    CORNER = "corner"
    BOX = "box"
    MIDDLE = "middle"


@dataclass(frozen=True, eq=False)
class Item:
    """A print to be placed. meshes : closed ones, set down round its own place, part and supports. alike : equal for prints of
    the same solids. weight : of what is to be in the middle. turns : whether it may be turned about the upright. pinned : where
    it stands, if it is not to be moved; on a plate with such a one nothing is moved to the middle."""

    meshes: tuple[Mesh, ...]
    alike: str
    weight: float = 1.0
    turns: bool = True
    pinned: Packed | None = None

    @property
    def height_mm(self) -> float:
        return max(float(m.high[2]) for m in self.meshes)


@dataclass(frozen=True)
class Packed:
    """Where a print stands: its plate, its own place from that plate's middle, and by how much it is turned."""

    plate: int
    x_mm: float
    y_mm: float
    turn_deg: float


def pack(
    items: Sequence[Item],
    size_mm: tuple[float, float],
    gap_mm: float,
    goal: Goal = Goal.FEWEST,
    most_plates: int = MOST_PLATES,
    rows_mm: float = 0.0,
    progress: Progress | None = None,
    kept_free_mm: Sequence[tuple[float, float, float, float]] = (),
) -> list[Packed | None]:
    """Places for prints, in their order; None for one that no plate holds.

    Parameters
    ----------
    size_mm : (x, y) of a plate. gap_mm : that no two prints come nearer to each other, in any direction; the plate's edge they
    may touch. rows_mm : places lie whole rows from the plate's middle; 0 for anywhere. kept_free_mm : rectangles (left, front,
    right, back) from every plate's middle that no print reaches into at any height; where there are some, all that stands on a
    plate is moved as near to its middle as they allow.

    Notes
    -----
    One after the other, each where it lies deepest in a corner, or where the box of all grows least, or nearest to the middle, of
    eight turns the best; several orders are tried and the best kept. A place is free where no cell of the print lies on a cell
    nearer than the gap to what stands already: all places at once by the product of their Fourier transforms. Cells hold all that
    they touch, so the gap is kept exactly, and at most two cells are lost by it.
    """
    progress = progress or quiet()
    if not items:
        return []
    step = max(FINEST_MM, max(size_mm) / CELLS_ACROSS)
    step = float(np.ceil(step / rows_mm - 1e-9)) * rows_mm if rows_mm > 0 else step
    tallest = max(item.height_mm for item in items)
    band = max(gap_mm, tallest / BANDS, step)
    sizes = CellSizes(step, band + 1e-6, max(1, int(np.ceil(tallest / band - 1e-6))))
    outlines: dict[str, list[tuple[Outline, float]]] = {}
    for number, item in enumerate(items):
        progress.at(0.3 * number / len(items), "drawing outlines")
        if item.alike not in outlines:
            outlines[item.alike] = _turned(item, sizes)

    spectra: _Spectra = {}
    tried = []
    for way, (order, cost) in enumerate(_ways(items, outlines, goal)):
        packing = _Packing(size_mm, gap_mm, cost, sizes, rows_mm, spectra, kept_free_mm)
        share = progress.part(0.3 + 0.7 * way / WAYS, 0.3 + 0.7 * (way + 1) / WAYS)
        for item in items:
            if item.pinned is not None:
                packing.pin(outlines[item.alike][0][0], item.pinned)
        places = _placed(items, outlines, order, packing, most_plates, share)
        missing = sum(place is None for place in places)
        tried.append(((missing, packing.plates, packing.area), way, places))
    return min(tried, key=lambda t: t[:2])[2]


def _ways(items: Sequence[Item], outlines: dict[str, list[tuple[Outline, float]]], goal: Goal) -> list[tuple[list[int], Cost]]:
    """Orders in which prints are placed, with what their places cost."""
    area = [float(outlines[item.alike][0][0].count) for item in items]
    long = [max(outlines[item.alike][0][0].cells.shape[1:]) for item in items]
    high, weight = [round(item.height_mm, 3) for item in items], [round(item.weight, 6) for item in items]

    def by(*keys: Sequence[float]) -> list[int]:
        return sorted(range(len(items)), key=lambda n: (*(-key[n] for key in keys), n))

    if goal is Goal.MIDDLE:
        return [(by(weight, area), Cost.MIDDLE)]
    if goal is Goal.HEIGHTS:
        return [(by(high, area), Cost.CORNER), (by(high, area), Cost.BOX)]
    return [(by(area, high), Cost.CORNER), (by(area, high), Cost.BOX), (by(long, area), Cost.CORNER), (by(long, area), Cost.BOX)]


def _placed(
    items: Sequence[Item],
    outlines: dict[str, list[tuple[Outline, float]]],
    order: Sequence[int],
    packing: _Packing,
    most_plates: int,
    progress: Progress,
) -> list[Packed | None]:
    """Places of prints that are placed in an order, each on the first plate with room."""
    places = {n: item.pinned for n, item in enumerate(items) if item.pinned is not None}
    full: dict[str, int] = {}
    for done, n in enumerate(order):
        progress.at(done / len(items), "looking for room")
        if n in places:
            continue
        alike = items[n].alike
        for plate in range(full.get(alike, 0), most_plates):
            found = packing.placed(outlines[alike], plate)
            if found is not None:
                places[n] = found
                break
            full[alike] = plate + 1  # its twins need not look there again
            if packing.is_new(plate):
                break
    return [items[n].pinned or packing.centred(places[n]) if n in places else None for n in range(len(items))]


def _turned(item: Item, sizes: CellSizes) -> list[tuple[Outline, float]]:
    """Outlines of a print in all its turns."""
    made = []
    for start in (0.0, DIAGONAL_DEG) if item.turns else (0.0,):
        outline = outline_of(list(item.meshes), sizes, start)
        for quarter in range(QUARTERS if item.turns else 1):
            made.append((outline, start + 90.0 * quarter))
            outline = outline.quarter()
    return made


_Spectra = dict[int, tuple[NDArray[np.bool_], NDArray[np.complex64]]]
"""Transforms of cells by their identity, with the cells: what is held there is no other's."""


@dataclass
class _Plate:
    """What stands on a plate: cells nearer than the gap to it, or kept free, and their transforms; its own cells, where zones are
    kept free, and the box of them all."""

    taken: NDArray[np.bool_]
    own: NDArray[np.bool_]
    spectra: NDArray[np.complex64] | None = None
    low: NDArray[np.int64] = field(default_factory=lambda: np.full(2, 1 << 30))
    high: NDArray[np.int64] = field(default_factory=lambda: np.full(2, -(1 << 30)))
    pinned: bool = False
    moved: NDArray[np.int64] | None = None
    """Columns and rows to the middle, as far as zones that are kept free allow; None while it is not known."""


class _Packing:
    """Plates that fill up. spectra : transforms of outlines, shared by all that are tried."""

    def __init__(
        self,
        size_mm: tuple[float, float],
        gap_mm: float,
        cost: Cost,
        sizes: CellSizes,
        rows_mm: float,
        spectra: _Spectra,
        kept_free_mm: Sequence[tuple[float, float, float, float]],
    ) -> None:
        self._gap, self._cost, self._sizes, self._rows_mm, self._own = gap_mm, cost, sizes, rows_mm, spectra
        self._columns, self._rows = (int((v - rows_mm) / sizes.cell_mm + 1e-9) for v in size_mm)
        self._shape = scipy.fft.next_fast_len(self._rows, True), scipy.fft.next_fast_len(self._columns, True)
        self._plates: list[_Plate] = []
        self._free = kept_free_mm

    @property
    def plates(self) -> int:
        return len(self._plates)

    @property
    def area(self) -> int:
        """Cells of the boxes round all that stands, on all plates."""
        return sum(int(np.maximum(plate.high - plate.low, 0).prod()) for plate in self._plates)

    def is_new(self, plate: int) -> bool:
        """Whether nothing stands on a plate."""
        return plate >= len(self._plates)

    def pin(self, outline: Outline, place: Packed) -> None:
        """Let a print stand where it is; between cells it takes those on both sides."""
        while len(self._plates) <= place.plate:
            self._plates.append(self._bare())
        plate, step = self._plates[place.plate], self._sizes.cell_mm
        plate.pinned = True
        at = (np.array([place.x_mm, place.y_mm]) - self._fixed_shift) / step + outline.low
        first, last = np.floor(at + 1e-6).astype(np.int64), np.ceil(at - 1e-6).astype(np.int64)
        for column, row in {(c, r) for c in (first[0], last[0]) for r in (first[1], last[1])}:
            self._take(plate, outline, int(row), int(column))

    @property
    def _fixed_shift(self) -> NDArray[np.float64]:
        """From the first cell's corner to the plate's middle where nothing is moved there, (2,)."""
        shift = -0.5 * self._sizes.cell_mm * np.array([self._columns, self._rows])
        return np.round(shift / self._rows_mm) * self._rows_mm if self._rows_mm > 0 else shift

    def placed(self, turned: list[tuple[Outline, float]], number: int) -> Packed | None:
        """The best place for a print on a plate, and it stands there from now on; None where there is no room."""
        plate = self._plates[number] if number < len(self._plates) else self._bare()
        best: tuple[float, int, int, int] | None = None
        for turn, (outline, turn_deg) in enumerate(turned):
            spot = self._best_of(outline, plate)
            cost = np.inf if spot is None else spot[0] * TURN_COST.get(turn_deg, LEAN_COST)
            if spot is not None and (best is None or cost < best[0] - 1e-9):
                best = (cost, turn, *spot[1:])
        if best is None:
            return None
        if number == len(self._plates):
            self._plates.append(plate)
        _, turn, row, column = best
        outline, turn_deg = turned[turn]
        self._take(plate, outline, row, column)
        step = self._sizes.cell_mm
        x, y = ((at - first) * step for at, first in zip((column, row), outline.low, strict=True))
        return Packed(number, x, y, turn_deg)

    def centred(self, place: Packed) -> Packed:
        """A place seen from its plate's middle, with all that stands on it moved there together."""
        plate, step = self._plates[place.plate], self._sizes.cell_mm
        shift = -0.5 * step * (plate.low + plate.high)
        if plate.pinned or self._free:
            shift = self._fixed_shift + (0.0 if plate.pinned else step * self._between_zones(plate))
        if self._rows_mm > 0:  # all together, so that the gaps stay
            shift = np.round(shift / self._rows_mm) * self._rows_mm
        return Packed(place.plate, float(place.x_mm + shift[0]), float(place.y_mm + shift[1]), place.turn_deg)

    def _between_zones(self, plate: _Plate) -> NDArray[np.int64]:
        """By how many columns and rows all that stands on a plate can be moved together to be nearest to its middle, (2,); a cell
        is left round it, since places are rounded to rows."""
        if plate.moved is None:
            (left, front), (right, back) = plate.low, plate.high
            block = np.pad(plate.own[:, front:back, left:right], ((0, 0), (1, 1), (1, 1)))
            ring = scipy.ndimage.binary_dilation(block, np.ones((1, 3, 3), bool))
            best = self._best_of(Outline(ring, (0, 0)), self._bare(), Cost.MIDDLE)
            plate.moved = np.zeros(2, np.int64) if best is None else np.array((best[2] + 1 - left, best[1] + 1 - front))
        return plate.moved

    def _bare(self) -> _Plate:
        """A plate on which nothing stands; what is kept free is taken at all heights."""
        taken = np.zeros((self._sizes.bands, self._rows, self._columns), bool)
        if not self._free:
            return _Plate(taken, taken[:0])
        for left, front, right, back in self._free:
            corners = (np.array([(left, front), (right, back)]) - self._fixed_shift) / self._sizes.cell_mm
            (c0, r0), (c1, r1) = np.floor(corners[0] + 1e-9), np.ceil(corners[1] - 1e-9)
            taken[:, max(0, int(r0)) : max(0, int(r1)), max(0, int(c0)) : max(0, int(c1))] = True
        return _Plate(taken, np.zeros_like(taken), self._spectra(taken))

    def _spectra(self, taken: NDArray[np.bool_]) -> NDArray[np.complex64]:
        return np.asarray(scipy.fft.rfft2(taken.astype(np.float32), self._shape, workers=2))

    def _best_of(self, outline: Outline, plate: _Plate, by: Cost | None = None) -> tuple[float, int, int] | None:
        """Cost, row and column of the best free place of an outline's first cell; None where there is none. `by` : another cost
        than the packing's own."""
        by = by or self._cost
        _, rows, columns = outline.cells.shape
        down, across = self._rows - rows + 1, self._columns - columns + 1
        if down <= 0 or across <= 0:
            return None
        j, i = np.mgrid[:down, :across]
        corner = (j + rows) * 2.0 * self._columns + i + columns
        if by is Cost.MIDDLE:
            cost = np.hypot(j + 0.5 * rows - 0.5 * self._rows, i + 0.5 * columns - 0.5 * self._columns)
        elif by is Cost.BOX:
            wide = np.maximum(plate.high[0], i + columns) - np.minimum(plate.low[0], i)
            deep = np.maximum(plate.high[1], j + rows) - np.minimum(plate.low[1], j)
            cost = wide * deep + 1e-6 * corner
        else:
            cost = corner
        if plate.spectra is not None:
            _, own = self._own.get(id(outline.cells), (None, None))
            if own is None:
                own = np.conj(scipy.fft.rfft2(outline.cells.astype(np.float32), self._shape, workers=2))
                if len(self._own) < MOST_KEPT:
                    self._own[id(outline.cells)] = outline.cells, own
            over = scipy.fft.irfft2((plate.spectra * own).sum(axis=0), self._shape, workers=2)
            cost = np.where(over[:down, :across] < 0.5, cost, np.inf)
        at = int(cost.argmin())
        row, column = divmod(at, across)
        return None if np.isinf(cost[row, column]) else (float(cost[row, column]), row, column)

    def _take(self, plate: _Plate, outline: Outline, row: int, column: int) -> None:
        """Let an outline stand on a plate with its first cell there."""
        wide = outline.swollen(self._gap, self._sizes)
        c, r = column + wide.low[0] - outline.low[0], row + wide.low[1] - outline.low[1]
        _, rows, columns = wide.cells.shape
        r0, r1, c0, c1 = max(r, 0), min(r + rows, self._rows), max(c, 0), min(c + columns, self._columns)
        if r0 < r1 and c0 < c1:  # a pinned one may stand beside the plate
            plate.taken[:, r0:r1, c0:c1] |= wide.cells[:, r0 - r : r1 - r, c0 - c : c1 - c]
        if not plate.pinned and self._free:
            _, high, across = outline.cells.shape
            plate.own[:, row : row + high, column : column + across] |= outline.cells
        plate.spectra = self._spectra(plate.taken)
        _, rows, columns = outline.cells.shape
        plate.low = np.minimum(plate.low, np.maximum((column, row), 0))
        plate.high = np.maximum(plate.high, np.minimum((column + columns, row + rows), (self._columns, self._rows)))
