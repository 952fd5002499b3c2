"""The plugs' leaf: what closes the holes later."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from wideberth.core.job import Part
from wideberth.core.propose import export_plugs, propose_places, with_plugs
from wideberth.desktop.steps.fields import NumberField, button, label
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import count

ADVICE = (
    "A plug is as long as the wall and its outer end is the part's own surface. An oval one cannot turn; a tapered one wedges. "
    "Glue it before the last cure: half-cured resin inside can crack the part later."
)


class PlugsLeaf(Leaf):
    """One plug a hole, following the surface that was drilled away."""

    def build(self) -> None:
        box = self.box
        self.clearance = NumberField("Clearance on each side", "mm", 0, 2, 0.02)
        self.clearance.entered.connect(lambda v: self._session.document.set_bench("house.plug_clearance_mm", v))
        box.addWidget(self.clearance)
        self.told = label("")
        box.addWidget(self.told)
        self.print_them = button("Print them on this plate", self._print, "main", "as parts beside the others, arranged anew")
        self.export = button("Export as STL…", self._export)
        box.addWidget(self.print_them)
        box.addWidget(self.export)
        box.addWidget(label(ADVICE, "faint"))
        box.addStretch(1)

    def show_part(self, part: Part | None) -> None:
        """How many plugs there would be."""
        self.clearance.set_value(self._session.job.bench.house.plug_clearance_mm)
        holes = len(part.holes) if part is not None else 0
        self.told.setText(f"{count(holes, 'hole')}, so {count(holes, 'plug')}." if holes else "No hole, so no plug.")
        self.print_them.setEnabled(holes > 0)
        self.export.setEnabled(holes > 0)

    def _print(self) -> None:
        session, job, id = self._session, self._session.job, self._session.selection.part

        def done(result: object) -> None:
            together, notes = result  # type: ignore[misc]
            session.document.change("add plugs", together)
            session.messages.say("; ".join(notes) or "plugs stand beside the parts; give them tips or a base")

        def make(_: object) -> object:
            together, notes = with_plugs(job, id, session.stages)
            return propose_places(together, session.stages).job, notes

        session.tasks.act("making plugs", make, done)

    def _export(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Folder for the plugs")
        if folder:
            self.export_to(Path(folder))

    def export_to(self, folder: Path) -> None:
        """Write the plugs of the chosen part into a folder."""
        session, job, id = self._session, self._session.job, self._session.selection.part

        def done(result: object) -> None:
            paths, notes = result  # type: ignore[misc]
            session.messages.say("; ".join([f"wrote {', '.join(p.name for p in paths)}", *notes]))

        session.tasks.act("writing plugs", lambda _: export_plugs(job, id, session.stages, folder), done)
