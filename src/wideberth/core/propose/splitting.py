"""Splitting: whether a part fits each printer, where it is cut if it does not, and keys for the pieces."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, HouseRules, Printer
from wideberth.core.errors import BadJob, BadModel
from wideberth.core.hollow import can_be_open
from wideberth.core.job import Job, Part, cut_in_two, pieces_beside, with_both
from wideberth.core.layers import cast, grid_over, traps
from wideberth.core.model import Mesh, pieces_of, rotation_about
from wideberth.core.orient import Pose, as_turn, laid, placing
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.places import arranged
from wideberth.core.propose.proposal import Better, Candidate, Measure, Proposal, of_part, only
from wideberth.core.split import (
    Aim,
    Creases,
    Cut,
    Fit,
    Kind,
    Plane,
    Slicer,
    Space,
    Surface,
    fit_of,
    halves_of,
    on_its_broader_tread,
    planes_through,
    room_for,
    seam_of,
    space_of,
    stands_in,
    stepped,
    with_keys,
)
from wideberth.core.units import g_weight_n
from wideberth.core.verdict import counted

MOST_PIECES = 24
MATING_UP_DEG = 180.0
SHUT_STEP_MM, MOST_STEPS, WORTH_ML = 0.4, 400, 0.05
STRAIGHT = 0.9998
"""Cosine of about a degree."""
FLAT_MM, FLAT_LATER_MM, FLAT_SHARE = 0.01, 1.0, 0.8
"""A part lies flat where this little over the plate it has this share of its area at that height."""
TURNS_DEG = tuple(range(0, 180, 5))


class JointFit(StrEnum):
    """How pieces are to sit in each other."""

    GLUED = "glued"
    PUSH = "push-fit"
    MOVING = "moving"


def clearance_of(fit: JointFit, house: HouseRules) -> float:
    """By how much a socket is wider on each side."""
    return {JointFit.GLUED: house.glued_mm, JointFit.PUSH: house.push_fit_mm, JointFit.MOVING: house.moving_mm}[fit]


@dataclass(frozen=True)
class PrinterFit:
    """How a part fits one printer."""

    printer: str
    fit: Fit


def printers_that_fit(job: Job, id: str, stages: Stages, printers: tuple[Printer, ...]) -> tuple[PrinterFit, ...]:
    """How a part, at its size and in its pose, fits each of some printers on the supports of the bench."""
    part = job.part(id)
    mesh = stages.cut(part)
    stood = mesh.transformed(placing(mesh, part.pose))
    return tuple(PrinterFit(p.name, fit_of(stood, _room(p, job.bench))) for p in printers)


def _room(printer: Printer, bench: Bench) -> Space:
    """What a printer leaves for a part that stands on supports with their base."""
    return space_of(printer, bench.supports.gap_mm, bench.supports.pad_mm)


@of_part
def propose_split(
    job: Job,
    id: str,
    stages: Stages,
    kind: Kind | None = None,
    fit: JointFit = JointFit.GLUED,
    progress: Progress | None = None,
    aims: tuple[Aim, ...] = (Aim.HIDDEN, Aim.SHORT, Aim.BROAD),
    place: bool = True,
) -> Proposal:
    """Cut a part that stands in the printer on none of its axes: one set of cuts for each aim, with keys, each piece with its
    mating face up where it fits so.

    Parameters
    ----------
    kind : of the keys; without one two pegs, else one with a flat, whatever there is room for. place : the pieces are given
    places on the plate.

    Raises
    ------
    BadModel : when the mesh is not closed, or would come to more than 24 pieces.
    """
    part, bench, progress = job.part(id), job.bench, progress or quiet()
    mesh = stages.cut(part)
    if stands_in(mesh, space_of(bench.printer)):
        return only("split", "split", "fits the printer", job, needed=False)
    room = _room(bench.printer, bench)
    if fit_of(mesh, room).pieces > MOST_PIECES:
        raise _too_many(part)
    found: dict[tuple[Cut, ...], Candidate] = {}
    shut_ml = shut_in_ml(mesh)
    tried: Tried = {}
    for aim, share in zip(aims, progress.evenly(len(aims)), strict=True):
        made, done = _cut_up(job, part, room, stages, _Keys(aim, kind, clearance_of(fit, bench.house)), tried, share)
        bare = tuple(replace(d.cut, keys=()) for d in done)
        if bare not in found:
            made = arranged(job, made, stages)[0] if place else made
            found[bare] = _candidate(job, part, made, done, aim, shut_ml, stages)
    candidates = sorted(found.values(), key=lambda c: c.measures[0].value)
    return Proposal("split", tuple(candidates))


Tried = dict[tuple[Cut, ...], list[Plane]]
"""Planes that were tried on what some cuts leave; aims only choose among them."""


@dataclass(frozen=True)
class _Keys:
    """What is wanted of each cut."""

    aim: Aim
    kind: Kind | None
    clearance_mm: float


@dataclass(frozen=True)
class _Done:
    """A cut that was made: length of its seam, the same as it shows, its section, and how much of the seam lies in creases."""

    cut: Cut
    seam_mm: float
    shown_mm: float
    area_mm2: float
    hidden_mm: float


def _cut_up(
    job: Job, part: Part, room: Space, stages: Stages, wanted: _Keys, tried: Tried, progress: Progress
) -> tuple[Job, list[_Done]]:
    """The job with a part in pieces that all fit, and the cuts in their order."""
    cuts: list[_Done] = []
    queue = [part.id]
    while queue:
        id = queue.pop(0)
        piece = job.part(id)
        share = progress.part(1 - 0.8 ** len(cuts), 1 - 0.8 ** (len(cuts) + 1))
        mesh = stages.cut(piece, share.part(0.0, 0.2))
        normals = [np.array(c.normal) for c in piece.cuts]
        if stands_in(mesh, room, normals):
            continue
        if len(cuts) + 2 > MOST_PIECES:
            raise _too_many(part)
        if piece.cuts not in tried:
            surfaces = _surfaces(piece, mesh, job.bench.house, stages)
            tried[piece.cuts] = planes_through(mesh, room, surfaces, share.part(0.2, 0.8))
        planes = tried[piece.cuts]
        if not planes:
            raise BadModel("no plane leaves smaller pieces.", where=piece.name, kept="It is uncut.")
        best: Plane = min(planes, key=lambda p: p.rank(wanted.aim))
        plane = best.cut
        if wanted.aim == Aim.HIDDEN:
            plane = _stepped(piece, mesh, best.cut, room, job.bench.house, stages, share.part(0.8, 0.9))
        cut = with_keys(mesh, plane, wanted.kind, wanted.clearance_mm, job.bench.house.wall_mm).cut
        seam, finish = seam_of(mesh, cut), stages.finish(piece, job.bench.house)
        folds = Creases.of(mesh)
        weighed, hidden = seam.finishing(finish.times, finish.barred, folds)[0], seam.hidden_mm(folds)
        cuts.append(_Done(cut, seam.length_mm, weighed, seam.area_mm2, hidden))
        before = {p.id for p in job.parts}
        job = with_pieces(job, id, cut, stages, share.part(0.9, 1.0))
        queue += [p.id for p in job.parts if p.id not in before]
    return job, cuts


def _stepped(piece: Part, mesh: Mesh, plane: Cut, room: Space, house: HouseRules, stages: Stages, progress: Progress) -> Cut:
    """A plane that steps where that hides its seam and costs nothing: no piece more, and none that fits no longer."""
    light = stages.still(mesh)
    faces = _surfaces(piece, mesh, house, stages)(light)
    cut = on_its_broader_tread(mesh, stepped(light, plane, faces.times, faces.barred, Creases.of(light)))
    if cut.step is None:
        return plane
    normals = [np.array(c.normal) for c in (*piece.cuts, cut)]
    for flat, own in zip(*(halves_of(mesh, c, piece.name, progress) for c in (plane, cut)), strict=True):
        if len(pieces_of(own)) > len(pieces_of(flat)):
            return plane
        if stands_in(flat, room, normals) and not stands_in(own, room, normals):
            return plane
    return cut


def _too_many(part: Part) -> BadModel:
    return BadModel(
        f"would come to more than {MOST_PIECES} pieces.",
        where=part.name,
        kept="It is uncut.",
        remedy="Scale it down, or take a larger printer.",
    )


def _surfaces(part: Part, mesh: Mesh, house: HouseRules, stages: Stages) -> Callable[[Mesh], Surface]:
    """What a mark takes on the faces of a stand-in of a part."""

    def told(light: Mesh) -> Surface:
        nearest = stages.closest(mesh).nearest(light.corners.mean(axis=1))[1]
        finish = stages.finish(part, house).of(nearest)
        return Surface(finish.times, finish.barred)

    return told


def _candidate(before: Job, part: Part, made: Job, done: list[_Done], aim: Aim, before_ml: float, stages: Stages) -> Candidate:
    """A set of cuts with its measures. before_ml : what was shut in before any of them."""
    kept = {p.id for p in before.parts}
    pieces = [p for p in made.parts if p.id not in kept]
    length, least = sum(d.seam_mm for d in done), min(d.area_mm2 for d in done)
    keyless = sum(not d.cut.keys for d in done)
    heaviest = max(stages.cut(p).volume_mm3 for p in pieces)
    resin = before.bench.resin
    bears = least * resin.green_strength_mpa / max(g_weight_n(heaviest, resin.solid_density_kg_per_m3), 1e-9)
    hidden = sum(d.hidden_mm for d in done)
    in_creases = f" ({hidden:.0f} of them in creases)" if hidden > 0.05 * length else ""
    steps = sum(d.cut.step is not None for d in done)
    in_creases += f", {counted(steps, 'cut')} with a step to hide it" if steps else ""
    why = f"{counted(len(pieces), 'piece')}, {length:.0f} mm of seam{in_creases}, the smallest joint {least:.0f} mm²"
    why += f", {counted(keyless, 'joint')} without a key" if keyless else ", every joint keyed"
    after_ml = sum(shut_in_ml(stages.cut(p)) for p in pieces)
    if before_ml - after_ml > WORTH_ML:
        why += f"; opens {before_ml - after_ml:.1f} mL that was shut in: drain and wash it before the joint is closed"
    elif after_ml - before_ml > WORTH_ML:
        why += f"; shuts {after_ml - before_ml:.1f} mL in"
    measures = (
        Measure("pieces", float(len(pieces)), ""),
        Measure("seam", length, "mm"),
        Measure("seam as it shows", sum(d.shown_mm for d in done), "mm"),
        Measure("smallest joint", least, "mm²", Better.MORE),
        Measure("bears its piece", bears, "×", Better.MORE),
        Measure("without a key", float(keyless), ""),
        *([Measure("shut in", after_ml, "mL")] if max(before_ml, after_ml) > WORTH_ML else []),
    )
    label = f"cut {part.name} in {len(pieces)}"
    return Candidate(label, why, made, measures, name=str(aim))


def shut_in_ml(mesh: Mesh) -> float:
    """Void of a closed mesh that has no way out [mL], to about half a millimetre."""
    step = max(SHUT_STEP_MM, float(mesh.extents_mm.max()) / MOST_STEPS)
    set_down = mesh.moved(np.array([0.0, 0.0, -float(mesh.low[2])]))
    runs = cast(set_down.points, set_down.faces, grid_over(set_down.low, set_down.high, step, step))
    return float(sum(t.volume_mm3 for t in traps(runs, runs))) / 1000


def numbered(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Proposal:
    """The pieces beside a part, by its id, numbered in the face of a cut each, where it is hidden once they are together.

    Raises
    ------
    BadJob : when no part was cut, or no face has room for a number.
    """
    progress, made, lacking = progress or quiet(), job, []
    pieces = pieces_beside(job, id)
    for n, piece in enumerate(pieces):
        progress.at(n / len(pieces), "looking for room in the faces")
        number, bare = str(n + 1), stages.cut(replace(piece, engraved=""))
        if any(room_for(bare, cut, number) is not None for cut in piece.cuts):
            made = made.with_part(replace(piece, engraved=number))
        else:
            lacking.append(piece.name)
    if len(lacking) == len(pieces):
        raise BadJob(
            "no face of a cut has room for a number." if pieces else "no part was cut yet.",
            where=job.title,
            kept="Nothing was changed.",
            remedy="Write it on with a pencil before curing." if pieces else "Cut one first.",
        )
    why = f"{counted(len(pieces) - len(lacking), 'piece')} numbered in the face of a cut"
    why += f"; no room on {', '.join(lacking)}" if lacking else ""
    return only("split", "number the pieces", why, made)


def with_pieces(job: Job, id: str, cut: Cut, stages: Stages, progress: Progress | None = None) -> Job:
    """The job with a part cut in two, each piece with its mating face up where it fits so. A floor that was left open stays so
    with the piece that has it; the other keeps its walls.

    Raises
    ------
    BadModel : when the cut leaves nothing on a side. Cancelled : when `progress` was cancelled meanwhile.
    """
    pieces = cut_in_two(job.part(id), cut)
    for piece in pieces:
        stages.cut(piece, progress)  # what follows asks for it and cannot be cancelled
    a, b = (_closed_if_need_be(piece, stages) for piece in pieces)
    return with_both(job, id, (_mating_up(a, job.bench, stages), _mating_up(b, job.bench, stages)))


def _closed_if_need_be(piece: Part, stages: Stages) -> Part:
    """A piece, its floor closed where the shell says that it is open and there is no such floor."""
    if piece.shell is not None and not can_be_open(stages.cut(piece), piece.shell):
        return replace(piece, shell=replace(piece.shell, open_below=None))
    return piece


def _mating_up(piece: Part, bench: Bench, stages: Stages) -> Part:
    """A piece with the broadest face that mates looking up, turned about the upright so that it fits, raised unless it lies flat
    on a face that does not mate; as it was where it does not fit so."""
    mesh = stages.cut(piece)
    room = _room(bench.printer, bench)
    areas = [(Slicer(mesh, np.array(c.normal)).at(c.offset_mm + 1e-3 * c.keep).area_mm2, _outward(c)) for c in piece.cuts]
    for _, outward in sorted(areas, key=lambda pair: -pair[0]):
        up = laid(piece.pose, outward, MATING_UP_DEG)
        best, margin = up, -np.inf
        for turn in TURNS_DEG:
            rotation = rotation_about(2, float(turn)) @ up.rotation
            left = float(_margin(mesh, rotation, room))
            if left > margin + 1e-6:
                best, margin = Pose(as_turn(rotation), up.gap_mm), left
            if turn == 0 and left >= 0:
                break
        if margin >= 0:
            flat = _lies_flat(piece, best, mesh)
            return replace(piece, pose=best if flat else replace(best, gap_mm=bench.supports.gap_mm))
    return piece


def _outward(cut: Cut) -> NDArray[np.float64]:
    """Where the face looks that a cut has laid bare, in the part's own frame, (3,)."""
    return -cut.keep * np.array(cut.normal)


