"""Looking a part over: its health and walls, places to look at, and measuring in the 3D view. State beside the session's job."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from wideberth.core.errors import BadModel, WideBerthError
from wideberth.core.job import Part, remember_factor, remembered_factor, scaled
from wideberth.core.model import (
    Flaw,
    Mesh,
    UnitGuess,
    angle_between_deg,
    bore_at,
    distance_mm,
    guess_unit,
    stand_in,
    wall_mm,
    wall_seen_from,
)
from wideberth.core.predict import Examined, PrintSolids, examined
from wideberth.core.progress import Progress
from wideberth.desktop.work import Task, start

if TYPE_CHECKING:
    from wideberth.desktop.session import Session

SPOTS_WANTED = {"distance": 2, "angle": 2, "bore": 1, "wall": 1}
COLOURED_TRIANGLES = 60_000
REMEMBERED = 24


@dataclass(frozen=True, eq=False)
class Measured:
    """A measurement: spots on the plate, what to print beside them, and its value in mm or degrees."""

    kind: str
    spots_mm: NDArray[np.float64]
    text: str
    value: float


@dataclass(frozen=True, eq=False)
class WallColours:
    """A part's stand-in on the plate with the wall at each of its points [mm], infinite where it is open."""

    part: str
    mesh: Mesh
    wall_mm: NDArray[np.float64]


