"""Where keys stand on a cut: well inside the part over their whole depth, and so that the pieces go together one way only."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.layers import nodes_inside
from wideberth.core.model import Closest, Mesh
from wideberth.core.split.cut import Cut, socket_of
from wideberth.core.split.key import RELIEF_MM, Key, Kind

CELLS_ACROSS, FINEST_MM = 220, 0.25
LEVEL_MM = 0.5
SMALLEST_MM, LARGEST_MM = 2.4, 12.0
THINNEST_RING_MM, THICKEST_RING_MM, DEEPEST_RING_MM = 1.6, 4.0, 8.0
SECOND_SHARE = 0.75
"""Of the first peg's size: two that are alike could be exchanged."""
WELL_MM = 4.0
"""A pair within a circle is preferred from this size on."""
AROUND = 2 * np.pi * np.arange(180) / 180
TAIL_STRIP = 0.6
"""Half of what a dovetail takes up across, in its widths: it widens along its length."""
WEB_MM = 2.0
"""Between two pegs of a pair."""
DEPTHS = (1.0, 0.8, 0.6, 0.45)
"""Of the size."""
MOST_TRIES = 8
SHRINK = 0.85
ONE_SIDE, NEAR = 0.62, 0.38
"""How far the two pegs of a pair lie from the deepest spot, as shares of the room on a diameter: unlike, so that a half turn
shows."""


@dataclass(frozen=True)
class Joint:
    """Keys for a cut, and why they are these; none where there is no room for any."""

    cut: Cut
    why: str


@dataclass(frozen=True, eq=False)
class _Room:
    """How far each cell of a cut lies from the nearest side, over a depth, and whether anything is there over it at all.
    low : corner of the first cell [mm]."""

    depth_mm: NDArray[np.float64]
    there: NDArray[np.bool_]
    low: NDArray[np.float64]
    cell_mm: float

    def spot(self, row: int, column: int) -> NDArray[np.float64]:
        return self.low + self.cell_mm * np.array([column + 0.5, row + 0.5])

    def spots(self, cells: NDArray[np.bool_]) -> NDArray[np.float64]:
        """Middles of cells, (n, 2)."""
        rows, columns = np.nonzero(cells)
        return self.low + self.cell_mm * (np.column_stack((columns, rows)) + 0.5)

    def reach_mm(self, cell: tuple[int, int], along: NDArray[np.float64], half_mm: float) -> float:
        """How far what is there goes on from a cell within a strip so wide to each side, one way or the other."""
        middle, strip = self.spot(*cell), np.zeros_like(self.there)
        across = np.abs((self.spots(self.there) - middle) @ (-along[1], along[0]))
        strip[self.there] = across <= half_mm + self.cell_mm
        hangs_together, _ = scipy.ndimage.label(strip, np.ones((3, 3)))
        return float(np.abs((self.spots(hangs_together == hangs_together[cell]) - middle) @ along).max()) + self.cell_mm

    def at(self, spots: NDArray[np.float64]) -> NDArray[np.float64]:
        """Depth at spots (n, 2), 0 outside, (n,)."""
        column, row = np.floor((spots - self.low) / self.cell_mm).astype(int).T
        rows, columns = self.depth_mm.shape
        inside = (row >= 0) & (row < rows) & (column >= 0) & (column < columns)
        found = np.zeros(len(spots))
        found[inside] = self.depth_mm[row[inside], column[inside]]
        return found


def with_keys(whole: Mesh, cut: Cut, kind: Kind | None, clearance_mm: float, wall_mm: float) -> Joint:
    """A cut with keys on it: of a kind, or without one two pegs, else one with a flat.

    Parameters
    ----------
    whole : the closed mesh that is cut. wall_mm : no socket comes nearer to the part's surface.
    """
    bare = replace(cut, keys=(), clearance_mm=clearance_mm)
    placed = _Level(whole, bare)
    if kind is Kind.DOVETAIL:
        return _tail(placed, bare, wall_mm)
    for tried in (kind,) if kind is not None else (Kind.PEG, Kind.FLAT_PEG):
        for peg_on in placed.sides:
            for depth_share in DEPTHS:
                keys = _keys_of(placed, tried, peg_on, depth_share, clearance_mm, wall_mm)
                for _ in range(MOST_TRIES):
                    if not keys or _stays_inside(placed.surface, replace(bare, keys=keys), wall_mm):
                        break
                    keys = _smaller(keys)
                if keys:
                    return Joint(replace(bare, keys=keys), _told(keys))
    return Joint(bare, "there is no room for a key inside the walls: the faces are glued as they are")


