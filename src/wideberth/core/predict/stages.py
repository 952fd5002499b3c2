"""The stages from recipe to solids. Each is a pure function, remembered under exactly the inputs it reads."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.drain import ROUND, Drilled, drill, drills_mesh
from wideberth.core.hollow import (
    Bars,
    Ceilings,
    Gussets,
    Hollowed,
    Keepout,
    WallMeasured,
    cavity_mesh,
    gussets_in,
    hollow_out,
    lattice_in,
    measured_wall,
)
from wideberth.core.job import Job, PartRecipe
from wideberth.core.layers import Grid, Runs, Solved, cast, on_grid, rebuilt
from wideberth.core.model import (
    Health,
    Mend,
    Mended,
    Mesh,
    Sound,
    Thickness,
    examine,
    measure_thickness,
    mended,
    sound_copy,
    stand_in,
)
from wideberth.core.orient import placing, set_down
from wideberth.core.predict.fineness import Fineness
from wideberth.core.predict.kept import Kept
from wideberth.core.predict.shelf import Shelf
from wideberth.core.predict.solids import PartSolids, bore_of, copied, fillings_of
from wideberth.core.progress import Progress, quiet
from wideberth.core.split import apply_cuts
from wideberth.core.support import Tip, supports_mesh, touches

ROOM_BYTES = 1_500_000_000
"""For what stages found: some ten hollow parts on supports. What the shown prediction holds is among it."""
MOST_SOLVED = 50_000
Memory = tuple[tuple[Hashable, Any], ...]
"""Results of stages, each under its stage and inputs."""
PREVIEW_TRIANGLES = 40_000
UPWARD = np.array([0.0, 0.0, 1.0])


class Stages:
    """Results of stages, the most recently used kept. Safe to use from several threads; equal work is done once."""

    def __init__(self, room_bytes: int = ROOM_BYTES, shelf: Shelf | None = None) -> None:
        """`room_bytes`: for all results together. `shelf`: where chambers are kept between sessions, if they are."""
        self.shelf = shelf
        self._kept = Kept(room_bytes)
        self._lock = threading.Lock()
        self._busy: dict[Hashable, threading.Lock] = {}
        self.computed: list[str] = []

    def recall(self, stage: str, inputs: Hashable, make: Callable[[], Any]) -> Any:
        """The result of a stage for these inputs, made if it is not remembered."""
        key = (stage, inputs)
        with self._lock:
            if key in self._kept:
                return self._kept[key]
            busy = self._busy.setdefault(key, threading.Lock())
        with busy:
            with self._lock:
                if key in self._kept:
                    return self._kept[key]
            result = make()
            with self._lock:
                self.computed.append(stage)
                self._kept[key] = result
                self._busy.pop(key, None)
        return result

    def recall_latest(self, stage: str, inputs: Hashable, make: Callable[[], Any]) -> Any:
        """As `recall`, for what is large: only the newest result of such a stage is remembered."""
        result = self.recall(stage, inputs, make)
        with self._lock:
            for key in [key for key in self._kept if key[0] == stage and key[1] != inputs]:  # type: ignore[index]
                del self._kept[key]
        return result

    def memory(self) -> Memory:
        """All that is remembered, each result under its key, to be taken over by others."""
        with self._lock:
            return tuple(self._kept.items())

    def take_over(self, memory: Memory) -> None:
        """Remember what others have found."""
        with self._lock:
            for key, result in memory:
                self._kept[key] = result

    # the stages of one part, in the order of the recipe

    def mended(self, part: PartRecipe, progress: Progress | None = None) -> tuple[Mesh, tuple[Mended, ...]]:
        """Source with its mends, and what each of them changed."""
        mesh = part.source.mesh
        reports: tuple[Mended, ...] = ()
        for number, mend in enumerate(part.mends):
            before, done = mesh, part.mends[: number + 1]
            mesh, report = self.recall("mend", (part.source, done), partial(_mend, before, mend, progress))
            reports = (*reports, report)
        return mesh, reports

    def sound(self, part: PartRecipe, progress: Progress | None = None) -> Sound:
        """A copy of the mended mesh that closes and agrees with itself, as far as it can (see `sound_copy`)."""
        mesh, _ = self.mended(part, progress)
        return self.recall("sound", (part.source, part.mends), lambda: sound_copy(mesh, progress))

    def health(self, part: PartRecipe, progress: Progress | None = None) -> Health:
        """How the mended mesh is."""
        mesh, _ = self.mended(part, progress)
        return self.recall("health", (part.source, part.mends), lambda: examine(mesh, progress))

    def thickness(self, part: PartRecipe) -> Thickness:
        """Walls and gaps of the part at its size, before it is cut or hollowed."""
        mesh = self.scaled(part)
        return self.recall("thickness", part.shape, lambda: measure_thickness(mesh))

    def scaled(self, part: PartRecipe) -> Mesh:
        """The sound copy of the mended source, at its size."""
        mesh = self.sound(part).mesh
        if (part.factors == 1.0).all():
            return mesh
        return self.recall("scale", part.shape, lambda: mesh.transformed(np.diag([*part.factors, 1.0])))

    def cut(self, part: PartRecipe) -> Mesh:
        """Sized and cut, in the part's own frame."""
        whole = self.scaled(part)
        if not part.cuts:
            return whole
        return self.recall("cut", (part.shape, part.cuts), lambda: apply_cuts(whole, part.cuts, part.name))

    def hollowed(self, part: PartRecipe, progress: Progress | None = None) -> Hollowed:
        """The shell's chambers in the part's own frame, without their lattice; none when it is solid."""
        if part.shell is None:
            return Hollowed((), 0.0)
        bare = replace(part, shell=replace(part.shell, lattice=None))
        return self.recall("shell", (bare.shape, bare.cuts, bare.shell), lambda: self._hollow(bare, progress))

    def _hollow(self, part: PartRecipe, progress: Progress | None) -> Hollowed:
        """Hollow a part, unless its chambers are kept."""
        kept = self.shelf.find(part) if self.shelf is not None else None
        if kept is not None or part.shell is None:
            return kept or Hollowed((), 0.0)
        found = hollow_out(self.cut(part), part.shell, progress)
        if self.shelf is not None:
            self.shelf.keep(part, found)
        return found

    def chambers(self, part: PartRecipe, progress: Progress | None = None) -> tuple[Mesh, ...]:
        """Chambers of the shell in the part's own frame; none when it is solid."""
        return self.hollowed(part, progress).chambers

    def cavity(self, part: PartRecipe, progress: Progress | None = None) -> Mesh | None:
        """All chambers of the shell as one mesh in the part's own frame, without their lattice; None when it is solid."""
        if part.shell is None:
            return None
        made = self.hollowed(part, progress)
        return self.recall("cavity", Same(made), lambda: cavity_mesh(made.chambers))

    def wall(self, part: PartRecipe) -> WallMeasured | None:
        """The shell's wall as measured; None when there is none."""
        if part.shell is None:
            return None
        outer, chambers, shell = self.cut(part), self.chambers(part), replace(part.shell, lattice=None)
        return self.recall("wall", (part.shape, part.cuts, shell), lambda: measured_wall(outer, chambers, shell))

    def bars(self, part: PartRecipe, progress: Progress | None = None) -> Bars | None:
        """The lattice in the part's own frame; it stands upright in the part's pose and clear of its holes."""
        if part.shell is None or part.shell.lattice is None:
            return None
        cavity = self.cavity(part, progress)
        if cavity is None:
            return None
        lattice, clear = part.shell.lattice, self._kept_clear(part, progress)
        up = part.pose.rotation[2]
        key = (part.shape, part.cuts, part.shell, part.holes, up.round(4).tobytes())
        return self.recall("lattice", key, lambda: lattice_in(cavity, lattice, up, clear, progress))

    def gussets(self, part: PartRecipe, progress: Progress | None = None) -> Gussets | None:
        """What carries the bumps of the chambers' ceilings in the part's pose, in its own frame; None when nothing has to."""
        cavity = self.cavity(part, progress)
        if cavity is None or part.shell is None:
            return None
        up, open_below = part.pose.rotation[2], part.shell.open_below
        ceilings = self.recall("ceilings", Same(cavity), lambda: Ceilings(cavity))
        clear = self._kept_clear(part, progress)
        key = (part.shape, part.cuts, replace(part.shell, lattice=None), part.holes, up.round(4).tobytes())
        return self.recall("gussets", key, lambda: gussets_in(ceilings, up, clear, open_below, progress))

    def fillings(self, part: PartRecipe, progress: Progress | None = None) -> tuple[Mesh, ...]:
        """What stands in the chambers in the part's pose, each an exact solid in its own frame."""
        return fillings_of(self.bars(part, progress), self.gussets(part, progress))

    def _kept_clear(self, part: PartRecipe, progress: Progress | None) -> tuple[Keepout, ...]:
        """Drain holes, for what stands in the chambers."""
        return tuple(Keepout(d.entry_mm, d.along, d.radius_mm, d.reach_mm) for d in self.drilled(part, progress))

    def drilled(self, part: PartRecipe, progress: Progress | None = None) -> tuple[Drilled, ...]:
        """Drain holes with their walls, in the part's own frame."""
        if not part.holes:
            return ()
        outer, cavity = self.cut(part), self.cavity(part, progress)
        shell = None if part.shell is None else replace(part.shell, lattice=None)
        round_ones = all(hole.outline == ROUND for hole in part.holes)
        up = UPWARD if round_ones else part.pose.rotation[2]  # only other outlines have a way up
        key = (part.shape, part.cuts, shell, part.holes, up.tobytes())
        return self.recall("holes", key, lambda: tuple(drill(outer, cavity, hole, up) for hole in part.holes))

    def solids(self, part: PartRecipe, settings: SupportSettings, progress: Progress | None = None) -> PartSolids:
        """Everything of a part, set down on the plate."""
        progress = progress or quiet()
        chambers, drilled = self.chambers(part, progress), self.drilled(part, progress)
        bars, gussets = self.bars(part, progress), self.gussets(part, progress)
        supports, tips, numbers, left_out = self.supports(part, settings)
        key = (replace(part, name="", side="", tips=(), copies=()), tips, numbers, tuple(left_out), settings)
        return self.recall(
            "solids",
            key,
            lambda: self._solids(part, settings, chambers, drilled, supports, tips, numbers, left_out, bars, gussets),
        )

    def all_solids(self, job: Job, progress: Progress | None = None) -> tuple[PartSolids, ...]:
        """Solids of every print on the plate, in the order of `job.placed`."""
        progress = progress or quiet()
        found = []
        for index, part in enumerate(job.parts):
            share = progress.part(index / len(job.parts), (index + 1) / len(job.parts))
            own = self.solids(part, job.bench.supports, share)
            found.append(own)
            for copy in part.copies:
                place = partial(copied, own, part.pose, copy)
                found.append(self.recall("copy", (Same(own), part.pose, copy), place))
        return tuple(found)

    def supports(
        self, part: PartRecipe, settings: SupportSettings
    ) -> tuple[Mesh | None, tuple[Tip, ...], tuple[int, ...], tuple[Tip, ...]]:
        """Supports around the part's own place, the tips that they end in with their numbers in the recipe, and those left out
        since they stand in a drain hole.

        A post that carries twigs stays, without its own tip (diameter 0).
        """
        numbered = list(enumerate(part.tips))
        left_out: list[Tip] = []
        if numbered and part.holes:
            matrix = placing(self.cut(part), replace(part.pose, x_mm=0.0, y_mm=0.0))
            mouths = [(matrix[:3, :3] @ h.point_mm + matrix[:3, 3], 0.5 * h.diameter_mm) for h in part.holes]
            carrying = {(t.post_x_mm, t.post_y_mm) for t in part.tips if t.foot == "post"}
            kept = []
            for number, tip in numbered:
                if all(np.linalg.norm(tip.spot_mm - at) > radius + 0.5 * tip.diameter_mm for at, radius in mouths):
                    kept.append((number, tip))
                    continue
                if tip.diameter_mm > 0:
                    left_out.append(tip)
                if tip.foot == "plate" and (tip.post_x_mm, tip.post_y_mm) in carrying:
                    kept.append((number, replace(tip, diameter_mm=0.0)))
            numbered = kept
        tips = tuple(tip for _, tip in numbered)
        mesh = self.recall("supports", (tips, settings), lambda: supports_mesh(tips, settings))
        return mesh, tips, tuple(number for number, _ in numbered), tuple(left_out)

    def _solids(
        self,
        part: PartRecipe,
        settings: SupportSettings,
        chambers: tuple[Mesh, ...],
        drilled: tuple[Drilled, ...],
        supports: Mesh | None,
        tips: tuple[Tip, ...],
        numbers: tuple[int, ...],
        left_out: tuple[Tip, ...],
        bars: Bars | None,
        gussets: Gussets | None,
    ) -> PartSolids:
        outer = self.cut(part)
        matrix, box_mm = set_down(outer, part.pose)
        drills = drills_mesh(drilled)
        shift = np.array([part.pose.x_mm, part.pose.y_mm, 0.0])
        return PartSolids(
            outer,
            chambers,
            self.cavity(part),
            matrix,
            box_mm,
            drills.transformed(matrix) if drills is not None else None,
            supports.moved(shift) if supports is not None else None,
            tuple(bore_of(d, matrix, number) for number, d in enumerate(drilled)),
            touches(tips, settings, 0, part.pose.x_mm, part.pose.y_mm, numbers),
            left_out,
            bars,
            gussets,
        )

    def light(self, own: Mesh, matrix: NDArray[np.float64]) -> Mesh:
        """A lighter stand-in of a mesh for previews and drawing, set down by a matrix; made once, however often it is turned."""
        still = self.recall("stand-in", own, lambda: stand_in(own, PREVIEW_TRIANGLES))
        return self.recall("light", (own, matrix.tobytes()), lambda: still.transformed(matrix))

    def filling_cast(self, filling: Mesh, matrix: NDArray[np.float64], grid: Grid, light: bool, across: bool) -> Runs:
        """Runs of what stands in a cavity, set down by a matrix."""
        return self.runs((self.light if light else self.placed)(filling, matrix), grid, across)

    def solved(self, fineness: Fineness) -> Solved:
        """Squeeze integrals solved at a fineness so far, to be looked up and added to; forgotten when there are many."""
        found: Solved = self.recall("squeezes", fineness, dict)
        if len(found) > MOST_SOLVED:
            found.clear()
        return found

    def placed(self, own: Mesh, matrix: NDArray[np.float64]) -> Mesh:
        """A mesh set down by a matrix."""
        return self.recall("placed", (own, matrix.tobytes()), lambda: own.transformed(matrix))

    def runs(self, mesh: Mesh, grid: Grid, across: bool = False) -> Runs:
        """Runs of a mesh; `across` along y, on a grid whose rows are columns of x.

        A mesh is cast on the window of the grid just over itself, so that what else stands on the plate may change beside it.
        """
        order = [1, 0, 2] if across else [0, 1, 2]
        own = grid.window(mesh.low[order], mesh.high[order])
        found = self.recall("runs", (mesh, own, across), lambda: cast(mesh.points[:, order], mesh.faces, own))
        return on_grid(found, grid)


class Same:
    """A key for one very object, kept alive by it."""

    def __init__(self, held: object) -> None:
        self._held = held

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and other._held is self._held

    def __hash__(self) -> int:
        return id(self._held)


def _mend(mesh: Mesh, mend: Mend, progress: Progress | None) -> tuple[Mesh, Mended]:
    """Any repair: the one that needs the layers, or one of the others."""
    return rebuilt(mesh, mend.value, progress) if mend.kind == "rebuild" else mended(mesh, mend, progress)