def stands_mating_up(part: Part) -> bool:
    """Whether a face that a cut has laid bare looks straight up."""
    return any(float((part.pose.rotation @ _outward(cut))[2]) > STRAIGHT for cut in part.cuts)


def _lies_flat(piece: Part, pose: Pose, mesh: Mesh) -> bool:
    """Whether a piece would lie on a broad face that does not mate."""
    if any(float((pose.rotation @ _outward(cut))[2]) < -STRAIGHT for cut in piece.cuts):
        return False
    down = Slicer(mesh, pose.rotation[2])
    lowest = float((mesh.points @ pose.rotation[2]).min())
    return down.at(lowest + FLAT_MM).area_mm2 > FLAT_SHARE * down.at(lowest + FLAT_LATER_MM).area_mm2


def _margin(mesh: Mesh, rotation: NDArray[np.float64], room: Space) -> float:
    """What is left on the tightest side, as the part then lies on the plate."""
    turned = mesh.points @ rotation.T
    extents = turned.max(axis=0) - turned.min(axis=0)
    return float((np.array(room.size_mm) - extents).min())


@dataclass(frozen=True)
class PieceTold:
    """One side of a plane: its box in the part's own frame, and whether it fits the bench's printer."""

    extents_mm: tuple[float, float, float]
    fits: bool