class _Level:
    """A mesh in the frame of a cut, the plane level at 0."""

    def __init__(self, whole: Mesh, cut: Cut) -> None:
        self.surface = Closest(whole)
        self._faces = whole.faces
        self.points = whole.points @ cut.frame.T - (0.0, 0.0, cut.offset_mm)
        low, high = self.points.min(axis=0), self.points.max(axis=0)
        self.low = low[:2] - FINEST_MM
        self.cell = max(FINEST_MM, float((high - low)[:2].max()) / CELLS_ACROSS)
        columns, rows = (int(n) + 2 for n in np.ceil((high[:2] - self.low) / self.cell))
        self._shape = rows, columns
        self._step = cut.step
        self.sides = (1, -1) if high[2] < -low[2] else (-1, 1)
        """Which side carries the pegs: first the one with the smaller piece, so that sockets have the room."""

    def room(self, peg_on: int, depth_mm: float, wall_mm: float) -> _Room:
        """Room for keys that stand on a side and reach so deep into the other."""
        levels = int(np.ceil((depth_mm + 2 * wall_mm) / LEVEL_MM)) + 1
        up = self.points * (1.0, 1.0, -peg_on)  # the sockets' side upward
        faces = self._faces if peg_on < 0 else self._faces[:, ::-1]
        origin = np.append(self.low + 0.5 * self.cell, -wall_mm)
        solid = nodes_inside(up, np.ascontiguousarray(faces), origin, self.cell, (levels, *self._shape), LEVEL_MM)
        inside, there = np.asarray(solid.all(axis=0)), np.asarray(solid.any(axis=0))
        if self._step is not None:  # keys stand on this tread, their walls clear of the riser
            rows, columns = (self.low[n] + self.cell * (np.arange(self._shape[1 - n]) + 0.5) for n in (1, 0))
            along = self._step.way[0] * columns[None, :] + self._step.way[1] * rows[:, None]
            before = along < self._step.at_mm - self._step.half_mm
            inside, there = inside & before, there & before
        away = scipy.ndimage.distance_transform_edt(np.pad(inside, 1))[1:-1, 1:-1] * self.cell - self.cell
        return _Room(np.maximum(away, 0.0), there, self.low, self.cell)


def _keys_of(placed: _Level, kind: Kind, peg_on: int, depth_share: float, clearance_mm: float, wall_mm: float) -> tuple[Key, ...]:
    """Keys of a kind on one side, as large as there is room for; none where there is too little."""
    beyond = wall_mm + clearance_mm
    size = DEEPEST_RING_MM if kind is Kind.RING else LARGEST_MM
    for _ in range(MOST_TRIES):
        room = placed.room(peg_on, depth_share * size + RELIEF_MM + clearance_mm, wall_mm)
        row, column = np.unravel_index(int(room.depth_mm.argmax()), room.depth_mm.shape)
        middle, radius = room.spot(int(row), int(column)), float(room.depth_mm[row, column])
        if kind is Kind.RING:
            return _ring(room, peg_on, depth_share * size, beyond)
        if kind is Kind.FLAT_PEG:
            made = _one(kind, middle, min(size, 2 * (radius - beyond)), peg_on, depth_share)
        else:
            made = _pair(room, kind, middle, radius, size, peg_on, depth_share, beyond)
        if made and made[0].size_mm >= size - 1e-9:
            return made
        if made:  # a smaller one is less deep, and may have more room
            size = max(made[0].size_mm, SHRINK * size)
        else:
            size *= SHRINK
        if size < SMALLEST_MM:
            return made
    return made


