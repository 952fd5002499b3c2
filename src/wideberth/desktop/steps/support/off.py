"""The leaf of taking off: in which order tips come off the part, what to snip, and where snips have no way in."""

from __future__ import annotations

from wideberth.core.job import Part
from wideberth.core.loads import WAYS, Snap
from wideberth.core.verdict import taking_off_lines
from wideberth.desktop.steps.fields import button, label
from wideberth.desktop.steps.step import Leaf, LeavedStep
from wideberth.desktop.steps.support.editor import LOOK, TipEditor

WORTH_A_WORD = 0.1


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
        mine = self._mine()
        if p is None or not mine:
            self.lines.setText("Nothing of this part hangs on tips.")
            self.told.setText("")
            return
        self.lines.setText("\n\n".join(taking_off_lines(mine, p.job.bench)))

    def _mine(self) -> tuple[Snap, ...]:
        """Tips of the chosen part's first print, in their order."""
        p = self._session.prediction
        solids = None if p is None else p.solids_of(self._session.selection.part)
        if p is None or solids is None:
            return ()
        return tuple(s for s in p.verdict.snaps if p.verdict.tips[s.tip].part == solids.number)

    def next_off(self) -> None:
        """Choose the next tip to take off, and go to its height."""
        session, p, mine = self._session, self._session.prediction, self._mine()
        if p is None or not mine:
            return
        snap = mine[self._next % len(mine)]
        self._next = (self._next + 1) % len(mine)
        tip = p.verdict.tips[snap.tip]
        session.sight.take_up(self._editor)
        self._editor.mode = LOOK
        self._editor.choose(session.selection.part, (tip.contact,))
        session.cursor.move_to(tip.z_mm)
        beside = "Nothing thin is beside it"
        if snap.risk >= WORTH_A_WORD:
            beside = f"The thinnest section beside it, {snap.neck_mm2:.1f} mm², breaks at {snap.neck_n:.0f} N"
        self.told.setText(f"Tip {snap.tip + 1} snaps at {snap.breaks_n:.1f} N. {beside}. {_reach(snap)}")


def _reach(snap: Snap) -> str:
    if snap.sides == 0:
        return "Snips have no level way in."
    return "Snips reach it from all sides." if snap.sides == WAYS else f"Snips reach it from {snap.sides} of {WAYS} sides."
