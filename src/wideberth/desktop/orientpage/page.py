"""The page of ways up: chart, limits, what matters, and the picks."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from wideberth.core.bench import HouseRules
from wideberth.core.job import Job
from wideberth.core.model import Mesh
from wideberth.core.orient import Limits, PoseCost, Poses, picks_of
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress
from wideberth.core.propose import cost_of, ways_up
from wideberth.desktop.orientpage.chart import SphereChart
from wideberth.desktop.orientpage.measures import MEASURES, all_in_all, sentence
from wideberth.desktop.orientpage.table import PickTable
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, slim
from wideberth.desktop.steps.orient.turner import set_pose
from wideberth.desktop.style import PlainLabel

PICTURED = 900
"""Triangles of the small pictures."""
DRAW_MS = 120
STEPS = 8
"""Of a slider to each side of the house's own weight; each is a factor of the square root of two."""
WEIGHTS = (
    ("young layers", ("young_weight",)),
    ("suction", ("suction_weight",)),
    ("finishing", ("finishing_weight_n_per_min",)),
    ("steadiness", ("lever_weight",)),
    ("height, hours", ("height_weight_n_per_mm",)),
    ("resin left in it", ("stays_weight_n_per_ml",)),
    ("round bores, pegs", ("round_weight_n_per_mm",)),
)