def _one(kind: Kind, middle: NDArray[np.float64], size: float, peg_on: int, depth_share: float) -> tuple[Key, ...]:
    size = np.floor(size * 10) / 10
    if size < SMALLEST_MM:
        return ()
    x, y = (round(float(v), 3) for v in middle)
    return (Key(kind, x, y, float(size), round(depth_share * float(size), 2), peg_on),)


def _pair(
    room: _Room,
    kind: Kind,
    middle: NDArray[np.float64],
    radius: float,
    size: float,
    peg_on: int,
    depth_share: float,
    beyond: float,
) -> tuple[Key, ...]:
    """Two pegs of unlike sizes at unlike distances from the deepest spot, within a circle that lies inside the part: turned about
    that spot they would always meet material. Of several directions the one with most room."""
    free = 2 * radius - 2 * beyond - WEB_MM
    first = np.floor(10 * min(size, free / (1 + SECOND_SHARE))) / 10
    if first < WELL_MM:
        return _far_pair(room, kind, middle, min(size, 2 * (radius - beyond)), peg_on, depth_share, beyond)
    second = max(SMALLEST_MM * SECOND_SHARE, np.floor(SECOND_SHARE * first * 10) / 10)
    spread = 0.5 * (first + second) + max(WEB_MM, min(radius, 2 * first) - 0.5 * (first + second))
    turns = np.pi * np.arange(24) / 12
    way = np.column_stack((np.cos(turns), np.sin(turns)))
    near, far = middle + NEAR * spread * way, middle - ONE_SIDE * spread * way
    spare = np.minimum(room.at(near) - 0.5 * first, room.at(far) - 0.5 * second) - beyond
    best = int(np.argmax(spare))
    if spare[best] < 0:
        return _far_pair(room, kind, middle, min(size, 2 * (radius - beyond)), peg_on, depth_share, beyond)
    return _two(kind, (float(first), float(second)), (near[best], far[best]), peg_on, depth_share)


def _far_pair(
    room: _Room, kind: Kind, middle: NDArray[np.float64], first: float, peg_on: int, depth_share: float, beyond: float
) -> tuple[Key, ...]:
    """Two pegs of unlike sizes, one at the deepest spot, the other as far from it as there is room: in walls and long faces."""
    rows, columns = room.depth_mm.shape
    x, y = room.low[0] + room.cell_mm * (np.arange(columns) + 0.5), room.low[1] + room.cell_mm * (np.arange(rows) + 0.5)
    away = np.hypot(x[None] - middle[0], y[:, None] - middle[1])
    while first >= SMALLEST_MM:
        first = float(np.floor(first * 10) / 10)
        second = max(SMALLEST_MM * SECOND_SHARE, float(np.floor(SECOND_SHARE * first * 10) / 10))
        reach = np.where(room.depth_mm >= 0.5 * second + beyond, away, 0.0)
        row, column = np.unravel_index(int(reach.argmax()), reach.shape)
        if reach[row, column] >= 0.5 * (first + second) + WEB_MM:
            return _two(kind, (first, second), (middle, room.spot(int(row), int(column))), peg_on, depth_share)
        first *= SHRINK
    return ()


def _two(
    kind: Kind,
    sizes: tuple[float, float],
    spots: tuple[NDArray[np.float64], NDArray[np.float64]],
    peg_on: int,
    depth_share: float,
) -> tuple[Key, ...]:
    deep = round(depth_share * sizes[0], 2)
    return tuple(
        Key(kind, round(float(x), 3), round(float(y), 3), d, deep, peg_on) for d, (x, y) in zip(sizes, spots, strict=True)
    )


