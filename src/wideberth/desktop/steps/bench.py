"""The bench's controls: the values that are changed most, each with where it came from."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from wideberth.core.bench import load_bench
from wideberth.core.errors import WideBerthError
from wideberth.core.job import Part
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Step
from wideberth.desktop.style import tip

FIELDS = (
    ("print.vat_c", "Vat", "°C", -10, 80, 1), ("print.layer_height_mm", "Layer height", "mm", 0.01, 0.3, 0.01),
    ("print.exposure_s", "Exposure", "s", 0.1, 300, 0.1), ("print.first_exposure_s", "First layers", "s", 0.1, 1000, 1),
    ("print.lift_mm_per_min", "Slow lift", "mm/min", 1, 1000, 5), ("print.wait_before_s", "Wait", "s", 0, 120, 0.5),
    ("resin.viscosity_pa_s", "Viscosity", "Pa·s", 0.001, 50, 0.05), ("resin.price_per_litre", "Price per litre", "", 0, 10000, 1),
)  # fmt: skip


class BenchStep(Step):
    """Printer, resin and film in use, and the values changed most."""

    name = "bench"
    why = "what every prediction rests on"

    def build(self) -> None:
        self.names = label("")
        self.box.addWidget(self.names)
        self.fields: dict[str, NumberField] = {}
        for key, text, unit, low, high, step in FIELDS:
            field = NumberField(text, unit, low, high, step)
            field.entered.connect(lambda value, k=key: self.session.document.set_bench(k, value))
            self.fields[key] = field
        order = list(self.fields.values())
        for a, b in zip(order[::2], order[1::2], strict=True):
            self.box.addWidget(side_by_side(a, b))
        self.add_page("Bench page", "show all of the bench in place of the chart and the log")
        self.box.addWidget(button("Use a bench file…", self._choose, "quiet", "a TOML file; see docs/formats.md"))
        self.box.addWidget(button("Back to the standard bench", self._standard, "quiet"))

    def show_job(self, part: Part | None) -> None:
        bench = self.job.bench
        self.names.setText(f"{bench.printer.name}\n{bench.resin.name}\n{bench.film.name}")
        changed = 0
        for b in bench.values():
            if b.key in self.fields:
                field = self.fields[b.key]
                if b.value is not None:
                    field.set_value(float(b.value))  # type: ignore[arg-type]
                else:
                    field.edit.setText("not known")
                field.edit.setToolTip(tip(f"{b.key}: from {b.source}"))
            changed += b.source not in ("default",)
        self.reason.setText(
            f"{changed} value{'s differ' if changed != 1 else ' differs'} from the standard bench."
            if changed
            else "All values are defaults."
        )

    def _choose(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Bench file", "", "Bench (*.toml)")
        if chosen:
            self.use(Path(chosen))

    def _standard(self) -> None:
        self.use(None)

    def use(self, path: Path | None) -> None:
        """Take a bench file, or the standard bench."""
        try:
            bench = load_bench(path)
        except WideBerthError as error:
            self.session.messages.warn(error.text)
            return
        self.session.document.change("change the bench", replace(self.job, bench=bench))