class Examiner(QObject):
    """Signals: examined (a result is there), marks_changed (places to show), measuring (mode, or ""), measured, coloured,
    asked (a unit guess waits for an answer)."""

    examined = Signal()
    marks_changed = Signal()
    measuring = Signal(str)
    measured = Signal()
    coloured = Signal()
    asked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._known: dict[Any, Examined] = {}
        self._running: tuple[Any, Task] | None = None
        self.marks_mm: NDArray[np.float64] = np.empty((0, 3))
        self.mode = ""
        self.spots: list[NDArray[np.float64]] = []
        self.result: Measured | None = None
        self.colours: WallColours | None = None
        self.guess: UnitGuess | None = None
        self.guess_parts: tuple[str, ...] = ()
        self._folders: set[Path] = set()
        session.job_changed.connect(self._moved_on)
        session.part_chosen.connect(lambda _: self._moved_on())
        session.drawn.connect(self.wake)

    # health

    def _key(self, part: Part) -> Any:
        printer, resin = self._session.job.bench.printer, self._session.job.bench.resin
        return part.shape, printer.pixel_x_mm, printer.pixel_y_mm, resin.thinnest_wall_mm

    @property
    def present(self) -> Examined | None:
        """What is known of the chosen part."""
        part = self._session.present_part
        return None if part is None else self._known.get(self._key(part))

    def _moved_on(self) -> None:
        self.show_places(np.empty((0, 3)))
        self.start_measuring("")
        self.show_walls(False)
        if self.present is None and self._session.prediction is not None:
            self.wake()

    def wake(self) -> None:
        """Examine the chosen part once a first prediction is out of the way."""
        job, stages, part = self._session.job, self._session.stages, self._session.present_part
        if part is None or self.present is not None:
            return
        key = self._key(part)
        if self._running is not None:
            if self._running[0] == key:
                return
            self._running[1].cancel()

        def work(progress: Progress) -> Examined:
            return examined(part, job.bench, stages, progress)

        def done(found: Examined) -> None:
            self._known[key] = found
            while len(self._known) > REMEMBERED:
                self._known.pop(next(iter(self._known)))
            self.examined.emit()

        self._running = (key, self._start(work, done))

    def _start(self, work: Callable[[Progress], Any], done: Callable[[Any], None]) -> Task:
        task = Task(work)

        def over() -> None:
            if self._running is not None and self._running[1] is task:
                self._running = None

        def finished(result: Any) -> None:
            over()
            done(result)

        def failed(text: str) -> None:
            over()
            self._session.noticed.emit(text)

        task.heard.when_finished, task.heard.when_failed, task.heard.when_cancelled = finished, failed, over
        start(task)
        return task

    @property
    def is_busy(self) -> bool:
        return self._running is not None

    # units

    def ask_unit(self, parts: tuple[str, ...], paths: list[Path]) -> None:
        """Ask once when new parts look to be in another unit and nothing was told for their folder."""
        job = self._session.job
        printer = job.bench.printer
        longest = max(printer.plate_x_mm, printer.plate_y_mm, printer.height_mm)
        guesses = {id: guess_unit(self._session.stages.scaled(job.part(id)), longest) for id in parts}
        doubtful = tuple(id for id, g in guesses.items() if g is not None)
        told = all(remembered_factor(p.parent) is not None for p in paths)
        self.guess = guesses[doubtful[0]] if doubtful and not told else None
        self.guess_parts = doubtful
        self._folders = {p.parent for p in paths}
        self.asked.emit()

    def answer_unit(self, factor: float) -> None:
        """Take the answer for all parts it was asked for, and remember it for their folder."""
        session = self._session
        job = session.job
        for id in self.guess_parts:
            if factor != 1.0 and job.has(id):
                job = job.with_part(scaled(job.part(id), job.part(id).scale * factor))
        self.guess = None
        try:
            for folder in self._folders:
                remember_factor(folder, factor)
        except WideBerthError as error:
            session.noticed.emit(f"the answer could not be remembered: {error.text}")
        if job is not session.job:
            session.change(f"take the model as {factor:g} mm a unit", job)
        self.asked.emit()

    # places

    def show_flaw(self, flaw: Flaw) -> None:
        """Show where a flaw is."""
        solid, part = self._solid(), self._session.present_part
        if solid is None or part is None:
            return
        walls = self.present is not None and any(flaw is w for w in self.present.walls)
        own = flaw.places_mm if walls else flaw.places_mm * part.factors
        self.show_places(own @ solid.matrix[:3, :3].T + solid.matrix[:3, 3])

    def _solid(self) -> PrintSolids | None:
        p = self._session.prediction
        return None if p is None else p.solids_of(self._session.part)

    def show_places(self, places_mm: NDArray[np.float64]) -> None:
        """Mark places of the plate in the 3D view."""
        if len(places_mm) or len(self.marks_mm):
            self.marks_mm = places_mm
            self.marks_changed.emit()
            if len(places_mm):
                self._session.move_cursor(float(places_mm[0][2]))

    # measuring

    def start_measuring(self, mode: str) -> None:
        """Take the next clicks as spots of a measurement; an empty mode stops."""
        if mode == self.mode and not self.spots and self.result is None:
            return
        self.mode, self.spots, self.result = mode, [], None
        self.measuring.emit(mode)
        self.measured.emit()

    def touch(self, spot_mm: NDArray[np.float64]) -> None:
        """A click on a part's surface while measuring."""
        if not self.mode:
            return
        if self.result is not None:
            self.spots, self.result = [], None
        self.spots.append(np.asarray(spot_mm, float))
        if len(self.spots) == SPOTS_WANTED[self.mode]:
            solid = self._solid()
            if solid is None:
                self.spots = []
                return
            try:
                self.result = _measure(self.mode, solid.outer, self.spots)
            except BadModel as error:
                self._session.noticed.emit(error.text)
                self.spots = []
        self.measured.emit()

    # walls

    def show_walls(self, wanted: bool) -> None:
        """Colour the chosen part by its walls, measured off the interface thread."""
        if not wanted:
            if self.colours is not None:
                self.colours = None
                self.coloured.emit()
            return
        solid, chosen = self._solid(), self._session.part
        if solid is None:
            return

        def work(_: Progress) -> WallColours:
            light = stand_in(solid.outer, COLOURED_TRIANGLES)
            wall = wall_seen_from(light, self._session.stages.closest(solid.outer))
            return WallColours(chosen, light, wall)

        def done(found: WallColours) -> None:
            self.colours = found
            self.coloured.emit()

        self._start(work, done)


def _measure(mode: str, mesh: Mesh, spots: list[NDArray[np.float64]]) -> Measured:
    """Carry out a measurement on a part as it stands on the plate."""
    at = np.array(spots)
    if mode == "distance":
        length = distance_mm(at[0], at[1])
        dx, dy, dz = np.abs(at[1] - at[0])
        return Measured(mode, at, f"{length:.3f} mm · x {dx:.2f} · y {dy:.2f} · z {dz:.2f}", length)
    if mode == "angle":
        angle = angle_between_deg(mesh, at[0], at[1])
        return Measured(mode, at, f"{angle:.2f}° through the material", angle)
    if mode == "bore":
        bore = bore_at(mesh, at[0])
        what = "hole" if bore.is_hole else "pin"
        return Measured(mode, np.vstack([at, [bore.centre_mm]]), f"{what} of {bore.diameter_mm:.3f} mm, round within "
                        f"{bore.off_mm:.3f} mm", bore.diameter_mm)  # fmt: skip
    wall = wall_mm(mesh, at[0])
    return Measured(mode, at, f"wall of {wall:.3f} mm", wall)
