"""The leaf of marks: which faces stay clean, may carry marks, are hidden, or mate."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QSize
from PySide6.QtWidgets import QComboBox

from wideberth.core.bench import SCHOOLS, school_of
from wideberth.core.job import Part, with_marked
from wideberth.core.model import SMOOTH_DEG, MarkKind
from wideberth.core.propose import Way, marks_text, propose_marks, region_at, ring_less, ring_more
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, side_by_side, slim, tool_button
from wideberth.desktop.steps.orient.marker import Marker
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.style import hatch_icon

KINDS: dict[str, MarkKind | None] = {str(kind): kind for kind in MarkKind} | {"nothing: take it away": None}
AMOUNTS = {
    Way.BRUSH: ("Radius", "mm", 0.2, 50.0, 0.5, 3.0),
    Way.SMOOTH: ("Over edges up to", "°", 0.0, 180.0, 5.0, SMOOTH_DEG),
    Way.FACING: ("Looking aside up to", "°", 1.0, 90.0, 5.0, 30.0),
}
HINTS = {
    Way.BRUSH: "drag over the part; drag beside it to turn the view",
    Way.SMOOTH: "click: all that is reached over no sharp edge",
    Way.FLAT: "click: all that lies level with it",
    Way.FACING: "click: all around it that looks the same way",
    Way.SHELL: "click: all that hangs together",
    Way.BOX: "click two opposite corners of a box",
}


class MarksLeaf(Leaf):
    """A kind, a way to pick, and the marks that there are."""

    def build(self) -> None:
        self.kind = QComboBox()
        self.kind.setAccessibleName("what the faces are marked as")
        self.kind.setIconSize(QSize(22, 14))
        for name, kind in KINDS.items():
            self.kind.addItem(hatch_icon(str(kind or "")), name, name)
        self.box.addWidget(captioned("Mark as", self.kind))
        self.way = QComboBox()
        self.way.setAccessibleName("how faces are picked")
        for way in Way:
            self.way.addItem(str(way), str(way))
        self.way.activated.connect(lambda _: self._other_way())
        self.amounts = {way: NumberField(*facts[:5]) for way, facts in AMOUNTS.items()}
        for way, field in self.amounts.items():
            field.set_value(AMOUNTS[way][5])
            field.entered.connect(lambda value: self._tool.shaped(self.chosen_way, value))
        for choice in (self.kind, self.way):
            slim(choice)
        self.box.addWidget(side_by_side(captioned("Pick by", self.way), *self.amounts.values()))
        self._tool = Marker(self._session, self._picked)
        self.mark = tool_button("Mark in the 3D view", self._session.sight, self._tool)
        self.box.addWidget(self.mark)
        more = button(
            "One ring more", lambda: self._ring(ring_more, "grow"), "quiet", "what is marked so grows by a ring of faces"
        )
        less = button("One less", lambda: self._ring(ring_less, "shrink"), "quiet", "it gives up its outermost faces")
        self.box.addWidget(side_by_side(more, less))
        self.box.addWidget(button("Propose from the shape", self._propose, "", "engraved faces stay clean, hollows are hidden"))
        self.told = label("")
        self.box.addWidget(self.told)
        self.box.addWidget(button("Take all marks away", self._clear, "quiet"))
        self.school = QComboBox()
        self.school.setAccessibleName("where marks belong")
        for name in SCHOOLS:
            self.school.addItem(name, name)
        slim(self.school)
        self.school.activated.connect(lambda _: self._take_school())
        self.box.addWidget(captioned("Where marks belong", self.school))
        self.minutes = label("", "faint")
        self.box.addWidget(self.minutes)
        self._other_way()

    @property
    def chosen_way(self) -> Way:
        return Way(self.way.currentData())

    @property
    def chosen_kind(self) -> MarkKind | None:
        return KINDS[self.kind.currentData()]

    def show_part(self, part: Part | None) -> None:
        self.mark.setEnabled(part is not None)
        self.told.setText("" if part is None else marks_text(part, self._session.stages) or "No face is marked.")
        house, p = self._session.job.bench.house, self._session.prediction
        name = school_of(house)
        self.school.setCurrentIndex(self.school.findData(name) if name else -1)
        self.school.setPlaceholderText("a rule of your own")
        times = {kind: getattr(house, f"{kind}_mark_times") for kind in ("smooth", "flat", "busy", "engraved", "inner", "hidden")}
        told = "A mark takes " + ", ".join(f"×{value:g} {kind}" for kind, value in times.items()) + "."
        taken = p.verdict.finishing_min if p is not None and p.job is self._session.job else None
        self.minutes.setText(told + (f" As supported now, this plate: {taken:.0f} min of finishing." if taken else ""))

    def _other_way(self) -> None:
        way = self.chosen_way
        for other, field in self.amounts.items():
            field.setVisible(other is way)
        self._tool.shaped(way, self._amount, HINTS[way])

    @property
    def _amount(self) -> float:
        field = self.amounts.get(self.chosen_way)
        return field.value if field is not None else 0.0

    def stop(self) -> None:
        """The 3D view marks no more."""
        self._session.sight.lay_down(self._tool)

    def _picked(self, id: str, spots_mm: list[np.ndarray]) -> None:
        """Spots of a part in its own frame were picked: what is meant by them is marked."""
        session, job, way, kind, amount = self._session, self._session.job, self.chosen_way, self.chosen_kind, self._amount
        part = job.part(id)
        session.selection.choose_part(id)

        def work(_: object) -> Part:
            if way is Way.BOX:
                faces = region_at(part, session.stages, spots_mm[0], way, amount, spots_mm[1])
            else:
                every = [region_at(part, session.stages, spot, way, amount) for spot in spots_mm]
                faces = np.unique(np.concatenate(every))
            return with_marked(part, kind, faces)

        text = f"mark faces of {part.name}: {kind}" if kind is not None else f"take marks of {part.name} away"
        session.tasks.act("marking faces", work, lambda marked: self._changed(text, part, marked))

    def _changed(self, text: str, part: Part, marked: Part) -> None:
        if marked != part:
            self._step.change(text, marked)

    def _ring(self, change: Callable[..., Part], verb: str) -> None:
        part, kind, stages = self._session.selection.present, self.chosen_kind, self._session.stages
        if part is not None and kind is not None:
            done = lambda marked: self._changed(f"{verb} what is marked {kind}", part, marked)  # noqa: E731
            self._session.tasks.act("marking faces", lambda _: change(part, stages, kind), done)

    def _propose(self) -> None:
        session = self._session
        id, job = session.selection.part, session.job
        if session.selection.present is not None:
            session.proposing.propose("looking at the surface", lambda p: propose_marks(job, id, session.stages, p))

    def _clear(self) -> None:
        part = self._session.selection.present
        if part is not None and part.marks:
            self._step.change(f"take all marks of {part.name} away", replace(part, marks=()))

    def _take_school(self) -> None:
        """Let the house follow a school, as one change."""
        name, bench = self.school.currentData(), self._session.job.bench
        for key, value in SCHOOLS[name].items():
            bench = bench.with_value(f"house.{key}", value, name)
        self._session.document.change(f"house rule: {name}", replace(self._session.job, bench=bench))
