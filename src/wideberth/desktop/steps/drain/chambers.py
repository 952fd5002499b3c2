"""The chambers' leaf: voids of the finished part, their ways out, what stays in them in three poses, and what light reaches."""

from __future__ import annotations

from PySide6.QtWidgets import QListWidget

from wideberth.core.drain import Chamber
from wideberth.core.job import Part
from wideberth.core.predict import Drainage, hold_words
from wideberth.core.propose import minutes
from wideberth.desktop.steps.fields import button, label
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import count

LIST_HEIGHT = 132


class ChambersLeaf(Leaf):
    """Shown for the chosen part once it was looked at closer."""

    def build(self) -> None:
        box = self.box
        self.list = QListWidget()
        self.list.setMaximumHeight(LIST_HEIGHT)
        self.list.setAccessibleName("chambers")
        self.list.currentRowChanged.connect(self._tell)
        box.addWidget(self.list)
        self.told = label("")
        box.addWidget(self.told)
        show = self._session.sight.show_wanted.emit
        box.addWidget(button("Show chambers, cut open", lambda: show("chambers")))
        self.poses = {
            name: button("", lambda n=name: show(n), "", "shows the liquid in the part") for name in ("hanging", "side", "best")
        }
        for made in self.poses.values():
            box.addWidget(made)
        self.summary = label("", "faint")
        box.addWidget(self.summary)
        box.addStretch(1)
        self._found: Drainage | None = None

    def show_part(self, part: Part | None) -> None:
        """The part's voids as the present prediction has them."""
        p = self._session.prediction
        ready = p is not None and p.looked_closer and p.job is self._session.job
        self._found = p.drainage_of(self._session.selection.part) if ready and p is not None else None
        chosen = max(0, self.list.currentRow())
        self.list.blockSignals(True)
        self.list.clear()
        for c in self._found.cells.chambers if self._found is not None else ():
            self.list.addItem(f"{c.number + 1} · {c.volume_ml:.1f} mL, {_ways(c)}")
        self.list.setCurrentRow(min(chosen, self.list.count() - 1))
        self.list.blockSignals(False)
        for name, made in self.poses.items():
            made.setVisible(self._found is not None)
            if self._found is not None:
                pool = getattr(self._found, name)
                words = {"hanging": "Hanging", "side": "On its side", "best": "Best pose"}[name]
                made.setText(f"{words}: {pool.stays_ml:.1f} mL stay")
        if self._found is None:
            self.told.setText("This part closes in no void." if ready else "Looked into after the fine prediction.")
            self.summary.setText("")
            return
        self._tell(self.list.currentRow())
        self.summary.setText(self._whole(self._found, part))

    def _whole(self, drained: Drainage, part: Part | None) -> str:
        lines = []
        if part is not None:
            lines.append(
                f"Best pose: {hold_words(drained.best.down, part.pose.rotation)}; it runs out in {minutes(drained.seconds)}."
            )
        if drained.lit is not None:
            lines.append(
                f"Light reaches {1 - drained.lit.dark_share:.0%} of the inner walls as it turns; "
                f"{drained.lit.dark_mm2 / 100:.0f} cm² stay dark."
            )
        lines.append(
            "Solvent must reach every chamber: turn it over and over in both baths. The resin's safety data sheet comes first."
        )
        return "\n".join(lines)

    def _tell(self, row: int) -> None:
        if self._found is None or not 0 <= row < len(self._found.cells.chambers):
            return
        chamber, run = self._found.cells.chambers[row], self._found.runs[row]
        ways = [self._way(w.to, w.hole, w.width_mm) for w in chamber.ways]
        text = f"{chamber.widest_mm:.1f} mm across; " + ("; ".join(ways) if ways else "no way out") + "."
        if chamber.ways:
            how = "pours out" if run.seconds == 0 else f"runs out in {minutes(run.seconds)}"
            how += ", glugging: no air comes in elsewhere" if run.glugs else ""
            how = f"is held by its surface after {minutes(run.seconds)}" if run.held else how
            text += f" In the best pose it {how}; {run.stays_ml:.2f} mL stay."
        self.told.setText(text)

    def _way(self, to: int, hole: int, width: float) -> str:
        where = "out" if to < 0 else f"to chamber {to + 1}"
        return f"hole {hole + 1} leads {where}" if hole >= 0 else f"{width:.1f} mm wide {where}"


def _ways(chamber: Chamber) -> str:
    holes = sum(w.hole >= 0 for w in chamber.ways)
    if chamber.is_shut:
        return "shut"
    if holes == len(chamber.ways):
        return count(holes, "hole")
    narrow = min(w.width_mm for w in chamber.ways if w.hole < 0)
    return f"way of {narrow:.1f} mm" if narrow < 10 else "open"
