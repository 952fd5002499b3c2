"""The leaf of taking off: in which order tips come off the part, what to snip, and where snips have no way in."""

from __future__ import annotations

from wideberth.core.job import Part
from wideberth.core.verdict import taking_off_lines
from wideberth.desktop.steps.fields import button, label
from wideberth.desktop.steps.step import Leaf, LeavedStep
from wideberth.desktop.steps.support.editor import TipEditor


class OffLeaf(Leaf):
    """The order of removal, walked tip by tip in the 3D view."""

    def __init__(self, step: LeavedStep, editor: TipEditor) -> None:
        self._editor, self._next = editor, 0
        super().__init__(step)

    def build(self) -> None:
        self.lines = label("")
        self.box.addWidget(self.lines)
        self.box.addWidget(button("Next to come off", self.next_off, "", "chooses the tips one by one, in this order"))
        self.told = label("", "faint")
        self.box.addWidget(self.told)

    def show_part(self, part: Part | None) -> None:
        p = self._session.prediction
        if p is None or not p.verdict.snaps:
            self.lines.setText("Nothing hangs on tips.")
            return
        self.lines.setText("\n".join(taking_off_lines(p.verdict.snaps, p.job.bench)))

    def next_off(self) -> None:
        """Choose the next tip to take off, and go to its height."""
        session, p = self._session, self._session.prediction
        if p is None or not p.verdict.snaps:
            return
        snap = p.verdict.snaps[self._next % len(p.verdict.snaps)]
        self._next = (self._next + 1) % len(p.verdict.snaps)
        tip = p.verdict.tips[snap.tip]
        part = p.placed[tip.part].part.id
        session.selection.choose_part(part)
        session.sight.take_up(self._editor)
        self._editor.choose(part, (tip.contact,))
        session.cursor.move_to(tip.z_mm)
        self.told.setText(
            f"Tip {snap.tip + 1} snaps at {snap.breaks_n:.1f} N; the thinnest section beside it, {snap.neck_mm2:.1f} mm², "
            f"breaks at {snap.neck_n:.0f} N. Snips reach it from {snap.sides} of 16 sides."
        )
