"""The bench's controls: the values that are changed most, each with where it came from."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import cast

from PySide6.QtWidgets import QComboBox, QFileDialog

from wideberth.core.bench import HouseRules, load_bench, load_named, motion, names_of, source_of
from wideberth.core.errors import WideBerthError
from wideberth.core.job import Part
from wideberth.desktop.kinds import fill_shelf
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, side_by_side
from wideberth.desktop.steps.step import Leaf, LeavedStep
from wideberth.desktop.style import tip

Row = tuple[str, str, str, float, float, float]
"""Bench key, caption, unit, least, most and step of a field."""
LAYERS: tuple[Row, ...] = (
    ("print.layer_height_mm", "Layer height", "mm", 0.01, 0.3, 0.01), ("print.exposure_s", "Exposure", "s", 0.1, 300, 0.1),
    ("print.first_layers", "First layers", "", 0, 100, 1), ("print.first_exposure_s", "lit for", "s", 0.1, 1000, 1),
    ("print.transition_layers", "Transition", "", 0, 200, 1), ("print.vat_c", "Vat", "°C", -10, 80, 1),
)  # fmt: skip
LIFT: tuple[Row, ...] = (
    ("print.lift_mm", "Slow lift", "mm", 0.1, 50, 0.5), ("print.lift_mm_per_min", "at", "mm/min", 1, 1000, 5),
    ("print.second_lift_mm", "Second lift", "mm", 0, 50, 0.5), ("print.second_lift_mm_per_min", "at", "mm/min", 1, 2000, 10),
    ("print.slow_return_mm", "Slow return", "mm", 0, 50, 0.5), ("print.slow_return_mm_per_min", "at", "mm/min", 1, 2000, 10),
    ("print.return_mm_per_min", "Return", "mm/min", 1, 2000, 10), ("print.wait_before_s", "Wait", "s", 0, 120, 0.5),
    ("print.wait_lifted_s", "Wait lifted", "s", 0, 120, 0.5), ("print.rest_s", "Rest", "s", 0, 600, 0.5),
)  # fmt: skip
FIRST: tuple[Row, ...] = (
    ("print.first_lift_mm", "Slow lift", "mm", 0.1, 50, 0.5), ("print.first_lift_mm_per_min", "at", "mm/min", 1, 1000, 5),
    ("print.first_second_lift_mm", "Second lift", "mm", 0, 50, 0.5),
    ("print.first_second_lift_mm_per_min", "at", "mm/min", 1, 2000, 10),
    ("print.first_slow_return_mm", "Slow return", "mm", 0, 50, 0.5),
    ("print.first_slow_return_mm_per_min", "at", "mm/min", 1, 2000, 10),
    ("print.first_return_mm_per_min", "Return", "mm/min", 1, 2000, 10), ("print.first_wait_before_s", "Wait", "s", 0, 120, 0.5),
    ("print.first_wait_lifted_s", "Wait lifted", "s", 0, 120, 0.5), ("print.first_rest_s", "Rest", "s", 0, 600, 0.5),
)  # fmt: skip
RESIN: tuple[Row, ...] = (
    ("resin.viscosity_pa_s", "Viscosity", "Pa·s", 0.001, 50, 0.05), ("resin.price_per_litre", "Price per litre", "", 0, 10000, 1),
)  # fmt: skip
UNSET = {"print.rest_s": "none", "resin.price_per_litre": "not known"} | {row[0]: "as others" for row in FIRST}
"""What stands where a value is left out."""
THIN_UP_TO_PA_S = 0.15
USUAL_PA_S = {"thin": 0.1, "medium": 0.25, "viscous": 0.8}
"""A figure for each word, at the resin's reference temperature; thin ends here, and viscous begins where the house says."""
OWN_WORD = "a preset…"
OWN_WARMTH = ("print.vat_c", "print.drift_to_c", "print.drift_h", "print.resin_depth_mm")
"""What a preset leaves as it is."""


class Values(Leaf):
    """Fields of one leaf, two in a row, and what is said of them."""

    rows: tuple[Row, ...] = ()

    def build(self) -> None:
        self.fields: dict[str, NumberField] = {}
        document = self._session.document
        for key, text, unit, low, high, step in self.rows:
            field = NumberField(text, unit, low, high, step, unset=UNSET.get(key, ""))
            field.entered.connect(lambda value, k=key: document.set_bench(k, value))
            field.cleared.connect(lambda k=key: document.set_bench(k, None))
            self.fields[key] = field
        self.before()
        order = list(self.fields.values())
        for a, b in zip(order[::2], order[1::2], strict=True):
            self.box.addWidget(side_by_side(a, b))
        self.said = label("", "faint")
        self.box.addWidget(self.said)
        self.box.addStretch(1)

    def before(self) -> None:
        """What stands before the fields."""

    def show_part(self, part: Part | None) -> None:
        for b in self._session.job.bench.values():
            if b.key in self.fields:
                field = self.fields[b.key]
                if b.value is not None:
                    field.set_value(float(b.value))  # type: ignore[arg-type]
                else:
                    field.unset()
                field.edit.setToolTip(tip(f"{b.key}: from {b.source}"))
        self.said.setText(self.words())
        self.said.setVisible(bool(self.said.text()))

    def words(self) -> str:
        """What is said under the fields."""
        return ""


