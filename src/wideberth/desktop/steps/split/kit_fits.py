"""Fits inside a kit: a peg and the bore it goes into are clicked, on one part or on two; what they come out as is told."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QComboBox

from wideberth.core.bench import Drawn, FitTold, fit_told
from wideberth.core.errors import BadJob, BadModel
from wideberth.core.job import Part
from wideberth.core.model import Bored, binary_stl, bore_at, parse_model
from wideberth.core.orient import Pose
from wideberth.core.progress import Progress
from wideberth.core.propose import Pair, Proposal, RoundOf, arranged, clearance_of, kept_for_fit, only, pairs_in, with_fit
from wideberth.core.split import READS_AS, comb, comb_peg
from wideberth.desktop.session import Canvas, Session, Spot, Tool
from wideberth.desktop.steps.fields import NumberField, button, label, slim, tool_button
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.style import DAY, typeface

if TYPE_CHECKING:
    from wideberth.desktop.steps.split.step import SplitStep


WORTH_MM = 0.005
CLEARANCES = {"push_fit_mm": "Pushes in and holds at", "glued_mm": "Right for glue at", "moving_mm": "Moves freely at"}
"""Bench values of the house, by what the comb shows."""


@dataclass(frozen=True, eq=False)
class Picked:
    """A peg or a bore that was clicked, in the frame of its part: however that is turned later, it is known."""

    part: str
    name: str
    diameter_mm: float
    is_bore: bool
    axis: NDArray[np.float64]
    spot_mm: Spot
    shape: Bored

    def drawn(self, matrix: NDArray[np.float64]) -> Drawn:
        """As it is drawn where the part stands so."""
        along = matrix[:3, :3] @ self.axis
        upright = min(abs(float(along[2])) / float(np.linalg.norm(along)), 1.0)
        return Drawn(self.diameter_mm, self.is_bore, float(np.degrees(np.arccos(upright))))


class Pairing(Tool):
    """Takes a click on a peg and one on a bore, in any order, and measures both as they stand."""

    sees_through = True

    def __init__(self, session: Session, changed) -> None:  # type: ignore[no-untyped-def]
        self._session, self._changed = session, changed
        self.found: list[Picked] = []
        session.document.replaced.connect(self.laid_down)

    @property
    def hint(self) -> str:  # type: ignore[override]
        return ("click a peg or a bore", "click the other of the two", "")[len(self.found)]

    def clicked(self, part: str, spot_mm: Spot) -> None:
        p = self._session.prediction
        solid = None if p is None else p.solids_of(part)
        if solid is None:
            return
        try:
            seen = bore_at(solid.outer, np.asarray(spot_mm, float))
        except BadModel as error:
            self._session.messages.say(error.text)
            return
        back = np.linalg.inv(solid.matrix)
        axis, middle = back[:3, :3] @ seen.axis, back[:3, :3] @ seen.centre_mm + back[:3, 3]
        own = replace(seen, axis=_three(axis / np.linalg.norm(axis)), centre_mm=_three(middle))
        picked = Picked(part, solid.placed.name, seen.diameter_mm, seen.is_hole, axis, solid.own_spot(spot_mm), own)
        kept = [f for f in self.found if f.is_bore is not picked.is_bore] if len(self.found) < 2 else []
        self.found = [*kept, picked]
        self._changed()
        self._session.sight.tool_moved.emit()

    def laid_down(self) -> None:
        self.found = []
        self._changed()

    def standing(self) -> list[tuple[Picked, NDArray[np.float64]]]:
        """What was clicked on parts that are still there, and how these stand now, (4, 4)."""
        p = self._session.prediction
        solids = [None if p is None else p.solids_of(f.part) for f in self.found]
        return [(f, solid.matrix) for f, solid in zip(self.found, solids, strict=True) if solid is not None]

    def paint(self, painter: QPainter, canvas: Canvas) -> None:
        """What was clicked, with its drawn diameter."""
        painter.setFont(typeface(11))
        for picked, matrix in self.standing():
            x, y, z = (float(v) for v in matrix[:3, :3] @ picked.spot_mm + matrix[:3, 3])
            at = canvas.project((x, y, z))
            if at is not None:
                painter.setPen(QPen(QColor(DAY.ink), 1.6))
                painter.setBrush(QColor(DAY.card))
                painter.drawEllipse(at, 3.5, 3.5)
                word = "bore" if picked.is_bore else "peg"
                canvas.slip(painter, QPointF(at.x() + 10, at.y() - 10), f"{word} of {picked.diameter_mm:.2f} mm")


class KitFitsLeaf(Leaf):
    """One button, two clicks, and what it comes to."""

    _step: SplitStep

    def build(self) -> None:
        self._wanted: tuple[Picked, float] | None = None
        self.pairing = Pairing(self._session, self._show)
        self._session.predicting.predicted.connect(self._show)
        hint = "measured as they stand in their present poses"
        self.box.addWidget(tool_button("Pick a peg and its bore", self._session.sight, self.pairing, hint))
        self.box.addWidget(button("Find all pairs", self._find, "", "pegs and bores of all parts, matched by their diameters"))
        self.pairs = QComboBox()
        self.pairs.setAccessibleName("pairs that were found, the tightest first")
        slim(self.pairs)
        self.pairs.setVisible(False)
        self.pairs.activated.connect(lambda _: self._take())
        self.box.addWidget(self.pairs)
        self.text = label("", "")
        self.box.addWidget(self.text)
        self.make = button("", self._make, "", "drilled wider or lined narrower where it does not show; undo takes it back")
        self.make.setVisible(False)
        self.box.addWidget(self.make)
        self.keep = button("Keep tips and holes off", self._keep, "quiet", "marks the faces of this peg and bore as mating")
        self.keep.setVisible(False)
        self.box.addWidget(self.keep)
        self.box.addWidget(
            label(
                "Rough until a comb of clearances was printed: offset the bore where it does not show, never the seen side.",
                "faint",
            )
        )
        self.box.addWidget(button("Add the comb", self._add_comb, "quiet", "ten bores and a peg: print it, and try them"))
        self.fields = {}
        for key, words in CLEARANCES.items():
            field = NumberField(words, "mm", 0.0, 2.0, 0.01, "on each side; what the comb showed")
            field.entered.connect(lambda value, key=key: self._session.document.set_bench(f"house.{key}", value, "by the comb"))
            self.fields[key] = field
            self.box.addWidget(field)

    def show_part(self, part: Part | None) -> None:
        for key, field in self.fields.items():
            field.set_value(getattr(self._session.job.bench.house, key))
        self._show()

    def _add_comb(self) -> None:
        """Put the comb and its peg among the parts, straight on the plate."""
        job, session = self._session.job, self._session
        parts = []
        for name, mesh in (("Clearance comb", comb()), ("Comb peg", comb_peg())):
            source = parse_model(name, ".stl", binary_stl(mesh))
            parts.append(Part(name, source, pose=Pose(gap_mm=0.0)))

        def work(progress: Progress) -> Proposal:
            made = arranged(job, job.with_more(*parts), session.stages)[0]
            return only("split", "add a comb of clearances", READS_AS, made)

        session.proposing.propose("adding the comb", work)

    def _find(self) -> None:
        job, stages = self._session.job, self._session.stages

        def done(pairs: tuple[Pair, ...]) -> None:
            self.pairs.clear()
            for pair in pairs:
                peg, bore = pair.peg, pair.bore
                words = (
                    f"{pair.told.comes_to}: {peg.name} {peg.shape.diameter_mm:.2f} in {bore.name} {bore.shape.diameter_mm:.2f}"
                )
                self.pairs.addItem(words, pair)
            slim(self.pairs)
            self.pairs.setVisible(bool(pairs))
            self._take()
            if not pairs:
                self._session.messages.say("no peg has a bore of its size")

        self._session.tasks.act("looking for pegs and bores", lambda p: pairs_in(job, stages, p), done)

    def _take(self) -> None:
        """Show the pair that is chosen, where it stands too."""
        pair = self.pairs.currentData()
        if pair is not None:
            self.pairing.found = [_picked(pair.peg), _picked(pair.bore)]
            self._session.sight.tool_moved.emit()
        self._show()

    def _show(self) -> None:
        found = [(picked.name, picked.drawn(matrix)) for picked, matrix in self.pairing.standing()]
        self._wanted = None
        self.make.setVisible(False)
        self.keep.setVisible(len(found) == 2)
        if len(found) < 2:
            self.text.setText("" if not found else f"{found[0][0]}: {_drawn_text(found[0][1])}. Now the other.")
            return
        peg, bore = sorted(found, key=lambda f: f[1].is_bore)
        told = fit_told(peg[1], bore[1], self._session.job.bench)
        wanted = clearance_of(self._step.joint, self._session.job.bench.house)
        lines = [f"{peg[0]}: {_drawn_text(peg[1])}", f"{bore[0]}: {_drawn_text(bore[1])}", *told_lines(told)]
        by = told.widen_mm(wanted)
        lines.append(f"To be {self._step.joint}: {'widen' if by > 0 else 'narrow'} the bore by {abs(by):.2f} mm on each side.")
        self.text.setText("\n".join(lines))
        if abs(by) >= WORTH_MM:
            self._wanted = max(self.pairing.found, key=lambda p: p.is_bore), by
            self.make.setText("Widen the bore so" if by > 0 else "Narrow the bore so")
            self.make.setVisible(True)

    def _keep(self) -> None:
        """Mark the faces of both, so that proposals keep away from them."""
        document = self._session.document
        rounds = [RoundOf(p.part, p.name, p.shape) for p in self.pairing.found]
        try:
            document.change("keep tips and holes off a fit", kept_for_fit(document.job, rounds, self._session.stages))
        except BadJob as error:
            self._session.messages.warn(error.text)

    def _make(self) -> None:
        """Make the bore so that its peg fits as the joint is to be."""
        if self._wanted is None:
            return
        (bore, by), document = self._wanted, self._session.document
        old = RoundOf(bore.part, bore.name, bore.shape)
        try:
            made = with_fit(document.job, old, by)
        except BadJob as error:
            self._session.messages.warn(error.text)
            return
        now = bore.diameter_mm + 2 * by
        shape = replace(bore.shape, diameter_mm=now)
        self.pairing.found = [p if p is not bore else replace(bore, diameter_mm=now, shape=shape) for p in self.pairing.found]
        self.pairs.setVisible(False)
        document.change(f"{'widen' if by > 0 else 'narrow'} a bore to {now:.2f} mm", made)
        self._show()


def _picked(found: RoundOf) -> Picked:
    shape = found.shape
    axis, middle = np.asarray(shape.axis), np.asarray(shape.centre_mm)
    return Picked(found.part, found.name, shape.diameter_mm, shape.is_hole, axis, middle, shape)


def _three(v: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def _drawn_text(drawn: Drawn) -> str:
    word = "bore" if drawn.is_bore else "peg"
    lean = "upright" if drawn.tilt_deg < 0.5 else f"leaning {drawn.tilt_deg:.0f}°"
    return f"{word} of {drawn.diameter_mm:.2f} mm, {lean}"


def told_lines(told: FitTold) -> list[str]:
    """What a pair comes out as, and what that comes to."""
    lines: list[str] = []
    for word, one in (("Peg", told.peg), ("Bore", told.bore)):
        text = f"{word} comes out at {one.mean_mm:.2f} mm ({one.least_mm:.2f} to {one.most_mm:.2f})"
        lines.append(text + (f", {one.out_of_round_mm:.2f} out of round." if one.out_of_round_mm >= 0.005 else "."))
    spread = str(told.comes_to) if told.at_least is told.at_most else f"{told.comes_to}; {told.at_least} to {told.at_most}"
    mean, least, most = (f"{mm:+.2f}".replace("-", "−") for mm in (told.mean_mm, told.least_mm, told.most_mm))
    lines.append(f"{mean} mm on each side ({least} to {most}): {spread}.")
    return lines
