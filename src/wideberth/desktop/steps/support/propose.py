"""The leaf of proposals: how surely and how closely, propose, look at the weakest, take away."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from wideberth.core.bench import facts_of
from wideberth.core.job import Part
from wideberth.core.loads import spacing_mm
from wideberth.core.propose import propose_found, propose_support
from wideberth.desktop.session.training import COVERED
from wideberth.desktop.steps.fields import NumberField, button, captioned, side_by_side, slim
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import count

FIELDS = (
    ("supports.wanted_margin", "Margin to reach", "×", 1, 20, 0.5), ("supports.spacing_mm", "Spacing", "mm", 1, 30, 0.5),
    ("supports.smallest_tip_mm", "Thinnest tip", "mm", 0.1, 3, 0.05),
    ("supports.largest_tip_mm", "Thickest tip", "mm", 0.1, 3, 0.05),
)  # fmt: skip

BY_LAW = "by sag"
SIZES = {f.key: f.choices for f in facts_of("supports")}["sizes"]


class ProposeLeaf(Leaf):
    """Margin, spacing and sizes, and the proposal itself."""

    def build(self) -> None:
        self.fields = {}
        document = self._session.document
        for key, text, unit, low, high, step in FIELDS:
            self.fields[key] = NumberField(text, unit, low, high, step, unset=BY_LAW if key == "supports.spacing_mm" else "")
            self.fields[key].cleared.connect(lambda k=key: document.set_bench(k, None))
            self.fields[key].entered.connect(lambda value, k=key: document.set_bench(k, value))
        a, b, c, d = self.fields.values()
        self.box.addWidget(side_by_side(a, b))
        self.box.addWidget(side_by_side(c, d))
        self.sizes = QComboBox()
        self.sizes.setAccessibleName("sizes of proposed tips")
        self.sizes.addItems(SIZES)
        slim(self.sizes)
        self.sizes.activated.connect(lambda _: document.set_bench("supports.sizes", self.sizes.currentText()))
        self.box.addWidget(captioned("Sizes", self.sizes))
        self.box.addWidget(button("Propose tips", self._propose, "main"))
        hint = "for a model that was opened with supports on it: tells them from the part and takes them over as tips"
        self.box.addWidget(button("Take over its own supports", self._find, "quiet", hint))
        self.box.addWidget(button("Go to the weakest", self.go_to_weakest, "", "moves the height cursor to where it decides"))
        self.box.addWidget(button("Take all away", self._clear, "quiet"))
        self.told = ""

    def show_part(self, part: Part | None) -> None:
        bench = self._session.job.bench
        for b in bench.values():
            if b.key in self.fields:
                field = self.fields[b.key]
                if b.value is None:
                    field.unset()
                    field.edit.setToolTip(f"{spacing_mm(bench):.1f} mm by the sag law: an underside gives one layer")
                else:
                    field.set_value(float(b.value))  # type: ignore[arg-type]
        self.sizes.setCurrentText(bench.supports.sizes)
        text = self._session.proposing.why("support", part)
        p = self._session.prediction
        if self._session.training.covers:
            text = COVERED
        elif p is not None and p.job is self._session.job and p.verdict.weakest_tip is not None:
            tip, need = p.verdict.tips[p.verdict.weakest_tip], p.need_of(p.verdict.weakest_tip)
            tips, minutes = count(len(p.verdict.tips), "tip"), p.verdict.finishing_min
            text = (
                f"Weakest: tip {p.verdict.weakest_tip + 1}, {tip.size_text}, must hold {tip.worst_load_n:.2f} N and "
                f"can hold {tip.margin * tip.worst_load_n:.2f} N ({need.short})."
                + (f" On this plate {tips}, {minutes:.0f} min of finishing." if minutes is not None else "")
                + f"\n\n{text}"
            )
        self.told = text

    def _propose(self) -> None:
        session = self._session
        id, job = session.selection.part, session.job
        if session.selection.present is not None:
            session.proposing.propose("supporting", lambda p: propose_support(job, id, session.stages, p))

    def _find(self) -> None:
        session = self._session
        id, job = session.selection.part, session.job
        if session.selection.present is not None:
            session.proposing.propose("telling supports from the part", lambda p: propose_found(job, id, session.stages, p))

    def go_to_weakest(self) -> None:
        """Move the height cursor to what decides the hold."""
        p = self._session.prediction
        if self._session.training.covers:
            self._session.messages.say(COVERED)
        elif p is not None:
            v = p.verdict
            by_tip = v.hold_margin is not None and v.hold_margin == v.weakest
            self._session.cursor.move_to(v.hold_z_mm if by_tip else v.plate_z_mm)

    def _clear(self) -> None:
        part = self._session.selection.present
        if part is not None and part.supports:
            self._step.change(f"take the tips of {part.name} away", part.unsupported())
