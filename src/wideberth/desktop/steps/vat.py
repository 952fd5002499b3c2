"""The vat and the shelf by hand: what is poured, stirred, poured back; bottles that come and go; a mix weighed out."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PySide6.QtWidgets import QLineEdit

from wideberth.core.bench import Mix, Printer, Resin, find_file, load_file, load_named, names_of
from wideberth.core.job import Part
from wideberth.core.plan import filling_of
from wideberth.core.shelf import (
    Shelf,
    corrected,
    emptied,
    on_shelf,
    poured,
    poured_back,
    stirred,
    taken_away,
    used_up,
    weighed_out,
)
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, side_by_side
from wideberth.desktop.steps.step import Leaf

SAME_SHARE = 0.005


class VatLeaf(Leaf):
    """What hands do with the vat and with the bottle that is chosen on the sheet."""

    def build(self) -> None:
        shelving = self._session.shelving
        self.pour = NumberField("Pour from the chosen bottle", "mL", 1, 50_000, 10, "as it stands: what the run needs")
        self._typed = False
        self.pour.entered.connect(lambda _: self._type())
        self.box.addWidget(self.pour)
        self.box.addWidget(button("Pour into the vat", self._pour, "main"))
        stir = button(
            "Stirred", lambda: self._do(lambda s, at: stirred(s, self._printer.name, at), "stirred"), "quiet", "just now"
        )
        over = button("Run is over", self._run_over, "quiet", "takes out of the vat what the run takes; the rest is used resin")
        back = button("Pour back", self._pour_back, "quiet", "through the filter into the chosen bottle")
        empty = button(
            "Empty it", lambda: self._do(lambda s, _: emptied(s, self._printer.name), "emptied"), "quiet", "and dispose of it"
        )
        self.box.addWidget(side_by_side(stir, over))
        self.box.addWidget(side_by_side(back, empty))
        self.there = NumberField("Seen in the vat", "mL", 0, 50_000, 10, "of the bench's resin, as the vat's own scale shows")
        self.there.entered.connect(self._corrected)
        self.box.addWidget(self.there)
        self.reckon = button("", self._reckon, "", "thicker and weaker, by the bench's values; undo takes it back")
        self.box.addWidget(self.reckon)
        self.weigh = label("", "faint")
        self.box.addWidget(self.weigh)
        self.lot = QLineEdit()
        self.lot.setPlaceholderText("as on its label")
        self.lot.setMaxLength(80)
        self.lot.setAccessibleName("lot of the new bottle")
        self.holds = NumberField("It holds", "mL", 1, 50_000, 100, "full")
        self.holds.set_value(1000)
        self.box.addWidget(side_by_side(captioned("Another bottle, lot", self.lot), self.holds))
        add = button("Onto the shelf", self._bottle, "", "a full one, of the bench's resin")
        self.box.addWidget(side_by_side(add, button("Take away", self._take_away, "quiet", "the chosen bottle")))
        shelving.changed.connect(self.refresh)
        self._session.planning.planned.connect(self.refresh)

    def showEvent(self, _event: object) -> None:
        self._session.shelving.read()
        self.refresh()

    def show_part(self, part: Part | None) -> None:
        self.refresh()

    def refresh(self) -> None:
        """What one would pour, what is there, and what a mix weighs; while anyone looks."""
        if not self.isVisible():
            return
        session = self._session
        vat, known, bench = session.shelving.vat, session.planning.known, session.job.bench
        if not self._typed:
            self.pour.set_value(1.0 if known is None else max(1.0, round(filling_of(known.taking, vat).before_ml)))
        self.there.set_value(round(vat.ml))
        self.reckon.setText(f"Reckon with {self._used:.0%} used")
        self.reckon.setVisible(abs(self._used - bench.resin.used_share) > SAME_SHARE)
        self.weigh.setText(_weighed_text(bench.resin, self.pour.value))
        self.weigh.setVisible(bool(self.weigh.text()))

    def _type(self) -> None:
        """What one says to pour stays until it is poured."""
        self._typed = True
        self.weigh.setText(_weighed_text(self._session.job.bench.resin, self.pour.value))

    @property
    def _printer(self) -> Printer:
        return self._session.job.bench.printer

    @property
    def _used(self) -> float:
        """Share of used resin in the vat, as far as it is of the job's."""
        vat = self._session.shelving.vat
        return vat.used_share if not vat.is_empty and vat.resin == self._session.job.bench.resin.name else 0.0

    # what hands do

    def _do(self, act: Callable[[Shelf, datetime], Shelf], said: str) -> None:
        at = self._session.shelving.clock()
        self._session.shelving.do(lambda shelf: act(shelf, at), said)

    def _pour(self) -> None:
        id, printer, ml, self._typed = self._session.shelving.chosen, self._printer, self.pour.value, False
        self._do(lambda s, at: poured(s, id, printer, ml, at), f"poured {ml:.0f} mL: stir it")

    def _pour_back(self) -> None:
        id, printer = self._session.shelving.chosen, self._printer
        self._do(lambda s, _: poured_back(s, printer, id), "poured back through the filter")

    def _run_over(self) -> None:
        known, name = self._session.planning.known, self._printer.name
        if known is not None:
            takes = filling_of(known.taking, self._session.shelving.vat).takes_ml
            self._do(lambda s, _: used_up(s, name, takes), f"{takes:.0f} mL taken out of the vat")

    def _corrected(self, ml: float) -> None:
        printer, resin, used = self._printer, self._session.job.bench.resin.name, self._used
        self._do(lambda s, at: corrected(s, printer, resin, ml, used, at), "kept as seen")

    def _reckon(self) -> None:
        self._session.document.set_bench("resin.used_share", round(self._used, 3), "by the vat")

    def _bottle(self) -> None:
        resin, holds, lot = self._session.job.bench.resin.name, self.holds.value, self.lot.text()
        self._do(lambda s, _: on_shelf(s, resin, holds, lot), f"a bottle of {resin} on the shelf")
        self.lot.clear()

    def _take_away(self) -> None:
        id = self._session.shelving.chosen
        self._do(lambda s, _: taken_away(s, id), "taken away")


def _weighed_text(resin: Resin, ml: float) -> str:
    """What to weigh for so much of a mix; nothing for what is none."""
    if not resin.ingredients:
        return ""
    portions = weighed_out(_mix_of(resin), lambda name: load_named("resin", name), ml)
    told = [f"{p.resin} {p.grams:.1f} g, then the scale shows {p.after_g:.1f}" for p in portions]
    return f"Weigh out {ml:.0f} mL, the cup taken off: " + "; ".join(told) + "."


def _mix_of(resin: Resin) -> Mix:
    """The mix that a resin was made by, so that it is known whether its parts are measured or weighed."""
    mixes = (load_file("mix", find_file("mix", name)[0]) for name in names_of("mix"))
    return next((m for m in mixes if m.name == resin.name), Mix(resin.name, resin.ingredients))