def _ring(room: _Room, peg_on: int, depth_mm: float, beyond: float) -> tuple[Key, ...]:
    """A ring about the middle of the room: in the wall of a tube, or well inside a solid."""
    deep = room.depth_mm > beyond
    if not deep.any():
        return ()
    row, column = (v.mean() for v in np.nonzero(deep))
    middle = room.low + room.cell_mm * np.array([column + 0.5, row + 0.5])
    way = np.column_stack((np.cos(AROUND), np.sin(AROUND)))
    best: tuple[float, float, float] = (0.0, 0.0, 0.0)
    for radius in np.arange(2 * THINNEST_RING_MM, 0.5 * room.cell_mm * max(room.depth_mm.shape), room.cell_mm):
        wall = 2 * (float(room.at(middle + radius * way).min()) - beyond)
        wall = min(wall, THICKEST_RING_MM, radius)
        if wall >= THINNEST_RING_MM and (wall, radius) > best[:2]:
            best = (wall, float(radius), wall)
    wall, radius, _ = best
    if wall < THINNEST_RING_MM:
        return ()
    x, y = (round(float(v), 3) for v in middle)
    wall = float(np.floor(10 * wall) / 10)
    size = float(np.floor(10 * (2 * radius + wall)) / 10)
    return (Key(Kind.RING, x, y, size, round(min(depth_mm, 2 * wall + 2), 2), peg_on, wall_mm=wall),)


def _smaller(keys: tuple[Key, ...]) -> tuple[Key, ...]:
    """Keys a size smaller and less deep; none once they are too small."""
    if keys[0].kind is Kind.RING:  # its wall draws in from both sides
        by = (1 - SHRINK) * keys[0].wall_mm
        thin = replace(keys[0], wall_mm=keys[0].wall_mm - by, size_mm=keys[0].size_mm - by, depth_mm=SHRINK * keys[0].depth_mm)
        return (thin,) if thin.wall_mm >= THINNEST_RING_MM else ()
    made = tuple(replace(k, size_mm=round(SHRINK * k.size_mm, 2), depth_mm=round(SHRINK * k.depth_mm, 2)) for k in keys)
    return made if made[0].size_mm >= SMALLEST_MM else ()


def _stays_inside(surface: Closest, cut: Cut, wall_mm: float) -> bool:
    """Whether every socket keeps the wall to the part's surface, measured at its own corners."""
    for key in cut.keys:
        socket = np.asarray(socket_of(cut, key).to_mesh64().vert_properties)[:, :3]
        below = (socket @ np.array(cut.normal) - cut.offset_mm) * -key.peg_on >= -1e-9  # what reaches over the plane is in air
        if surface.is_near(socket[below], np.full(np.count_nonzero(below), wall_mm - 1e-6)):
            return False
    return True


def _tail(placed: _Level, cut: Cut, wall_mm: float) -> Joint:
    """A dovetail along the section's longer direction, through the part."""
    for peg_on in placed.sides:
        size = LARGEST_MM
        while size >= 2 * SMALLEST_MM:
            depth = 0.5 * size
            room = placed.room(peg_on, depth + cut.clearance_mm, wall_mm)
            row, column = np.unravel_index(int(room.depth_mm.argmax()), room.depth_mm.shape)
            middle, radius = room.spot(int(row), int(column)), float(room.depth_mm[row, column])
            if radius >= 0.5 * size + wall_mm + cut.clearance_mm:
                cells = room.spots(room.depth_mm > 0) - middle
                along = np.linalg.svd(cells - cells.mean(axis=0), full_matrices=False)[2][0]
                reach = room.reach_mm((int(row), int(column)), along, TAIL_STRIP * size + cut.clearance_mm) + wall_mm
                turn = float(np.degrees(np.arctan2(along[1], along[0]))) - 90.0
                x, y = (round(float(v), 3) for v in middle)
                key = Key(Kind.DOVETAIL, x, y, round(size, 1), round(depth, 2), peg_on, round(turn, 2), round(2 * reach + 2, 1))
                return Joint(replace(cut, keys=(key,)), _told((key,)))
            size *= SHRINK
    return Joint(cut, "there is no room for a dovetail inside the walls: the faces are glued as they are")


def _told(keys: tuple[Key, ...]) -> str:
    sizes = " and ".join(f"{k.size_mm:.1f}" for k in keys)
    many = {1: f"a {keys[0].kind}", 2: f"two {keys[0].kind}s"}[len(keys)]
    word = "wide" if keys[0].kind is Kind.DOVETAIL else "across"
    return f"{many} of {sizes} mm {word}, {keys[0].depth_mm:.1f} mm deep"
