"""A plane led by hand: where it cuts is seen on the part, and what it would come to is told as it moves."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QComboBox, QSlider

from wideberth.core.errors import WideBerthError
from wideberth.core.job import Part
from wideberth.core.model import Mesh, frame_along
from wideberth.core.progress import Progress
from wideberth.core.propose import PlaneTold, Proposal, arranged, only, plane_told, with_pieces
from wideberth.core.split import Cut, Joint, Step, on_its_broader_tread, with_keys
from wideberth.desktop.session.sight import NO_LINES
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import count

if TYPE_CHECKING:
    from wideberth.desktop.steps.split.step import SplitStep

AXES = ("across x", "across y", "across z")
SETTLE_MS = 120
SLIDES = 1000
LEAST_RISE_MM = 0.1


class ByHandLeaf(Leaf):
    """Direction, tilt and place of one plane; the seam is drawn on the part while the leaf is open."""

    _step: SplitStep

    def build(self) -> None:
        self.axis = QComboBox()
        self.axis.addItems(AXES)
        self.axis.setCurrentIndex(2)
        self.axis.setAccessibleName("direction of the cut")
        self.tilt_one = NumberField("Tilted", "°", -85, 85, 5, "about the part's next axis")
        self.tilt_two = NumberField("and", "°", -85, 85, 5, "about the one after")
        self.tilt_one.set_value(0.0)
        self.tilt_two.set_value(0.0)
        self.place = NumberField("At", "mm", -5000, 5000, 1, "from the part's lower side along that direction")
        self.slide = QSlider(Qt.Orientation.Horizontal)
        self.slide.setRange(1, SLIDES - 1)
        self.slide.setAccessibleName("place of the cut")
        self.rise = NumberField(
            "Steps by", "mm", -200, 200, 1, "beyond a line the cut runs so much higher, or lower; 0: not at all"
        )
        self.beyond = NumberField("beyond", "mm", -5000, 5000, 1, "of the part's middle, along the way that is turned to")
        self.turn = NumberField("turned", "°", 0, 360, 15, "the way that leads beyond, about the cut's normal")
        for field in (self.rise, self.beyond, self.turn):
            field.set_value(0.0)
            field.entered.connect(lambda _: self._later.start())
        self.told = label("", "")
        self.cut_button = button("Cut here", self._cut, "main")
        for widget in (self.axis, side_by_side(self.tilt_one, self.tilt_two), self.place, self.slide):
            self.box.addWidget(widget)
        for widget in (self.rise, side_by_side(self.beyond, self.turn), self.told, self.cut_button):
            self.box.addWidget(widget)
        self.box.addWidget(
            label("Both pieces are capped and stay in the job, each with its mating face up where it fits so.", "faint")
        )
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(SETTLE_MS)
        self._later.timeout.connect(self._look)
        self._seen: tuple[object, ...] = ()
        self._ends: tuple[Mesh, np.ndarray, tuple[float, float]] | None = None
        """Ends of a mesh along a normal, as found last: they are asked for at every change, and a scan has many points."""
        self.axis.currentIndexChanged.connect(self._turned)
        for field in (self.tilt_one, self.tilt_two):
            field.entered.connect(self._turned)
        self.place.entered.connect(lambda _: self._moved())
        self.slide.valueChanged.connect(self._slid)

    # the plane

    @property
    def normal(self) -> np.ndarray:
        """Where the plane looks, in the part's own frame, (3,)."""
        across, over, along = frame_along(np.eye(3)[self.axis.currentIndex()])
        one, two = math.radians(self.tilt_one.value), math.radians(self.tilt_two.value)
        leant = math.cos(one) * along + math.sin(one) * across
        return np.asarray(math.cos(two) * leant + math.sin(two) * over)

    def _range(self, part: Part) -> tuple[float, float] | None:
        """Least and greatest height of the part along the plane's normal; None while its mesh is not known."""
        mesh = self._session.stages.at_hand(lambda s: s.cut(part))
        if mesh is None:
            return None
        along = self.normal
        if self._ends is None or self._ends[0] is not mesh or not np.array_equal(self._ends[1], along):
            height = mesh.points @ along
            self._ends = mesh, along, (float(height.min()), float(height.max()))
        return self._ends[2]

    def _plane(self, part: Part) -> Cut | None:
        ends = self._range(part)
        if ends is None:
            return None
        mesh = self._session.stages.at_hand(lambda s: s.cut(part))
        return None if mesh is None else self._cut_at(mesh, ends[0] + self.place.value)

    def _cut_at(self, mesh: Mesh, offset_mm: float) -> Cut:
        """The plane with its step, where one is wanted."""
        x, y, z = (float(v) for v in self.normal)
        plane = Cut((x, y, z), offset_mm, 1)
        if abs(self.rise.value) < LEAST_RISE_MM:
            return plane
        step = Step(self.turn.value, 0.0, self.rise.value)
        middle = float(0.5 * (mesh.low + mesh.high) @ (plane.frame[:2].T @ step.way))
        return replace(plane, step=replace(step, at_mm=middle + self.beyond.value))

    # showing

    def show_part(self, part: Part | None) -> None:
        self._seen = ()  # what was drawn went with the part that was shown
        self.cut_button.setEnabled(part is not None)
        if part is not None:
            ends = self._range(part)
            if ends is not None and not 0 < self.place.value < ends[1] - ends[0]:
                self.place.set_value(round(0.5 * (ends[1] - ends[0]), 1))
                self._set_slide(part)
        self._later.start()

    def follow(self) -> None:
        """Draw the seam where the leaf is open, or no more."""
        self._seen = ()
        if self.isVisible() and self._step.isVisible():
            self._later.start()
        else:
            self._session.sight.draw(NO_LINES)

    def _turned(self, *_: object) -> None:
        part = self._session.selection.present
        ends = None if part is None else self._range(part)
        if ends is not None:
            self.place.set_value(round(0.5 * (ends[1] - ends[0]), 1))
            self._set_slide(part)
        self._later.start()

    def _moved(self) -> None:
        self._set_slide(self._session.selection.present)
        self._later.start()

    def _set_slide(self, part: Part | None) -> None:
        ends = None if part is None else self._range(part)
        if ends is not None:
            self.slide.blockSignals(True)
            self.slide.setValue(round(SLIDES * self.place.value / max(ends[1] - ends[0], 1e-9)))
            self.slide.blockSignals(False)

    def _slid(self, at: int) -> None:
        part = self._session.selection.present
        ends = None if part is None else self._range(part)
        if ends is not None:
            self.place.set_value(round(at / SLIDES * (ends[1] - ends[0]), 1))
            self._later.start()

    def _look(self) -> None:
        """What the plane would come to, beside; shown unless it has moved on."""
        part = self._session.selection.present
        if part is None or not self.isVisible():
            return
        cut = self._plane(part)
        job, stages = self._session.job, self._session.stages
        if cut is None or self._seen == (cut, part):
            return
        seen: tuple[object, ...] = (cut, part)
        self._seen = seen
        solids = self._session.prediction.solids_of(part.id) if self._session.prediction is not None else None

        def done(told: PlaneTold) -> None:
            if self._seen == seen and self.isVisible():
                self.told.setText(told_text(told))
                self._session.sight.draw(NO_LINES if solids is None else told.lines_on(solids.matrix))

        def stopped() -> None:
            if self._seen == seen:
                self._seen = ()

        self._session.tasks.beside(lambda progress: plane_told(job, part.id, cut, stages, progress), done, stopped)

    # cutting

    def _cut(self) -> None:
        part = self._session.selection.present
        if part is None:
            return
        job, stages, id = self._session.job, self._session.stages, part.id
        place, normal = self.place.value, self.normal
        mesh = stages.at_hand(lambda s: s.cut(part))
        if mesh is None:
            return
        plane = self._cut_at(mesh, float((mesh.points @ normal).min()) + place)
        kind, clearance, wall = self._step.kind, self._step.clearance_mm, job.bench.house.wall_mm

        def work(progress: Progress) -> Proposal:
            cut = on_its_broader_tread(mesh, plane)
            try:
                joint = with_keys(mesh, cut, kind, clearance, wall)
            except WideBerthError:  # where no exact solid can be made of it, the cut itself says so
                joint = Joint(cut, "no keys")
            made = arranged(job, with_pieces(job, id, joint.cut, stages, progress), stages)[0]
            return only("split", f"cut {part.name}", f"cut at {place:g} mm: {joint.why}", made)

        self._session.proposing.propose("cutting", work)
        self.rise.set_value(0.0)  # the next cut is plain unless it is asked for again


def told_text(told: PlaneTold) -> str:
    """The plane in a few lines."""
    if not told.pieces:
        return "The plane does not pass through the part."
    lines = [f"{told.seam_mm:.0f} mm of seam, joint of {told.area_mm2:.0f} mm²."]
    if told.barred_mm > 0:
        lines.append(f"{told.barred_mm:.0f} mm of it on faces that are to stay clean.")
    for name, piece in zip("AB", told.pieces, strict=True):
        x, y, z = piece.extents_mm
        fits = "fits" if piece.fits else "does not fit"
        lines.append(f"{name}: {x:.0f} × {y:.0f} × {z:.0f} mm, {fits}.")
    if told.bodies > 2:
        lines.append(f"It would fall into {count(told.bodies, 'piece')}.")
    return "\n".join(lines)
