"""What the 3D view draws: smooth surfaces, height lines, voids as bodies. What these are made of is made ready beside the
prediction in its thread; the objects of the 3D library are made, used and let go on the interface thread alone.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyvista as pv
from numpy.typing import NDArray

from wideberth.core.drain import Pools
from wideberth.core.job import Part
from wideberth.core.loads import MARKS
from wideberth.core.model import MarkKind, Mesh, Shaded, hatched, shaded
from wideberth.core.predict import Drainage, Prediction, PrintSolids, Stages
from wideberth.core.split import Slicer
from wideberth.desktop.scene.shapes import Block, block_of, body_of, line_set, smooth_poly

MOST_TRIANGLES = 60_000
"""Of all parts together: what a software renderer draws within a tenth of a second."""
LEAST_TRIANGLES = 2_000
PIECE_TRIANGLES = 15_000
FEATURE_DEG, POSTS_DEG = 40, 50
"""Edges of parts, and of supports, that bend less look smooth: posts have eight sides."""
CUP_CELL_MM = 0.6
LEAST_KEPT, KEPT_A_PRINT = 24, 6
"""What is kept in all, and for each print: its cloth and its hatching, or its dress and its chambers, as it stood before too."""
CUP_STATES = {"vented": 1, "sealed": 2}
HATCHES: dict[MarkKind, tuple[tuple[tuple[float, float, float], ...], float]] = {
    MarkKind.KEEP_CLEAN: (((0.55, 0.45, 0.7),), 1.0),
    MarkKind.MAY_CARRY: (((0.55, 0.45, -0.7),), 3.0),
    MarkKind.HIDDEN: (((0.77, -0.64, 0.06),), 2.0),
    MarkKind.MATING: (((0.55, 0.45, 0.7), (0.55, 0.45, -0.7)), 1.5),
}
"""Square to the lines of each hatching, as the part stands, and how far these are apart, in the finest one's distance."""
FINEST_MM, FINEST_SHARE, LIFT_SHARE = 0.6, 0.02, 0.0035
"""Least distance of lines; as a share of the part's size; how far they lie over the surface, as a share of it."""
LIQUIDS: dict[str, Callable[[Drainage], Pools]] = {
    "hanging": lambda d: d.hanging,
    "side": lambda d: d.side,
    "best": lambda d: d.best,
}
Hatching = dict[MarkKind, NDArray[np.float64]]
Bodies = dict[str, pv.PolyData | None]


@dataclass(frozen=True, eq=False)
class Dress:
    """A print as it is drawn: its surface with normals, height lines, and supports; None for what it has not."""

    surface: pv.PolyData
    lines: pv.PolyData | None
    supports: pv.PolyData | None


@dataclass(frozen=True, eq=False)
class Cloth:
    """What a dress is made of, plain arrays: a surface with normals, height lines (n, 2, 3), and supports; None without."""

    surface: Shaded
    lines_mm: NDArray[np.float64]
    supports: Shaded | None


class Lately:
    """What was made and used last, so many things of it. Safe to use from several threads."""

    def __init__(self) -> None:
        self._made: OrderedDict[tuple[Any, ...], tuple[Any, object]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: tuple[Any, ...], make: Callable[[], Any], of: object, room: int) -> Any:
        """What was made for a key, or is made now, where there is room for so many; `of` is held with it, so that the key stays
        its own."""
        with self._lock:
            if key in self._made:
                self._made.move_to_end(key)
                return self._made[key][0]
        made, let_go = make(), []
        with self._lock:
            self._made[key] = made, of
            while len(self._made) > room:
                let_go.append(self._made.popitem(last=False))
        return made