class OrientPage(QWidget):
    """What every way up costs. Nothing is turned before a row or a place of the chart is chosen; undo takes it back."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._found: Poses | None = None
        self._present: PoseCost | None = None
        self._mesh: Mesh | None = None
        self._picks: dict[str, PoseCost] = {}
        self.chart, self.table = SphereChart(), PickTable()
        self.measure = QComboBox()
        self.measure.setAccessibleName("what the contours tell")
        for name in [all_in_all(session.job.bench.house).name, *(m.name for m in MEASURES)]:
            self.measure.addItem(name)
        slim(self.measure)
        self.measure.activated.connect(lambda _: self._draw())
        self.fits, self.clean = QCheckBox("fits the printer"), QCheckBox("no mark on clean faces")
        for box in (self.fits, self.clean):
            box.setChecked(True)
            box.clicked.connect(lambda _: self._draw())
        self.hours = NumberField("At most", "h", 0.1, 500, 1, "no limit while it is empty", unset="any time")
        self.hours.unset()
        self.hours.entered.connect(lambda _: self._limit_hours(True))
        self.hours.cleared.connect(lambda: self._limit_hours(False))
        self._has_hours = False
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(DRAW_MS)
        self._later.timeout.connect(self._draw)
        self.sliders = {keys: self._slider(name) for name, keys in WEIGHTS}
        self.weigh = button("Weigh all ways up", self._weigh, "main", "hundreds of them, by the laws of the prediction")
        self.keep = button("Keep as house rules", self._keep, "quiet", "the weights as they are set now")
        self.word = label("")
        self.turn = button("Turn it so", self._turn, "", "the row that is chosen; a double click does the same")
        self._lay_out()
        self.chart.chosen.connect(self._turn_to)
        self.table.chosen.connect(lambda number: self._take(number))
        self.table.looked_at.connect(lambda _: self._tell())
        for signal in (
            session.document.changed,
            session.selection.part_chosen,
            session.proposing.proposed,
            session.predicting.predicted,
        ):
            signal.connect(self.refresh)

    def _lay_out(self) -> None:
        side = QVBoxLayout()
        side.setSpacing(7)
        for widget in (self.weigh, captioned("Contours of", self.measure), self.fits, self.clean, self.hours):
            side.addWidget(widget)
        side.addWidget(label("What matters", "faint"))
        weights = QGridLayout()
        weights.setVerticalSpacing(5)
        for row, ((name, _), slider) in enumerate(zip(WEIGHTS, self.sliders.values(), strict=True)):
            weights.addWidget(label(name), row, 0)
            weights.addWidget(slider, row, 1)
        side.addLayout(weights)
        side.addWidget(self.keep)
        side.addStretch(1)
        beside = QWidget()
        beside.setLayout(side)
        beside.setFixedWidth(196)
        side.setContentsMargins(0, 0, 0, 0)
        above = QHBoxLayout()
        above.setSpacing(12)
        above.addWidget(self.chart, 1)
        above.addWidget(beside)
        foot = QHBoxLayout()
        foot.addWidget(self.word, 1)
        foot.addWidget(self.turn)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 6, 6, 4)
        box.setSpacing(8)
        title = PlainLabel("Ways up")
        title.setProperty("role", "title")
        box.addWidget(title)
        box.addLayout(above, 5)
        box.addWidget(self.table, 4)
        box.addLayout(foot)

    def _slider(self, name: str) -> QSlider:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(-STEPS, STEPS)
        slider.setPageStep(2)
        slider.setAccessibleName(f"how much {name} matters")
        slider.setToolTip("middle: as the house rules say; each step to the right counts half as much more again")
        slider.valueChanged.connect(lambda _: self._rank_anew())
        return slider

    def showEvent(self, _event: object) -> None:
        self.refresh()

    # what is known

    def refresh(self) -> None:
        """Show what is known of the chosen part; nothing is weighed that was not asked for."""
        if not self.isVisible():
            return
        session, job, id = self._session, self._session.job, self._session.selection.part
        part = session.selection.present
        known = None if part is None else session.stages.at_hand(lambda s: _asked(s, job, id))
        self._found, self._mesh = known or (None, None)
        if part is not None and self._found is not None:
            weighed = next((c for c in self._found.costs if c.pose.turn == part.pose.turn), None)
            self._present = weighed or session.stages.at_hand(lambda s: cost_of(job, id, s))
            if self._present is None:
                session.tasks.beside(lambda _: cost_of(job, id, session.stages), lambda _: self.refresh())
        self._draw()

    def _weigh(self) -> None:
        session, job, id = self._session, self._session.job, self._session.selection.part
        if session.selection.present is not None:
            session.tasks.act("weighing poses", lambda p: _asked(session.stages, job, id, p), lambda _: self.refresh(), True)

    @property
    def house(self) -> HouseRules:
        """The house's rules with the weights as the sliders set them."""
        house = self._session.job.bench.house
        changed = {key: getattr(house, key) * 2.0 ** (s.value() / 2) for keys, s in self.sliders.items() for key in keys}
        return replace(house, **changed)

    @property
    def limits(self) -> Limits:
        return Limits(self.fits.isChecked(), self.clean.isChecked(), self.hours.value if self._has_hours else None)

    def _limit_hours(self, limited: bool) -> None:
        self._has_hours = limited
        self._draw()

    def _draw(self) -> None:
        found, now = self._found, self._present
        self._allow_keeping()
        self.weigh.setVisible(found is None)
        self.weigh.setEnabled(self._session.selection.present is not None)
        self.table.setEnabled(found is not None)
        if found is not None and now is None:
            return  # as it was, until the present pose is weighed
        if found is None or now is None or self._mesh is None:
            self.chart.show_costs((), MEASURES[0], np.zeros(0, bool), [], None)
            self.table.setRowCount(0)
            self._picks = {}
            self._tell()
            return
        house, limits = self.house, self.limits
        self._rank()
        shown = [all_in_all(house), *MEASURES][self.measure.currentIndex()]
        kept = np.array([limits.keep(c) for c in found.costs])
        self.chart.show_costs(found.costs, shown, kept, list(self._picks.values()), now)
        self.table.show_picks(self._mesh, now, self._picks)
        self._tell()

    def _rank(self) -> None:
        """Picks by what matters and within the limits, of what was weighed."""
        if self._found is not None:
            self._picks = _merged(picks_of(self._found.costs, self._found.faces, self.house, self.limits))

    def _rank_anew(self) -> None:
        """A slider has moved: the picks are others at once, and are drawn when it rests."""
        self._rank()
        self._allow_keeping()
        self._later.start()

    def _allow_keeping(self) -> None:
        self.keep.setEnabled(any(s.value() for s in self.sliders.values()))

    def _tell(self) -> None:
        row = self.table.currentRow()
        self.turn.setEnabled(0 < row <= len(self._picks))
        if self._found is None:
            asked = self._session.selection.present is not None
            self.word.setText("The ways up of this part have not been weighed yet." if asked else "Open a model first.")
        elif 0 < row <= len(self._picks) and self._present is not None:
            name, cost = list(self._picks.items())[row - 1]
            self.word.setText(sentence(cost, self._present, name))
        else:
            kept = sum(self.limits.keep(c) for c in self._found.costs)
            self.word.setText(
                f"{len(self._found.costs)} ways up weighed, {kept} keep to the limits. Choose a row, or click the chart."
            )

    # acts

    def _turn(self) -> None:
        self._take(self.table.currentRow() - 1)

    def _take(self, number: int) -> None:
        if 0 <= number < len(self._picks):
            name, cost = list(self._picks.items())[number]
            self._set(f"turn: {name}", cost)

    def _turn_to(self, number: int) -> None:
        if self._found is not None:
            self._set("turn to another way up", self._found.costs[number])

    def _set(self, text: str, cost: PoseCost) -> None:
        part = self._session.selection.present
        if part is not None:
            set_pose(self._session, text, replace(cost.pose, gap_mm=part.pose.gap_mm or cost.pose.gap_mm))

    def _keep(self) -> None:
        bench, house = self._session.job.bench, self.house
        for keys in self.sliders:
            for key in keys:
                bench = bench.with_value(f"house.{key}", round(getattr(house, key), 4), "set by hand")
        for slider in self.sliders.values():
            slider.blockSignals(True)
            slider.setValue(0)
            slider.blockSignals(False)
        self._session.document.change("keep what matters as house rules", replace(self._session.job, bench=bench))


def _asked(stages: Stages, job: Job, id: str, progress: Progress | None = None) -> tuple[Poses, Mesh]:
    """All ways up of a part, and a mesh for small pictures."""
    return ways_up(job, id, stages, progress), stages.light(stages.cut(job.part(id)), np.eye(4), PICTURED)


def _merged(picks: dict[str, PoseCost]) -> dict[str, PoseCost]:
    """Picks that are one pose under one name."""
    names: dict[int, list[str]] = {}
    costs = {id(c): c for c in picks.values()}
    for name, cost in picks.items():
        names.setdefault(id(cost), []).append(name)
    return {", ".join(n): costs[key] for key, n in names.items()}
