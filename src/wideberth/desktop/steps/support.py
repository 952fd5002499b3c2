"""The supports' controls: propose, look at the weakest, take away."""

from __future__ import annotations

from wideberth.core.job import Part
from wideberth.core.loads import spacing_mm
from wideberth.core.propose import propose_support
from wideberth.desktop.steps.fields import NumberField, button, side_by_side
from wideberth.desktop.steps.step import Step

FIELDS = (
    ("supports.wanted_margin", "Margin to reach", "×", 1, 20, 0.5), ("supports.spacing_mm", "Spacing", "mm", 1, 30, 0.5),
    ("supports.smallest_tip_mm", "Thinnest tip", "mm", 0.1, 3, 0.05),
    ("supports.largest_tip_mm", "Thickest tip", "mm", 0.1, 3, 0.05),
)  # fmt: skip

BY_LAW = "by sag"


class SupportStep(Step):
    """Tips under islands, free edges and undersides, sized by their load."""

    name = "support"
    why = "so that each layer lets go of the film"

    def build(self) -> None:
        self.fields = {}
        for key, text, unit, low, high, step in FIELDS:
            self.fields[key] = NumberField(text, unit, low, high, step, unset=BY_LAW if key == "supports.spacing_mm" else "")
            self.fields[key].cleared.connect(lambda k=key: self.session.document.set_bench(k, None))
            self.fields[key].entered.connect(lambda value, k=key: self.session.document.set_bench(k, value))
        a, b, c, d = self.fields.values()
        self.box.addWidget(side_by_side(a, b))
        self.box.addWidget(side_by_side(c, d))
        self.box.addWidget(button("Propose tips", self._propose, "main"))
        self.box.addWidget(button("Go to the weakest", self._weakest, "", "moves the height cursor to where it decides"))
        self.box.addWidget(button("Take all away", self._clear, "quiet"))

    def show_job(self, part: Part | None) -> None:
        for b in self.job.bench.values():
            if b.key in self.fields:
                field = self.fields[b.key]
                if b.value is None:
                    field.unset()
                    field.edit.setToolTip(f"{spacing_mm(self.job.bench):.1f} mm by the sag law: an underside gives one layer")
                else:
                    field.set_value(float(b.value))  # type: ignore[arg-type]
        text = self.session.proposing.reasons.get("support", "")
        p = self.session.prediction
        if p is not None and p.job is self.job and p.verdict.weakest_tip is not None:
            tip, need = p.verdict.tips[p.verdict.weakest_tip], p.need_of(p.verdict.weakest_tip)
            text = (
                f"Weakest: tip {p.verdict.weakest_tip + 1}, {tip.size_text}, must hold {tip.worst_load_n:.2f} N and "
                f"can hold {tip.margin * tip.worst_load_n:.2f} N ({need.short}).\n\n{text}"
            )
        self.reason.setText(text)

    def _propose(self) -> None:
        id, job = self.session.selection.part, self.job
        if self.part is not None:
            self.session.proposing.propose("supporting", lambda p: propose_support(job, id, self.session.stages, p))

    def _weakest(self) -> None:
        p = self.session.prediction
        if p is not None:
            v = p.verdict
            by_tip = v.hold_margin is not None and v.hold_margin == v.weakest
            self.session.cursor.move_to(v.hold_z_mm if by_tip else v.plate_z_mm)

    def _clear(self) -> None:
        if self.part is not None and self.part.supports:
            self.change(f"take the tips of {self.part.name} away", self.part.unsupported())
