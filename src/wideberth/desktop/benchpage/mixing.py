"""The mix leaf: resins by parts, and what they come to."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from itertools import zip_longest

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QFrame, QGridLayout, QHBoxLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from wideberth.core.bench import Ingredient, Mix, Resin, load_named, mixed, names_of, save_own, slug, viscosity_at, volume_shares
from wideberth.core.errors import WideBerthError
from wideberth.desktop.figures import Plot
from wideberth.desktop.kinds import fill_shelf
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side, slim
from wideberth.desktop.style import DAY, PlainGrid

BESIDE_BAR_PX = 14
MOST = 12
"""Resins in one mix."""
FACTS = ("viscosity", "density", "price", "green strength", "modulus", "Dp", "Ec", "advised at", "washes in")


class _Row:
    """One resin of a mix: which, how many parts, and less of it. Kept while rows come and go."""

    def __init__(self, mixing: Mixing, grid: QGridLayout, number: int) -> None:
        self.choice = QComboBox()
        self.choice.setAccessibleName(f"resin {number + 1}")
        self.choice.activated.connect(lambda _: mixing.set_resin(number, self.choice.currentData()))
        self.parts = NumberField("parts", "", 0.01, 100000, 5)
        self.parts.setMinimumHeight(self.parts.sizeHint().height())
        self.parts.entered.connect(lambda value: mixing.set_parts(number, value))
        self.parts.setFixedWidth(76)
        self.less = button("Less", partial(mixing.take_out, number), "quiet", "take this resin out")
        self.less.setFixedWidth(54)
        grid.addWidget(self.choice, number, 0, Qt.AlignmentFlag.AlignBottom)
        grid.addWidget(self.parts, number, 1)
        grid.addWidget(self.less, number, 2, Qt.AlignmentFlag.AlignBottom)
        fill_shelf(self.choice, "resin")
        slim(self.choice)

    def show(self, ingredient: Ingredient | None) -> None:
        """Show a resin and its parts; nothing of a row that the mix does not have."""
        for widget in (self.choice, self.parts, self.less):
            widget.setVisible(ingredient is not None)
        if ingredient is not None:
            self.choice.setCurrentIndex(self.choice.findData(ingredient.resin))
            self.parts.set_value(ingredient.parts)


def _scrolled(inner: QWidget) -> QScrollArea:
    """Where more is than there is room for, without a frame of its own."""
    made = QScrollArea()
    made.setWidgetResizable(True)
    made.setFrameShape(QFrame.Shape.NoFrame)
    made.setWidget(inner)
    return made


class Mixing(QWidget):
    """A mix being made. `mix` is what the rows say."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.mix = Mix("Harbour grey with tough", (Ingredient("standard", 70.0), Ingredient("slipway-tough", 30.0)))
        self.which = QComboBox()
        self.which.setAccessibleName("mixes on the shelf")
        slim(self.which)
        self.which.activated.connect(lambda _: self.open(self.which.currentData()))
        self.name = QLineEdit(self.mix.name)
        self.name.setAccessibleName("name of the mix")
        self.name.setMaxLength(80)
        self.name.editingFinished.connect(self._named)
        self.by = QComboBox()
        self.by.setAccessibleName("parts by")
        self.by.addItems(["volume", "weight"])
        self.by.activated.connect(lambda _: self._set(replace(self.mix, by=self.by.currentText())))
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(8)
        self.grid.setVerticalSpacing(6)
        self.rows: list[_Row] = []
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(label("Mixes on the shelf", "faint"))
        left.addWidget(self.which)
        left.addWidget(label("Name", "faint"))
        left.addWidget(self.name)
        left.addWidget(label("Parts by", "faint"))
        left.addWidget(self.by)
        left.addLayout(self.grid)
        left.addWidget(button("Add a resin", self.add, "quiet"))
        left.addWidget(side_by_side(button("Use it", self.use, "main"), button("Keep it", self.keep, "quiet")))
        left.addStretch(1)
        self.table = PlainGrid(("faint", "head", "faint"), ("faint", "", "faint"))
        self.table.setHorizontalSpacing(22)
        self.table.setVerticalSpacing(7)
        right = QVBoxLayout()
        right.setSpacing(8)
        self.title = label("", "title")
        right.addWidget(self.title)
        self.figures = QWidget()
        self.figures.setLayout(self.table)
        self.table.setContentsMargins(0, 0, 0, 0)
        self.across = _scrolled(self.figures)
        self.across.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        right.addWidget(self.across)
        self.rules = label(
            "Viscosity by ln μ = Σ wᵢ ln μᵢ, at any temperature. Density and price by parts. Absorption adds up, so 1/Dp = Σ "
            "wᵢ/Dpᵢ; Ec is an estimate: test it. Strength lies between the resins in a row and side by side; the lower end is "
            "used. Whether two resins bear each other is for their makers to say: read both data sheets.",
            "reason",
        )
        right.addWidget(self.rules)
        self.plot = Plot("°C", "viscosity, Pa·s", 180)
        right.addWidget(self.plot, 1)
        holder = QWidget()
        holder.setLayout(left)
        left.setContentsMargins(0, 0, BESIDE_BAR_PX, 0)
        many = _scrolled(holder)
        many.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        many.setFixedWidth(326 + BESIDE_BAR_PX)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(26)
        box.addWidget(many)
        box.addLayout(right, 1)
        session.document.changed.connect(self._follow)

    def _follow(self) -> None:
        """The vat's temperature may have changed; what is not seen is worked out when it is."""
        if self.isVisible():
            self._show_result()

    def showEvent(self, _event: object) -> None:
        self._list()  # a mix or a resin may have been imported since
        for row in self.rows:
            fill_shelf(row.choice, "resin")
        self._show()

    def _list(self) -> None:
        fill_shelf(self.which, "mix", "a new one")

    def open(self, name: str) -> None:
        """Take a mix from the shelf."""
        if name:
            try:
                self._set(load_named("mix", name))
            except WideBerthError as error:
                self._session.messages.warn(error.text)

    def _named(self) -> None:
        if self.name.text().strip():
            self.mix = replace(self.mix, name=self.name.text().strip())
            self._show_result()

    def _set(self, mix: Mix) -> None:
        self.mix = mix
        self._show()

    def add(self) -> None:
        """One more resin."""
        if len(self.mix.ingredients) < MOST:
            self._set(replace(self.mix, ingredients=(*self.mix.ingredients, Ingredient(names_of("resin")[0], 10.0))))

    def set_resin(self, number: int, resin: str) -> None:
        """Another resin in a row."""
        self._set_ingredient(number, replace(self.mix.ingredients[number], resin=resin))

    def set_parts(self, number: int, parts: float) -> None:
        """Other parts of a row's resin."""
        self._set_ingredient(number, replace(self.mix.ingredients[number], parts=parts))

    def _set_ingredient(self, number: int, ingredient: Ingredient) -> None:
        rows = list(self.mix.ingredients)
        rows[number] = ingredient
        self._set(replace(self.mix, ingredients=tuple(rows)))

    def take_out(self, number: int) -> None:
        """A row less; the last one stays."""
        if len(self.mix.ingredients) > 1:
            self._set(replace(self.mix, ingredients=self.mix.ingredients[:number] + self.mix.ingredients[number + 1 :]))

    def _show(self) -> None:
        self.name.setText(self.mix.name)
        self.by.setCurrentText(self.mix.by)
        while len(self.rows) < len(self.mix.ingredients):
            self.rows.append(_Row(self, self.grid, len(self.rows)))
        for row, ingredient in zip_longest(self.rows, self.mix.ingredients):
            row.show(ingredient)
        self._show_result()

    def result(self) -> Resin | None:
        """The resin that the mix makes, or None when it cannot be made."""
        try:
            return mixed(self.mix, lambda name: load_named("resin", name))
        except WideBerthError as error:
            self._session.messages.say(error.text)
            return None

    def _show_result(self) -> None:
        made = self.result()
        if made is None:
            self.table.show_rows([])
            return
        self.title.setText(made.name)
        resins = [load_named("resin", i.resin) for i in self.mix.ingredients]
        shares = volume_shares(self.mix, resins)
        heads = ["", "the mix", *(f"{_short(r)}\n{w:.0%}" for r, w in zip(resins, shares, strict=True))]
        vat = self._session.job.bench.print.vat_c
        names = (f"{name} at {vat:g} °C" if name == "viscosity" else name for name in FACTS)
        self.table.show_rows([heads, *zip(names, *(_facts(r, vat) for r in (made, *resins)), strict=True)])
        self.table.setColumnStretch(MOST + 2, 1)
        bar = self.across.horizontalScrollBar().sizeHint().height()
        self.across.setFixedHeight(self.figures.sizeHint().height() + bar)
        self._draw(made, resins)

    def _draw(self, made: Resin, resins: list[Resin]) -> None:
        """Viscosity of the mix and of its resins over the temperatures of a workshop."""
        at = np.linspace(10.0, 45.0, 60)
        self.plot.clear()
        for resin in resins:
            self.plot.line(at, np.array([viscosity_at(resin, float(c)) for c in at]), DAY.deep, 1.4)
        curve = np.array([viscosity_at(made, float(c)) for c in at])
        self.plot.line(at, curve, DAY.ink, 2.2)
        top = max(float(curve.max()), *(viscosity_at(r, 10.0) for r in resins))
        self.plot.window((10.0, 45.0), (0.0, min(top, 4 * float(curve.max()))))

    def use(self) -> None:
        """Put the mix on the bench."""
        made = self.result()
        if made is not None:
            self._session.document.use_section("resin", made, f"computed from the mix {made.name}")

    def keep(self) -> None:
        """Keep the mix as a file of the user's own."""
        try:
            save_own("mix", slug(self.mix.name), self.mix)
        except WideBerthError as error:
            self._session.messages.warn(error.text)
            return
        self._session.messages.say(f"kept as {slug(self.mix.name)}")
        self._list()


def _short(resin: Resin) -> str:
    """The head of a resin's column: its name up to what kind it is."""
    return resin.name.split(",")[0]


def _facts(r: Resin, vat_c: float) -> tuple[str, ...]:
    """What the table says of a resin."""
    price = "not priced" if r.price_per_litre is None else f"{r.price_per_litre:.2f} {r.currency}/L"
    low, high = r.strength_low_mpa, r.strength_high_mpa
    ranged = bool(low and high and high - low > 0.005)
    strength = f"{low:.2f} to {high:.2f} MPa" if ranged else f"{r.green_strength_mpa:.2f} MPa"
    return (
        f"{viscosity_at(r, vat_c):.3f} Pa·s",
        f"{r.density_kg_per_m3:.0f} kg/m³",
        price,
        strength,
        f"{r.green_modulus_mpa:.0f} MPa",
        f"{r.penetration_depth_mm:.3f} mm",
        f"{r.critical_exposure_mj_per_cm2:.2f} mJ/cm²",
        f"{r.coldest_c:g} to {r.warmest_c:g} °C",
        "water" if r.water_washable else "solvent",
    )
