"""The health leaf: what is wrong with a mesh in plain words, where, and what mends it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from wideberth.core.job import Part, advised_mends, with_mend, without_mends
from wideberth.core.model import Flaw, Mend, stand_in, wall_seen_from
from wideberth.core.progress import Progress
from wideberth.desktop.session import Coloured
from wideberth.desktop.steps.fields import NumberField, button, emptied, label, side_by_side
from wideberth.desktop.steps.model.examiner import Examiner
from wideberth.desktop.steps.step import Leaf, LeavedStep
from wideberth.desktop.style import DAY, PlainLabel, draw_severity

COLOURED_TRIANGLES = 60_000
WALL_TOP_MM = 4.0
SIGN_OF = {"broken": "lost", "serious": "doubtful", "note": "note"}
MEND_WORDS = {
    "weld": "join corners", "tidy": "drop doubled faces", "orient": "turn faces", "debris": "drop debris", "fill": "fill holes",
    "rebuild": "rebuild as a solid",
}  # fmt: skip


class _Sign(QWidget):
    def __init__(self, severity: str) -> None:
        super().__init__()
        self._severity = SIGN_OF[severity]
        self.setFixedSize(QSize(16, 18))

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_severity(painter, self._severity, QPointF(7, 9), 5.0, DAY)


class FlawLine(QWidget):
    """One flaw; a click or Enter shows its places in the 3D view."""

    def __init__(self, flaw: Flaw, show) -> None:  # type: ignore[no-untyped-def]
        super().__init__()
        self._flaw, self._show = flaw, show
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(flaw.message)
        self.setToolTip("show where")
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 1, 0, 1)
        box.setSpacing(5)
        box.addWidget(_Sign(flaw.severity), 0, Qt.AlignmentFlag.AlignTop)
        text = PlainLabel(flaw.message)
        text.setWordWrap(True)
        text.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        box.addWidget(text, 1)

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self._show(self._flaw)

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._show(self._flaw)
        else:
            super().keyPressEvent(event)


class HealthLeaf(Leaf):
    """Flaws, repairs and what they changed, and the colours of the walls."""

    def __init__(self, step: LeavedStep, examiner: Examiner) -> None:
        self._examiner = examiner
        super().__init__(step)

    def build(self) -> None:
        box = self.box
        self.state = label("", "head")
        box.addWidget(self.state)
        self._flaws = QVBoxLayout()
        self._flaws.setSpacing(3)
        box.addLayout(self._flaws)
        self.mend = button("Mend it", self._mend, "main")
        box.addWidget(self.mend)
        self.advice = label("", "reason")
        box.addWidget(self.advice)
        self.done = label("", "faint")
        box.addWidget(self.done)
        self.pitch = NumberField("Spacing of a rebuild", "mm", 0, 5, 0.05, "0 for one that fits; walls finer than it get lost")
        self.pitch.set_value(0.0)
        self.rebuild = button("Rebuild", self._rebuild, "quiet", "one closed surface round all that is inside, by rays")
        self.undo = button("As it came", self._as_it_came, "quiet", "take all repairs back")
        box.addWidget(self.pitch)
        box.addWidget(side_by_side(self.rebuild, self.undo))
        self.walls = QPushButton("Colour the walls")
        self.walls.setCheckable(True)
        self.walls.toggled.connect(self._colour)
        box.addWidget(self.walls)
        box.addStretch(1)
        self._examiner.examined.connect(lambda: self.show_part(self._step.part))
        self._session.sight.coloured.connect(self._mirror_walls)
        self._session.tasks.free.connect(self._colour_again)

    def _mirror_walls(self) -> None:
        if self._session.sight.colours is None and self.walls.isChecked():
            self.walls.setChecked(False)

    def _colour_again(self) -> None:
        """Colours that gave way to what was asked for come after it."""
        if self.walls.isChecked() and self._session.sight.colours is None:
            self._colour(True)

    def _colour(self, wanted: bool) -> None:
        """Colour the chosen part by its walls, measured off the interface thread."""
        p, id, stages, sight = (self._session.prediction, self._session.selection.part, self._session.stages, self._session.sight)
        solid = None if p is None else p.solids_of(id)
        if not wanted or solid is None:
            sight.colour(None)
            return
        outer = solid.outer

        def work(progress: Progress) -> Coloured:
            light = stand_in(outer, COLOURED_TRIANGLES, progress)
            return Coloured(id, light, wall_seen_from(light, stages.closest(outer)), WALL_TOP_MM, "wall thickness, mm")

        def done(coloured: Coloured) -> None:
            if self.walls.isChecked():
                sight.colour(coloured)

        self._session.tasks.beside(work, done)

    def show_part(self, part: Part | None) -> None:
        """Show what is known of a part."""
        emptied(self._flaws)
        seen = self._examiner.present
        for widget in (self.mend, self.advice, self.done, self.undo):
            widget.setVisible(False)
        if part is None:
            return
        self.undo.setVisible(bool(part.mends))
        if seen is None:
            self.state.setText("looking it over…")
            return
        bad = sum(f.severity != "note" for f in seen.flaws)
        solid = "A closed solid" if seen.health.solid else "No closed solid"
        self.state.setText(f"{solid}, {'nothing wrong' if not bad else f'{bad} to mend or mind'}.")
        for flaw in seen.flaws:
            self._flaws.addWidget(FlawLine(flaw, self._examiner.show_flaw))
        mends = advised_mends(seen.health)
        if mends:
            self._offer(", ".join(MEND_WORDS[m.kind] for m in mends))
        elif not seen.health.solid:
            self._offer(MEND_WORDS["rebuild"])
        if seen.mended:
            self.done.setText("\n".join(m.text for m in seen.mended))
            self.done.setVisible(True)

    def _offer(self, what: str) -> None:
        """Offer repairs by name."""
        self.advice.setText(what)
        for widget in (self.mend, self.advice):
            widget.setVisible(True)

    def _mend(self) -> None:
        seen, part = self._examiner.present, self._step.part
        if seen is None or part is None:
            return
        mends = advised_mends(seen.health) or (Mend("rebuild", self.pitch.value),)
        self._carry_out("mend " + part.name, mends)

    def _rebuild(self) -> None:
        if self._step.part is not None:
            self._carry_out(f"rebuild {self._step.part.name}", (Mend("rebuild", self.pitch.value),))

    def _carry_out(self, name: str, mends: tuple[Mend, ...]) -> None:
        """Repair off the interface thread; the recipe changes only when it is done."""
        part, stages = self._step.part, self._session.stages
        assert part is not None
        for mend in mends:
            part = with_mend(part, mend)
        better = part

        def done(_: object) -> None:
            self._session.document.change(name, self._step.job.with_part(better))

        self._session.tasks.act(name, lambda p: stages.mended(better, p), done)

    def _as_it_came(self) -> None:
        if self._step.part is not None:
            self._session.document.change(
                f"{self._step.part.name} as it came", without_mends(self._step.job, self._session.selection.part)
            )
