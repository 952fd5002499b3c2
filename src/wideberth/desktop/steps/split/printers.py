"""Printers: for each printer of the bench's shelf, how the chosen part fits it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from wideberth.core.bench import Printer, load_named, names_of
from wideberth.core.errors import WideBerthError
from wideberth.core.job import Part
from wideberth.core.progress import Progress
from wideberth.core.propose import PrinterFit, printers_that_fit
from wideberth.desktop.steps.fields import label
from wideberth.desktop.steps.step import Leaf

if TYPE_CHECKING:
    from wideberth.desktop.steps.split.step import SplitStep


def fit_text(one: PrinterFit) -> str:
    """One printer in a sentence: as the part stands, turned, or scaled and in pieces; their boxes alone need so many."""
    fit = one.fit
    if fit.as_is_mm >= 0:
        return f"{one.printer}: as it stands, {fit.as_is_mm:.0f} mm left"
    if fit.turned.margin_mm >= 0:
        return f"{one.printer}: turned, {fit.turned.margin_mm:.0f} mm left; as it stands {-fit.as_is_mm:.0f} mm too large"
    return (
        f"{one.printer}: at {100 * fit.scale:.0f} %, or in {fit.pieces} pieces or more; {-fit.turned.margin_mm:.0f} mm too large"
    )


class PrintersLeaf(Leaf):
    """Looked at beside, while the leaf is open."""

    _step: SplitStep

    def build(self) -> None:
        self.text = label("", "")
        self.box.addWidget(self.text)
        self.box.addWidget(
            label("With the gap under the part and the base beside it taken off; turned in any direction.", "faint")
        )
        self._of: tuple[object, ...] = ()

    def show_part(self, part: Part | None) -> None:
        if part is None or not self.isVisible():
            self.text.setText("" if part is None else self.text.text())
            return
        job, stages = self._session.job, self._session.stages
        of = (part.shape, part.cuts, part.pose, job.bench.supports)
        if of == self._of:
            return
        self._of = of
        self.text.setText("measuring …")

        def work(_: Progress) -> tuple[PrinterFit, ...]:
            own = job.bench.printer
            others = tuple(p for p in _printers() if p.name != own.name)
            return printers_that_fit(job, part.id, stages, (own, *others))

        def done(found: tuple[PrinterFit, ...]) -> None:
            if self._of == of:
                self.text.setText("\n\n".join(fit_text(one) for one in found))

        def stopped() -> None:
            if self._of == of:
                self._of = ()
                self.text.setText("")

        self._session.tasks.beside(work, done, stopped)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.show_part(self._session.selection.present)


def _printers() -> tuple[Printer, ...]:
    """All printers of the shelf that can be read."""
    found = []
    for name in names_of("printer"):
        try:
            found.append(load_named("printer", name))
        except WideBerthError:
            continue  # the bench page tells what is wrong with it
    return tuple(found)