@dataclass(frozen=True, eq=False)
class PlaneTold:
    """What a plane would come to. segments_mm : (n, 2, 3) of the seam, in the part's own frame. barred_mm : of it on faces that
    may carry no mark. pieces : both sides, none where it misses. bodies : into how many the part would fall."""

    segments_mm: NDArray[np.float64]
    seam_mm: float
    barred_mm: float
    area_mm2: float
    pieces: tuple[PieceTold, ...]
    bodies: int

    def lines_on(self, matrix: NDArray[np.float64]) -> NDArray[np.float64]:
        """The seam where a print stands, (n, 2, 3) mm on the plate; matrix : (4, 4) of the print."""
        return np.asarray(self.segments_mm @ matrix[:3, :3].T + matrix[:3, 3])


def plane_told(job: Job, id: str, cut: Cut, stages: Stages, progress: Progress | None = None) -> PlaneTold:
    """What a plane through a part would come to, before it is cut."""
    part = job.part(id)
    mesh = stages.cut(part, progress)
    normal = np.array(cut.normal)
    seam = seam_of(mesh, cut)
    finish = stages.at_hand(lambda known: known.finish(part, job.bench.house))
    barred = 0.0 if finish is None else seam.finishing(finish.times, finish.barred)[1]
    try:
        sides = halves_of(mesh, cut, part.name, progress)
    except BadModel:
        return PlaneTold(seam.segments_mm, seam.length_mm, barred, seam.area_mm2, (), 0)
    room = _room(job.bench.printer, job.bench)
    normals = [normal, *(np.array(c.normal) for c in part.cuts)]
    pieces = []
    for side in sides:
        x, y, z = (float(v) for v in side.extents_mm)
        pieces.append(PieceTold((x, y, z), stands_in(side, room, normals)))
    bodies = sum(len(pieces_of(side)) for side in sides)
    return PlaneTold(seam.segments_mm, seam.length_mm, barred, seam.area_mm2, tuple(pieces), bodies)
