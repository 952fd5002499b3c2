"""Handing over: plate, layers, sheets and report, with the cautions."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog

from wideberth.core.errors import WideBerthError
from wideberth.core.handover import (
    GREY_LEVELS,
    FirstEdges,
    convert,
    converters,
    drawn_in_mm,
    write_html,
    write_layers,
    write_pdf,
    write_plate,
    write_report,
)
from wideberth.core.job import Part
from wideberth.core.predict import Prediction
from wideberth.core.progress import Progress
from wideberth.desktop.steps.fields import button, label, side_by_side, slim
from wideberth.desktop.steps.step import Step

FIRST = {
    FirstEdges.AS_DRAWN: "first layers as drawn",
    FirstEdges.DRAWN_IN: "first layers drawn in",
    FirstEdges.CHAMFER: "drawn in, with a chamfer",
}


class HandoverStep(Step):
    """Write what the printer and the people need."""

    name = "handover"
    why = "written, read back and compared"

    def build(self) -> None:
        self.edges = QComboBox()
        self.edges.setAccessibleName("edges of the layer images")
        self.edges.addItem("hard edges", 0)
        for levels in GREY_LEVELS:
            self.edges.addItem(f"grey edges, {levels} levels", levels)
        slim(self.edges)
        self.box.addWidget(self.edges)
        self.first = QComboBox()
        self.first.setAccessibleName("edges of the first layers")
        for edges, words in FIRST.items():
            self.first.addItem(words, edges)
        slim(self.first)
        self.box.addWidget(self.first)
        self.first_said = label("", "faint")
        self.box.addWidget(self.first_said)
        self.first.currentIndexChanged.connect(lambda _: self._tell_first())
        self.bridge = QComboBox()
        self.bridge.setAccessibleName("what is made of the layers")
        slim(self.bridge)
        self.box.addWidget(self.bridge)
        self.bridge_said = label("", "faint")
        self.box.addWidget(self.bridge_said)
        self.box.addWidget(button("Layers for the printer…", lambda: self._ask("layers.zip", "Layers (*.zip)"), "main"))
        plate = button("Plate, 3MF…", lambda: self._ask("plate.3mf", "3MF (*.3mf)"))
        stl = button("Plate, STL…", lambda: self._ask("plate.stl", "STL (*.stl)"))
        self.box.addWidget(side_by_side(plate, stl))
        self.apart = QCheckBox("STL: supports apart")
        self.apart.setToolTip("in a file of their own")
        self.box.addWidget(self.apart)
        html = button("Sheet, HTML…", lambda: self._ask("sheet.html", "HTML (*.html)"))
        pdf = button("Sheet, PDF…", lambda: self._ask("sheet.pdf", "PDF (*.pdf)"))
        self.box.addWidget(side_by_side(html, pdf))
        self.box.addWidget(button("Report, JSON…", lambda: self._ask("report.json", "JSON (*.json)")))

    def show_job(self, part: Part | None) -> None:
        self.setEnabled(part is not None)
        self._show_bridges()
        self._tell_first()

    @property
    def _first_edges(self) -> FirstEdges:
        return FirstEdges(self.first.currentData())  # Qt gives back the bare text

    def _tell_first(self) -> None:
        """By how much the first layers are drawn in."""
        bench, edges = self.session.job.bench, self._first_edges
        by = drawn_in_mm(bench, bench.print.first_layers + 1, bench.print.layer_height_mm, edges)[0]
        told = f"By {by:.2f} mm at the plate; bases and supports stay as they are, and so does what was predicted."
        p = self.session.prediction
        if p is not None and all(float(low[2]) >= bench.print.layer_height_mm for _, low, _ in p.boxes):
            told = "No part stands on the plate: nothing is changed."
        self.first_said.setText(told if edges is not FirstEdges.AS_DRAWN else "")
        self.first_said.setVisible(bool(self.first_said.text()))

    def _show_bridges(self) -> None:
        """The user's converters; without one the package has to do."""
        try:
            known, said = converters(), ""
        except WideBerthError as error:
            known, said = (), error.text
        if [self.bridge.itemData(n) for n in range(1, self.bridge.count())] != list(known) or not self.bridge.count():
            self.bridge.clear()
            self.bridge.addItem("the layer package as it is", None)
            for one in known:
                self.bridge.addItem(f"and by {one.name}", one)
        self.bridge.setVisible(bool(known))
        self.bridge_said.setText(said or ("" if known else "No converter is set up: the printer must read this package."))
        self.bridge_said.setVisible(bool(self.bridge_said.text()))

    def _ask(self, name: str, kinds: str) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "Hand over", name, kinds)
        if chosen:
            self.write(Path(chosen))

    def write(self, path: Path) -> None:
        """Write the file that the ending of `path` asks for, from the fine prediction of the present job."""
        stages, levels, first = self.session.stages, int(self.edges.currentData()), self._first_edges
        apart = self.apart.isChecked()
        prediction = self.session.prediction if self.session.is_current else None
        if prediction is None:
            self.session.messages.say("the prediction is not ready yet; hand over when it is")
            return
        bridge = self.bridge.currentData()

        def layers(p: Prediction, g: Progress) -> object:
            write_layers(p, path, levels, g.part(0.0, 0.9 if bridge else 1.0), None, first)
            if bridge is None:
                return None
            target = path.with_suffix(bridge.ending)
            said = convert(bridge, path, target, g.part(0.9, 1.0))
            return [f"{target.name} made by {bridge.name}" + (f": {said}" if said else "")]

        writers: dict[str, Callable[[Prediction, Progress], object]] = {
            ".zip": layers,
            ".3mf": lambda p, g: write_plate(p, path, stages, g),
            ".stl": lambda p, g: write_plate(p, path, stages, g, apart),
            ".html": lambda p, g: write_html(p, path),
            ".pdf": lambda p, g: write_pdf(p, path),
            ".json": lambda p, g: write_report(p, path),
        }
        write = writers.get(path.suffix.lower())
        if write is None:
            self.session.messages.warn(f"{path.name}: `{path.suffix}` is no format we write.")
            return

        def done(notes: object) -> None:
            more = "; ".join(notes) if isinstance(notes, list) else ""
            self.session.messages.say(f"written {path.name}" + (f"; {more}" if more else ""))

        self.session.tasks.act(f"writing {path.name}", lambda g: write(prediction, g), done)
