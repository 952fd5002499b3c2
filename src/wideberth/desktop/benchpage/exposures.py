"""The exposure test leaf: pairs in, working curve out, and what the present exposure means."""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush, QColor
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QHeaderView, QLineEdit, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from wideberth.core.bench import (
    CuredPair,
    ExposureTest,
    WorkingCurve,
    exposure_advice,
    fit_working_curve,
    fitted_bench,
    load_named,
    save_own,
    slug,
    tested_bench,
)
from wideberth.core.errors import WideBerthError
from wideberth.core.job import Part
from wideberth.core.model import KNOWN_WIDTH_MM, READS_AS, binary_stl, calibration_plate, parse_model
from wideberth.desktop.figures import Plot
from wideberth.desktop.kinds import fill_shelf
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import NumberField, button, evaluated, label, side_by_side
from wideberth.desktop.style import DAY

ROWS = 12
HEADS = ("light, s", "cured, mm", "off, mm", "use")


class Exposures(QWidget):
    """A test being logged. `test` is what the fields say."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._filling = False
        self.curve: WorkingCurve | None = None
        bench = session.job.bench
        self.test = ExposureTest(
            "Exposure test",
            bench.resin.name,
            bench.printer.name,
            bench.printer.irradiance_mw_per_cm2,
            bench.print.vat_c,
            known_width_mm=KNOWN_WIDTH_MM,
            plate_exposure_s=bench.print.exposure_s,
            film=bench.film.name,
        )
        self.which = QComboBox()
        self.which.setAccessibleName("logged tests")
        self.which.activated.connect(lambda _: self.open(self.which.currentData()))
        self.name = QLineEdit(self.test.name)
        self.name.setAccessibleName("name of the test")
        self.name.setMaxLength(80)
        self.table = QTableWidget(ROWS, len(HEADS))
        self.table.setAccessibleName("exposure and cured thickness")
        self.table.setHorizontalHeaderLabels(list(HEADS))
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(22)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.itemChanged.connect(self._edited)
        self.vat = NumberField("Vat", "°C", -10, 80, 1)
        self.lit = NumberField("Plate lit", "s", 0.1, 300, 0.1, "light on the layers of the test plate")
        self.power = NumberField("Light", "mW/cm²", 0.01, 200, 0.1)
        self.slot = NumberField("Narrowest slot", "mm", 0, 20, 0.05, "that stayed open; 0 when not measured")
        self.pin = NumberField("Thinnest pin", "mm", 0, 20, 0.05, "that stands whole; 0 when not measured")
        self.wall = NumberField("Thinnest wall", "mm", 0, 20, 0.05, "that stands whole; 0 when not measured")
        self.width = NumberField("10 mm came out", "mm", 0, 200, 0.01, "the square of the test plate; 0 when not measured")
        entries = (
            (self.vat, "vat_c"),
            (self.power, "irradiance_mw_per_cm2"),
            (self.lit, "plate_exposure_s"),
            (self.slot, "smallest_slot_mm"),
            (self.pin, "smallest_pin_mm"),
            (self.wall, "smallest_wall_mm"),
            (self.width, "measured_width_mm"),
        )
        for field, key in entries:
            field.entered.connect(lambda value, k=key: self.note(**{k: value or None}))
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(self.which)
        left.addWidget(self.name)
        left.addWidget(self.table, 1)
        left.addWidget(side_by_side(self.vat, self.power, self.lit))
        left.addWidget(side_by_side(self.slot, self.pin))
        left.addWidget(side_by_side(self.wall, self.width))
        plate = button("Test plate", self.add_plate, "quiet", "put it on the plate: " + READS_AS)
        left.addWidget(side_by_side(button("Keep the test", self.keep, "quiet"), plate))
        holder = QWidget()
        holder.setLayout(left)
        holder.setFixedWidth(316)
        left.setContentsMargins(0, 0, 0, 0)
        self.plot = Plot("exposure, mJ/cm² (logarithmic)", "cured, mm", 280)
        self.fitted = label("")
        self.meaning = label("", "head")
        self.take = button("Take Dp and Ec to the bench", self.take_over, "main", "marked as fitted from this test")
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.plot, 1)
        right.addWidget(self.fitted)
        right.addWidget(self.meaning)
        right.addWidget(self.take, 0, Qt.AlignmentFlag.AlignLeft)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(16)
        box.addWidget(holder)
        box.addLayout(right, 1)
        session.document.changed.connect(self._follow)

    def _follow(self) -> None:
        """The layer height, the resin or the temperature may have changed; what is not seen is drawn when it is."""
        if self.isVisible():
            self._draw()

    # the test

    def showEvent(self, _event: object) -> None:
        self._list()  # a test may have been imported since
        self._fill()

    def _list(self) -> None:
        fill_shelf(self.which, "exposure", "a new test")

    def open(self, name: str) -> None:
        """Take a logged test."""
        try:
            self.test = load_named("exposure", name) if name else replace(self.test, pairs=(), name="Exposure test")
        except WideBerthError as error:
            self._session.messages.warn(error.text)
            return
        self.name.setText(self.test.name)
        self._fill()

    def enter(self, pairs: list[tuple[float, float]]) -> None:
        """Replace the pairs."""
        self.note(pairs=tuple(CuredPair(s, t) for s, t in pairs))

    def note(self, **changed: object) -> None:
        """Change entries of the test."""
        try:
            self.test = replace(self.test, **changed)  # type: ignore[arg-type]
        except ValueError as error:
            self._session.messages.say(str(error).splitlines()[-1].strip())
        self._fill()

    def _fill(self) -> None:
        self.curve = None
        try:
            self.curve = fit_working_curve(self.test)
            self._why = ""
        except WideBerthError as error:
            self._why = f"{error.what} {error.remedy}"
        self._filling = True
        self.table.setRowCount(max(ROWS, len(self.test.pairs) + 3))
        for row in range(self.table.rowCount()):
            pair = self.test.pairs[row] if row < len(self.test.pairs) else None
            off = f"{self.curve.off_mm[row]:+.3f}" if pair is not None and self.curve is not None else ""
            outlier = pair is not None and self.curve is not None and bool(self.curve.outliers[row])
            cells = (
                (f"{pair.seconds:g}", f"{pair.thickness_mm:g}", off + (" ◇" if outlier else ""), "") if pair else ("", "", "", "")
            )
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                if column == 2:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                    item.setForeground(QBrush(QColor(DAY.hazard if outlier else DAY.faint)))
                    item.setToolTip("further off the line through the others than chance explains" if outlier else "off the line")
                if column == 3:
                    item.setFlags(
                        Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable if pair else Qt.ItemFlag.NoItemFlags
                    )
                    if pair:
                        item.setCheckState(Qt.CheckState.Checked if pair.used else Qt.CheckState.Unchecked)
                self.table.setItem(row, column, item)
        self._filling = False
        self.vat.set_value(self.test.vat_c)
        self.power.set_value(self.test.irradiance_mw_per_cm2)
        self.lit.set_value(self.test.plate_exposure_s or self._session.job.bench.print.exposure_s)
        for field, value in (
            (self.slot, self.test.smallest_slot_mm),
            (self.pin, self.test.smallest_pin_mm),
            (self.wall, self.test.smallest_wall_mm),
            (self.width, self.test.measured_width_mm),
        ):
            field.set_value(value or 0.0)
        self._draw()

    def _edited(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        row = item.row()
        pairs = list(self.test.pairs)
        if item.column() == 3 and row < len(pairs):
            pairs[row] = replace(pairs[row], used=item.checkState() == Qt.CheckState.Checked)
            self.note(pairs=tuple(pairs))
            return
        cells = [self.table.item(row, column) for column in (0, 1)]
        texts = [c.text().strip() if c is not None else "" for c in cells]
        if not any(texts):
            self.note(pairs=tuple(p for r, p in enumerate(pairs) if r != row))
            return
        if not all(texts):
            return
        try:
            made = CuredPair(evaluated(texts[0], "s"), evaluated(texts[1], "mm"))
        except ValueError:
            self._session.messages.say(f"`{texts[0]}` s and `{texts[1]}` mm are no pair: both must be numbers above zero")
            self._fill()
            return
        if row < len(pairs):
            pairs[row] = replace(made, used=pairs[row].used)
        else:
            pairs.append(made)
        self.note(pairs=tuple(pairs))

    # what it says

    def _draw(self) -> None:
        bench = self._session.job.bench
        self.plot.clear()
        power = self.test.irradiance_mw_per_cm2
        if self.test.pairs:
            energy = np.array([p.seconds * power for p in self.test.pairs])
            cured = np.array([p.thickness_mm for p in self.test.pairs])
            outlier = self.curve.outliers if self.curve is not None else np.zeros(len(energy), bool)
            used = np.array([p.used for p in self.test.pairs])
            if self.curve is not None:
                self._draw_curve(self.curve, energy, cured)
            x = np.log10(energy)
            for chosen, colour, shape, hollow in (
                (used & ~outlier, DAY.ink, "o", False),
                (~used & ~outlier, DAY.faint, "o", True),
                (outlier, DAY.hazard, "d", True),
            ):
                if chosen.any():
                    self.plot.dots(x[chosen], cured[chosen], colour, shape, hollow)
        t = bench.print.layer_height_mm
        self.plot.level(t, DAY.faint, "one layer")
        self.take.setEnabled(self.curve is not None)
        self.fitted.setText(self._found() if self.curve is not None else self._why)
        self.meaning.setText(self._meaning())

    def _draw_curve(self, curve: WorkingCurve, energy: np.ndarray, cured: np.ndarray) -> None:
        low = min(curve.ec_mj_per_cm2, float(energy.min()))
        at = np.geomspace(low, float(energy.max()) * 1.3, 80)
        below, above = curve.band_mm(at)
        x = np.log10(at)
        self.plot.band(x, below, above, DAY.water)
        self.plot.line(x, curve.depth_mm(at), DAY.ink, 2.0)
        top = max(float(cured.max()), float(curve.depth_mm(at).max()))
        self.plot.window((float(x[0]), float(x[-1])), (0.0, top * 1.05))
        self.plot.plain_powers(float(at[0]), float(at[-1]))

    def _found(self) -> str:
        c = self.curve
        assert c is not None
        (dl, dh), (el, eh) = c.dp_range, c.ec_range
        ec = f"{el:.2f} to {eh:.2f}" if np.isfinite(eh) and el > 0 else "the pairs do not bound it"
        lines = [
            f"Dp {c.dp_mm:.4f} mm ({dl:.4f} to {dh:.4f}) · Ec {c.ec_mj_per_cm2:.2f} mJ/cm² ({ec}), {c.confidence:.0%} "
            f"confidence, {c.pairs} pairs, scatter {c.scatter_mm:.3f} mm."
        ]
        if c.outliers.any():
            lines.append(f"{int(c.outliers.sum())} pair lies off the line of the others (◇): measure it again, or set it aside.")
        if (growth := self.test.growth_mm) is not None:
            lines.append(f"Edges grew by {growth:+.3f} mm at this exposure: draw sections in by that much where a fit matters.")
        if (smallest := self.test.smallest_mm) is not None:
            lines.append(f"Smallest legible feature {smallest:g} mm.")
        return "\n".join(lines)

    def _meaning(self) -> str:
        bench = self._session.job.bench
        if self.curve is not None:
            bench = fitted_bench(bench, self.curve, self.test)
        advice = exposure_advice(bench, bench.print.vat_c)
        return (
            f"For {bench.print.layer_height_mm:g} mm at {bench.print.vat_c:g} °C: {advice.advised_s:.2f} s advised, "
            f"{advice.least_s:.2f} to {advice.most_s:.2f} s. The present {bench.print.exposure_s:g} s cure "
            f"{max(0.0, advice.depth_mm):.3f} mm, ×{max(0.0, advice.depth_ratio):.1f} of a layer: {advice.state}."
        )

    # deeds

    def take_over(self) -> None:
        """Put the fitted values on the bench, as one change."""
        if self.curve is None:
            return
        try:
            bench = fitted_bench(self._session.job.bench, self.curve, self.test)
        except WideBerthError as error:
            self._session.messages.warn(error.text)
            return
        self._session.document.change("take the working curve", replace(self._session.job, bench=bench))

    def keep(self) -> None:
        """Log the test as a file of the user's own."""
        title = self.name.text().strip() or "Exposure test"
        self.test = replace(self.test, name=title, date=self.test.date or datetime.date.today().isoformat())
        try:
            save_own("exposure", slug(title), self.test)
        except WideBerthError as error:
            self._session.messages.warn(error.text)
            return
        job, of = self._session.job, (self.test.printer, self.test.resin, self.test.film or self._session.job.bench.film.name)
        if of == (job.bench.printer.name, job.bench.resin.name, job.bench.film.name):
            self._session.document.change("keep the test", replace(job, bench=tested_bench(job.bench, self.test)))
        self._session.messages.say(f"test kept as {slug(title)}")
        self._list()

    def add_plate(self) -> None:
        """Put a test plate among the parts."""
        source = parse_model("Test plate", ".stl", binary_stl(calibration_plate()))
        self._session.document.change("add a test plate", self._session.job.with_more(Part("Test plate", source)))
        self._session.messages.say(READS_AS)
