"""The leaf of the base: four kinds, what each takes, and its measures."""

from __future__ import annotations

from wideberth.core.job import Part
from wideberth.core.propose import BASE_NAMES, Candidate, propose_base, with_base
from wideberth.core.support import BaseKind
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.style import tip

FIELDS = (
    ("supports.pad_mm", "Pad", "mm", 0.5, 50.0, 0.5),
    ("supports.rib_mm", "Rib", "mm", 0.5, 30.0, 0.5),
    ("supports.slab_mm", "Slab, height", "mm", 0.1, 10.0, 0.1),
    ("supports.slab_edge_deg", "Slab, edge", "°", 10.0, 90.0, 5.0),
)
WHY = {
    BaseKind.PADS: "grips where posts stand; ribs keep any from tipping alone",
    BaseKind.ALONE: "least resin and easiest off; each post for itself",
    BaseKind.SLAB: "grips most, takes most resin and the widest front to come off",
    BaseKind.FRAME: "a bar all round, open where it would enclose resin",
}


def _figures(one: Candidate) -> str:
    """What a kind comes to, in a line of its own."""
    of = {m.name: m.value for m in one.measures}
    return f"\nplate ×{of['plate']:.1f} · {of['supports']:.1f} mL · off {of['coming off']:.0f} N"


class BaseLeaf(Leaf):
    """One press takes a kind; weighing them says what each grips with, costs, and takes to come off."""

    def build(self) -> None:
        self.kinds = {}
        for kind, name in BASE_NAMES.items():
            row = button(name, lambda k=kind: self._take(k), "quiet", WHY[kind])  # type: ignore[misc]
            row.setStyleSheet("text-align: left; padding: 3px 6px;")
            self.kinds[kind] = row
            self.box.addWidget(row)
        self.box.addWidget(button("Weigh all four", self._weigh, "", "predicts the part alone on each of them"))
        document, self.fields = self._session.document, {}
        for key, text, unit, low, high, step in FIELDS:
            self.fields[key] = NumberField(text, unit, low, high, step)
            self.fields[key].entered.connect(lambda value, k=key: document.set_bench(k, value))
        a, b, c, d = self.fields.values()
        self.box.addWidget(side_by_side(a, b))
        self.box.addWidget(side_by_side(c, d))
        self.box.addWidget(label("None of them is ever a cup: what they would enclose is filled, or open.", "faint"))

    def show_part(self, part: Part | None) -> None:
        for b in self._session.job.bench.values():
            if b.key in self.fields:
                self.fields[b.key].set_value(float(b.value))  # type: ignore[arg-type]
        made = self._session.proposing.made.get("base")
        known = {}
        if made is not None and part is not None and made.part == part.id:
            of = {c.job.part(part.id).supports.base: c for c in made.candidates}
            bare = part.supports.bare
            known = {k: c for k, c in of.items() if c.job.part(part.id).supports.bare.contacts == bare.contacts}
        for kind, row in self.kinds.items():
            mark = "• " if part is not None and part.supports.base is kind else ""
            figures = _figures(known[kind]) if kind in known else ""
            row.setText(f"{mark}{BASE_NAMES[kind]}{figures}")
            row.setToolTip(tip(WHY[kind]))
            row.setEnabled(part is not None)

    def _take(self, kind: BaseKind) -> None:
        part, job = self._session.selection.present, self._session.job
        if part is not None and part.supports.base is not kind:
            self._session.document.change(f"base of {part.name}: {BASE_NAMES[kind]}", with_base(job, part.id, kind))

    def _weigh(self) -> None:
        session = self._session
        id, job = session.selection.part, session.job
        if session.selection.present is not None:
            session.proposing.weigh("weighing bases", lambda p: propose_base(job, id, session.stages, p))