class Wardrobe:
    """Dresses of the prints, and bodies of voids."""

    def __init__(self, stages: Stages) -> None:
        self._stages = stages
        self._plain, self._drawn = Lately(), Lately()
        self._room = LEAST_KEPT
        self.shown = ""
        """What is shown inside parts, so that it is made ready as well: "cups", or a way of holding them (see `Pools`)."""

    def prepare(self, p: Prediction) -> None:
        """Make ready what a prediction shows is made of. To be called in a worker's thread."""
        self._room = max(LEAST_KEPT, KEPT_A_PRINT * len(p.solids))
        for solid in p.solids:
            self._cloth(solid, len(p.solids))
            self.hatching(solid)
        if self.shown == "cups" and not p.fineness.light:
            self._cup_blocks(p)
        if self.shown == "apart":
            for part in p.job.parts:
                if part.piece is not None:
                    self.piece(part)
        for number in range(len(p.solids)):
            self._blocks(p, number)
            if self.shown in LIQUIDS:
                self._liquid_block(p, number, self.shown)

    def dress(self, solid: PrintSolids, total: int) -> Dress:
        """How one of so many prints is drawn."""
        return self._once(_dress_key(solid, total), lambda: _dressed(solid, self._cloth(solid, total)), solid)

    def _cloth(self, solid: PrintSolids, total: int) -> Cloth:
        """What a print's dress is made of."""
        return self._ready(("cloth", *_dress_key(solid, total)), lambda: _cut_out(solid, total, self._stages), solid)

    def piece(self, part: Part) -> Shaded:
        """The surface of a part in its own frame, as it is drawn apart from other pieces."""

        def made() -> Shaded:
            light = self._stages.light(self._stages.cut(part), np.eye(4), PIECE_TRIANGLES)
            return shaded(light, FEATURE_DEG)

        return self._ready(("piece", part.shape, part.cuts, part.rebores, part.engraved), made, part)

    def hatching(self, solid: PrintSolids) -> Hatching:
        """Lines over what is marked on one print, by what it is marked as: ends on the plate, (n, 2, 3)."""
        part = solid.placed.part
        if not part.marks and not part.cuts:
            return {}
        key = ("hatching", id(solid.own), part.marks, solid.matrix.tobytes())
        return self._ready(key, lambda: _hatching(solid, self._stages), solid)

    def cups(self, p: Prediction) -> Bodies:
        """The voids of cups as closed surfaces, by their state."""

        def made() -> Bodies:
            return {name: _body(block, np.eye(4)) for name, block in self._cup_blocks(p).items()}

        return self._once(_cups_key(p), made, p.printed)

    def _cup_blocks(self, p: Prediction) -> dict[str, Block | None]:
        def made() -> dict[str, Block | None]:
            cells = self._stages.cup_cells(p.printed, CUP_CELL_MM)
            return {name: block_of((cells.state == code).astype(np.float32), cells.low_mm, cells.step_mm)
                    for name, code in CUP_STATES.items()}  # fmt: skip

        return self._ready(_cups_key(p), made, p.printed)

    def liquid(self, p: Prediction, number: int, way: str) -> pv.PolyData | None:
        """What stays in one print when it is held some way (see `LIQUIDS`); None where nothing does, or was not looked at."""
        return _body(self._liquid_block(p, number, way), p.solids[number].matrix)

    def _liquid_block(self, p: Prediction, number: int, way: str) -> Block | None:
        drained = p.drainage_of(p.placed[number].part.id)

        def made() -> Block | None:
            assert drained is not None
            return block_of(LIQUIDS[way](drained).filled, drained.cells.nodes.low_mm, drained.cells.nodes.step_mm)

        return None if drained is None else self._ready(("liquid", id(drained), way), made, drained)

    def chambers(self, p: Prediction, number: int) -> list[pv.PolyData | None]:
        """The chambers of one print, in their order; none where its voids were not looked at."""
        drained = p.drainage_of(p.placed[number].part.id)

        def made() -> list[pv.PolyData | None]:
            return [_body(block, p.solids[number].matrix) for block in self._blocks(p, number)]

        return [] if drained is None else self._once(_chambers_key(p, number), made, drained)

    def _blocks(self, p: Prediction, number: int) -> list[Block | None]:
        """Cells of the chambers of one print, each by itself and smoothed."""
        drained = p.drainage_of(p.placed[number].part.id)

        def made() -> list[Block | None]:
            assert drained is not None
            cells, nodes = drained.cells, drained.cells.nodes
            held = ((cells.chamber_of == c.number).astype(np.float32) for c in cells.chambers)
            return [block_of(own, nodes.low_mm, nodes.step_mm) for own in held]

        return [] if drained is None else self._ready(("blocks", id(drained)), made, drained)

    def _ready(self, key: tuple[Any, ...], make: Callable[[], Any], of: object) -> Any:
        """Plain arrays made ready in a worker's thread, or made now; apart from what is drawn, which no worker may let go."""
        return self._plain.get(key, make, of, self._room)

    def _once(self, key: tuple[Any, ...], make: Callable[[], Any], of: object) -> Any:
        """What the 3D library draws, made on the interface thread."""
        return self._drawn.get(key, make, of, self._room)


def _body(block: Block | None, matrix: NDArray[np.float64]) -> pv.PolyData | None:
    return None if block is None else body_of(block, matrix)


def _dress_key(solid: PrintSolids, total: int) -> tuple[Any, ...]:
    return "dress", id(solid.own), id(solid.at_home.supports), solid.matrix.tobytes(), total


def _cups_key(p: Prediction) -> tuple[Any, ...]:
    return "cups", id(p.printed)


def _chambers_key(p: Prediction, number: int) -> tuple[Any, ...]:
    return "chambers", id(p.drainage_of(p.placed[number].part.id)), p.solids[number].matrix.tobytes()


def _cut_out(solid: PrintSolids, total: int, stages: Stages) -> Cloth:
    light = _light(solid, total, stages)
    low, high = (float(z) for z in solid.box_mm[:, 2])
    step = 5.0 if high - low < 120 else 10.0
    slicer = Slicer(light, np.array([0.0, 0.0, 1.0]))
    lines = [slicer.at(float(z)).segments_mm for z in np.arange(np.ceil(low / step + 1e-3) * step, high, step)]
    supports = None if solid.supports is None else shaded(solid.supports, POSTS_DEG)
    return Cloth(shaded(light, FEATURE_DEG), np.concatenate(lines) if lines else np.empty((0, 2, 3)), supports)


def _dressed(solid: PrintSolids, cloth: Cloth) -> Dress:
    surface = smooth_poly(cloth.surface, np.zeros(3))
    lines = line_set(cloth.lines_mm) if len(cloth.lines_mm) else None
    return Dress(surface, lines, None if cloth.supports is None else smooth_poly(cloth.supports, np.zeros(3)))


def _hatching(solid: PrintSolids, stages: Stages) -> Hatching:
    mark, own = stages.marked(solid.placed.part).mark, solid.own
    size = float(np.linalg.norm(own.extents_mm))
    mesh = Mesh(own.points + LIFT_SHARE * size * own.point_normals, own.faces).transformed(solid.matrix)
    finest = max(FINEST_MM, FINEST_SHARE * size)
    lines: Hatching = {}
    for kind, (across, times) in HATCHES.items():
        faces = np.flatnonzero(mark == MARKS.index(kind))
        if len(faces):
            lines[kind] = np.concatenate([hatched(mesh, faces, np.array(way), times * finest) for way in across])
    return lines


def _light(solid: PrintSolids, total: int, stages: Stages) -> Mesh:
    """A print's surface with as few triangles as one of so many may have."""
    return stages.light(solid.own, solid.matrix, max(LEAST_TRIANGLES, MOST_TRIANGLES // max(1, total)))
