"""From a part's recipe to its solids and runs: which stage reads what. All results come from one cache."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from copy import copy
from dataclasses import replace
from functools import partial
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import HouseRules, Printer, SupportSettings
from wideberth.core.drain import ROUND, Drilled, VoidCells
from wideberth.core.hollow import Bars, Ceilings, Gussets, Hollowed, Keepout, Shell, WallMeasured
from wideberth.core.job import Job, Part, Placed
from wideberth.core.layers import Bore, CupCells, Grid, Printed, Runs, Solved
from wideberth.core.loads import Finish
from wideberth.core.model import Bored, Closest, Health, Mended, Mesh, Regions, Sound, Source, Thickness, joined
from wideberth.core.orient import placing
from wideberth.core.plate import Footprint
from wideberth.core.predict import stage
from wideberth.core.predict.cache import ROOM_BYTES, Cache
from wideberth.core.predict.disk import Disk
from wideberth.core.predict.fineness import PREVIEW_TRIANGLES, Fineness, fine
from wideberth.core.predict.solids import PartSolids, PrintSolids, bore_of, fillings_of
from wideberth.core.progress import Progress, quiet
from wideberth.core.support import Contact, Point, Supports

Answer = TypeVar("Answer")
MOST_SOLVED = 50_000
FINE = fine()
UPWARD = (0.0, 0.0, 1.0)
WHOLE_ROWS_MM = 1e-7
"""Shares of a row: what is so near to whole rows stands on whole rows."""


class Stages:
    """Results of all stages, asked for by a part's recipe. Safe to use from several threads; equal work is done once."""

    def __init__(self, room_bytes: int = ROOM_BYTES, disk: Disk | None = None) -> None:
        """`room_bytes`: for all results together. `disk`: where what takes long is kept between sessions, if it is."""
        self.cache = Cache(room_bytes, disk)
        self._solved: dict[Fineness, Solved] = {}

    @property
    def computed(self) -> list[str]:
        """Names of the stages that were carried out so far, in order."""
        return self.cache.computed

    def at_hand(self, asked: Callable[[Stages], Answer]) -> Answer | None:
        """The answer to what is asked of the stages if all of it is known already, None otherwise; for who must not wait."""
        known = copy(self)
        known.cache = _Remembered(self.cache)  # type: ignore[assignment]
        with suppress(LookupError):
            return asked(known)
        return None

    def lay_to_rest(self, *also: object) -> int:
        """Lay what is remembered, and some other results, into a file while nobody works on it (see `Rest`); returns bytes."""
        return self.cache.lay_to_rest(*also)

    def lay_aside(self, *results: object) -> int:
        """Lay what is not worked on for a while into a file (see `Rest`), and nothing else; returns bytes."""
        return self.cache.lay_aside(*results)

    def parse(self, name: str, suffix: str, data: bytes) -> tuple[Source, ...]:
        """All objects of a model file, as `parse_models` gives them."""
        objects = self.cache.run(stage.read_objects, stage.Reading(name, suffix, data))
        return tuple(Source(o.name, suffix, data, o.mesh, o.notes, o.item, o.colour) for o in objects)

    # a part in its own frame, in the order of its recipe

    def mended(self, part: Part, progress: Progress | None = None) -> tuple[Mesh, tuple[Mended, ...]]:
        """Source with its mends, and what each of them changed."""
        mesh, reports = part.source.mesh, []
        for mend, share in zip(part.mends, (progress or quiet()).evenly(len(part.mends)), strict=True):
            mesh, report = self.cache.run(stage.mended_once, stage.Mending(mesh, mend), share)
            reports.append(report)
        return mesh, tuple(reports)

    def sound(self, part: Part, progress: Progress | None = None) -> Sound:
        """A copy of the mended mesh that closes and agrees with itself, as far as it can (see `sound_copy`)."""
        mending, copying = (progress or quiet()).stretches(0.5, 1.0)
        mesh = self.mended(part, mending)[0]
        copy = self.cache.run(stage.sound, stage.SoundInput(mesh), copying)
        return copy if copy.changes else Sound(mesh)  # the very mesh, wherever the result was kept

    def health(self, part: Part, progress: Progress | None = None) -> Health:
        """How the mended mesh is."""
        mending, looking = (progress or quiet()).stretches(0.5, 1.0)
        return self.cache.run(stage.health, stage.HealthInput(self.mended(part, mending)[0]), looking)

    def thickness(self, part: Part) -> Thickness:
        """Walls and gaps of the part at its size, before it is cut or hollowed."""
        return self.cache.run(stage.thickness, stage.ThicknessInput(self.scaled(part)))

    def scaled(self, part: Part) -> Mesh:
        """The sound copy of the mended source, at its size."""
        mesh = self.sound(part).mesh
        if (part.factors == 1.0).all():
            return mesh
        x, y, z = (float(f) for f in part.factors)
        return self.cache.run(stage.sized, stage.Sizing(mesh, (x, y, z)))

    def cut(self, part: Part, progress: Progress | None = None) -> Mesh:
        """Sized and cut, in the part's own frame."""
        mesh = self.scaled(part)
        if not part.cuts and not part.rebores:
            return mesh
        return self.cache.run(stage.cut, stage.Cutting(mesh, part.cuts, part.rebores, part.engraved), progress)

    def regions(self, part: Part) -> Regions:
        """The source at the part's size, made ready to pick faces of; not mended, cut or turned."""
        x, y, z = (float(f) for f in part.factors)
        return self.cache.run(stage.regions, stage.RegionsInput(part.source.mesh, (x, y, z)))

    def rounds(self, part: Part) -> tuple[Bored, ...]:
        """Bores and pegs of the part's own shape, in its own frame, the widest first."""
        return self.cache.run(stage.rounds, stage.RoundsInput(self.cut(part)))

    def marked(self, part: Part) -> stage.Marked:
        """What each face of the cut mesh is marked as: marks stay where they were put."""
        piece, source, whole = self.cut(part), None, None
        if part.marks:
            source = self.cache.run(stage.face_origins, stage.OriginsInput(self.sound(part).mesh, part.source.mesh))
        if part.cuts or part.rebores:
            whole = self.cache.run(stage.face_origins, stage.OriginsInput(piece, self.scaled(part)))
        return self.cache.run(stage.marked, stage.MarkedInput(piece.triangles, whole, source, part.marks))

    def finish(self, part: Part, house: HouseRules, progress: Progress | None = None) -> Finish:
        """What a mark costs on each face of the cut mesh."""
        cutting, looking = (progress or quiet()).stretches(0.1, 1.0)
        surfaces = self.cache.run(stage.surfaces, stage.SurfacesInput(self.cut(part, cutting)), looking)
        return self.cache.run(stage.finish, stage.FinishInput(surfaces, self.marked(part), house))

    def hollowed(self, part: Part, progress: Progress | None = None) -> Hollowed:
        """The shell's chambers in the part's own frame, without their lattice; none when it is solid."""
        if part.shell is None:
            return Hollowed((), 0.0)
        cutting, hollowing = (progress or quiet()).stretches(0.05, 1.0)
        return self.cache.run(stage.hollowed, stage.Hollowing(self.cut(part, cutting), _bare(part.shell)), hollowing)

    def chambers(self, part: Part, progress: Progress | None = None) -> tuple[Mesh, ...]:
        """Chambers of the shell in the part's own frame; none when it is solid."""
        return self.hollowed(part, progress).chambers

    def _ceilings(self, part: Part, progress: Progress | None) -> Ceilings | None:
        """The cavity with its ceilings; None when it is solid."""
        chambers = self.chambers(part, progress)
        return self.cache.run(stage.cavity, stage.CavityInput(chambers)) if chambers else None

    def cavity(self, part: Part, progress: Progress | None = None) -> Mesh | None:
        """All chambers of the shell as one mesh in the part's own frame, without their lattice; None when it is solid."""
        ceilings = self._ceilings(part, progress)
        return None if ceilings is None else ceilings.cavity

    def wall(self, part: Part) -> WallMeasured | None:
        """The shell's wall as measured; None when there is none."""
        if part.shell is None:
            return None
        return self.cache.run(stage.wall, stage.WallInput(self.cut(part), self.chambers(part), _bare(part.shell)))

    def drilled(self, part: Part, progress: Progress | None = None) -> tuple[Drilled, ...]:
        """Drain holes with their walls, in the part's own frame, in the order of the recipe."""
        if not part.holes:
            return ()
        outer, cavity = self.cut(part), self.cavity(part, progress)
        drill = partial(stage.Drilling, outer, cavity)
        made = []
        for hole in part.holes:
            up = UPWARD if hole.outline == ROUND else _up(part)  # only other outlines have a way up
            made.append(self.cache.run(stage.drilled, drill(hole.bare, up)))
        return tuple(made)

    def own_bores(self, part: Part, progress: Progress | None = None) -> tuple[Bore, ...]:
        """The same in short, as what lets through."""
        drilled = self.drilled(part, progress)
        return tuple(bore_of(d, number, h.id) for number, (d, h) in enumerate(zip(drilled, part.holes, strict=True)))

    def bars(self, part: Part, progress: Progress | None = None) -> Bars | None:
        """The lattice in the part's own frame; it stands upright in the part's pose and clear of its holes."""
        hollowing, laying = (progress or quiet()).stretches(0.6, 1.0)
        cavity = self.cavity(part, hollowing)
        if cavity is None or part.shell is None or part.shell.lattice is None:
            return None
        clear = self._kept_clear(part)
        return self.cache.run(stage.lattice, stage.LatticeInput(cavity, part.shell.lattice, _up(part), clear), laying)

    def gussets(self, part: Part, progress: Progress | None = None) -> Gussets | None:
        """What carries the bumps of the chambers' ceilings in the part's pose, in its own frame; None when nothing has to."""
        hollowing, carrying = (progress or quiet()).stretches(0.9, 1.0)
        ceilings = self._ceilings(part, hollowing)
        if ceilings is None or part.shell is None:
            return None
        clear = self._kept_clear(part)
        of = stage.GussetInput(ceilings, _up(part), clear, part.shell.open_below)
        return self.cache.run(stage.gussets, of, carrying)

    def fillings(self, part: Part, progress: Progress | None = None) -> tuple[Mesh, ...]:
        """What stands in the chambers in the part's pose, each an exact solid in its own frame."""
        laying, carrying = (progress or quiet()).stretches(0.9, 1.0)
        return fillings_of(self.bars(part, laying), self.gussets(part, carrying))

    def _kept_clear(self, part: Part) -> tuple[Keepout, ...]:
        """Drain holes, for what stands in the chambers."""
        return tuple(Keepout(d.entry_mm, d.along, d.radius_mm, d.reach_mm) for d in self.drilled(part))

    def voids(self, part: Part, progress: Progress | None = None) -> stage.Voids | None:
        """The void in and round the part as cells; None when it closes in none of any size."""
        filling, looking = (progress or quiet()).stretches(0.4, 1.0)
        return self.cache.run(stage.voids, self._void_of(part, filling), looking)

    def rough_voids(self, part: Part, progress: Progress | None = None) -> VoidCells | None:
        """The same on coarse cells, for who asks of many poses."""
        filling, looking = (progress or quiet()).stretches(0.9, 1.0)
        return self.cache.run(stage.rough_voids, self._void_of(part, filling), looking)

    def _void_of(self, part: Part, progress: Progress | None) -> stage.VoidInput:
        fillings = self.fillings(part, progress)
        return stage.VoidInput(
            self.cut(part), self.cavity(part), joined(list(fillings)) if fillings else None, self.drilled(part)
        )

    # set down: around its own place, then on the plate

    def supports(self, part: Part) -> tuple[Supports, tuple[Contact, ...]]:
        """The part's supports less what would stand in a drain hole, and the contacts that are left out for that."""
        if not part.supports or not part.holes:
            return part.supports, ()
        matrix = placing(self.cut(part), part.pose)
        mouths = [(matrix[:3, :3] @ h.point_mm + matrix[:3, 3], 0.5 * h.diameter_mm) for h in part.holes]
        left_out = tuple(
            c
            for c in part.supports.contacts
            if any(np.linalg.norm(c.spot_mm - at) <= radius + 0.5 * c.diameter_mm for at, radius in mouths)
        )
        return part.supports.without(c.id for c in left_out), left_out

    def solids(
        self, part: Part, settings: SupportSettings, progress: Progress | None = None, fineness: Fineness = FINE
    ) -> PartSolids:
        """Everything of a part in its pose, around its own place; where it is to be brief, without what carries the bumps of
        ceilings; where it is to be filled, without its chambers."""
        hollowing, laying, carrying = (progress or quiet()).stretches(0.8, 0.9, 1.0)
        made = replace(part, shell=None) if fineness.filled else part
        standing, left_out = self.supports(part)
        bare = standing.bare
        of = stage.Standing(
            self.cut(part),
            self.chambers(made, hollowing),
            self.cavity(made),
            part.pose,
            self.drilled(part, hollowing),
            tuple(h.id for h in part.holes),
            bare,
            self.cache.run(stage.scaffold, stage.ScaffoldInput(bare, settings)),
            left_out,
            settings,
            self.bars(made, laying),
            None if fineness.brief else self.gussets(made, carrying),
        )
        return self.cache.run(stage.standing, of)

    def solids_on(
        self, job: Job, plate: str = "", progress: Progress | None = None, fineness: Fineness = FINE
    ) -> tuple[PrintSolids, ...]:
        """Solids of every print on a plate, "" for the first one, in the order of its placements; bases end at its edge.

        fineness : see `solids`.
        """
        return tuple(self._on_plate(solids, job.bench.printer) for solids in self.whole_solids_on(job, plate, progress, fineness))

    def whole_solids_on(
        self, job: Job, plate: str = "", progress: Progress | None = None, fineness: Fineness = FINE
    ) -> tuple[PrintSolids, ...]:
        """The same with whole bases, wherever the prints stand."""
        placed = job.placed(plate)
        shares = (progress or quiet()).evenly(len(placed))
        return tuple(
            self.print_solids(p, number, job.bench.supports, share, fineness)
            for number, (p, share) in enumerate(zip(placed, shares, strict=True))
        )

    def _on_plate(self, solids: PrintSolids, printer: Printer) -> PrintSolids:
        """The same print, with its base cut off at the plate's edge where nothing but the base reaches over it."""
        edge, home = 0.5 * np.array([printer.plate_x_mm, printer.plate_y_mm]), solids.at_home
        shift = solids.shift_mm[:2]
        if home.supports is None or (np.abs([solids.low[:2], solids.high[:2]]) <= edge).all():
            return solids
        posts = np.array([(t.post_x_mm, t.post_y_mm) for t in home.touches]).reshape(-1, 2) + shift
        thick = 0.5 * np.array([[t.post_diameter_mm] for t in home.touches]).reshape(-1, 1)
        if (np.abs(solids.box_mm[:, :2]) > edge).any() or (np.abs(posts) + thick > edge).any():
            return solids
        low, high = -edge - shift, edge - shift
        cut = stage.Clipping(home, (float(low[0]), float(low[1])), (float(high[0]), float(high[1])))
        return replace(solids, at_home=self.cache.run(stage.clipped, cut))

    def print_solids(
        self, placed: Placed, number: int, settings: SupportSettings, progress: Progress | None = None, fineness: Fineness = FINE
    ) -> PrintSolids:
        """Solids of one print where it stands; `number` : among the prints of its plate."""
        at_home, placement = self.solids(placed.part, settings, progress, fineness), placed.placement
        turn = placement.turn_deg % 360
        if turn or placement.mirrored:
            at_home = self.cache.run(stage.turned_solids, stage.Turning(at_home, turn, placement.mirrored))
        return PrintSolids(placed, number, at_home)

    def still(self, own: Mesh) -> Mesh:
        """A lighter stand-in of a mesh for previews, in its own frame."""
        return self.cache.run(stage.lightened, stage.Lightening(own, PREVIEW_TRIANGLES))

    def light(self, own: Mesh, matrix: NDArray[np.float64], triangles: int = PREVIEW_TRIANGLES) -> Mesh:
        """A lighter stand-in of a mesh for previews and drawing, set down by a matrix; made once, however often it is turned."""
        still = self.still(own)
        if triangles < still.triangles:
            still = self.cache.run(stage.lightened, stage.Lightening(still, triangles))
        return still.transformed(matrix)

    def finer(self, own: Mesh, matrix: NDArray[np.float64], triangles: int, progress: Progress | None = None) -> Mesh:
        """A mesh set down by a matrix, or a stand-in finer than `light` gives; made once, however often it is turned."""
        still = self.cache.run(stage.lightened, stage.Lightening(own, triangles), progress) if own.triangles > triangles else own
        return still.transformed(matrix)

    def footprint(self, part: Part, settings: SupportSettings, progress: Progress | None = None) -> Footprint:
        """What a part and its supports cover of the plate, round its own place."""
        home = self.solids(part, settings, progress)
        outer = home.outer
        drawn = outer if outer.triangles <= PREVIEW_TRIANGLES else self.light(home.own, home.matrix)
        return self.cache.run(stage.footprint, stage.FootprintInput(outer, home.supports, drawn), progress)

    def clashes(self, part: Part, settings: SupportSettings) -> tuple[Point, ...]:
        """Where supports of a part run through the part itself, in its own frame."""
        supports, own = self.supports(part)[0].bare, self.cut(part)
        if not supports:
            return ()
        return self.cache.run(stage.clashes, stage.ClashInput(own, part.pose, supports, settings, self.closest(own)))

    def closest(self, mesh: Mesh) -> Closest:
        """A mesh made ready to be asked for nearest points and rays."""
        return self.cache.run(stage.closest, stage.ClosestInput(mesh))

    def cup_cells(self, printed: Printed, step_mm: float) -> CupCells:
        """The voids of all cups as cells."""
        return self.cache.run(stage.cells_of_cups, stage.CupCellsInput(printed, step_mm))

    # runs

    def runs(self, mesh: Mesh, lattice: Grid, off_mm: float, across: bool) -> Runs:
        """Runs of a mesh around its own place; see `cast_runs`."""
        return self.cache.run(stage.cast_runs, stage.Casting(mesh, lattice, off_mm, across))

    def casts(self, solids: PartSolids, lattice: Grid, light: int, off_mm: float, across: bool) -> stage.PartCasts:
        """A part's meshes as runs around its own place, moved over the rows of a lattice by less than one.

        light : triangles of the stand-ins that are taken, 0 for the meshes themselves.
        """
        outer, cavity, filling = solids.own, solids.own_cavity, solids.own_filling
        placed = (lambda m: self.light(m, solids.matrix, light)) if light else (lambda m: m.transformed(solids.matrix))

        def runs(mesh: Mesh | None) -> Runs | None:
            return None if mesh is None else self.runs(mesh, lattice, off_mm, across)

        with ThreadPoolExecutor(1) as beside:  # the outer surface takes as long as all the rest
            around = beside.submit(lambda: self.runs(placed(outer) if light else solids.outer, lattice, off_mm, across))
            inside = (
                runs(None if cavity is None else placed(cavity) if light else solids.cavity),
                runs(None if filling is None else placed(filling)),
                runs(solids.drills),
                runs(solids.supports),
            )
            return stage.PartCasts(around.result(), *inside)

    def solved(self, fineness: Fineness) -> Solved:
        """Squeeze integrals solved at a fineness so far, to be looked up and added to; forgotten when there are many."""
        known = self._solved.setdefault(replace(fineness, brief=False, filled=False), {})
        if len(known) > MOST_SOLVED:
            known.clear()
        return known


class _Remembered:
    """A cache that computes nothing."""

    def __init__(self, cache: Cache) -> None:
        self._cache = cache

    def run(self, stage: Callable[[Any, Progress], Any], of: Any, _: Progress | None = None) -> Any:
        return self._cache.at_hand(stage, of)


def _bare(shell: Shell) -> Shell:
    """A shell without its lattice, which stands in the chambers and does not shape them."""
    return replace(shell, lattice=None)


def _up(part: Part) -> tuple[float, float, float]:
    """Away from the plate in the part's own frame; the same for every turn about the plate's upright."""
    x, y, z = (round(float(v), 12) + 0.0 for v in part.pose.rotation[2])
    return x, y, z
