"""The prediction in words: what decides the print, cups, islands, and what the figures rest on."""

from __future__ import annotations

import numpy as np

from wideberth.core.bench import facts_of
from wideberth.core.job import Part
from wideberth.core.verdict import failure_text
from wideberth.desktop.steps.advising import Advising
from wideberth.desktop.steps.fields import button, label
from wideberth.desktop.steps.step import Step
from wideberth.desktop.words import count, hours_text, margin_text


class PredictStep(Step):
    """What the engine found, in sentences."""

    name = "predict"
    why = "who wins the tug of war, layer by layer"

    def build(self) -> None:
        self.text = label("")
        self.box.addWidget(self.text)
        self.box.addWidget(button("Go to the greatest pull", self._pull))
        self.advising = Advising(self.session)
        self.box.addWidget(self.advising)
        self.box.addWidget(button("Propose everything", self._all, "main", "orient, hollow, drain, support and place all parts"))

    def show_job(self, part: Part | None) -> None:
        p = self.session.prediction
        if p is None or part is None:
            self.text.setText("Open a model first.")
            return
        v, t = p.verdict, p.verdict.totals
        lone = sum(not i.supported for i in v.islands)
        sealed = {c.cup for c in v.cups if c.state == "sealed" and c.peak_suction_n >= self.job.bench.house.quiet_suction_n}
        low, high = p.loads.ranges.hold_low, p.loads.ranges.hold_high
        band = f", ×{np.nanmin(low):.1f} to ×{np.nanmin(high):.1f} with the bench's ranges" if v.tips and v.hold_margin else ""
        lines = [
            f"{p.loads.layers * p.fineness.layers_as_one} layers, {hours_text(t.seconds)}.",
            f"Tips hold {margin_text(v.hold_margin)} at {v.hold_z_mm:.1f} mm{band}." if v.tips else "Nothing hangs on tips.",
            f"The plate holds {margin_text(v.plate_margin)} at {v.plate_z_mm:.1f} mm.",
            f"{count(len(v.islands), 'island')}, {lone} without a tip.",
            f"{count(len(sealed), 'sealed cup')} of any weight.",
            f"{t.part_ml:.1f} mL part, {t.support_ml:.1f} mL supports, {t.clinging_ml:.1f} mL clinging.",
            f"The part pulls {v.pull_n:.1f} N at most, at {v.pull_z_mm:.1f} mm; base and supports {v.base_pull_n:.1f} N.",
        ]
        influences = p.loads.ranges.influences
        if influences and influences[0].swing(v.hold_margin, v.plate_margin) > 0:
            facts = {f.key: f.words for f in facts_of(influences[0].key.partition(".")[0])}
            lines.append(f"What moves it most: {facts[influences[0].key.partition('.')[2]]}.")
        if p.loads.failure is not None and v.tips:
            told = failure_text(p.loads.failure, p.layer_mm)
            lines.append(f"The weakest tip: {told[0].lower()}{told[1:]}")
        self.text.setText("\n".join(lines))
        self.reason.setText(
            "All coefficients are bench defaults until prints are logged. They rank and warn; they promise "
            f"nothing. Computed in {p.seconds_taken:.1f} s."
        )

    def _pull(self) -> None:
        if self.session.prediction is not None:
            self.session.cursor.move_to(self.session.prediction.verdict.pull_z_mm)

    def _all(self) -> None:
        if self.part is not None:
            self.session.proposing.propose_everything()
