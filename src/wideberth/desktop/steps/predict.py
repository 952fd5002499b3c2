"""The prediction in words: what decides the print, cups, islands, and what the figures rest on."""

from __future__ import annotations

from wideberth.core.bench import facts_of, fitted_keys, fitted_prints
from wideberth.core.job import Part
from wideberth.core.plan import ROUGH
from wideberth.core.verdict import care_lines, coming_off_lines, failure_text, first_light_text
from wideberth.desktop.steps.advising import Advising
from wideberth.desktop.steps.fields import button, label
from wideberth.desktop.steps.step import Leaf, LeavedStep
from wideberth.desktop.style import PlainLabel
from wideberth.desktop.words import count, hours_text, margin_text

NOTHING_YET = "Open a model first."
BODIES_TOLD = 4
AFTER = 4
"""Drip, wash, cure and paint."""


class HoldLeaf(Leaf):
    """The tug of war in sentences, and what would save it."""

    def build(self) -> None:
        self.text = label("")
        self.box.addWidget(self.text)
        self.box.addWidget(button("Go to the greatest pull", self._pull))
        self.advising = Advising(self._session)
        self.box.addWidget(self.advising)
        self.box.addStretch(1)

    def show_part(self, part: Part | None) -> None:
        p = self._session.prediction
        if p is None or part is None:
            self.text.setText(NOTHING_YET)
            return
        v, t = p.verdict, p.verdict.totals
        lone = sum(not i.supported for i in v.islands)
        sealed = {c.cup for c in v.cups if c.state == "sealed" and c.peak_suction_n >= p.job.bench.house.quiet_suction_n}
        ends = p.loads.ranges.weakest_hold
        band = f", ×{ends[0]:.1f} to ×{ends[1]:.1f} with the bench's ranges" if v.tips and v.hold_margin and ends else ""
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

    def _pull(self) -> None:
        if self._session.prediction is not None:
            self._session.cursor.move_to(self._session.prediction.verdict.pull_z_mm)


class ComingOffLeaf(Leaf):
    """How hard each body comes off the plate, and which first light would grip as well."""

    def build(self) -> None:
        self.bodies, self.light, self.rough = label(""), label("", "reason"), label(ROUGH, "faint")
        for line in (self.bodies, self.light, self.rough):
            self.box.addWidget(line)
        self.box.addStretch(1)

    def show_part(self, part: Part | None) -> None:
        p = self._session.prediction
        known = p is not None and part is not None
        self.light.setVisible(known)
        self.rough.setVisible(known)
        if p is None or part is None:
            self.bodies.setText(NOTHING_YET)
            return
        lines = coming_off_lines(p.verdict.removals, p.boxes)
        rest = len(lines) - BODIES_TOLD
        told = [*lines[:BODIES_TOLD], *([f"{count(rest, 'more body', 'more bodies')} with less."] if rest > 0 else [])]
        self.bodies.setText("\n".join(told) or "Nothing stands on the plate.")
        self.light.setText(first_light_text(p.verdict.first_light, p.job.bench) if lines else "")


class AfterwardsLeaf(Leaf):
    """Drip, wash and cure."""

    def build(self) -> None:
        self.said: list[PlainLabel] = []
        for _ in range(AFTER):
            head, text = label("", "head"), label("")
            self.said += [head, text]
            self.box.addWidget(head)
            self.box.addWidget(text)
        self.box.addStretch(1)

    def show_part(self, part: Part | None) -> None:
        p = self._session.prediction
        told = care_lines(p.verdict.care, p.job.bench) if p is not None and part is not None else [("", NOTHING_YET)]
        words = [word for pair in told for word in pair]
        for number, line in enumerate(self.said):
            line.setText(words[number] if number < len(words) else "")
            line.setVisible(bool(line.text()))


class PredictStep(LeavedStep):
    """What the engine found, in sentences."""

    name = "predict"
    why = "who wins the tug of war, layer by layer"

    def build(self) -> None:
        self.add_page(
            "Variants, side by side", "states of the job that were kept, in figures, pictures and curves", is_open=False
        )
        hold = HoldLeaf(self)
        self.advising = hold.advising
        self.add_leaves({"Hold": hold, "Coming off": ComingOffLeaf(self), "Afterwards": AfterwardsLeaf(self)})
        self.box.addWidget(button("Propose everything", self._all, "main", "orient, hollow, drain, support and place all parts"))

    def show_job(self, part: Part | None) -> None:
        super().show_job(part)
        p = self.session.prediction
        if p is None or part is None:
            return
        fitted = len(fitted_keys(self.job.bench))
        of_what = "All coefficients are bench defaults until prints are logged."
        if fitted:
            prints = count(fitted_prints(self.job.bench), "print")
            of_what = f"{count(fitted, 'coefficient')} fitted from {prints}; the rest bench defaults."
        self.reason.setText(f"{of_what} They rank and warn; they promise nothing. Computed in {p.seconds_taken:.1f} s.")

    def _all(self) -> None:
        if self.part is not None:
            self.session.proposing.propose_everything()