class LayersLeaf(Values):
    """A preset to begin with; layers, their light and warmth."""

    rows = LAYERS

    def before(self) -> None:
        self.presets = QComboBox()
        self.presets.setAccessibleName("presets of layers and motion")
        self.presets.activated.connect(lambda _: self._take(str(self.presets.currentData() or "")))
        self.box.addWidget(captioned("Layers and motion", self.presets))

    def show_part(self, part: Part | None) -> None:
        super().show_part(part)
        if self.presets.count() != len(names_of("print")) + 1:
            fill_shelf(self.presets, "print", OWN_WORD)
        bench = self._session.job.bench
        where = dict(bench.sources)
        usual = ("default", where.get("print", "default"))
        changed = any(k.startswith("print.") and k not in OWN_WARMTH and w not in usual for k, w in bench.sources)
        self.presets.setItemText(0, f"{bench.print.name}, changed" if changed else OWN_WORD)
        self.presets.setCurrentIndex(0 if changed else max(0, self.presets.findText(bench.print.name)))

    def _take(self, name: str) -> None:
        """Put a preset on the bench; how warm the vat is, and gets, stays as it is."""
        if not name:
            return
        try:
            preset = load_named("print", name)
        except WideBerthError as error:
            self._session.messages.warn(error.text)
            return
        now = self._session.job.bench.print
        kept = replace(preset, vat_c=now.vat_c, drift_to_c=now.drift_to_c, drift_h=now.drift_h, resin_depth_mm=now.resin_depth_mm)
        self._session.document.use_section("print", kept, source_of("print", name))


class LiftLeaf(Values):
    """Lift, return and waits of all but the first layers."""

    rows = LIFT

    def words(self) -> str:
        moved = motion(self._session.job.bench)
        return (
            f"{moved.seconds:.1f} s from light to light: {moved.moving_s:.1f} s move, {moved.wait_before_s:.1f} s settle. A rest "
            "counts from light-off, motion included, and takes the wait's place."
        )


class FirstLeaf(Values):
    """Lift, return and waits of the first layers."""

    rows = FIRST

    def words(self) -> str:
        moved = motion(self._session.job.bench, first=True)
        return f"{moved.seconds:.1f} s from light to light. What is empty is as the other layers have it."


class ResinLeaf(Values):
    """How thick the resin is, in a word and in a figure, and its price."""

    rows = RESIN

    def before(self) -> None:
        self.names = label("")
        self.box.addWidget(self.names)
        self.thickness = QComboBox()
        self.thickness.setAccessibleName("how thick the resin is")
        for word, figure in USUAL_PA_S.items():
            self.thickness.addItem(f"{word} · {figure:g} Pa·s", word)
        self.thickness.activated.connect(self._thicken)
        self.box.addWidget(captioned("The resin is", self.thickness))

    def show_part(self, part: Part | None) -> None:
        super().show_part(part)
        bench = self._session.job.bench
        self.names.setText(f"{bench.printer.name}\n{bench.resin.name}\n{bench.film.name}")
        now = thickness_word(bench.resin.viscosity_pa_s, bench.house)
        for row, (word, figure) in enumerate(USUAL_PA_S.items()):
            shown = bench.resin.viscosity_pa_s if word == now else figure
            self.thickness.setItemText(row, f"{word} · {shown:.3g} Pa·s")
        self.thickness.setCurrentIndex(list(USUAL_PA_S).index(now))

    def _thicken(self, row: int) -> None:
        bench = self._session.job.bench
        word = list(USUAL_PA_S)[row]
        if word != thickness_word(bench.resin.viscosity_pa_s, bench.house):
            self._session.document.set_bench("resin.viscosity_pa_s", USUAL_PA_S[word], f"{word}, by eye")

    def words(self) -> str:
        return f"Stated at {self._session.job.bench.resin.reference_c:g} °C; it is thicker in a colder vat."


def thickness_word(viscosity_pa_s: float, house: HouseRules) -> str:
    """thin, medium or viscous."""
    return "thin" if viscosity_pa_s < THIN_UP_TO_PA_S else "medium" if viscosity_pa_s < house.viscous_from_pa_s else "viscous"


class BenchStep(LeavedStep):
    """Printer, resin and film in use, and the values changed most."""

    name = "bench"
    why = "what every prediction rests on"

    def build(self) -> None:
        leaves = {"Layers": LayersLeaf(self), "Lift": LiftLeaf(self), "First layers": FirstLeaf(self), "Resin": ResinLeaf(self)}
        self.add_leaves(cast(dict[str, Leaf], leaves))
        self.fields = {key: field for leaf in leaves.values() for key, field in leaf.fields.items()}
        self.add_page("Bench page", "show all of the bench in place of the chart and the log")
        self.box.addWidget(button("Use a bench file…", self._choose, "quiet", "a TOML file; see docs/formats.md"))
        self.box.addWidget(button("Back to the standard bench", self._standard, "quiet"))

    def show_job(self, part: Part | None) -> None:
        super().show_job(part)
        changed = sum(b.source not in ("default",) for b in self.job.bench.values())
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
