"""The leaf of tips by hand: add, choose, move, size, pin, take away, and walk from the least held on."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QComboBox

from wideberth.core.job import Part
from wideberth.core.propose import (
    Added,
    Spread,
    least_held,
    sized_for_load,
    with_tips_mirrored,
    with_tips_pinned,
    with_tips_sized,
    without_tips,
)
from wideberth.desktop.session.training import COVERED
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, side_by_side, slim, tool_button
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.steps.support.editor import ADD, BOX, BRUSH, Mode, TipEditor
from wideberth.desktop.words import count, margin_text

MODES: dict[str, Mode] = {
    "adds a tip": ADD,
    "draws a box": BOX,
    "draws over tips": BRUSH,
    "adds tips along an edge": Spread.EDGE,
    "adds tips round a hole": Spread.RING,
    "adds tips over a face": Spread.GRID,
}
BY_LOAD = "by its load"
STEP_MM = 0.05
"""Of diameters, by keys."""


class TipsLeaf(Leaf):
    """Everything is one change with a name; what was set by hand stays through proposals when it is pinned."""

    def build(self) -> None:
        self._row = 0
        self.editor = TipEditor(self._session, self._tell)
        self.edit = tool_button("Edit tips in the 3D view", self._session.sight, self.editor)
        self.box.addWidget(self.edit)
        self.mode = QComboBox()
        self.mode.setAccessibleName("what a press beside tips does")
        for name in MODES:
            self.mode.addItem(name)
        slim(self.mode)
        self.mode.activated.connect(lambda _: self.set_mode())
        self.size = NumberField(
            "Diameter", "mm", 0.1, 3.0, 0.05, "of the chosen tips, or of the next; empty: by its load", BY_LOAD
        )
        self.size.unset()
        self.size.entered.connect(self._resize)
        self.size.cleared.connect(self._fit)
        self.apart = NumberField("Apart", "mm", 0.5, 50, 0.5, "between tips along an edge, round a hole, over a face", "by sag")
        self.apart.unset()
        self.apart.entered.connect(self._set_apart)
        self.apart.cleared.connect(lambda: self._set_apart(None))
        self.box.addWidget(captioned("A press", self.mode))
        self.box.addWidget(side_by_side(self.size, self.apart))
        self.told = label("")
        self.box.addWidget(self.told)
        self.pinned = QCheckBox("Pinned through proposals")
        self.pinned.clicked.connect(self._pin)
        self.box.addWidget(self.pinned)
        take = button("Take away", self.delete, "", "the chosen tips (Delete)")
        self.fit = button("As their load asks", self._fit, "quiet", "the size that their share wants at the margin to reach")
        self.box.addWidget(side_by_side(take, self.fit))
        hint = "the chosen tips, or all, once more on the other side of the part's plane of symmetry"
        self.box.addWidget(button("Mirror to the other side", self.mirror, "quiet", hint))
        self.box.addWidget(button("Next least held", self.next_least, "quiet", "the weakest first, round and round (F8)"))
        self.weak = label("", "faint")
        self.box.addWidget(self.weak)

    def show_part(self, part: Part | None) -> None:
        known = part.supports.contact if part is not None else {}
        left = tuple(c for c in self.editor.chosen if c in known)
        if left != self.editor.chosen:
            self.editor.choose(self._session.selection.part, left)
        self._tell()

    # what is chosen

    def stop(self) -> None:
        """The 3D view edits no tips any more."""
        self._session.sight.lay_down(self.editor)

    def set_mode(self) -> None:
        """What a press does is what the box says."""
        self.editor.mode = MODES[self.mode.currentText()]
        self._session.sight.tool_moved.emit()

    def press_does(self, number: int) -> None:
        """What a press does, by its place in the box, from 0."""
        self._session.sight.take_up(self.editor)
        self.mode.setCurrentIndex(number)
        self.set_mode()

    def resize_by(self, steps: int) -> None:
        """The chosen tips thicker or thinner by so many steps of the field."""
        part = self._session.selection.present
        contacts = [c for c in part.supports.contacts if c.id in self.editor.chosen] if part is not None else []
        if part is None or not contacts:
            self._session.messages.say("choose tips to make them thicker or thinner")
            return
        sizes = {c.id: round(min(max(c.diameter_mm + STEP_MM * steps, 0.1), 3.0), 3) for c in contacts}
        name = f"{'thicker' if steps > 0 else 'thinner'} {count(len(sizes), 'tip')}"
        self._session.document.change(name, with_tips_sized(self._session.job, part.id, sizes))

    def fit_to_load(self) -> None:
        """The chosen tips at the size that their loads ask for."""
        self._fit()

    def turn_pin(self) -> None:
        """Pin the chosen tips, or let them go."""
        part = self._session.selection.present
        contacts = [c for c in part.supports.contacts if c.id in self.editor.chosen] if part is not None else []
        self._pin(not all(c.pinned for c in contacts))

    def nudge(self, right: int, up: int) -> None:
        """The chosen tip a little along the part, as it is seen."""
        self.editor.nudge(right, up)

    def _set_apart(self, apart_mm: float | None) -> None:
        self.editor.apart_mm = apart_mm

    def mirror(self) -> None:
        """Set the chosen tips, or all, on the part's other side as well."""
        session, part, chosen = self._session, self._session.selection.present, self.editor.chosen
        if part is None or not part.supports.contacts:
            return
        job, id = session.job, part.id

        def done(made: Added) -> None:
            self.editor.take(id, made, f"mirror {count(made.count, 'tip')}")

        session.tasks.act("leading posts to them", lambda _: with_tips_mirrored(job, id, session.stages, chosen), done)

    def _tell(self) -> None:
        part, chosen, p = self._session.selection.present, self.editor.chosen, self._session.prediction
        contacts = [c for c in part.supports.contacts if c.id in chosen] if part is not None else []
        sizes = {c.diameter_mm for c in contacts}
        if len(sizes) == 1:
            self.size.set_value(sizes.pop())
        elif contacts or self.editor.diameter_mm is None:
            self.size.unset()
        else:
            self.size.set_value(self.editor.diameter_mm)
        for widget in (self.pinned, self.fit):
            widget.setEnabled(bool(contacts))
        self.pinned.setChecked(bool(contacts) and all(c.pinned for c in contacts))
        self.told.setText(self._words(contacts))
        weak = least_held(p, p.job.bench) if p is not None and p.job is self._session.job else ()
        wanted = self._session.job.bench.supports.wanted_margin
        if self._session.training.covers:
            self.weak.setText(COVERED)
            return
        self.weak.setText(f"{count(len(weak), 'tip')} under ×{wanted:g}." if weak else f"No tip is under ×{wanted:g}.")

    def _words(self, contacts: list) -> str:  # type: ignore[type-arg]
        p = self._session.prediction
        if not contacts:
            return "No tip is chosen."
        if len(contacts) > 1:
            return f"{len(contacts)} tips are chosen."
        contact = contacts[0]
        if p is None or p.job is not self._session.job:
            return f"{contact.diameter_mm:.2f} mm, {contact.need.short}."
        solids = p.solids_of(self._session.selection.part)
        records = [t for t in p.verdict.tips if t.contact == contact.id and solids is not None and t.part == solids.number]
        marks = [m for m in p.verdict.marks or () if m.contact == contact.id and solids is not None and m.part == solids.number]
        if not records or self._session.training.covers:
            return f"{contact.diameter_mm:.2f} mm, {contact.need.short}."
        t = records[0]
        told = f"{t.size_text}: holds {t.worst_load_n:.2f} N, {margin_text(t.margin)} ({contact.need.short})."
        if marks:
            on = f"{marks[0].surface}, {marks[0].marked}" if marks[0].marked else marks[0].surface
            told += f" On a {on} face: {marks[0].minutes:.1f} min to finish."
        return told

    # acts

    def _resize(self, size_mm: float) -> None:
        part, chosen = self._session.selection.present, self.editor.chosen
        if part is None or not chosen:
            self.editor.diameter_mm = size_mm
            return
        made = with_tips_sized(self._session.job, part.id, dict.fromkeys(chosen, size_mm))
        self._session.document.change(f"set {count(len(chosen), 'tip')} to {size_mm:g} mm", made)

    def _fit(self) -> None:
        session, chosen = self._session, self.editor.chosen
        part, seen, job = session.selection.present, session.prediction, session.job
        if part is None or not chosen:
            self.editor.diameter_mm = None
            return
        if seen is None or seen.job is not job:
            return

        def work(_: object):  # type: ignore[no-untyped-def]
            made = job
            for contact in chosen:
                made = sized_for_load(seen, made, part.id, session.stages, contact)
            return made

        done = lambda made: session.document.change("size tips by their load", made)  # noqa: E731
        session.tasks.act("weighing tips", work, done)

    def _pin(self, pinned: bool) -> None:
        part, chosen = self._session.selection.present, self.editor.chosen
        if part is not None and chosen:
            made = with_tips_pinned(self._session.job, part.id, chosen, pinned)
            verb = "pin" if pinned else "let go"
            self._session.document.change(f"{verb} {count(len(chosen), 'tip')}", made)

    def delete(self) -> None:
        """Take the chosen tips away."""
        part, chosen = self._session.selection.present, self.editor.chosen
        if part is not None and chosen:
            made = without_tips(self._session.job, part.id, chosen)
            self._session.document.change(f"take {count(len(chosen), 'tip')} away", made)

    def next_least(self) -> None:
        """Choose the next of the least held tips, and go to its height."""
        session = self._session
        if session.training.covers:
            session.messages.say(COVERED)
            return
        p = session.prediction
        weak = least_held(p, p.job.bench) if p is not None else ()
        if p is None or not weak:
            session.messages.say("no tip is under the margin to reach")
            return
        self._row %= len(weak)
        number, margin = weak[self._row]
        self._row += 1
        tip = p.verdict.tips[number]
        part = p.placed[tip.part].part.id
        session.selection.choose_part(part)
        session.sight.take_up(self.editor)
        self.editor.choose(part, (tip.contact,))
        session.cursor.move_to(tip.z_mm)
        session.messages.say(f"tip {number + 1} holds {margin_text(margin)}")
